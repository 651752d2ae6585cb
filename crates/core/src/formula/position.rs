//! Functions of positions.
//!
//! A position is no number, so it stands only as an argument of these; what they take of
//! it comes as references to its parts.

use super::FormulaError;
use super::ast::{Part, What};
use super::check::{Checker, Component, Reference, Span, Type, dimension_of};
use super::function::{Measure, distance, places};
use super::node::Node;
use crate::ValueType;
use crate::fix::FixPart;
use crate::physics::geodesy;
use crate::units::UnitCode;
use std::f64::consts::TAU;

/// How the functions are written.
const USAGE: [(&str, &str); 7] = [
    ("latitude", "latitude(position)"),
    ("longitude", "longitude(position)"),
    ("altitude", "altitude(position)"),
    ("accuracy", "accuracy(position)"),
    ("speed", "speed(position)"),
    ("course", "course(position)"),
    ("distance", "distance(position, position)` or `distance(position, latitude, longitude)"),
];

const LENGTH: Measure = Measure::Unit("m");

/// A position of a signal: its last, or the one before.
struct Place {
    signal: String,
    span: Span,
}

impl Checker<'_> {
    /// A call of a function of positions; `None` if it is none.
    pub(super) fn call_of_position(
        &mut self,
        at: usize,
        name: &str,
        arguments: &[Part],
    ) -> Option<Result<(Node, Type), FormulaError>> {
        let usage = USAGE.iter().find(|(known, _)| *known == name)?.1;
        let Some(place) = arguments.first().and_then(|first| self.place(first)) else {
            // Two of them are functions of numbers too.
            let is_only_of_positions = !matches!(name, "altitude" | "distance");
            let error = || FormulaError::new(at, format!("`{name}` is written `{usage}`"));
            return is_only_of_positions.then(|| Err(error()));
        };
        let rest = &arguments[1..];
        Some(match (name, rest) {
            ("latitude", []) => Ok(self.part(&place, FixPart::Latitude)),
            ("longitude", []) => Ok(self.part(&place, FixPart::Longitude)),
            ("altitude", []) => Ok(self.part(&place, FixPart::Altitude)),
            ("accuracy", []) => Ok(self.part(&place, FixPart::Accuracy)),
            ("speed", []) if place.span == Span::Last => Ok(self.moved(&place.signal, speed, Measure::Unit("m/s"))),
            ("course", []) if place.span == Span::Last => Ok(self.moved(&place.signal, course, Measure::Angle)),
            ("distance", [other]) => match self.place(other) {
                Some(other) => Ok(self.apart(&place, &other)),
                None => Err(FormulaError::new(other.at, "a signal with positions was expected")),
            },
            ("distance", [latitude, longitude]) => self.away_from(&place, latitude, longitude),
            _ => Err(FormulaError::new(at, format!("`{name}` is written `{usage}`"))),
        })
    }

    /// The position an argument is.
    fn place(&self, part: &Part) -> Option<Place> {
        let (signal, span) = match &part.what {
            What::Signal(signal) => (signal, Span::Last),
            What::Call(name, arguments) if name == "previous" => match arguments.as_slice() {
                [Part { what: What::Signal(signal), .. }] => (signal, Span::Before),
                _ => return None,
            },
            _ => return None,
        };
        let is_position = (self.signals)(signal)?.value_type == ValueType::Position;
        is_position.then(|| Place { signal: signal.clone(), span })
    }

    fn refer(&mut self, place: &Place, component: Component) -> Node {
        let unit = match component {
            Component::Part(part) => UnitCode::parse(part.unit()).ok(),
            Component::Value | Component::Time => None,
        };
        let reference = Reference { signal: place.signal.clone(), span: place.span, component };
        let quantity = unit.and_then(|unit| unit.quantity().ok());
        Node::Value(self.reference(reference, quantity))
    }

    fn part(&mut self, place: &Place, part: FixPart) -> (Node, Type) {
        let measure = match part {
            FixPart::Latitude | FixPart::Longitude => Measure::Angle,
            FixPart::Altitude | FixPart::Accuracy => LENGTH,
        };
        (self.refer(place, Component::Part(part)), result(measure))
    }

    fn both(&mut self, place: &Place) -> [Node; 2] {
        [FixPart::Latitude, FixPart::Longitude].map(|part| self.refer(place, Component::Part(part)))
    }

    /// What a function of the last two positions and the seconds between them gives.
    fn moved(&mut self, signal: &str, run: fn(&[f64]) -> f64, measure: Measure) -> (Node, Type) {
        let mut nodes = Vec::with_capacity(6);
        for span in [Span::Before, Span::Last] {
            let place = Place { signal: signal.to_owned(), span };
            nodes.extend(self.both(&place));
            nodes.push(self.refer(&place, Component::Time));
        }
        (Node::Call(run, nodes), result(measure))
    }

    fn apart(&mut self, here: &Place, there: &Place) -> (Node, Type) {
        let nodes = [self.both(here), self.both(there)].into_iter().flatten().collect();
        (Node::Call(distance, nodes), result(LENGTH))
    }

    fn away_from(&mut self, here: &Place, latitude: &Part, longitude: &Part) -> Result<(Node, Type), FormulaError> {
        let mut nodes = Vec::from(self.both(here));
        for part in [latitude, longitude] {
            let (node, found) = self.number(part)?;
            if Some(&found.dimension) != dimension_of(Measure::Angle).as_ref() {
                let message =
                    format!("this is {}; `distance` takes an angle here, such as 54.5 \"deg\"", found.dimension);
                return Err(FormulaError::new(part.at, message));
            }
            nodes.push(node);
        }
        Ok((Node::Call(distance, nodes), result(LENGTH)))
    }
}

fn result(measure: Measure) -> Type {
    Type::number(dimension_of(measure).unwrap_or_default())
}

/// Metres a second from latitude, longitude, time to latitude, longitude, time.
fn speed(x: &[f64]) -> f64 {
    distance(&[x[0], x[1], x[3], x[4]]) / (x[5] - x[2])
}

/// The direction in which it moved; none if it did not.
fn course(x: &[f64]) -> f64 {
    let [from, to] = places([x[0], x[1], x[3], x[4]]);
    geodesy::initial_bearing(from, to).map_or(f64::NAN, |degrees| degrees.to_radians().rem_euclid(TAU))
}

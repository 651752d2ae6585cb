//! Joining what is one value: the numbers of a position, a value and its unit.
//!
//! Whatever the form of a payload, its names come flat: `pos.lat` and `pos.lon` of one
//! time are the position `pos`; `lat` and `lon` that stand alone are `position`;
//! `temp.value` and `temp.unit` are `temp`. A device's plan may have names of its own for
//! the parts of a position. Names that are signals themselves are never joined.

use super::{Plan, PlannedSignal, shown};
use crate::decode::{Item, Raw};
use crate::fix::{Fix, FixPart};
use crate::units::{UnitChange, UnitCode};
use crate::{Refusal, RefusalCode, ValueType};
use std::borrow::Cow;
use std::collections::HashMap;

/// What a position is called whose parts stand without a name before them.
const ALONE: &str = "position";

/// The words senders use for the parts of a position.
const WORDS: [(FixPart, &[&str]); 4] = [
    (FixPart::Latitude, &["lat", "latitude"]),
    (FixPart::Longitude, &["lon", "lng", "long", "longitude"]),
    (FixPart::Altitude, &["alt", "altitude", "altitude_m", "ele", "elevation"]),
    (FixPart::Accuracy, &["acc", "accuracy", "accuracy_m"]),
];

/// What an item is of a position.
struct Share<'a> {
    /// The name of the position.
    of: Cow<'a, str>,
    what: What,
    /// The plan says so, and not the name alone.
    is_planned: bool,
}

/// What of a position an item holds.
#[derive(Clone, Copy, PartialEq, Eq)]
enum What {
    Part(FixPart),
    /// That it is a point of GeoJSON (RFC 7946, section 3.1.2).
    Kind,
    Coordinates,
    /// A value whose unit stands beside it, and that unit.
    Value,
    Unit,
}

/// Items that belong together, by their places.
struct Group<'a> {
    of: Cow<'a, str>,
    is_planned: bool,
    members: Vec<(What, usize)>,
}

/// Joins what belongs together among items whose names are no signals. What is alone
/// stays as it is; half of a position that is planned is refused.
pub fn join<'a>(plan: &Plan, items: Vec<Item<'a>>, refused: &mut Vec<Refusal>) -> Vec<Item<'a>> {
    let groups = group(plan, &items);
    if groups.is_empty() {
        return items;
    }
    let mut slots: Vec<Option<Item<'a>>> = items.into_iter().map(Some).collect();
    for group in groups {
        let read = |wanted: What| {
            let place = group.members.iter().find(|(what, _)| *what == wanted)?.1;
            slots[place].as_ref()
        };
        let (joined, is_used) = match join_group(read) {
            Ok(Some(joined)) => joined,
            Ok(None) if !group.is_planned => continue,
            Ok(None) => {
                let first = group.members.first().and_then(|(_, place)| slots[*place].take());
                refused.extend(first.map(|item| half(&item, &group.of)));
                group.members.iter().for_each(|(_, place)| slots[*place] = None);
                continue;
            }
            Err(refusal) => {
                refused.push(refusal);
                group.members.iter().for_each(|(_, place)| slots[*place] = None);
                continue;
            }
        };
        // What is not of it stays what it is.
        let mut used = group.members.iter().filter(|(what, _)| is_used(*what)).map(|(_, place)| *place);
        let Some(first) = used.next() else { continue };
        used.for_each(|place| slots[place] = None);
        slots[first] = slots[first].take().map(|item| Item { name: group.of, ..joined.in_place_of(item) });
    }
    slots.into_iter().flatten().collect()
}

fn group<'a>(plan: &Plan, items: &[Item<'a>]) -> Vec<Group<'a>> {
    let mut groups: Vec<Group<'a>> = Vec::new();
    let mut open: HashMap<(String, Option<i64>, Option<&str>), usize> = HashMap::new();
    for (place, item) in items.iter().enumerate() {
        let Some(share) = share(plan, item) else { continue };
        let key = (share.of.to_string(), item.at.map(crate::Moment::as_micros), item.device.as_deref());
        let known = open.get(&key).copied();
        // A part that is there already is of the next position.
        let known = known.filter(|known| groups[*known].members.iter().all(|(what, _)| *what != share.what));
        let group = known.unwrap_or_else(|| {
            groups.push(Group { of: share.of, is_planned: share.is_planned, members: Vec::new() });
            open.insert(key, groups.len() - 1);
            groups.len() - 1
        });
        groups[group].members.push((share.what, place));
    }
    groups
}

/// Whether a value may be a part of something: its name is no signal, or SenML gave a number the
/// name of the position it belongs to.
pub(super) fn is_loose(signal: Option<&PlannedSignal>, item: &Item<'_>) -> bool {
    signal.is_none_or(|signal| signal.value_type == Some(ValueType::Position) && matches!(item.value, Raw::Number(_)))
}

fn share<'a>(plan: &Plan, item: &Item<'a>) -> Option<Share<'a>> {
    if !is_loose(plan.get(&item.name), item) {
        return None;
    }
    if let Some((of, part)) = plan.part(&item.name) {
        return Some(Share { of: Cow::Owned(of.to_owned()), what: What::Part(part), is_planned: true });
    }
    let (of, what) = by_name(item).or_else(|| by_unit(item))?;
    // Another type that was declared says that these are no parts of it.
    let is_position = |known: Option<ValueType>| matches!(known, None | Some(ValueType::Position));
    let is_free =
        matches!(what, What::Value | What::Unit) || plan.get(&of).is_none_or(|known| is_position(known.value_type));
    is_free.then_some(Share { of, what, is_planned: false })
}

fn by_name<'a>(item: &Item<'a>) -> Option<(Cow<'a, str>, What)> {
    let name = item.name.as_ref();
    let start = name.rfind('.').map_or(0, |dot| dot + 1);
    let word = name[start..].to_ascii_lowercase();
    let what = match &item.value {
        Raw::List(_) if word == "coordinates" => What::Coordinates,
        Raw::Text(text) if word == "type" && text == "Point" => What::Kind,
        Raw::Text(_) if word == "unit" && start > 0 => What::Unit,
        _ if word == "value" && start > 0 => What::Value,
        Raw::Number(_) | Raw::Text(_) => {
            let part = WORDS.iter().find(|(_, words)| words.contains(&word.as_str()))?.0;
            // Alone, this is as likely an acceleration.
            if start == 0 && word == "acc" {
                return None;
            }
            What::Part(part)
        }
        _ => return None,
    };
    let of = match (&item.name, start) {
        (_, 0) => Cow::Borrowed(ALONE),
        (Cow::Borrowed(name), _) => Cow::Borrowed(&name[..start - 1]),
        (Cow::Owned(name), _) => Cow::Owned(name[..start - 1].to_owned()),
    };
    Some((of, what))
}

/// SenML has units of its own for the two (RFC 8428, section 12.1), whatever the name.
fn by_unit<'a>(item: &Item<'a>) -> Option<(Cow<'a, str>, What)> {
    let part = match item.unit.as_deref()? {
        "deg{lat}" => FixPart::Latitude,
        "deg{lon}" => FixPart::Longitude,
        _ => return None,
    };
    Some((item.name.clone(), What::Part(part)))
}

/// What items are together.
enum Joined<'a> {
    Position(Fix),
    WithUnit(Raw<'a>, Cow<'a, str>),
}

impl<'a> Joined<'a> {
    fn in_place_of(self, item: Item<'a>) -> Item<'a> {
        match self {
            Self::Position(fix) => Item { value: Raw::Position(fix), unit: None, ..item },
            Self::WithUnit(value, unit) => Item { value, unit: Some(unit), ..item },
        }
    }
}

/// Which of the items of a group went into what they are together.
type IsUsed = fn(What) -> bool;

/// What a group is together, if it is anything: a point, latitude and longitude, or a value
/// with its unit.
fn join_group<'i, 'a: 'i>(
    read: impl Fn(What) -> Option<&'i Item<'a>>,
) -> Result<Option<(Joined<'a>, IsUsed)>, Refusal> {
    if let Some(Item { value: Raw::List(coordinates), .. }) = read(What::Coordinates)
        && read(What::Kind).is_some()
        && let Some(fix) = Fix::from_geojson(coordinates)
    {
        return Ok(Some((Joined::Position(fix), |what| matches!(what, What::Kind | What::Coordinates))));
    }
    let part = |part: FixPart| read(What::Part(part)).map(|item| number(item, part)).transpose();
    if let Some((latitude, longitude)) = part(FixPart::Latitude)?.zip(part(FixPart::Longitude)?) {
        let (altitude_m, accuracy_m) = (part(FixPart::Altitude)?, part(FixPart::Accuracy)?);
        let fix = Fix { latitude, longitude, altitude_m, accuracy_m };
        return Ok(Some((Joined::Position(fix), |what| matches!(what, What::Part(_)))));
    }
    let Some(Item { value: Raw::Text(unit), .. }) = read(What::Unit) else { return Ok(None) };
    let Some(value) = read(What::Value) else { return Ok(None) };
    let joined = Joined::WithUnit(value.value.clone(), unit.clone());
    Ok(Some((joined, |what| matches!(what, What::Value | What::Unit))))
}

/// The number of a part, in its unit.
fn number(item: &Item<'_>, part: FixPart) -> Result<f64, Refusal> {
    let sent = match &item.value {
        Raw::Number(number) => Some(*number),
        Raw::Text(text) => text.trim().parse().ok().filter(|number: &f64| number.is_finite()),
        _ => None,
    };
    let name = shown(&item.name);
    let sent = sent.ok_or_else(|| {
        let detail = format!("`{name}` is the {} of a position, but no number was sent.", part.as_str());
        Refusal::of(RefusalCode::WrongType, &item.name, detail)
    })?;
    let Some(unit) = item.unit.as_deref().filter(|unit| *unit != part.unit()) else { return Ok(sent) };
    let change = UnitCode::from_entry(unit).ok().zip(UnitCode::parse(part.unit()).ok());
    let change = change.and_then(|(from, to)| UnitChange::between(&from, &to).ok());
    change.map(|change| change.apply(sent)).filter(|number| number.is_finite()).ok_or_else(|| {
        let detail = format!("`{name}` is the {} of a position, but was sent in {}.", part.as_str(), shown(unit));
        Refusal::of(RefusalCode::UnitMismatch, &item.name, detail)
    })
}

fn half(item: &Item<'_>, of: &str) -> Refusal {
    let detail = format!(
        "`{}` is a part of the position `{}`, and latitude and longitude did not come together.",
        shown(&item.name),
        shown(of)
    );
    Refusal::of(RefusalCode::HalfPosition, &item.name, detail)
}

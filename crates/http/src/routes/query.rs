//! Query parameters, read so that a bad value is an error and not ignored.

use jiff::tz::TimeZone;
use lantern_core::series::Point;
use lantern_core::units::{UnitChange, UnitCode};
use lantern_core::{Moment, Value};
use lantern_engine::Problem;
use lantern_engine::clock;
use lantern_store::{Order, Signal};
use std::str::FromStr;

/// A number between two bounds.
pub(super) fn number<T: FromStr + PartialOrd + std::fmt::Display + Copy>(
    name: &str,
    text: Option<&str>,
    default: T,
    min: T,
    max: T,
) -> Result<T, Problem> {
    let Some(text) = text else { return Ok(default) };
    match text.parse::<T>() {
        Ok(number) if number >= min && number <= max => Ok(number),
        _ => Err(Problem::invalid(name, format_args!("`{}` is not a number from {min} to {max}", cut(text)))),
    }
}

/// The number of items on a page.
pub(super) fn limit(text: Option<&str>) -> Result<u32, Problem> {
    number("limit", text, 100, 1, 500)
}

/// A time, RFC 3339 or epoch.
pub(super) fn moment(name: &str, text: Option<&str>) -> Result<Option<Moment>, Problem> {
    // A plus sign in a query means a space unless it is escaped, and few do.
    text.map(|text| Moment::parse(&text.replace(' ', "+")).map_err(|e| Problem::invalid(name, e))).transpose()
}

/// From when to when: by default the last day up to now.
pub(super) fn span(from: Option<&str>, to: Option<&str>) -> Result<(Moment, Moment), Problem> {
    // Readings may be stamped a little ahead, and belong to "now" all the same.
    let to = moment("to", to)?.unwrap_or_else(|| clock::now().plus_seconds(lantern_core::intake::MAX_AHEAD_SECONDS));
    let from = moment("from", from)?.unwrap_or_else(|| to.plus_seconds(-86_400.0));
    if from < to {
        Ok((from, to))
    } else {
        Err(Problem::invalid("from", "the start of the time must be before its end"))
    }
}

/// The time zone of a name.
pub(super) fn zone(name: &str) -> Result<TimeZone, Problem> {
    let unknown = |_| Problem::invalid("zone", format_args!("`{name}` is not the name of a time zone"));
    TimeZone::get(name).map_err(unknown)
}

/// From which end readings are wanted: the earliest first, unless it is said otherwise.
pub(super) fn order(text: Option<&str>) -> Result<Order, Problem> {
    match text {
        None | Some("ascending") => Ok(Order::Ascending),
        Some("descending") => Ok(Order::Descending),
        Some(_) => Err(Problem::invalid("order", "`ascending` or `descending`")),
    }
}

/// What is left of a time after a page that ended at `after`.
pub(super) fn rest(
    (from, to): (Moment, Moment),
    order: Order,
    after: Option<&str>,
) -> Result<(Moment, Moment), Problem> {
    let Some(after) = moment("after", after)? else { return Ok((from, to)) };
    Ok(match order {
        Order::Ascending => (from.max(after.next()), to),
        Order::Descending => (from, to.min(after)),
    })
}

/// True or false, where the bare name means true.
pub(super) fn flag(name: &str, text: Option<&str>) -> Result<bool, Problem> {
    match text {
        None | Some("false") => Ok(false),
        Some("true" | "") => Ok(true),
        Some(other) => Err(Problem::invalid(name, format_args!("`{}` is neither true nor false", cut(other)))),
    }
}

/// The unit values are wanted in, if it is another than the signal's own.
pub(super) fn unit(signal: &Signal, wanted: Option<&str>) -> Result<Wanted, Problem> {
    let Some(wanted) = wanted else { return Ok(Wanted(None)) };
    let invalid = |why: &dyn std::fmt::Display| Problem::invalid("unit", why);
    let to = UnitCode::from_entry(&wanted.replace(' ', "+")).map_err(|error| invalid(&error))?;
    let own = signal.unit.as_deref().and_then(|own| UnitCode::parse(own).ok());
    let own = own.ok_or_else(|| invalid(&format_args!("`{}` has no unit to be converted from", signal.code)))?;
    UnitChange::between(&own, &to).map(|change| Wanted(Some((to, change)))).map_err(|error| invalid(&error))
}

/// How values are wanted: as they are, or in another unit.
pub(super) struct Wanted(Option<(UnitCode, UnitChange)>);

impl Wanted {
    /// The code of the unit, if it was asked for.
    pub(super) fn code(&self) -> Option<String> {
        self.0.as_ref().map(|(code, _)| code.to_string())
    }

    /// A number in it.
    pub(super) fn number(&self, number: f64) -> f64 {
        self.0.as_ref().map_or(number, |(_, change)| change.apply(number))
    }

    /// A number in it, in the signal's own unit.
    pub(super) fn back(&self, number: f64) -> f64 {
        self.0.as_ref().map_or(number, |(_, change)| change.back().apply(number))
    }

    /// A reading in it.
    pub(super) fn point(&self, point: Point) -> Point {
        match point.value {
            Value::Number(number) if self.0.is_some() => Point { value: Value::Number(self.number(number)), ..point },
            _ => point,
        }
    }

    /// Whether means of values in it are the values of means: not where there is a
    /// logarithm.
    pub(super) fn check_means(&self) -> Result<(), Problem> {
        match &self.0 {
            Some((code, change)) if !change.is_affine() => Err(Problem::invalid(
                "unit",
                format_args!(
                    "a mean cannot be had in `{code}`, which is a logarithm; ask for readings, or for another unit"
                ),
            )),
            _ => Ok(()),
        }
    }
}

/// Splits a list that was asked for with one item over its limit into a page
/// and where the next one begins.
pub(super) fn page<T, U>(
    mut rows: Vec<T>,
    limit: u32,
    cursor: impl Fn(&T) -> String,
    item: impl FnMut(T) -> U,
) -> lantern_api::Page<U> {
    let is_more = rows.len() > limit as usize;
    rows.truncate(limit as usize);
    let next = if is_more { rows.last().map(cursor) } else { None };
    lantern_api::Page { items: rows.into_iter().map(item).collect(), next }
}

pub(super) fn cut(text: &str) -> String {
    text.chars().take(40).collect()
}

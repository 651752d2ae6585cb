//! Query parameters, read so that a bad value is an error and not ignored.

use crate::clock;
use crate::problem::Problem;
use lantern_core::Moment;
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

/// True or false, where the bare name means true.
pub(super) fn flag(name: &str, text: Option<&str>) -> Result<bool, Problem> {
    match text {
        None | Some("false") => Ok(false),
        Some("true" | "") => Ok(true),
        Some(other) => Err(Problem::invalid(name, format_args!("`{}` is neither true nor false", cut(other)))),
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

fn cut(text: &str) -> String {
    text.chars().take(40).collect()
}

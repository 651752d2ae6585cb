//! `name=value` pairs, as the query of a plain GET carries them.

use super::record::Record;
use super::{Decoded, Item, Raw, TIME_NAMES, Times};
use crate::Refusal;
use std::borrow::Cow;

/// Reads pairs that are already split and percent-decoded. `at` or `ago` is the
/// time of all of them; a value is a number when it reads as one, else a text.
///
/// # Errors
/// A [`Refusal`] of the whole request: too many readings, or no value in it.
pub fn pairs<'a>(
    pairs: impl IntoIterator<Item = (Cow<'a, str>, Cow<'a, str>)>,
    times: &Times,
) -> Result<Decoded<'a>, Refusal> {
    let mut decoded = Decoded::default();
    let mut record = Record::begin(&decoded);
    for (name, text) in pairs {
        if TIME_NAMES.contains(&name.as_ref()) {
            record.time(&name, &text, times, &mut decoded);
        } else if !text.trim().is_empty() {
            decoded.push(Item::new(name, raw(text)))?;
        }
    }
    record.close(times, &mut decoded)?;
    decoded.finish()
}

/// A value written as text: a number when it reads as one.
pub(super) fn raw(text: Cow<'_, str>) -> Raw<'_> {
    match text.trim().parse::<f64>() {
        Ok(number) if number.is_finite() => Raw::Number(number),
        _ => Raw::Text(text),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Moment, RefusalCode};
    use jiff::tz::TimeZone;

    fn of<'a>(list: &[(&'a str, &'a str)]) -> Result<Decoded<'a>, Refusal> {
        let times = Times::new(Moment::parse("2026-05-01T12:00:00Z").unwrap(), TimeZone::UTC);
        pairs(list.iter().map(|&(n, v)| (Cow::Borrowed(n), Cow::Borrowed(v))), &times)
    }

    #[test]
    fn numbers_and_texts_are_told_apart() {
        let values: Vec<_> = of(&[("temp", "21.4"), ("mode", "eco"), ("empty", "")])
            .unwrap()
            .items
            .into_iter()
            .map(|i| i.value)
            .collect();
        assert_eq!(values, [Raw::Number(21.4), Raw::Text("eco".into())]);
    }

    #[test]
    fn the_time_holds_for_all_wherever_it_stands() {
        let decoded = of(&[("a", "1"), ("at", "1777636800"), ("b", "2")]).unwrap();
        assert!(decoded.items.iter().all(|i| i.at.unwrap().to_string() == "2026-05-01T12:00:00Z"));
    }

    #[test]
    fn infinite_is_no_number_and_nothing_is_refused() {
        assert_eq!(of(&[("a", "inf")]).unwrap().items[0].value, Raw::Text("inf".into()));
        assert_eq!(of(&[]).unwrap_err().code, RefusalCode::NoValues);
        assert_eq!(of(&[("a", "1"), ("at", "noon")]).unwrap().refused[0].code, RefusalCode::BadTime);
    }
}

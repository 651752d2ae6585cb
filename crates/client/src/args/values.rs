//! Values that are typed as one word.

use anyhow::{Result, bail};
use lantern_api::{NewSignal, Position, ValueType};

/// A device and one of its signals.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct SignalPath {
    pub(crate) device: String,
    pub(crate) signal: String,
}

impl std::fmt::Display for SignalPath {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}/{}", self.device, self.signal)
    }
}

pub(super) fn parse_path(text: &str) -> Result<SignalPath, String> {
    match text.split_once('/') {
        Some((device, signal)) if !device.is_empty() && !signal.is_empty() && !signal.contains('/') => {
            Ok(SignalPath { device: device.to_owned(), signal: signal.to_owned() })
        }
        _ => Err("write it as DEVICE/SIGNAL, such as tower/level".to_owned()),
    }
}

/// A signal of an export, and the unit it is wanted in.
pub(super) fn parse_column(text: &str) -> Result<String, String> {
    let path = text.split_once(':').map_or(text, |(path, _)| path);
    parse_path(path).map(|_| text.to_owned())
}

pub(super) fn parse_signal(text: &str) -> Result<NewSignal, String> {
    let (code, rest) = text.split_once(':').unwrap_or((text, ""));
    let (value_type, unit) = match rest {
        "" | "number" => (ValueType::Number, None),
        "flag" => (ValueType::Flag, None),
        "text" => (ValueType::Text, None),
        "position" => (ValueType::Position, None),
        unit => (ValueType::Number, Some(unit.to_owned())),
    };
    if code.is_empty() {
        return Err("write it as CODE:UNIT, such as level:m".to_owned());
    }
    Ok(NewSignal { code: code.to_owned(), value_type, unit, ..NewSignal::default() })
}

pub(super) fn parse_position(text: &str) -> Result<Position, String> {
    let numbers: Result<Vec<f64>, _> = text.split(',').map(|part| part.trim().parse()).collect();
    match numbers.as_deref() {
        Ok([latitude, longitude]) => Ok(Position { latitude: *latitude, longitude: *longitude, altitude_m: None }),
        Ok([latitude, longitude, altitude]) => {
            Ok(Position { latitude: *latitude, longitude: *longitude, altitude_m: Some(*altitude) })
        }
        _ => Err("write it as LAT,LON or LAT,LON,ALT, such as 54.52,-2.31,210".to_owned()),
    }
}

pub(super) fn parse_value(text: &str) -> Result<(String, serde_json::Value), String> {
    let (name, value) = text.split_once('=').ok_or("write it as NAME=VALUE, such as temp=21.4")?;
    if name.is_empty() {
        return Err("the name is missing before the =".to_owned());
    }
    Ok((name.to_owned(), typed(value)))
}

/// A value as its look says: a number, true or false, else a text.
pub(crate) fn typed(value: &str) -> serde_json::Value {
    match value {
        "true" => true.into(),
        "false" => false.into(),
        other => match other.parse::<f64>() {
            Ok(number) if number.is_finite() => number.into(),
            _ => other.into(),
        },
    }
}

/// Devices that can be made at once.
const MOST_AT_ONCE: u32 = 500;

/// Names in which `{1..4}` stands for four, as some shells have it.
pub(crate) fn expand(name: &str) -> Result<Vec<String>> {
    let parts = name.split_once('{').and_then(|(before, rest)| Some((before, rest.split_once('}')?)));
    let Some((before, (range, after))) = parts.filter(|(_, (range, _))| range.contains("..")) else {
        return Ok(vec![name.to_owned()]);
    };
    let range = range.split_once("..").and_then(|(first, last)| Some((first.parse().ok()?, last.parse().ok()?)));
    match range {
        Some((first, last)) if first <= last && last - first < MOST_AT_ONCE => {
            Ok((first..=last).map(|number: u32| format!("{before}{number}{after}")).collect())
        }
        _ => bail!("`{name}`: what stands in braces is no range of 1 to {MOST_AT_ONCE} numbers, such as {{1..4}}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_have_types() {
        for (text, expected) in [
            ("temp=21.4", serde_json::json!(21.4)),
            ("door=true", serde_json::json!(true)),
            ("mode=eco", serde_json::json!("eco")),
            ("odd=nan", serde_json::json!("nan")),
            ("sum=1=1", serde_json::json!("1=1")),
        ] {
            assert_eq!(parse_value(text).unwrap().1, expected, "{text}");
        }
        assert!(parse_value("temp").is_err());
    }

    #[test]
    fn a_range_stands_for_many_names() {
        assert_eq!(expand("shed-{1..3}").unwrap(), ["shed-1", "shed-2", "shed-3"]);
        assert_eq!(expand("shed").unwrap(), ["shed"]);
        assert_eq!(expand("shed {left}").unwrap(), ["shed {left}"]);
        for name in ["shed-{3..1}", "shed-{a..b}", "shed-{1..501}"] {
            assert!(expand(name).unwrap_err().to_string().contains(name));
        }
    }

    #[test]
    fn signals_are_written_in_one_word() {
        let signal = parse_signal("level:m").unwrap();
        assert_eq!((signal.code.as_str(), signal.unit.as_deref()), ("level", Some("m")));
        assert_eq!(parse_signal("door:flag").unwrap().value_type, ValueType::Flag);
        assert_eq!(parse_signal("count").unwrap().unit, None);
        assert!(parse_signal(":m").is_err());
    }
}

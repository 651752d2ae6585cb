//! Values that are typed as one word.

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

pub(super) fn parse_signal(text: &str) -> Result<NewSignal, String> {
    let (code, rest) = text.split_once(':').unwrap_or((text, ""));
    let (value_type, unit) = match rest {
        "" | "number" => (ValueType::Number, None),
        "flag" => (ValueType::Flag, None),
        "text" => (ValueType::Text, None),
        unit => (ValueType::Number, Some(unit.to_owned())),
    };
    if code.is_empty() {
        return Err("write it as CODE:UNIT, such as level:m".to_owned());
    }
    Ok(NewSignal { code: code.to_owned(), name: None, note: String::new(), value_type, unit })
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
    let value = match value {
        "true" => true.into(),
        "false" => false.into(),
        other => match other.parse::<f64>() {
            Ok(number) if number.is_finite() => number.into(),
            _ => other.into(),
        },
    };
    Ok((name.to_owned(), value))
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
    fn signals_are_written_in_one_word() {
        let signal = parse_signal("level:m").unwrap();
        assert_eq!((signal.code.as_str(), signal.unit.as_deref()), ("level", Some("m")));
        assert_eq!(parse_signal("door:flag").unwrap().value_type, ValueType::Flag);
        assert_eq!(parse_signal("count").unwrap().unit, None);
        assert!(parse_signal(":m").is_err());
    }
}

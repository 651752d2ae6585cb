//! From named raw values to readings of a device's signals.

use crate::decode::{Decoded, Item, Raw};
use crate::{Moment, Reading, Refusal, RefusalCode, SignalId, Value, ValueType, code};
use std::collections::HashMap;

/// How far ahead of the service's clock a time may be, in seconds.
pub const MAX_AHEAD_SECONDS: f64 = 600.0;

/// What the intake knows of one device: its signals by the names senders use.
#[derive(Debug, Clone, Default)]
pub struct Plan {
    signals: HashMap<String, PlannedSignal>,
}

/// One signal of a [`Plan`].
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct PlannedSignal {
    /// Where its readings go.
    pub id: SignalId,
    /// The declared type; `None` while it is an arrival, which takes any.
    pub value_type: Option<ValueType>,
}

impl Plan {
    /// Adds a signal under a name.
    pub fn insert(&mut self, name: impl Into<String>, signal: PlannedSignal) {
        self.signals.insert(name.into(), signal);
    }

    /// The signal of a name.
    #[must_use]
    pub fn get(&self, name: &str) -> Option<PlannedSignal> {
        self.signals.get(name).copied()
    }

    /// How many names are waiting as arrivals.
    #[must_use]
    pub fn waiting(&self) -> usize {
        self.signals.values().filter(|s| s.value_type.is_none()).count()
    }
}

/// A value under a name the device does not have yet.
#[derive(Debug, Clone, PartialEq)]
pub struct Arrival {
    /// The sender's name for it.
    pub name: String,
    /// When it was measured.
    pub at: Moment,
    /// What was sent.
    pub value: Value,
}

/// What a delivery came to.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Understood {
    /// Readings of known names, declared ones and arrivals alike.
    pub readings: Vec<Reading>,
    /// Values of names not seen before on this device.
    pub arrivals: Vec<Arrival>,
    /// What was not taken.
    pub refused: Vec<Refusal>,
}

/// Matches the values of a delivery with the signals of its device. Values
/// without a time get `now`; good values are kept beside bad ones.
#[must_use]
pub fn understand(plan: &Plan, decoded: Decoded<'_>, now: Moment) -> Understood {
    let mut understood = Understood { refused: decoded.refused, ..Understood::default() };
    understood.readings.reserve(decoded.items.len());
    for item in decoded.items {
        let at = item.at.unwrap_or(now);
        let placed = check_time(&item, at, now).and_then(|()| match plan.get(&item.name) {
            Some(signal) => convert(&item.name, item.value, signal.value_type)
                .map(|value| understood.readings.push(Reading { signal: signal.id, at, value })),
            None => arrival(item, at).map(|arrival| understood.arrivals.push(arrival)),
        });
        understood.refused.extend(placed.err());
    }
    understood
}

fn check_time(item: &Item<'_>, at: Moment, now: Moment) -> Result<(), Refusal> {
    let ahead = at.seconds_since(now);
    if ahead <= MAX_AHEAD_SECONDS {
        return Ok(());
    }
    let detail = format!(
        "The time {at} of `{}` is {} ahead of the service's clock ({now}).",
        shown(&item.name),
        rough_duration(ahead)
    );
    Err(Refusal::of(RefusalCode::TimeInFuture, &item.name, detail))
}

fn arrival(item: Item<'_>, at: Moment) -> Result<Arrival, Refusal> {
    code::check_signal(&item.name).map_err(|e| {
        Refusal::of(RefusalCode::BadName, &item.name, format!("`{}` cannot name a signal: {e}.", shown(&item.name)))
    })?;
    let value = convert(&item.name, item.value, None)?;
    Ok(Arrival { name: item.name.into_owned(), at, value })
}

fn convert(name: &str, raw: Raw<'_>, wanted: Option<ValueType>) -> Result<Value, Refusal> {
    match (wanted, raw) {
        (Some(ValueType::Number) | None, Raw::Number(n)) => Ok(Value::Number(n)),
        (Some(ValueType::Flag) | None, Raw::Flag(f)) => Ok(Value::Flag(f)),
        (Some(ValueType::Text) | None, Raw::Text(t)) => text(name, &t),
        (Some(ValueType::Flag), Raw::Number(n)) if n == 0.0 || n == 1.0 => Ok(Value::Flag(n == 1.0)),
        (Some(ValueType::Text), Raw::Number(n)) => Ok(Value::Text(n.to_string())),
        (Some(ValueType::Text), Raw::Flag(f)) => Ok(Value::Text(f.to_string())),
        (Some(ValueType::Number), Raw::Text(t)) => match t.trim().parse::<f64>() {
            Ok(n) if n.is_finite() => Ok(Value::Number(n)),
            _ => Err(wrong_type(name, ValueType::Number, &format!("the text \"{}\"", shown(&t)))),
        },
        (Some(ValueType::Flag), Raw::Text(t)) => match t.trim().to_ascii_lowercase().as_str() {
            "true" | "on" | "yes" | "1" => Ok(Value::Flag(true)),
            "false" | "off" | "no" | "0" => Ok(Value::Flag(false)),
            _ => Err(wrong_type(name, ValueType::Flag, &format!("the text \"{}\"", shown(&t)))),
        },
        (Some(wanted @ ValueType::Number), Raw::Flag(f)) => Err(wrong_type(name, wanted, &format!("the flag {f}"))),
        (Some(wanted @ ValueType::Flag), Raw::Number(n)) => Err(wrong_type(name, wanted, &format!("the number {n}"))),
    }
}

fn text(name: &str, text: &str) -> Result<Value, Refusal> {
    if text.len() <= Value::MAX_TEXT {
        return Ok(Value::Text(text.to_owned()));
    }
    let detail = format!("`{}` is a text of {} bytes.", shown(name), text.len());
    Err(Refusal::of(RefusalCode::TextTooLong, name, detail))
}

fn wrong_type(name: &str, wanted: ValueType, got: &str) -> Refusal {
    let detail = format!("`{}` is a {} signal, but {got} was sent.", shown(name), wanted.as_str());
    Refusal::of(RefusalCode::WrongType, name, detail)
}

fn shown(text: &str) -> String {
    text.chars().take(40).collect()
}

fn rough_duration(seconds: f64) -> String {
    match seconds {
        s if s < 7200.0 => format!("{:.0} minutes", s / 60.0),
        s if s < 172_800.0 => format!("{:.0} hours", s / 3600.0),
        s => format!("{:.0} days", s / 86_400.0),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::decode;

    fn plan() -> Plan {
        let mut plan = Plan::default();
        for (id, name, value_type) in [
            (1, "temp", Some(ValueType::Number)),
            (2, "door", Some(ValueType::Flag)),
            (3, "mode", Some(ValueType::Text)),
            (4, "odd", None),
        ] {
            plan.insert(name, PlannedSignal { id: SignalId(id), value_type });
        }
        plan
    }

    fn now() -> Moment {
        Moment::parse("2026-05-01T12:00:00Z").unwrap()
    }

    fn take(body: &str) -> Understood {
        understand(&plan(), decode::json(body.as_bytes()).unwrap(), now())
    }

    #[test]
    fn values_take_the_type_of_their_signal() {
        for (body, expected) in [
            (r#"{"temp": 21.4}"#, Some(Value::Number(21.4))),
            (r#"{"temp": " 21.4 "}"#, Some(Value::Number(21.4))),
            (r#"{"temp": "warm"}"#, None),
            (r#"{"temp": "inf"}"#, None),
            (r#"{"temp": true}"#, None),
            (r#"{"door": true}"#, Some(Value::Flag(true))),
            (r#"{"door": 0}"#, Some(Value::Flag(false))),
            (r#"{"door": "On"}"#, Some(Value::Flag(true))),
            (r#"{"door": 2}"#, None),
            (r#"{"mode": "eco"}"#, Some(Value::Text("eco".into()))),
            (r#"{"mode": 3}"#, Some(Value::Text("3".into()))),
            (r#"{"odd": "anything"}"#, Some(Value::Text("anything".into()))),
        ] {
            let understood = take(body);
            assert_eq!(understood.readings.first().map(|r| r.value.clone()), expected, "{body}");
            match understood.refused.first() {
                None => assert!(expected.is_some(), "{body}"),
                Some(r) => assert_eq!(r.code, RefusalCode::WrongType, "{body}"),
            }
        }
    }

    #[test]
    fn a_good_value_beside_a_bad_one_is_kept() {
        let understood = take(r#"{"temp": 21.4, "door": "ajar", "new": 1, "bad name": 2}"#);
        assert_eq!(understood.readings.len(), 1);
        assert_eq!(understood.arrivals.len(), 1);
        let codes: Vec<_> = understood.refused.iter().map(|r| r.code).collect();
        assert_eq!(codes, [RefusalCode::WrongType, RefusalCode::BadName]);
    }

    #[test]
    fn the_future_is_refused_beyond_ten_minutes() {
        assert_eq!(take(r#"{"temp": 1, "at": "2026-05-01T12:10:00Z"}"#).readings.len(), 1);
        let late = take(r#"{"temp": 1, "at": "2026-05-01T12:10:01Z"}"#);
        assert_eq!(late.refused[0].code, RefusalCode::TimeInFuture);
        assert!(late.refused[0].detail.contains("10 minutes ahead"), "{}", late.refused[0].detail);
    }

    #[test]
    fn texts_are_bounded() {
        let fits = take(&format!(r#"{{"mode": "{}"}}"#, "x".repeat(1024)));
        assert_eq!(fits.readings.len(), 1);
        let over = take(&format!(r#"{{"mode": "{}"}}"#, "x".repeat(1025)));
        assert_eq!(over.refused[0].code, RefusalCode::TextTooLong);
    }
}

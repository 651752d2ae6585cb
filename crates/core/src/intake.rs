//! From named raw values to readings of a device's signals.

pub use crate::decode::MAX_AHEAD_SECONDS;
use crate::decode::{Decoded, Item, Raw, Remark};
use crate::quality::{Cause, Quality};
use crate::units::{UnitChange, UnitCode};
use crate::{Moment, Reading, Refusal, RefusalCode, SignalId, Value, ValueType, code};
use std::collections::HashMap;

/// How long ago a time may be, in seconds (twenty years): before that lie the
/// years at which the clocks of boards begin to count.
pub const MAX_BEHIND_SECONDS: f64 = 20.0 * 365.25 * 86_400.0;

/// What the intake knows of one device: its signals by the names senders use.
#[derive(Debug, Clone, Default)]
pub struct Plan {
    signals: HashMap<String, PlannedSignal>,
}

/// One signal of a [`Plan`].
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlannedSignal {
    /// Where its readings go.
    pub id: SignalId,
    /// The declared type; `None` while it is an arrival, which takes any.
    pub value_type: Option<ValueType>,
    /// UCUM code of the unit its values are sent in, unless they say another.
    pub unit: Option<String>,
    /// It is worked out by a formula: nobody sends it.
    pub is_derived: bool,
    /// An arrival that nobody wants: what is sent under its name is passed over.
    pub is_ignored: bool,
}

impl PlannedSignal {
    /// A declared signal without a unit.
    #[must_use]
    pub const fn declared(id: SignalId, value_type: ValueType) -> Self {
        Self { id, value_type: Some(value_type), unit: None, is_derived: false, is_ignored: false }
    }
}

impl Plan {
    /// Adds a signal under a name.
    pub fn insert(&mut self, name: impl Into<String>, signal: PlannedSignal) {
        self.signals.insert(name.into(), signal);
    }

    /// The signal of a name.
    #[must_use]
    pub fn get(&self, name: &str) -> Option<&PlannedSignal> {
        self.signals.get(name)
    }

    /// The one declared number, if there is just one: where a bare number goes.
    #[must_use]
    pub fn only_number(&self) -> Option<&str> {
        let mut numbers = self.signals.iter().filter(|(_, s)| s.value_type == Some(ValueType::Number));
        let (name, _) = numbers.next()?;
        numbers.next().is_none().then_some(name.as_str())
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
    /// The unit the sender names, if it is one.
    pub unit: Option<String>,
}

/// What one value comes to.
#[derive(Debug, Clone, PartialEq)]
pub enum Placed {
    /// A reading of a signal, or of an arrival that waits already.
    Reading(Reading),
    /// A value of a name not seen before on this device.
    Arrival(Arrival),
    /// A value of a name that is passed over.
    Ignored,
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
    /// What was taken, but is worth knowing.
    pub remarks: Vec<Remark>,
    /// Values of names that are passed over.
    pub ignored: usize,
}

/// Matches the values of a delivery with the signals of its device. Values
/// without a time get `now`; good values are kept beside bad ones.
#[must_use]
pub fn understand(plan: &Plan, decoded: Decoded<'_>, now: Moment) -> Understood {
    let mut understood = Understood { refused: decoded.refused, remarks: decoded.remarks, ..Understood::default() };
    understood.readings.reserve(decoded.items.len());
    let mut changes = Changes::default();
    for item in decoded.items {
        match place_with(plan, item, now, &mut changes) {
            Ok(Placed::Reading(reading)) => understood.readings.push(reading),
            Ok(Placed::Arrival(arrival)) => understood.arrivals.push(arrival),
            Ok(Placed::Ignored) => understood.ignored += 1,
            Err(refusal) => understood.refused.push(refusal),
        }
    }
    understood
}

/// Says what one value comes to.
///
/// # Errors
/// A [`Refusal`] of this value.
pub fn place(plan: &Plan, item: Item<'_>, now: Moment) -> Result<Placed, Refusal> {
    place_with(plan, item, now, &mut Changes::default())
}

/// Changes of unit that have come up in a delivery: its values mostly have the
/// same few units, and reading a unit takes as long as placing a hundred values.
#[derive(Default)]
struct Changes(Vec<KnownChange>);

struct KnownChange {
    sent: String,
    declared: String,
    change: Option<UnitChange>,
}

fn place_with(plan: &Plan, item: Item<'_>, now: Moment, changes: &mut Changes) -> Result<Placed, Refusal> {
    let at = item.at.unwrap_or(now);
    check_time(&item, at, now)?;
    match plan.get(&item.name) {
        Some(signal) if signal.is_ignored => Ok(Placed::Ignored),
        Some(signal) if signal.is_derived => {
            let detail = format!("`{}` is worked out by a formula from other signals.", shown(&item.name));
            Err(Refusal::of(RefusalCode::Derived, &item.name, detail))
        }
        Some(signal) => {
            let change = changes.of(&item, signal)?;
            let value = convert(&item.name, item.value, signal.value_type)?;
            let reading = Reading::good(signal.id, at, value);
            Ok(Placed::Reading(match change {
                Some(change) => in_unit(change, reading),
                None => reading,
            }))
        }
        None => arrival(item, at).map(Placed::Arrival),
    }
}

fn check_time(item: &Item<'_>, at: Moment, now: Moment) -> Result<(), Refusal> {
    let ahead = at.seconds_since(now);
    let (code, detail) = if ahead > MAX_AHEAD_SECONDS {
        let detail = format!(
            "The time {at} of `{}` is {} ahead of the service's clock ({now}).",
            shown(&item.name),
            rough_duration(ahead)
        );
        (RefusalCode::TimeInFuture, detail)
    } else if -ahead > MAX_BEHIND_SECONDS {
        (RefusalCode::TimeTooOld, format!("The time {at} of `{}` is over twenty years ago.", shown(&item.name)))
    } else {
        return Ok(());
    };
    Err(Refusal::of(code, &item.name, detail))
}

impl Changes {
    /// Changes that are remembered: looking through more would take as long again.
    const MOST: usize = 16;

    /// How a value in another unit than the signal's becomes one in it; `None` if
    /// it is in that already.
    fn of(&mut self, item: &Item<'_>, signal: &PlannedSignal) -> Result<Option<&UnitChange>, Refusal> {
        let (Some(sent), Some(declared)) = (&item.unit, &signal.unit) else { return Ok(None) };
        if sent == declared {
            return Ok(None);
        }
        let known = self.0.iter().position(|known| known.sent == *sent && known.declared == *declared);
        let place = match known {
            Some(place) => place,
            None => {
                let change = change_of_unit(item, sent, declared)?;
                // Who names a new unit with each value has to wait for it.
                if self.0.len() >= Self::MOST {
                    self.0.clear();
                }
                self.0.push(KnownChange { sent: sent.to_string(), declared: declared.clone(), change });
                self.0.len() - 1
            }
        };
        Ok(self.0[place].change.as_ref())
    }
}

/// From the unit that was sent to the signal's; what measures something else is not
/// taken.
fn change_of_unit(item: &Item<'_>, sent: &str, declared: &str) -> Result<Option<UnitChange>, Refusal> {
    let mismatch = |detail| Refusal::of(RefusalCode::UnitMismatch, &item.name, detail);
    let name = shown(&item.name);
    let Ok(from) = UnitCode::from_entry(sent) else {
        return Err(mismatch(format!("`{name}` is in {declared}, but was sent in {}, which is no unit.", shown(sent))));
    };
    let Ok(to) = UnitCode::parse(declared) else { return Ok(None) };
    let change = UnitChange::between(&from, &to)
        .map_err(|error| mismatch(format!("`{name}` is in {declared}, but was sent in {}: {error}.", shown(sent))))?;
    Ok((!change.is_identity()).then_some(change))
}

/// A reading in the unit that is expected. What cannot be had in it is kept as it
/// was sent, and rejected.
fn in_unit(change: &UnitChange, sent: Reading) -> Reading {
    let Value::Number(number) = sent.value else { return sent };
    match change.apply(number) {
        changed if changed.is_finite() => Reading { value: Value::Number(changed), ..sent },
        _ => Reading { quality: Quality::Rejected(Cause::Conversion), raw: Some(number), ..sent },
    }
}

fn arrival(item: Item<'_>, at: Moment) -> Result<Arrival, Refusal> {
    code::check_signal(&item.name).map_err(|e| {
        Refusal::of(RefusalCode::BadName, &item.name, format!("`{}` cannot name a signal: {e}.", shown(&item.name)))
    })?;
    let value = convert(&item.name, item.value, None)?;
    let unit = item.unit.and_then(|unit| UnitCode::from_entry(&unit).ok()).map(|unit| unit.as_str().to_owned());
    Ok(Arrival { name: item.name.into_owned(), at, value, unit })
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
            _ => Err(no_number(name, &t)),
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

/// A kept value as another type would have it, where that is possible.
#[must_use]
pub fn adapt(value: Value, wanted: ValueType) -> Option<Value> {
    let raw = match value {
        Value::Number(number) => Raw::Number(number),
        Value::Flag(flag) => Raw::Flag(flag),
        Value::Text(text) => Raw::Text(text.into()),
    };
    convert("", raw, Some(wanted)).ok()
}

fn text(name: &str, text: &str) -> Result<Value, Refusal> {
    if text.len() <= Value::MAX_TEXT {
        return Ok(Value::Text(text.to_owned()));
    }
    let detail = format!("`{}` is a text of {} bytes.", shown(name), text.len());
    Err(Refusal::of(RefusalCode::TextTooLong, name, detail))
}

/// A text that is no number; one with a decimal comma nearly is.
fn no_number(name: &str, text: &str) -> Refusal {
    let mut refusal = wrong_type(name, ValueType::Number, &format!("the text \"{}\"", shown(text)));
    let with_point = text.trim().replacen(',', ".", 1);
    if text.contains(',') && with_point.parse::<f64>().is_ok_and(f64::is_finite) {
        refusal.detail.push_str(&format!(
            " It looks like {with_point} with a decimal comma: send a point, or give the field the type \
             `decimal-comma` in the device's decoder."
        ));
    }
    refusal
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
    use crate::decode::{self, Times};
    use jiff::tz::TimeZone;

    fn plan() -> Plan {
        let mut plan = Plan::default();
        for (id, name, value_type) in [
            (1, "temp", Some(ValueType::Number)),
            (2, "door", Some(ValueType::Flag)),
            (3, "mode", Some(ValueType::Text)),
            (4, "odd", None),
        ] {
            let unit = (name == "temp").then(|| "Cel".to_owned());
            plan.insert(
                name,
                PlannedSignal { id: SignalId(id), value_type, unit, is_derived: false, is_ignored: false },
            );
        }
        let unwanted =
            PlannedSignal { id: SignalId(5), value_type: None, unit: None, is_derived: false, is_ignored: true };
        plan.insert("unwanted", unwanted);
        plan
    }

    fn now() -> Moment {
        Moment::parse("2026-05-01T12:00:00Z").unwrap()
    }

    fn take(body: &str) -> Understood {
        let times = Times::new(now(), TimeZone::UTC);
        understand(&plan(), decode::json(body.as_bytes(), &times).unwrap(), now())
    }

    #[test]
    fn another_unit_is_changed_into_the_signals_own() {
        let of = |unit: Option<&str>| {
            let item = Item { unit: unit.map(|unit| unit.to_owned().into()), ..Item::new("temp", Raw::Number(68.0)) };
            place(&plan(), item, now())
        };
        for (unit, expected) in
            [(None, 68.0), (Some("Cel"), 68.0), (Some("°C"), 68.0), (Some("[degF]"), 20.0), (Some("°F"), 20.0)]
        {
            let Ok(Placed::Reading(reading)) = of(unit) else { panic!("{unit:?}") };
            assert!((reading.value.as_number().unwrap() - expected).abs() < 1e-9, "{unit:?}: {reading:?}");
            assert_eq!((reading.raw, reading.quality), (None, Quality::Good), "{unit:?}");
        }
        for (unit, says) in
            [("tea", "which is no unit"), ("hPa", "`hPa` is a pressure (L-1.M.T-2) and `Cel` is a temperature (Th)")]
        {
            let refusal = of(Some(unit)).unwrap_err();
            assert_eq!(refusal.code, RefusalCode::UnitMismatch);
            assert!(refusal.detail.contains(says), "{}", refusal.detail);
        }
        let mut plan = plan();
        plan.insert(
            "dew",
            PlannedSignal { is_derived: true, ..PlannedSignal::declared(SignalId(9), ValueType::Number) },
        );
        let refusal = place(&plan, Item::new("dew", Raw::Number(3.0)), now()).unwrap_err();
        assert_eq!(refusal.code, RefusalCode::Derived, "nobody sends what is worked out");
        // A signal without a unit takes any, and a new name keeps the one it came with.
        let item = Item { unit: Some("%RH".into()), ..Item::new("new", Raw::Number(55.0)) };
        let Ok(Placed::Arrival(arrival)) = place(&plan, item, now()) else { panic!("not an arrival") };
        assert_eq!(arrival.unit.as_deref(), Some("%{RH}"));
    }

    #[test]
    fn an_ignored_name_is_passed_over_and_counted() {
        let understood = take(r#"{"unwanted": 1, "temp": 2}"#);
        assert_eq!((understood.ignored, understood.readings.len()), (1, 1));
    }

    #[test]
    fn the_clock_of_a_board_that_was_never_set_is_noticed() {
        for at in ["1970-01-01T00:10:00Z", "1980-01-06T00:00:00Z", "2000-01-01T00:00:12Z"] {
            let understood = take(&format!(r#"{{"temp": 1, "at": "{at}"}}"#));
            assert_eq!(understood.refused[0].code, RefusalCode::TimeTooOld, "{at}");
        }
        assert_eq!(take(r#"{"temp": 1, "at": "2010-01-01T00:00:00Z"}"#).readings.len(), 1);
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
    fn a_decimal_comma_is_recognised_and_not_taken() {
        for (sent, is_said) in [("24,5", true), (" -0,25 ", true), ("1,2,3", false), ("warm, dry", false), ("1,", true)]
        {
            let understood = take(&format!(r#"{{"temp": "{sent}"}}"#));
            let refusal = &understood.refused[0];
            assert_eq!(refusal.code, RefusalCode::WrongType);
            assert_eq!(refusal.detail.contains("decimal comma"), is_said, "{sent}: {}", refusal.detail);
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

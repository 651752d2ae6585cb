//! What names, places, signals and decoders must fulfil before they are kept.

use crate::definitions::Subject;
use crate::documents;
use crate::problem::{Class, Problem};
use lantern_api::NewSignal;
use lantern_core::decode::decoder::Form;
use lantern_core::decode::{Decoder, TIME_NAMES};
use lantern_core::formula::SignalType;
use lantern_core::meaning::Meaning;
use lantern_core::units::UnitCode;
use lantern_core::{Position, SignalRole, SiteId, ValueType, code};
use lantern_store as store;
use std::collections::HashSet;

/// Declared signals of one device, at most.
pub const MAX_SIGNALS: usize = 200;
/// How often a device is taken to report if nobody says it, in seconds.
pub const DEFAULT_INTERVAL_S: f64 = 60.0;

/// The code given, or one made from the name.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn place_code(code: Option<String>, name: &str) -> Result<String, Problem> {
    let code = code.unwrap_or_else(|| code::propose(name));
    code::check_place(&code).map_err(|e| Problem::invalid("code", e))?;
    Ok(code)
}

/// A name for people.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn check_name(name: &str) -> Result<&str, Problem> {
    let name = name.trim();
    if name.is_empty() || name.chars().count() > 120 || name.chars().any(char::is_control) {
        return Err(Problem::invalid("name", "a name has 1 to 120 characters"));
    }
    Ok(name)
}

/// Free text.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn check_note(note: &str) -> Result<&str, Problem> {
    if note.len() > 4_000 { Err(Problem::invalid("note", "a note has at most 4,000 bytes")) } else { Ok(note) }
}

/// Where a device stands, in words.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn check_place(place: &str) -> Result<&str, Problem> {
    let place = place.trim();
    if place.chars().count() > 120 || place.chars().any(char::is_control) {
        return Err(Problem::invalid("place", "a place has at most 120 characters, and no line ends"));
    }
    Ok(place)
}

/// A place on the Earth.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn check_position(position: Position) -> Result<Position, Problem> {
    let Position { latitude, longitude, altitude_m } = position;
    if !(-90.0..=90.0).contains(&latitude) {
        return Err(Problem::invalid("position.latitude", "degrees north, from -90 to 90"));
    }
    if !(-180.0..=180.0).contains(&longitude) {
        return Err(Problem::invalid("position.longitude", "degrees east, from -180 to 180"));
    }
    if altitude_m.is_some_and(|metres| !(-12_000.0..=100_000.0).contains(&metres)) {
        return Err(Problem::invalid("position.altitude_m", "metres, from -12,000 to 100,000"));
    }
    Ok(position)
}

/// The IANA name of a time zone.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn check_zone(zone: &str) -> Result<&str, Problem> {
    match jiff::tz::TimeZone::get(zone) {
        Ok(_) => Ok(zone),
        Err(_) => Err(Problem::invalid(
            "zone",
            format_args!("`{zone}` is not the name of a time zone, such as Europe/London or UTC"),
        )),
    }
}

/// A declaration that has been checked.
pub(crate) struct Declared {
    pub(crate) code: String,
    name: String,
    note: String,
    pub(crate) value_type: ValueType,
    unit: Option<String>,
    low: Option<f64>,
    high: Option<f64>,
    interval_s: Option<f64>,
    is_reserved: bool,
    role: Option<SignalRole>,
    pub(crate) meaning: Option<Meaning>,
}

impl Declared {
    /// As a change of a signal there is.
    pub(crate) fn to_change(&self) -> store::SignalChange {
        store::SignalChange {
            name: Some(self.name.clone()),
            note: Some(self.note.clone()),
            value_type: Some(self.value_type),
            unit: Some(self.unit.clone()),
            low: Some(self.low),
            high: Some(self.high),
            interval_s: Some(self.interval_s),
            is_reserved: Some(self.is_reserved),
            role: Some(self.role),
        }
    }

    /// As it would be declared again.
    pub(crate) fn to_api(&self) -> NewSignal {
        NewSignal {
            code: self.code.clone(),
            name: Some(self.name.clone()),
            note: self.note.clone(),
            value_type: self.value_type,
            unit: self.unit.clone(),
            low: self.low,
            high: self.high,
            interval_s: self.interval_s,
            reserved: self.is_reserved,
            role: self.role,
            meaning: self.meaning.as_ref().and_then(|meaning| serde_json::to_value(meaning).ok()),
        }
    }

    /// What formulas and screens see of it.
    pub(crate) fn signal_type(&self) -> SignalType {
        SignalType {
            unit: self.unit.as_deref().and_then(|unit| UnitCode::parse(unit).ok()),
            value_type: self.value_type,
        }
    }

    /// As a signal of a device that is to mean something.
    pub(crate) fn subject<'a>(&'a self, site: SiteId, device: &'a str) -> Subject<'a> {
        Subject { site, device, code: &self.code, value_type: self.value_type, unit: self.unit.as_deref() }
    }

    pub(crate) fn to_new(&self) -> store::NewSignal<'_> {
        store::NewSignal {
            code: &self.code,
            name: &self.name,
            note: &self.note,
            value_type: self.value_type,
            unit: self.unit.as_deref(),
            low: self.low,
            high: self.high,
            interval_s: self.interval_s,
            is_reserved: self.is_reserved,
            role: self.role,
        }
    }
}

/// Checks declarations that come with a new device.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub(crate) fn check_signals(new: &[NewSignal]) -> Result<Vec<Declared>, Problem> {
    if new.len() > MAX_SIGNALS {
        return Err(Problem::invalid("signals", format_args!("a device has at most {MAX_SIGNALS}")));
    }
    let mut codes = HashSet::new();
    if let Some(twice) = new.iter().find(|signal| !codes.insert(signal.code.as_str())) {
        return Err(Problem::invalid("signals", format_args!("`{}` is declared twice", twice.code)));
    }
    new.iter().map(check_signal).collect()
}

/// Checks a declaration.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub(crate) fn check_signal(new: &NewSignal) -> Result<Declared, Problem> {
    code::check_signal(&new.code).map_err(|e| Problem::invalid("code", e))?;
    if TIME_NAMES.contains(&new.code.as_str()) {
        return Err(Problem::invalid("code", format_args!("`{}` is where senders put the time", new.code)));
    }
    let value_type = new.value_type;
    check_limits(new.low, new.high, value_type)?;
    check_role(new.role, value_type)?;
    Ok(Declared {
        code: new.code.clone(),
        name: check_name(new.name.as_deref().unwrap_or(&new.code))?.to_owned(),
        note: check_note(&new.note)?.to_owned(),
        value_type,
        unit: new.unit.as_deref().map(|unit| check_unit(unit, value_type)).transpose()?,
        low: new.low,
        high: new.high,
        interval_s: new.interval_s.map(check_interval).transpose()?,
        is_reserved: new.reserved,
        role: new.role,
        meaning: new.meaning.as_ref().map(check_meaning).transpose()?.filter(|meaning| !meaning.is_empty()),
    })
}

/// Why a meaning is refused.
pub(crate) fn invalid_meaning(detail: impl std::fmt::Display) -> Problem {
    Problem::new(
        Class::Invalid,
        "bad-meaning",
        "This cannot be what the values mean",
        format!("{detail}."),
        "Mend it at that place; docs/reference/conversions.md, formulas.md and screening.md describe what can be said.",
    )
}

/// What values mean, read as far as it can be without knowing the signals it needs.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn check_meaning(form: &serde_json::Value) -> Result<Meaning, Problem> {
    serde_json::from_value(form.clone()).map_err(invalid_meaning)
}

/// What a signal tells of its device's link.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn check_role(role: Option<SignalRole>, value_type: ValueType) -> Result<(), Problem> {
    if role.is_some() && value_type != ValueType::Number {
        return Err(Problem::invalid("role", "only a number tells of the link"));
    }
    Ok(())
}

/// What a signal's values can be.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn check_limits(low: Option<f64>, high: Option<f64>, value_type: ValueType) -> Result<(), Problem> {
    if (low.is_some() || high.is_some()) && value_type != ValueType::Number {
        return Err(Problem::invalid("low", format_args!("a {} has no limits", value_type.as_str())));
    }
    match (low, high) {
        (Some(low), Some(high)) if low >= high => Err(Problem::invalid("low", "it must be below `high`")),
        _ => Ok(()),
    }
}

/// A unit as its UCUM code.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn check_unit(unit: &str, value_type: ValueType) -> Result<String, Problem> {
    if value_type != ValueType::Number {
        return Err(Problem::invalid("unit", format_args!("a {} has no unit", value_type.as_str())));
    }
    let unit = UnitCode::from_entry(unit).map_err(|e| {
        let mut problem = Problem::invalid("unit", &e);
        problem.remedy = "Give a UCUM code, for example Cel, %, hPa, km/h, m3, [ppm]; or leave the unit out.".into();
        problem
    })?;
    Ok(unit.as_str().to_owned())
}

/// Seconds between reports.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn check_interval(seconds: f64) -> Result<f64, Problem> {
    if (0.01..=31_622_400.0).contains(&seconds) {
        Ok(seconds)
    } else {
        Err(Problem::invalid("interval_s", "seconds, from 0.01 to 31,622,400 (a year)"))
    }
}

/// After how many intervals a device is late, and silent.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn check_patience(late_after: Option<f64>, silent_after: Option<f64>) -> Result<(), Problem> {
    use lantern_core::presence::Patience;
    let late = late_after.unwrap_or(Patience::LATE_AFTER);
    let silent = silent_after.unwrap_or(Patience::SILENT_AFTER);
    if !(1.0..=10_000.0).contains(&late) {
        return Err(Problem::invalid("late_after", "intervals, from 1 to 10,000"));
    }
    if silent <= late || silent > 100_000.0 {
        return Err(Problem::invalid("silent_after", format_args!("intervals, more than the {late} of `late_after`")));
    }
    Ok(())
}

/// A decoder, as it is kept.
///
/// # Errors
/// A [`Problem`] that says what cannot be so.
pub fn check_decoder(form: &serde_json::Value) -> Result<Decoder, Problem> {
    let invalid = |detail: String| {
        let mut problem = Problem::invalid("decoder", detail);
        problem.remedy = "Mend it at that place; docs/reference/decoders.md describes the format.".into();
        problem
    };
    let form: Form = serde_json::from_value(form.clone()).map_err(|e| invalid(e.to_string()))?;
    Decoder::new(form).map_err(|e| invalid(e.to_string()))
}

/// A decoder as the text that is kept.
pub(crate) fn decoder_text(decoder: &Decoder) -> Result<String, documents::Damaged> {
    documents::write(decoder.form())
}

//! How values look in tables.

use lantern_api::{Direction, Fix, Position, Presence, ReadingQuality, Trend, Value};

/// A value with so many decimals.
pub(crate) fn value(value: &Value, decimals: u8) -> String {
    match value {
        Value::Number(number) => fixed(*number, decimals),
        Value::Flag(true) => "yes".to_owned(),
        Value::Flag(false) => "no".to_owned(),
        Value::Position(position) => fix(position, decimals),
        Value::Text(text) => text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect(),
    }
}

/// A position as people write it, its degrees with so many decimals.
fn fix(fix: &Fix, decimals: u8) -> String {
    let degrees = |number: f64, positive: char, negative: char| {
        let side = if number < 0.0 { negative } else { positive };
        format!("{:.*}° {side}", usize::from(decimals), number.abs())
    };
    let altitude = fix.altitude_m.map(|metres| format!(" {}", fixed(metres, 0) + " m")).unwrap_or_default();
    format!("{} {}{altitude}", degrees(fix.latitude, 'N', 'S'), degrees(fix.longitude, 'E', 'W'))
}

/// A number with so many decimals, or in powers of ten where it is too long.
fn fixed(number: f64, decimals: u8) -> String {
    if number != 0.0 && !(1e-6..1e15).contains(&number.abs()) {
        return format!("{number:e}");
    }
    format!("{number:.*}", usize::from(decimals)).replace('-', "\u{2212}")
}

/// A number with ten significant digits at the most, which is more than any sensor
/// knows; whole ones stay whole.
pub(crate) fn number(number: f64) -> String {
    let rounded = format!("{number:.9e}").parse().unwrap_or(number);
    let shown = if number.fract() == 0.0 { number } else { rounded };
    shown.to_string().replace('-', "\u{2212}")
}

/// A number with four significant digits, for what is read at a glance.
pub(crate) fn short(number: f64) -> String {
    if number == 0.0 {
        return "0".to_owned();
    }
    let decimals = (3.0 - number.abs().log10().floor()).clamp(0.0, 6.0) as u8;
    let text = fixed(number, decimals);
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text }
}

/// A number that is added or taken away: its sign, then the rest as it is to be shown.
pub(crate) fn added(number: f64, shown: impl Fn(f64) -> String) -> String {
    let sign = if number < 0.0 { '\u{2212}' } else { '+' };
    format!("{sign} {}", shown(number.abs()))
}

/// A value as it was sent or worked out.
pub(crate) fn plain(value: &Value) -> String {
    match value {
        Value::Number(number) => self::number(*number),
        // A metre is the fifth decimal of a degree.
        other => self::value(other, 6),
    }
}

/// How far a reading can be trusted.
pub(crate) const fn quality(quality: ReadingQuality) -> &'static str {
    match quality {
        ReadingQuality::Suspect => "suspect",
        ReadingQuality::Rejected => "rejected",
    }
}

/// Arrow and rate of change.
pub(crate) fn trend(trend: Option<Trend>, symbol: &str) -> String {
    let Some(Trend { direction, per_hour }) = trend else { return String::new() };
    let arrow = match direction {
        Direction::Rising => "↗",
        Direction::Falling => "↘",
        Direction::Steady => return "→ steady".to_owned(),
    };
    let sign = if per_hour < 0.0 { "\u{2212}" } else { "+" };
    let space = if symbol.is_empty() { "" } else { " " };
    // What changes by the second is better told by the second.
    let (rate, unit) = if per_hour.abs() >= 3_600.0 { (per_hour / 3_600.0, "s") } else { (per_hour, "h") };
    format!("{arrow} {sign}{}{space}{symbol}/{unit}", significant(rate.abs()))
}

/// Two significant digits.
fn significant(number: f64) -> String {
    if number == 0.0 {
        return "0".to_owned();
    }
    let magnitude = number.log10().floor() as i32;
    format!("{number:.*}", usize::try_from((1 - magnitude).clamp(0, 6)).unwrap_or(0))
}

pub(crate) fn presence(presence: Presence) -> &'static str {
    match presence {
        Presence::Fresh => "fresh",
        Presence::Late => "late",
        Presence::Silent => "silent",
        Presence::Never => "never",
    }
}

pub(crate) fn position(position: Option<Position>) -> String {
    let Some(p) = position else { return String::new() };
    let altitude = p.altitude_m.map(|metres| format!(", {metres} m")).unwrap_or_default();
    format!("{}, {}{altitude}", p.latitude, p.longitude)
}

/// A place as it is told: a signal, a device, or the service.
pub(crate) fn place_of(device: Option<&str>, signal: Option<&str>) -> String {
    match (device, signal) {
        (Some(device), Some(signal)) => format!("{device}/{signal}"),
        (Some(device), None) => device.to_owned(),
        _ => "the service".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_keep_their_resolution() {
        assert_eq!(value(&Value::Number(21.399_999_999), 1), "21.4");
        assert_eq!(value(&Value::Number(-3.0), 1), "\u{2212}3.0");
        assert_eq!(value(&Value::Number(1e300), 1), "1e300");
        let here = Fix { altitude_m: Some(120.4), ..Fix::new(54.5, -2.25) };
        assert_eq!(value(&here.into(), 4), "54.5000° N 2.2500° W 120 m");
        assert_eq!(value(&Value::Text("a\u{1b}[31mb".into()), 0), "a [31mb");
    }

    #[test]
    fn the_arrow_has_a_signed_rate() {
        let t = |direction, per_hour| trend(Some(Trend { direction, per_hour }), "m");
        assert_eq!(t(Direction::Falling, -0.0421), "↘ \u{2212}0.042 m/h");
        assert_eq!(t(Direction::Rising, 7200.0), "↗ +2.0 m/s");
        assert_eq!(t(Direction::Steady, 0.001), "→ steady");
    }
}

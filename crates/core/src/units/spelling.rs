//! How people write units, beside their codes.

/// Code, the symbol shown for it, other spellings accepted on entry.
const SPELLINGS: &[(&str, &str, &[&str])] = &[
    ("Cel", "°C", &["ºC", "℃", "degC", "celsius"]),
    ("[degF]", "°F", &["ºF", "℉", "degF", "fahrenheit"]),
    ("%", "%", &["percent", "pct"]),
    ("%{RH}", "% RH", &["%RH", "rh"]),
    ("deg", "°", &["degree", "degrees"]),
    ("[ppm]", "ppm", &[]),
    ("[ppb]", "ppb", &[]),
    ("[psi]", "psi", &["PSI"]),
    ("mm[Hg]", "mmHg", &[]),
    ("[in_i'Hg]", "inHg", &[]),
    ("[in_i'H2O]", "inH₂O", &["inH2O"]),
    ("cm[H2O]", "cmH₂O", &["cmH2O"]),
    ("kW.h", "kWh", &[]),
    ("W.h", "Wh", &[]),
    ("A.h", "Ah", &[]),
    ("mA.h", "mAh", &[]),
    ("V.A", "VA", &[]),
    ("m2", "m²", &["sqm"]),
    ("m3", "m³", &["cbm"]),
    ("m/s2", "m/s²", &["m/s^2"]),
    ("m3/h", "m³/h", &[]),
    ("m3/s", "m³/s", &[]),
    ("W/m2", "W/m²", &[]),
    ("ug/m3", "µg/m³", &["ug/m^3", "µg/m3", "μg/m3", "μg/m³"]),
    ("mg/m3", "mg/m³", &[]),
    ("Ohm", "Ω", &["ohm", "ohms", "Ω"]),
    ("kOhm", "kΩ", &["kohm", "kΩ"]),
    ("MOhm", "MΩ", &["MΩ"]),
    ("us", "µs", &["μs"]),
    ("um", "µm", &["μm"]),
    ("um/m", "µm/m", &["μm/m"]),
    ("uA", "µA", &["μA"]),
    ("uV", "µV", &["μV"]),
    ("uF", "µF", &["μF"]),
    ("uT", "µT", &["μT"]),
    ("uSv/h", "µSv/h", &["μSv/h"]),
    ("uS/cm", "µS/cm", &["μS/cm"]),
    ("{rev}/min", "rpm", &["RPM"]),
    ("[kn_i]", "kn", &["knot", "knots", "kt"]),
    ("[mi_i]", "mi", &["mile", "miles"]),
    ("[mi_i]/h", "mph", &["mi/h"]),
    ("[ft_i]", "ft", &["foot", "feet"]),
    ("[in_i]", "in", &["inch", "inches"]),
    ("[gal_us]", "US gal", &["gal"]),
    ("[lb_av]", "lb", &["lbs"]),
    ("[oz_av]", "oz", &[]),
    ("[g]", "g₀", &["gee"]),
    ("[pH]", "pH value", &[]),
    ("dB{mW}", "dBm", &[]),
    ("lx", "lx", &["lux", "Lux"]),
    ("h", "h", &["hr", "hour", "hours"]),
    ("min", "min", &["minute", "minutes"]),
    ("s", "s", &["sec", "second", "seconds"]),
    ("V", "V", &["volt", "volts", "Volt"]),
    ("By", "B", &["byte", "bytes"]),
    ("1", "", &[]),
];

/// The code a common spelling stands for, if it is one that is not itself a
/// code of another unit.
#[must_use]
pub fn from_spelling(text: &str) -> Option<&'static str> {
    SPELLINGS
        .iter()
        .find(|(_, symbol, others)| !text.is_empty() && (*symbol == text || others.contains(&text)))
        .map(|(code, ..)| *code)
        // A code always means itself: `ft` is a femtotonne to UCUM, but nobody
        // who types it means that, so only spellings listed above win over codes.
        .filter(|_| !matches!(text, "B"))
}

/// What to show for a code: its usual symbol, or the code without annotations.
#[must_use]
pub fn symbol(code: &str) -> String {
    if let Some((_, symbol, _)) = SPELLINGS.iter().find(|(c, ..)| *c == code) {
        return (*symbol).to_owned();
    }
    let mut shown = String::with_capacity(code.len());
    let mut depth = 0;
    for c in code.chars() {
        match c {
            '{' => depth += 1,
            '}' => depth -= 1,
            '.' if depth == 0 => shown.push('·'),
            _ if depth == 0 => shown.push(c),
            _ => {}
        }
    }
    shown
}

/// What names of signals usually mean: a part of the name and the unit.
const MEANT: &[(&str, &str)] = &[
    ("temp", "Cel"),
    ("hum", "%"),
    ("press", "hPa"),
    ("batt", "V"),
    ("volt", "V"),
    ("supply", "V"),
    ("speed", "m/s"),
    ("level", "m"),
    ("co2", "[ppm]"),
];

/// The unit that a signal of such a name most likely has; a guess to be confirmed.
#[must_use]
pub fn guess(name: &str) -> Option<&'static str> {
    let name = name.to_ascii_lowercase();
    MEANT.iter().find(|(part, _)| name.contains(part)).map(|(_, unit)| *unit)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::units::UnitCode;

    #[test]
    fn every_listed_code_is_valid_and_symbols_read_back() {
        for (code, symbol, others) in SPELLINGS {
            assert!(UnitCode::parse(code).is_ok(), "{code}");
            for text in others.iter().chain([symbol]).filter(|t| !t.is_empty() && **t != "B") {
                assert_eq!(UnitCode::from_entry(text).unwrap().as_str(), *code, "{text}");
            }
        }
    }

    #[test]
    fn guesses_are_units() {
        for (part, unit) in MEANT {
            assert_eq!(guess(&format!("outer_{}", part.to_uppercase())), Some(*unit), "{part}");
        }
        assert_eq!(guess("door"), None);
    }

    #[test]
    fn codes_without_a_symbol_show_as_they_are() {
        assert_eq!(symbol("kPa"), "kPa");
        assert_eq!(symbol("N.m"), "N·m");
        assert_eq!(symbol("{count}"), "");
    }
}

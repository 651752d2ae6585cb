use super::super::{History, NoOthers};
use super::*;

fn signals(name: &str) -> Option<SignalType> {
    let number = |unit: &str| Some(SignalType { unit: Some(UnitCode::parse(unit).unwrap()), is_flag: false });
    match name {
        "cold" => number("[degF]"),
        "level" | "other/level" => number("m"),
        "lat" | "lon" => number("deg"),
        "sats" => Some(SignalType { unit: None, is_flag: false }),
        "bonded" => Some(SignalType { unit: None, is_flag: true }),
        _ => None,
    }
}

fn checked(own: &str, unit: &str, text: &str) -> Result<Checked, MeaningError> {
    let meaning: Meaning = serde_json::from_str(text).unwrap();
    let unit = UnitCode::parse(unit).unwrap();
    Checked::new(&meaning, own, ValueType::Number, Some(&unit), &signals)
}

struct Known(Vec<History>);

impl Others for Known {
    fn last(&self, need: usize, at: i64) -> Option<(i64, f64)> {
        self.0[need].last(at)
    }

    fn beside(&self, need: usize, at: i64) -> Option<f64> {
        self.0[need].beside(at)
    }
}

fn known(values: &[(i64, f64)]) -> Known {
    let histories = values.iter().map(|(at, value)| {
        let mut history = History::keeping(Micros::ZERO);
        history.take(*at, *value, true);
        history
    });
    Known(histories.collect())
}

#[test]
fn the_cold_junction_is_another_signal_in_its_own_unit() {
    let meaning = checked(
        "hot",
        "Cel",
        r#"{"conversion": {"from": "mV", "steps": [{"step": "thermocouple", "kind": "K", "cold_junction": "cold"}]},
            "others_within_s": 10}"#,
    )
    .unwrap();
    let mut memory = Memory::default();
    let (hot, quality) = meaning.convert(5_000_000, 0.0, &known(&[(0, 68.0)]), &mut memory);
    assert!((hot - 20.0).abs() < 0.01 && quality.is_good(), "no voltage: as warm as the cold junction, {hot}");
    let rejected = (0.0, Quality::Rejected(Cause::Conversion));
    assert_eq!(meaning.convert(11_000_000, 0.0, &known(&[(0, 68.0)]), &mut memory), rejected, "too old by then");
    assert_eq!(meaning.convert(0, 0.0, &NoOthers, &mut memory), (0.0, Quality::Rejected(Cause::Conversion)));
}

/// A fridge that sends 185 °F when its probe is off, of which the machine makes no round
/// number of °C; counts of which 65535 is none, and whose volts come by it.
#[test]
fn markers_are_looked_for_in_what_was_sent() {
    /// What is sent, its value, how far that can be believed.
    type Judged = (f64, f64, Quality);
    let none = Quality::Rejected(Cause::Marker);
    let cases: &[(&str, &str, &[Judged])] = &[
        (
            "Cel",
            r#"{"conversion": {"from": "[degF]", "steps": []}, "screen": {"markers": [185.2]}}"#,
            &[(185.2, 185.2, none), (41.0, 5.0, Quality::Good)],
        ),
        ("m", r#"{"screen": {"markers": [-127]}}"#, &[(-127.0, -127.0, none), (1.0, 1.0, Quality::Good)]),
        (
            "m",
            r#"{"conversion": {"steps": [{"step": "total", "modulus": 65536}]}, "screen": {"markers": [65535, 8]}}"#,
            &[(5.0, 0.0, Quality::Good), (65535.0, 65535.0, none), (13.0, 8.0, Quality::Good)],
        ),
    ];
    for (unit, text, values) in cases {
        let (meaning, mut memory) = (checked("x", unit, text).unwrap(), Memory::default());
        for (at, (sent, value, quality)) in (0..).zip(*values) {
            let (found, before) = meaning.convert(at, *sent, &NoOthers, &mut memory);
            let judged = meaning.screen(at, found, before, None, &NoOthers, &mut memory);
            assert_eq!((found, judged), (*value, *quality), "{text}: {sent}");
        }
    }
}

#[test]
fn both_halves_of_a_position_come_to_the_same() {
    let text = r#"{"screen": {"position": {"latitude": "lat", "longitude": "lon", "fastest_m_per_s": 30}}}"#;
    let (lat, lon) = (checked("lat", "deg", text).unwrap(), checked("lon", "deg", text).unwrap());
    let (mut lat_memory, mut lon_memory) = (Memory::default(), Memory::default());
    for (second, place, expected) in [
        (0, (54.5, -2.3), Quality::Good),
        (2, (0.0, 0.0), Quality::Rejected(Cause::Position)),
        (4, (54.5001, -2.3), Quality::Good),
        (6, (54.5001, -2.5), Quality::Rejected(Cause::Position)),
    ] {
        let at = second * 1_000_000;
        let north = lat.screen(at, place.0, Quality::Good, None, &known(&[(at, place.1)]), &mut lat_memory);
        let east = lon.screen(at, place.1, Quality::Good, None, &known(&[(at, place.0)]), &mut lon_memory);
        assert_eq!((north, east), (expected, expected), "at {second} s");
    }
    assert!(matches!(checked("alt", "m", text), Err(MeaningError::Elsewhere(..))));
}

#[test]
fn what_does_not_fit_is_named() {
    for (own, unit, text, expected) in [
        ("x", "m", r#"{"conversion": {"steps": []}, "formula": "level"}"#, "not both"),
        ("x", "m", r#"{"formula": "levle * 2"}"#, "the formula: character 1: there is no signal `levle`"),
        ("x", "Cel", r#"{"formula": "level * 2"}"#, "the result is a length (L), but `Cel` is a temperature"),
        ("x", "m", r#"{"screen": {"while": {"signal": "level", "is": true}}}"#, "`level` must be a flag"),
        ("x", "m", r#"{"screen": {"while": {"signal": "nothing", "is": true}}}"#, "no signal `nothing`"),
        ("x", "m", r#"{"conversion": {"from": "mV", "steps": [{"step": "echo", "air": 20}]}}"#, "step 1"),
        (
            "x",
            "m",
            r#"{"conversion": {"steps": [{"step": "echo", "air": "level"}]}}"#,
            "`level`: `m` is a length (L) and `Cel` is a temperature (Th)",
        ),
        ("x", "m", r#"{"others_within_s": 0}"#, "up to a week"),
        ("x", "m", r#"{"formula": "level > 2 \"m\""}"#, "the result is yes or no"),
    ] {
        let error = checked(own, unit, text).map(|_| ()).unwrap_err().to_string();
        assert!(error.contains(expected), "{text}: {error}");
    }
}

//! What the demo site has: its devices, as they are declared.

use lantern_api::{
    CommandArgument, CommandDeclaration, DeviceState, KindDescription, NewDevice, NewSignal, Position, SignalRole,
    ValueType,
};
use serde_json::json;

/// How high above the floor of the tank the echo sounder hangs, in metres.
pub(crate) const SOUNDER_M: f64 = 4.2;

pub(crate) const fn place(latitude: f64, longitude: f64, altitude: f64) -> Position {
    Position { latitude, longitude, altitude_m: Some(altitude) }
}

fn number(code: &str, name: &str, unit: &str) -> NewSignal {
    NewSignal {
        code: code.to_owned(),
        name: Some(name.to_owned()),
        unit: Some(unit.to_owned()),
        ..NewSignal::default()
    }
}

fn within(signal: NewSignal, low: f64, high: f64) -> NewSignal {
    NewSignal { low: Some(low), high: Some(high), ..signal }
}

fn meaning(signal: NewSignal, meaning: serde_json::Value) -> NewSignal {
    NewSignal { meaning: Some(meaning), ..signal }
}

/// What the sensor at the foot of the tower means: the factor was forgotten for the
/// first two days.
pub(crate) fn foot_of_the_tower() -> serde_json::Value {
    json!({"conversion": {"from": "kPa", "steps": [{"step": "scale", "factor": 0.101_972, "unit": "m"}]}})
}

pub(crate) fn tower() -> NewDevice {
    NewDevice {
        code: Some("tower".to_owned()),
        name: "Water tower, Hobb Halt".to_owned(),
        note: "Two level sensors, to be compared: an echo sounder and one at the foot.".to_owned(),
        interval_s: Some(30.0),
        place: "Hobb Halt".to_owned(),
        position: Some(place(54.512, -2.318, 214.0)),
        signals: vec![
            meaning(
                number("level", "Water level", "m"),
                json!({
                    "conversion": {"from": "us", "steps": [
                        {"step": "echo", "air": "air"},
                        {"step": "scale", "factor": -1.0, "offset": SOUNDER_M, "unit": "m"},
                    ]},
                    "screen": {"possible": {"low": 0.0, "high": 3.6}, "fastest_per_s": 0.05},
                }),
            ),
            number("level-p", "Level by pressure", "m"),
            number("air", "Air temperature", "Cel"),
            meaning(
                number("volume", "Water", "m3"),
                json!({"formula": "standing_cylinder_volume(level, 2.6 \"m\", 3.6 \"m\")"}),
            ),
            meaning(number("apart", "Sensors apart", "m"), json!({"formula": "level - {level-p}"})),
        ],
        ..NewDevice::default()
    }
}

pub(crate) fn larder() -> NewDevice {
    let door = NewSignal { value_type: ValueType::Flag, unit: None, ..number("door", "Door open", "") };
    NewDevice {
        code: Some("larder".to_owned()),
        name: "Tea room fridge".to_owned(),
        note: "Reports degrees Fahrenheit.".to_owned(),
        interval_s: Some(60.0),
        place: "Marlbeck station".to_owned(),
        position: Some(place(54.498, -2.291, 187.0)),
        signals: vec![
            meaning(
                number("temp", "Fridge temperature", "Cel"),
                json!({
                    "conversion": {"from": "[degF]", "steps": []},
                    "screen": {"possible": {"low": -40.0, "high": 60.0}, "expected": {"low": -5.0, "high": 15.0}},
                }),
            ),
            door,
        ],
        ..NewDevice::default()
    }
}

pub(crate) fn tunnel() -> NewDevice {
    NewDevice {
        code: Some("tunnel".to_owned()),
        name: "Tunnel air".to_owned(),
        note: "A modem that can only fetch an address.".to_owned(),
        interval_s: Some(15.0),
        place: "On the line".to_owned(),
        position: Some(place(54.507, -2.305, 201.0)),
        signals: vec![
            meaning(
                number("co", "Carbon monoxide", "[ppm]"),
                json!({
                    "conversion": {"steps": [
                        {"step": "counts", "bits": 12, "reference_v": 3.3},
                        {"step": "scale", "factor": 120.0, "offset": -12.0, "unit": "[ppm]"},
                    ]},
                    "screen": {"possible": {"low": -10.0, "high": 380.0}, "outlier": {"window": 9, "threshold": 6.0}},
                }),
            ),
            within(number("hum", "Humidity", "%{RH}"), 0.0, 100.0),
            number("supply", "Supply voltage", "V"),
        ],
        ..NewDevice::default()
    }
}

pub(crate) fn viaduct() -> NewDevice {
    let bonded = NewSignal { value_type: ValueType::Flag, unit: None, ..number("bonded", "Probe bonded", "") };
    NewDevice {
        code: Some("viaduct".to_owned()),
        name: "Viaduct bearing".to_owned(),
        note: "250 samples a second while something crosses.".to_owned(),
        interval_s: Some(900.0),
        place: "On the line".to_owned(),
        position: Some(place(54.503, -2.312, 195.0)),
        signals: vec![
            number("accel", "Acceleration", "m/s2"),
            meaning(number("strain", "Strain", "um/m"), json!({"screen": {"while": {"signal": "bonded", "is": true}}})),
            bonded,
        ],
        ..NewDevice::default()
    }
}

/// The kind of the sensors in the carriage sheds; its second revision also knows
/// the battery.
pub(crate) fn shed_sensor(revision: u32) -> KindDescription {
    let mut signals = vec![
        within(number("temp", "Temperature", "Cel"), -20.0, 50.0),
        within(number("hum", "Humidity", "%{RH}"), 0.0, 100.0),
        within(number("battery", "Battery", "V"), 2.0, 4.2),
    ];
    if revision > 1 {
        signals.push(number("link", "Link quality", "dB"));
    }
    KindDescription {
        code: Some("shed-sensor".to_owned()),
        name: "Shed sensor".to_owned(),
        note: "A board that prints a line such as T=9.4 H=71 B=3.61.".to_owned(),
        interval_s: Some(60.0),
        decoder: Some(json!({"form": "pairs", "fields": {"T": "temp", "H": "hum", "B": "battery", "L": "link"}})),
        signals,
        ..KindDescription::default()
    }
}

pub(crate) fn shed() -> NewDevice {
    NewDevice {
        code: Some("shed-5".to_owned()),
        name: "Carriage shed, new bay".to_owned(),
        note: "Being tried; its battery wire is not connected yet.".to_owned(),
        place: "Carriage shed".to_owned(),
        position: Some(place(54.499, -2.293, 188.0)),
        kind: Some("shed-sensor".to_owned()),
        ..NewDevice::default()
    }
}

/// No train of this railway is faster than 25 m/s.
fn on_the_line() -> serde_json::Value {
    json!({"screen": {"position": {"fastest_m_per_s": 25.0}}})
}

pub(crate) fn sorrel() -> NewDevice {
    let position = NewSignal { value_type: ValueType::Position, unit: None, ..number("pos", "Position", "") };
    let crew = NewSignal { value_type: ValueType::Flag, unit: None, ..number("crew", "Crew button", "") };
    NewDevice {
        code: Some("sorrel".to_owned()),
        name: "Locomotive No. 5 \"Sorrel\"".to_owned(),
        note: "Reports by MQTT while it is in steam.".to_owned(),
        interval_s: Some(2.0),
        // In the shed by night, which is no reason to worry before the next morning.
        late_after: Some(30.0),
        silent_after: Some(30_000.0),
        signals: vec![
            number("speed", "Speed", "km/h"),
            meaning(
                number("boiler", "Boiler pressure", "bar"),
                json!({
                    "conversion": {"steps": [
                        {"step": "counts", "bits": 12, "reference_v": 5.0},
                        {"step": "two-point", "points": [[0.5, 0.0], [4.016, 12.0]], "unit": "bar"},
                    ]},
                    "screen": {"possible": {"low": -0.5, "high": 14.0}, "fastest_per_s": 0.5},
                }),
            ),
            meaning(
                number("smokebox", "Smokebox temperature", "Cel"),
                json!({"conversion": {"from": "mV", "steps": [
                    {"step": "thermocouple", "kind": "K", "cold_junction": "junction"},
                ]}, "others_within_s": 60.0}),
            ),
            number("junction", "Cold junction", "Cel"),
            within(number("regulator", "Regulator opening", "%"), 0.0, 100.0),
            number("baro", "Air pressure", "hPa"),
            meaning(number("height", "Height by air pressure", "m"), json!({"formula": "pressure_altitude(baro)"})),
            meaning(position, on_the_line()),
            meaning(
                number("away", "Distance from Marlbeck", "km"),
                json!({"formula": "distance(pos, 54.4988 \"deg\", -2.2924 \"deg\")"}),
            ),
            meaning(number("drift", "Difference of heights", "m"), json!({"formula": "height - altitude(pos)"})),
            crew,
        ],
        ..NewDevice::default()
    }
}

pub(crate) fn gateway() -> NewDevice {
    NewDevice {
        code: Some("shed-gw".to_owned()),
        name: "Carriage shed gateway".to_owned(),
        note: "Passes on the lines of a radio, as 0a41 4711 9.4 71 3.61 -62 0.".to_owned(),
        interval_s: Some(10.0),
        place: "Carriage shed".to_owned(),
        position: Some(place(54.4988, -2.2924, 188.0)),
        decoder: Some(json!({
            "form": "list", "separator": " ",
            "fields": ["@device", "count", "temp", "hum", "supply", "rssi", "@ago"],
        })),
        ..NewDevice::default()
    }
}

/// The kind of the sensors the gateway carries.
pub(crate) fn radio_sensor() -> KindDescription {
    let role = |signal: NewSignal, role| NewSignal { role: Some(role), ..signal };
    KindDescription {
        code: Some("radio-sensor".to_owned()),
        name: "Radio sensor".to_owned(),
        note: "Its messages are numbered from 0 to 65,535.".to_owned(),
        interval_s: Some(60.0),
        late_after: Some(4.0),
        silent_after: Some(10.0),
        signals: vec![
            within(number("temp", "Temperature", "Cel"), -20.0, 50.0),
            within(number("hum", "Humidity", "%{RH}"), 0.0, 100.0),
            meaning(number("dew", "Dew point", "Cel"), json!({"formula": "dew_point(temp, hum)"})),
            role(within(number("supply", "Battery", "V"), 2.0, 4.2), SignalRole::Battery),
            role(number("rssi", "Link quality", "dBm"), SignalRole::Link),
            role(
                NewSignal { unit: None, ..within(number("count", "Message number", ""), 0.0, 65_535.0) },
                SignalRole::Sequence,
            ),
        ],
        ..KindDescription::default()
    }
}

pub(crate) fn carried(code: &str, called: &str) -> NewDevice {
    let name = match code.split_once('-') {
        Some(("shed", bay)) => format!("Carriage shed, bay {bay}"),
        Some((_, number)) => format!("Signal box {number}"),
        None => code.to_owned(),
    };
    NewDevice {
        code: Some(code.to_owned()),
        name,
        kind: Some("radio-sensor".to_owned()),
        carrier: Some("shed-gw".to_owned()),
        identity: Some(called.to_owned()),
        place: "Carriage shed".to_owned(),
        position: Some(place(54.4988, -2.2926, 188.0)),
        state: DeviceState::Live,
        ..NewDevice::default()
    }
}

pub(crate) fn points() -> NewDevice {
    let heater = NewSignal { value_type: ValueType::Flag, unit: None, ..number("heater", "Heater on", "") };
    let argument =
        |name: &str, value_type| CommandArgument { name: name.to_owned(), value_type, ..CommandArgument::default() };
    let command = |name: &str, title: &str, arguments| CommandDeclaration {
        name: name.to_owned(),
        title: Some(title.to_owned()),
        arguments,
        timeout_s: Some(10.0),
        standing: false,
    };
    let way =
        CommandArgument { choices: vec!["main".to_owned(), "loop".to_owned()], ..argument("way", ValueType::Text) };
    let temp = CommandArgument {
        unit: Some("Cel".to_owned()),
        low: Some(0.0),
        high: Some(15.0),
        ..argument("temp", ValueType::Number)
    };
    NewDevice {
        code: Some("points-7".to_owned()),
        name: "Heated points 7, High Fold".to_owned(),
        note: "Keeps its target by itself, and can be told to heat.".to_owned(),
        interval_s: Some(60.0),
        place: "High Fold".to_owned(),
        position: Some(place(54.535, -2.3418, 301.0)),
        signals: vec![number("rail", "Rail temperature", "Cel"), heater],
        commands: vec![
            command("heater", "Heater", vec![argument("state", ValueType::Flag)]),
            CommandDeclaration { standing: true, ..command("target", "Rail to be kept at", vec![temp]) },
            command("throw", "Throw the points", vec![way]),
            command("test", "Test the lock", Vec::new()),
        ],
        ..NewDevice::default()
    }
}

pub(crate) fn board() -> NewDevice {
    NewDevice {
        code: Some("board-1".to_owned()),
        name: "Platform display, Marlbeck".to_owned(),
        note: "Shows the lamp of the railway.".to_owned(),
        // It reports only what changes.
        interval_s: Some(86_400.0),
        place: "Marlbeck station".to_owned(),
        position: Some(place(54.4984, -2.2919, 186.0)),
        signals: vec![NewSignal { value_type: ValueType::Text, unit: None, ..number("shown", "Shown", "") }],
        state: DeviceState::Live,
        ..NewDevice::default()
    }
}

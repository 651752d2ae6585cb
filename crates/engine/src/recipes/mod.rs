//! Recipes: ready-to-paste sending instructions for one device.
//!
//! Values are variables at the top of each, set from the device's last readings
//! or the middle of their limits; where the key belongs stands `KEY`.

mod c;
mod mqtt;
mod programs;

use crate::plans::DeclaredSignal;
use lantern_api::{Recipe, Recipes};
use lantern_core::fix::Fix;
use lantern_core::{Value, ValueType, code};

/// Where the key belongs.
pub const KEY: &str = "KEY";

/// A signal with a value to begin with.
pub struct Sample {
    /// Its code.
    pub code: String,
    /// The UCUM code of the unit it is sent in.
    pub unit: Option<String>,
    /// The value.
    pub value: Value,
}

impl Sample {
    /// A value to begin with: the last one that was sent, or one that can be. Of a position
    /// its two numbers, since receivers give two.
    #[must_use]
    pub fn of(of: &DeclaredSignal, last: Option<Value>) -> Vec<Self> {
        if of.signal.value_type != Some(ValueType::Position) {
            return vec![Self::whole(of, last)];
        }
        let fix = last.as_ref().and_then(Value::as_fix).copied().unwrap_or(Fix::new(54.5, -2.25));
        let part = |word: &str, degrees: f64| Self {
            code: format!("{}.{word}", of.signal.code),
            unit: None,
            value: Value::Number(degrees),
        };
        vec![part("lat", fix.latitude), part("lon", fix.longitude)]
    }

    fn whole(of: &DeclaredSignal, last: Option<Value>) -> Self {
        let signal = &of.signal;
        // Limits are of what a conversion makes of it.
        let is_converted = of.meaning.as_ref().is_some_and(|meaning| meaning.conversion.is_some());
        let usual = || match signal.value_type {
            Some(ValueType::Flag) => Value::Flag(true),
            Some(ValueType::Text) => Value::Text("ok".to_owned()),
            _ => Value::Number(match (signal.low, signal.high) {
                (Some(low), Some(high)) if !is_converted => (f64::midpoint(low, high) * 10.0).round() / 10.0,
                (Some(limit), None) | (None, Some(limit)) if !is_converted => limit,
                _ => 21.5,
            }),
        };
        let fits = |value: &Value| Some(value.value_type()) == signal.value_type;
        Self {
            code: signal.code.clone(),
            unit: of.sent_in(),
            // A text from outside would have to be escaped in each language in its own way.
            value: last.filter(fits).filter(|v| !matches!(v, Value::Text(_))).unwrap_or_else(usual),
        }
    }

    /// The value as JSON has it, which shell, Python and JavaScript nearly share.
    fn json(&self) -> String {
        serde_json::to_string(&self.value).unwrap_or_default()
    }

    /// The value without quotes.
    fn plain(&self) -> String {
        match &self.value {
            Value::Number(number) => number.to_string(),
            Value::Flag(flag) => flag.to_string(),
            Value::Text(text) => text.clone(),
            Value::Position(fix) => fix.to_string(),
        }
    }

    const fn is_text(&self) -> bool {
        matches!(self.value, Value::Text(_))
    }
}

/// A sample and the name of its variable.
struct Variable<'s> {
    sample: &'s Sample,
    name: String,
}

/// Where the service is.
pub struct Place {
    /// Such as `http://127.0.0.1:8710`.
    pub base: String,
    host: String,
    port: u16,
    is_tls: bool,
    /// Where MQTT is spoken, such as `mqtt://127.0.0.1:1883`.
    pub mqtt: Option<String>,
}

impl Place {
    /// Reads a base address.
    pub fn new(base: &str) -> Self {
        let base = base.trim_end_matches('/').to_owned();
        let is_tls = base.starts_with("https://");
        let authority = base.split("://").nth(1).unwrap_or_default().split('/').next().unwrap_or_default();
        let usual = if is_tls { 443 } else { 80 };
        let (host, port) = match authority.rsplit_once(':') {
            Some((host, port)) if !port.ends_with(']') => (host, port.parse().unwrap_or(usual)),
            _ => (authority, usual),
        };
        Self { host: host.trim_matches(['[', ']']).to_owned(), port, is_tls, base, mqtt: None }
    }
}

/// All recipes of a device; `codes` are those of its site and its own.
pub fn recipes(name: &str, codes: (&str, &str), samples: &[Sample], place: &Place) -> Recipes {
    let placeholder = [Sample { code: "temp".to_owned(), unit: None, value: Value::Number(21.5) }];
    let samples = if samples.is_empty() { &placeholder } else { samples };
    let mut taken = std::collections::HashSet::new();
    let variables: Vec<Variable<'_>> =
        samples.iter().map(|sample| Variable { sample, name: variable(&sample.code, &mut taken) }).collect();
    Recipes {
        address: format!("{}/in", place.base),
        recipes: [
            programs::shell(name, &variables, place),
            programs::python(name, &variables, place),
            programs::javascript(name, &variables, place),
            c::c(name, &variables, place),
            programs::http(name, &variables, place),
            programs::get(&variables, place),
            programs::form(name, &variables, place),
            programs::senml(name, &variables, place),
        ]
        .into_iter()
        .chain(mqtt::settings(name, codes, &variables, place))
        .collect(),
    }
}

/// Words that no variable may be called in one of the languages, and those the
/// recipes use themselves.
const RESERVED: [&str; 46] = [
    "key", "url", "auto", "break", "case", "char", "class", "const", "continue", "default", "do", "double", "else",
    "enum", "export", "extern", "float", "for", "if", "import", "in", "int", "is", "let", "long", "main", "new", "not",
    "or", "and", "body", "readings", "answer", "register", "return", "short", "static", "struct", "switch", "this",
    "try", "union", "var", "void", "while", "with",
];

/// A name that is a variable in every language of the recipes.
fn variable(code: &str, taken: &mut std::collections::HashSet<String>) -> String {
    let mut name: String = code.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    if name.starts_with(|c: char| c.is_ascii_digit()) || RESERVED.contains(&name.as_str()) || name == "_" {
        name.insert_str(0, "value_");
    }
    while !taken.insert(name.clone()) {
        name.push('_');
    }
    name
}

fn recipe(code: &str, title: &str, hint: impl Into<String>, file: &str, text: String) -> Recipe {
    Recipe { code: code.to_owned(), title: title.to_owned(), hint: hint.into(), file: file.to_owned(), text }
}

/// A name for people as one line of a comment.
fn comment(name: &str) -> String {
    name.chars().filter(|c| !c.is_control()).take(120).collect::<String>().replace("*/", "* /")
}

/// The values to begin with as a query.
fn query(variables: &[Variable<'_>]) -> String {
    let mut pairs = form_urlencoded::Serializer::new(String::new());
    for v in variables {
        pairs.append_pair(&v.sample.code, &v.sample.plain());
    }
    pairs.finish()
}

/// The inside of a JSON object with the names of variables, such as `"temp": ${temp}`.
fn json_pairs(variables: &[Variable<'_>]) -> String {
    let pair = |v: &Variable<'_>| {
        debug_assert!(code::check_signal(&v.sample.code).is_ok());
        let quote = if v.sample.is_text() { "\"" } else { "" };
        format!("\"{}\": {quote}${{{}}}{quote}", v.sample.code, v.name)
    };
    variables.iter().map(pair).collect::<Vec<_>>().join(", ")
}

/// The values to begin with as a JSON object.
fn json_object(variables: &[Variable<'_>]) -> String {
    let pairs: Vec<String> = variables.iter().map(|v| format!("\"{}\": {}", v.sample.code, v.sample.json())).collect();
    format!("{{{}}}", pairs.join(", "))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_taken_apart() {
        for (base, host, port, is_tls) in [
            ("http://127.0.0.1:8710", "127.0.0.1", 8710, false),
            ("https://lantern.example/", "lantern.example", 443, true),
            ("http://[::1]:8710", "::1", 8710, false),
            ("http://[::1]", "::1", 80, false),
        ] {
            let place = Place::new(base);
            assert_eq!((place.host.as_str(), place.port, place.is_tls), (host, port, is_tls), "{base}");
        }
    }

    #[test]
    fn variables_are_names_everywhere_and_differ() {
        let mut taken = std::collections::HashSet::new();
        let names: Vec<_> =
            ["temp", "env.hum", "env-hum", "2nd", "key", "int"].iter().map(|c| variable(c, &mut taken)).collect();
        assert_eq!(names, ["temp", "env_hum", "env_hum_", "value_2nd", "value_key", "value_int"]);
    }

    #[test]
    fn templates_with_their_values_are_the_examples() {
        let samples = [
            Sample { code: "level".into(), unit: Some("m".into()), value: Value::Number(1.84) },
            Sample { code: "env.mode-2".into(), unit: None, value: Value::Text("ok".into()) },
        ];
        let place = Place { mqtt: Some("mqtt://127.0.0.1:1883".into()), ..Place::new("http://127.0.0.1:8710") };
        let all = recipes("Tower", ("marlbeck", "tower"), &samples, &place);
        let text = |code: &str| all.recipes.iter().find(|r| r.code == code).unwrap().text.clone();
        let filled = |template: &str| template.replace("${level}", "1.84").replace("${env_mode_2}", "ok");
        let get = text("get");
        let addresses: Vec<&str> = get.lines().filter(|line| line.starts_with("http")).collect();
        assert_eq!(addresses[1], "http://127.0.0.1:8710/in/KEY?level=1.84&env.mode-2=ok");
        assert_eq!(filled(addresses[0]), addresses[1]);
        let mqtt = text("mqtt");
        let setting = |name: &str| mqtt.lines().find_map(|line| line.strip_prefix(name)).unwrap();
        assert_eq!(setting("such as   = "), r#"{"level": 1.84, "env.mode-2": "ok"}"#);
        assert_eq!(filled(setting("payload   = ")), setting("such as   = "));
    }
}

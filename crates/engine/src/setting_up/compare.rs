//! How two set-ups differ.

use lantern_api::Difference;
use serde::Serialize;
use serde_json::Value;
use std::collections::BTreeMap;

/// Lists how `wanted` differs from `current`, by the path of each part under
/// `path`. Parts that only `current` has count if `is_whole`, else they stay.
pub(super) fn compare<T: Serialize>(path: &str, current: Option<&T>, wanted: &T, is_whole: bool) -> Vec<Difference> {
    let flat = |thing: &T| {
        let mut parts = BTreeMap::new();
        flatten(path, &serde_json::to_value(thing).unwrap_or_default(), &mut parts);
        parts
    };
    let before = current.map(flat).unwrap_or_default();
    let mut after = flat(wanted);
    let mut differences = Vec::new();
    for (path, from) in before {
        match after.remove(&path) {
            Some(to) if to == from => {}
            Some(to) => differences.push(Difference { path, from: Some(from), to: Some(to) }),
            None if is_whole => differences.push(Difference { path, from: Some(from), to: None }),
            None => {}
        }
    }
    differences.extend(after.into_iter().map(|(path, to)| Difference { path, from: None, to: Some(to) }));
    differences
}

/// Parts by their paths; signals go by their code, commands by their name.
fn flatten(path: &str, value: &Value, parts: &mut BTreeMap<String, String>) {
    let called = if path.ends_with("/signals") {
        Some("code")
    } else if path.ends_with("/commands") {
        Some("name")
    } else {
        None
    };
    match value {
        Value::Object(object) if !path.ends_with("/decoder") => {
            for (name, part) in object {
                flatten(&format!("{path}/{name}"), part, parts);
            }
        }
        Value::Array(items) if let Some(called) = called => {
            for item in items {
                let code = item[called].as_str().unwrap_or_default();
                flatten(&format!("{path}/{code}"), item, parts);
            }
        }
        Value::String(text) => {
            parts.insert(path.to_owned(), text.clone());
        }
        Value::Null => {}
        other => {
            parts.insert(path.to_owned(), other.to_string());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_api::{DeviceSection, NewSignal};

    fn device(unit: &str) -> DeviceSection {
        DeviceSection {
            code: "tower".into(),
            name: "Water tower".into(),
            signals: vec![NewSignal { code: "level".into(), unit: Some(unit.into()), ..NewSignal::default() }],
            ..DeviceSection::default()
        }
    }

    #[test]
    fn names_each_part_that_differs() {
        assert_eq!(compare("devices/tower", Some(&device("m")), &device("m"), true), []);
        let differences = compare("devices/tower", Some(&device("m")), &device("cm"), true);
        let path = "devices/tower/signals/level/unit".to_owned();
        assert_eq!(differences, [Difference { path, from: Some("m".into()), to: Some("cm".into()) }]);

        let fewer = DeviceSection { signals: Vec::new(), ..device("m") };
        assert_eq!(compare("d", Some(&device("m")), &fewer, false), [], "what is beside stays");
        assert_eq!(compare("d", Some(&device("m")), &fewer, true).len(), 3);
        let all_new = compare("d", None, &device("m"), true);
        assert!(all_new.iter().all(|d| d.from.is_none()) && all_new.len() == 5, "{all_new:?}");
    }
}

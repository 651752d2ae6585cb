//! What the description of the interface says beyond what can be told from types: media types,
//! and the bounds of parameters as the routes enforce them.

use serde_json::{Value, json};

/// Codes of sites, devices and kinds.
const PLACE: &str = "^[a-z0-9-]{1,64}$";
/// Codes of signals and commands, and names senders use.
const NAME: &str = "^[A-Za-z0-9._-]{1,64}$";

/// Makes a description exact.
pub(super) fn make_exact(description: &mut Value) {
    absent_is_not_null(description);
    let Some(paths) = description.get_mut("paths").and_then(Value::as_object_mut) else { return };
    for (path, item) in paths {
        for operation in item.as_object_mut().into_iter().flat_map(|item| item.values_mut()) {
            errors(path, operation);
            answers(path, operation);
            for parameter in operation["parameters"].as_array_mut().into_iter().flatten() {
                bounds(path, parameter);
            }
        }
    }
}

/// What may be absent is never sent as `null`. Where `null` can be asked for, because it takes
/// something away, the description of the property says so.
fn absent_is_not_null(at: &mut Value) {
    match at {
        Value::Object(object) => {
            object.values_mut().for_each(absent_is_not_null);
            let required: Vec<String> =
                object.get("required").and_then(Value::as_array).map_or_else(Vec::new, |names| {
                    names.iter().filter_map(|name| name.as_str().map(str::to_owned)).collect()
                });
            let properties = object.get_mut("properties").and_then(Value::as_object_mut).into_iter().flatten();
            for (_, property) in properties.filter(|(name, _)| !required.contains(name)) {
                if !can_be_null(property) {
                    drop_null(property);
                }
            }
        }
        Value::Array(items) => items.iter_mut().for_each(absent_is_not_null),
        _ => {}
    }
}

/// Whether the description of a property, or of one of its choices, tells what `null` does.
fn can_be_null(property: &Value) -> bool {
    let says = property["description"].as_str().is_some_and(|text| text.contains("`null`"));
    says || property["oneOf"].as_array().into_iter().flatten().any(can_be_null)
}

fn drop_null(property: &mut Value) {
    if let Some(Value::Array(types)) = property.get_mut("type") {
        types.retain(|one| one != "null");
        if let [only] = types.as_slice() {
            property["type"] = only.clone();
        }
    }
    let Some(Value::Array(choices)) = property.get_mut("oneOf") else { return };
    choices.retain(|choice| choice["type"] != "null");
    if let [only] = choices.as_slice() {
        let mut only = only.clone();
        if let (Some(only), Some(known)) = (only.as_object_mut(), property.as_object()) {
            only.extend(
                known.iter().filter(|(name, _)| *name != "oneOf").map(|(name, part)| (name.clone(), part.clone())),
            );
        }
        *property = only;
    }
}

/// Whether senders, and not programs of people, ask here.
fn is_way_in(path: &str) -> bool {
    !path.starts_with("/api/")
}

/// Problems have a media type of their own (RFC 9457); senders may get a line of text.
fn errors(path: &str, operation: &mut Value) {
    let Some(content) = operation.pointer_mut("/responses/default/content").and_then(Value::as_object_mut) else {
        return;
    };
    if let Some(problem) = content.remove("application/json") {
        content.insert("application/problem+json".to_owned(), problem);
    }
    if is_way_in(path) {
        content.insert("text/plain".to_owned(), json!({"schema": {"type": "string"}}));
    }
}

/// Senders are answered in text unless they ask for JSON, and may send in many forms.
fn answers(path: &str, operation: &mut Value) {
    if !is_way_in(path) {
        return;
    }
    if let Some(content) = operation.pointer_mut("/responses/200/content").and_then(Value::as_object_mut) {
        content.insert("text/plain".to_owned(), json!({"schema": {"type": "string"}}));
    }
    if path.starts_with("/in")
        && let Some(content) = operation.pointer_mut("/requestBody/content").and_then(Value::as_object_mut)
    {
        content.clear();
        for media in [
            "application/json",
            "application/cbor",
            "application/senml+json",
            "application/senml+cbor",
            "text/csv",
            "application/x-www-form-urlencoded",
            "application/octet-stream",
            "text/plain",
        ] {
            content.insert(media.to_owned(), json!({}));
        }
    }
}

fn bounds(path: &str, parameter: &mut Value) {
    let name = parameter["name"].as_str().unwrap_or_default().to_owned();
    let is_in_path = parameter["in"] == "path";
    if let Some(schema) = schema_of(path, &name, is_in_path) {
        parameter["schema"] = schema;
    }
}

fn integer(least: i64, most: i64, usual: i64) -> Value {
    json!({"type": "integer", "minimum": least, "maximum": most, "default": usual})
}

/// The schema of a parameter; `None` if nobody has said it.
fn schema_of(path: &str, name: &str, is_in_path: bool) -> Option<Value> {
    let text = || json!({"type": "string"});
    let number = || json!({"type": "integer", "format": "int64", "minimum": 0});
    Some(match (name, is_in_path) {
        ("site" | "device" | "kind" | "watch" | "roster", true) => json!({"type": "string", "pattern": PLACE}),
        ("name", true) if path.contains("/views/") => json!({"type": "string", "minLength": 1, "maxLength": 120}),
        ("signal" | "name", true) => json!({"type": "string", "pattern": NAME}),
        ("key", true) if path.contains("/text-replies/") => json!({"type": "string", "minLength": 1}),
        ("key", true) if is_way_in(path) => json!({"type": "string", "minLength": 1}),
        ("key" | "id", true) => number(),
        ("client", true) => json!({"type": "string", "minLength": 1, "maxLength": 256}),
        ("site" | "device" | "watch", false) => json!({"type": "string", "pattern": PLACE}),
        ("signal", false) => json!({"type": "string", "pattern": NAME}),
        ("limit", _) if path.ends_with("/readings") => integer(1, 5_000, 500),
        ("limit", _) if path.ends_with("/gaps") => integer(1, 1_000, 100),
        ("limit", _) => integer(1, 500, 100),
        ("buckets", _) => integer(1, 2_000, 500),
        ("points", _) => integer(2, 5_000, 500),
        ("width", _) => json!({"type": "integer", "minimum": 1, "maximum": 200}),
        ("wait", _) => integer(0, 60, 0),
        ("dry_run" | "trace" | "ignored" | "all" | "doubtful" | "open", _) => {
            json!({"type": "string", "enum": ["true", "false", ""]})
        }
        ("alarm", _) => number(),
        ("operators", _) => json!({"type": "number", "minimum": 1, "maximum": 1000, "default": 1}),
        ("state", _) => json!({
            "type": "string",
            "enum": ["waiting", "sending", "sent", "failed", "uncertain", "dropped"],
        }),
        ("least", _) => json!({"type": "string", "enum": ["low", "medium", "high", "urgent"], "default": "low"}),
        ("order", _) => json!({"type": "string", "enum": ["ascending", "descending"], "default": "ascending"}),
        ("by", _) => json!({"type": "string", "enum": ["hour", "day", "week", "month", "year"]}),
        ("align", _) => json!({"type": "string", "enum": ["nearest", "interpolated"], "default": "nearest"}),
        ("format", _) => {
            json!({"type": "string", "enum": ["csv", "csv-long", "json", "json-lines", "senml", "senml-cbor", "parquet"], "default": "csv"})
        }
        ("times", _) => json!({"type": "string", "enum": ["rfc3339", "spreadsheet"], "default": "rfc3339"}),
        ("width_s", _) => json!({"type": "number", "minimum": 0.001, "maximum": 31_622_400}),
        ("figures", _) => json!({"type": "string", "description": "a list of `mean`, `min`, `max` and `count`"}),
        ("of", _) => json!({"type": "string", "enum": ["value", "quality"], "default": "value"}),
        ("gap_s", _) => json!({"type": "number", "minimum": 0.001, "maximum": 86_400, "default": 5}),
        ("digits", _) => json!({"type": "string", "enum": ["full"]}),
        ("tolerance_s", _) => json!({"type": "number", "minimum": 0, "maximum": 1e7}),
        ("shift_s", _) => json!({"type": "number", "minimum": -31_622_400, "maximum": 31_622_400, "default": 0}),
        ("longer_than_s", _) => json!({"type": "number", "minimum": 0, "maximum": 1e10}),
        ("from" | "to" | "at", _) => json!({
            "type": "string",
            "description": "RFC 3339, or seconds, milliseconds or microseconds since 1970",
        }),
        ("signals", _) => {
            json!({"type": "string", "description": "DEVICE/SIGNAL or DEVICE/SIGNAL:UNIT, with commas between"})
        }
        ("unit", _) => json!({"type": "string", "description": "a UCUM code, or a common spelling such as °C"}),
        ("about", _) => json!({"type": "string", "description": "DEVICE or DEVICE/SIGNAL, with commas between"}),
        ("zone", _) => json!({"type": "string", "description": "an IANA name such as Europe/London"}),
        ("quantiles", _) => json!({"type": "string", "description": "shares from 0 to 1, with commas between"}),
        ("above" | "below", _) => json!({"type": "string", "description": "limits, with commas between"}),
        ("within", _) => json!({"type": "string", "description": "bands such as 1..2, with commas between"}),
        ("base", _) => json!({"type": "number"}),
        ("person", true) => json!({"type": "string", "minLength": 1, "maxLength": 80}),
        ("object", _) => {
            json!({"type": "string", "description": "such as devices/tower or devices/tower/signals/level"})
        }
        ("who", _) => json!({"type": "string", "description": "the name of a person"}),
        ("words", _) => json!({"type": "string", "maxLength": 200}),
        ("after" | "answer" | "confirm", _) => text(),
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::schema_of;
    use crate::routes::openapi_document;
    use serde_json::Value;
    use std::collections::HashSet;

    /// Path, method and operation.
    fn operations(document: &Value) -> Vec<(&str, &str, &Value)> {
        let paths = document["paths"].as_object().unwrap();
        paths
            .iter()
            .flat_map(|(path, item)| {
                item.as_object()
                    .unwrap()
                    .iter()
                    .map(move |(method, operation)| (path.as_str(), method.as_str(), operation))
            })
            .collect()
    }

    #[test]
    fn every_parameter_has_its_bounds() {
        let document = openapi_document();
        for (path, method, operation) in operations(&document) {
            for parameter in operation["parameters"].as_array().into_iter().flatten() {
                let name = parameter["name"].as_str().unwrap();
                let schema = schema_of(path, name, parameter["in"] == "path");
                assert_eq!(schema.as_ref(), Some(&parameter["schema"]), "{method} {path}: {name}");
            }
        }
    }

    #[test]
    fn every_operation_has_a_name_of_its_own_and_says_how_it_fails() {
        let document = openapi_document();
        let mut seen = HashSet::new();
        for (path, method, operation) in operations(&document) {
            assert!(seen.insert(operation["operationId"].as_str().unwrap()), "{method} {path}");
            let never_fails = ["/set-up", "/me", "/openapi.json", "/health"].iter().any(|end| path.ends_with(end));
            if never_fails && method == "get" {
                continue;
            }
            let content = operation["responses"]["default"]["content"].as_object().unwrap();
            let problem = &content["application/problem+json"]["schema"]["$ref"];
            assert_eq!(problem, "#/components/schemas/Problem", "{method} {path}");
            assert!(!content.contains_key("application/json"), "{method} {path}");
        }
        assert!(seen.len() > 100, "{}", seen.len());
    }

    #[test]
    fn every_reference_leads_somewhere_and_nothing_is_just_an_object() {
        fn walk(document: &Value, at: &Value, path: &str) {
            match at {
                Value::Object(object) => {
                    if let Some(Value::String(reference)) = object.get("$ref") {
                        let target = document.pointer(reference.trim_start_matches('#'));
                        assert!(target.is_some(), "{path}: {reference}");
                    }
                    let is_bare = object.len() == 1 && object.get("type") == Some(&Value::from("object"));
                    assert!(!is_bare || path.contains("openapi.json"), "{path} says nothing of what is in it");
                    for (name, part) in object {
                        walk(document, part, &format!("{path}/{name}"));
                    }
                }
                Value::Array(items) => items.iter().for_each(|item| walk(document, item, path)),
                _ => {}
            }
        }
        let document = openapi_document();
        walk(&document, &document, "");
    }

    #[test]
    fn all_live_events_are_described() {
        let document = openapi_document();
        let stream = document.pointer("/paths/~1api~1v1~1live/get/responses/200/content/text~1event-stream/schema");
        assert_eq!(stream.unwrap()["$ref"], "#/components/schemas/LiveEvent");
        let described = document["components"]["schemas"]["LiveEvent"]["oneOf"].as_array().unwrap();
        let names: Vec<&str> =
            described.iter().map(|one| one["$ref"].as_str().unwrap().rsplit('/').next().unwrap()).collect();
        let all = ["ReadingsEvent", "PresenceEvent", "ChangeEvent", "ContactEvent", "CommandEvent", "Alarm"];
        assert_eq!(names, all);
    }

    #[test]
    fn null_stands_only_where_it_takes_something_away() {
        let document = openapi_document();
        for (name, schema) in document["components"]["schemas"].as_object().unwrap() {
            for (field, property) in schema["properties"].as_object().into_iter().flatten() {
                let text = property.to_string();
                let can_be_null = property["type"].as_array().is_some_and(|types| types.contains(&"null".into()))
                    || text.contains(r#"{"type":"null"}"#);
                let is_list = property["type"] == "array";
                assert_eq!(can_be_null, super::can_be_null(property) && !is_list, "{name}.{field}: {text}");
            }
        }
    }

    #[test]
    fn pairs_are_pairs() {
        let document = openapi_document();
        let points = &document["components"]["schemas"]["Curve"]["properties"]["points"]["items"];
        assert_eq!(points["prefixItems"].as_array().unwrap().len(), 2, "{points}");
    }
}

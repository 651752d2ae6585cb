//! The service's own messages.

use lantern_api as api;
use lantern_core::{Moment, Value};
use lantern_engine::plans::PublishedSignal;
use lantern_mqtt::{Carried, Message, QoS};

/// A message of the service's that stays on its topic.
pub(super) fn own_message(topic: String, payload: String) -> Message {
    Message { qos: QoS::AtLeastOnce, retain: true, ..Message::own(topic, payload) }
}

/// The last value of a signal on its two topics: as JSON, and as it stands.
pub(super) fn now_payloads(topic: &str, shown: &PublishedSignal, at: Moment, value: &Value) -> [(String, String); 2] {
    let bare = match value {
        Value::Number(number) => number.to_string(),
        Value::Flag(flag) => flag.to_string(),
        Value::Text(text) => text.clone(),
        Value::Position(fix) => fix.to_string(),
    };
    let mut object = serde_json::Map::new();
    object.insert("value".to_owned(), serde_json::json!(value));
    if let Some(unit) = &shown.unit {
        object.insert("unit".to_owned(), serde_json::json!(unit));
    }
    object.insert("at".to_owned(), serde_json::json!(at.to_string()));
    [(topic.to_owned(), serde_json::Value::Object(object).to_string()), (format!("{topic}/value"), bare)]
}

/// A call to whoever has subscribed to its topic. It waits for those whose session is kept.
pub(super) fn callout_message(site: &str, topic: &str, text: &str) -> Message {
    let carried = Carried { is_text: true, content_type: Some("application/json".to_owned()), ..Carried::default() };
    Message { carried, qos: QoS::AtLeastOnce, ..Message::own(format!("{site}/callout/{topic}"), text.to_owned()) }
}

/// A command as its device gets it.
pub(super) fn command_message(site: &str, device: &str, command: &api::Command) -> Message {
    let mut payload = serde_json::Map::new();
    payload.insert("id".to_owned(), serde_json::json!(command.id));
    for (name, value) in &command.arguments {
        payload.insert(name.clone(), serde_json::to_value(value).unwrap_or_default());
    }
    let expires_at = command.expires_at.as_deref().and_then(|at| Moment::parse_rfc3339(at).ok());
    Message {
        expires_at,
        carried: Carried {
            is_text: true,
            content_type: Some("application/json".to_owned()),
            response_topic: Some(format!("{site}/{device}/done/{}", command.name)),
            correlation: Some(command.id.to_string().into_bytes().into()),
            user: Vec::new(),
        },
        token: Some(command.id),
        ..Message::own(format!("{site}/{device}/do/{}", command.name), serde_json::Value::Object(payload).to_string())
    }
}

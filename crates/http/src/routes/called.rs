//! Answers of people who were called: by the address in a message, and by a text message.

use super::Answer;
use super::body::Body;
use super::people::Door;
use crate::failure::Failure;
use lantern_api::{CallSecret, CalledFor, TextReply, TextReplyTaken};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::problem::Class;
use rocket::data::{Data, ToByteUnit};
use rocket::serde::json::Json;
use rocket::{Route, State, post, routes};
use std::collections::HashMap;
use std::sync::Arc;
use std::time::Duration;

const MAX_KIB: u64 = 16;
/// How long the gateway may take to hand a message over.
const TIMEOUT: Duration = Duration::from_secs(30);

pub(super) fn routes() -> Vec<Route> {
    routes![called_for, acknowledge, text_reply]
}

/// What somebody is called for, by the secret in the address of their message. Nothing is changed by asking:
/// programs that look at messages open addresses.
#[utoipa::path(operation_id = "called_for", context_path = "/api/v1", tag = "callouts", security(()), request_body = CallSecret,
    responses((status = 200, body = CalledFor), (status = "default", body = lantern_api::Problem)))]
#[post("/called-for", data = "<body>")]
async fn called_for(door: Door<'_>, body: Body<CallSecret>) -> Answer<CalledFor> {
    let caller = door.attempt("a call")?;
    let called = door.engine.callouts.called_for(&body.0.secret).await?;
    door.succeeded(caller);
    Ok(Json(called))
}

/// Acknowledge all that a message calls for. Its address is used up then.
#[utoipa::path(operation_id = "called_acknowledge", context_path = "/api/v1", tag = "callouts", security(()), request_body = CallSecret,
    responses((status = 200, body = CalledFor), (status = "default", body = lantern_api::Problem)))]
#[post("/called-for/acknowledge", data = "<body>")]
async fn acknowledge(door: Door<'_>, body: Body<CallSecret>) -> Answer<CalledFor> {
    let caller = door.attempt("a call")?;
    let called = door.engine.callouts.acknowledge(&body.0.secret).await?;
    door.succeeded(caller);
    Ok(Json(called))
}

/// A text message that came back, as the gateway hands it over: JSON or a form. The settings of the service say
/// how its fields are called, and which key the address ends in.
#[utoipa::path(operation_id = "called_text_reply", context_path = "/api/v1", tag = "callouts", security(()),
    request_body(content = TextReply, content_type = "application/json"),
    responses((status = 200, body = TextReplyTaken), (status = "default", body = lantern_api::Problem)))]
#[post("/text-replies/<key>", data = "<data>")]
async fn text_reply(engine: &State<Arc<Engine>>, key: &str, data: Data<'_>) -> Answer<TextReplyTaken> {
    let read = tokio::time::timeout(TIMEOUT, data.open(MAX_KIB.kibibytes()).into_bytes()).await;
    let body = match read {
        Ok(Ok(body)) if body.is_complete() => body.into_inner(),
        _ => return Err(bad(format_args!("It did not arrive, or is over {MAX_KIB} KiB."))),
    };
    let fields = fields(&body).ok_or_else(|| bad(format_args!("It is neither a JSON object of texts nor a form.")))?;
    Ok(Json(TextReplyTaken { acknowledged: engine.callouts.reply(key, &fields).await? }))
}

/// The fields of a JSON object, or of a form (application/x-www-form-urlencoded).
fn fields(body: &[u8]) -> Option<HashMap<String, String>> {
    if let Ok(serde_json::Value::Object(object)) = serde_json::from_slice(body) {
        let text = |value: serde_json::Value| value.as_str().map_or_else(|| value.to_string(), str::to_owned);
        return Some(object.into_iter().map(|(name, value)| (name, text(value))).collect());
    }
    let is_form = std::str::from_utf8(body).is_ok_and(|text| text.contains('='));
    is_form.then(|| form_urlencoded::parse(body).into_owned().collect())
}

fn bad(why: std::fmt::Arguments<'_>) -> Failure {
    Problem::new(
        Class::Malformed,
        "bad-body",
        "The body cannot be read",
        why.to_string(),
        "Send the number and the words as JSON or as a form.",
    )
    .into()
}

#[cfg(test)]
mod tests {
    use super::fields;

    #[test]
    fn a_reply_is_json_or_a_form() {
        for body in [r#"{"from": "+442079460000", "text": "ok 12", "id": 7}"#, "from=%2B442079460000&text=ok+12&id=7"] {
            let fields = fields(body.as_bytes()).unwrap();
            assert_eq!((fields["from"].as_str(), fields["text"].as_str()), ("+442079460000", "ok 12"), "{body}");
            assert_eq!(fields["id"], "7");
        }
        for body in ["", "ok", "[1]", "\u{0}"] {
            assert!(fields(body.as_bytes()).is_none(), "{body:?}");
        }
    }
}

//! `/do` and `/done`: where devices without MQTT pick up their commands and answer
//! them.

use super::in_answer::{lines, wants_json};
use super::inlet::{From, HeaderKey};
use super::query;
use crate::failure::Failure;
use lantern_api::CommandForDevice;
use lantern_core::{CommandId, command};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::clock;
use lantern_engine::intake::Credential;
use lantern_engine::keys;
use lantern_store::Device;
use rocket::data::{Data, ToByteUnit};
use rocket::http::ContentType;
use rocket::request::Request;
use rocket::response::{self, Responder, Response};
use rocket::{Route, State, get, post, routes};
use std::io::Cursor;
use std::sync::Arc;
use std::time::Duration;

/// The longest a request may wait, in seconds.
const MAX_WAIT_S: u64 = 60;
/// Bytes of an answer.
const MAX_ANSWER: u64 = 4_096;

pub(super) fn routes() -> Vec<Route> {
    routes![collect, collect_key, answer, answer_key, answer_get]
}

struct Handed(Vec<CommandForDevice>);

impl<'r> Responder<'r, 'static> for Handed {
    fn respond_to(self, request: &'r Request<'_>) -> response::Result<'static> {
        let is_json = wants_json(request);
        let (content_type, body) = if is_json {
            (ContentType::JSON, serde_json::to_string(&self.0).unwrap_or_default())
        } else {
            (ContentType::Plain, lines(&self.0))
        };
        Response::build().header(content_type).sized_body(body.len(), Cursor::new(body)).ok()
    }
}

/// The device whose key it is.
async fn device(engine: &Engine, credential: Credential<'_>, from: &str) -> Result<Device, Problem> {
    let owner = keys::known(&engine.plans, &credential.hash()).await?;
    let now = clock::now();
    keys::check(&owner, now)?;
    keys::check_send(&owner)?;
    let Some(device) = owner.device else {
        return Err(Problem::not_granted("A site's key has no commands of its own.", "Use the key of the device."));
    };
    engine.intake.count(owner.id, 0).await?;
    engine.heard.note_key(owner.id, now, from);
    engine.heard.note(device, now);
    Ok(engine.store.device_by_id(device).await?)
}

async fn hand_out(engine: &Engine, key: Credential<'_>, from: &str, wait: Option<&str>) -> Result<Handed, Failure> {
    let wait = query::number("wait", wait, 0, 0, MAX_WAIT_S)?;
    let device = device(engine, key, from).await?;
    Ok(Handed(engine.commands.wait(device.id, Duration::from_secs(wait)).await?))
}

async fn end(
    engine: &Engine,
    key: Credential<'_>,
    from: &str,
    id: i64,
    payload: &[u8],
) -> Result<&'static str, Failure> {
    let device = device(engine, key, from).await?;
    engine.commands.end(&device, CommandId(id), &command::Answer::read(payload), clock::now()).await?;
    Ok("ok\n")
}

/// Pick up the commands that wait, with the key in the header.
///
/// `wait` is how many seconds the request may wait for one, up to 60. The answer is
/// a line `do ID NAME ARGUMENT=VALUE …` each, or JSON if asked for by `Accept`.
#[utoipa::path(operation_id = "pickup_collect", context_path = "", tag = "way in", security(("key" = [])),
    responses((status = 200, body = Vec<CommandForDevice>), (status = "default", body = lantern_api::Problem)))]
#[get("/do?<wait>")]
async fn collect(
    engine: &State<Arc<Engine>>,
    key: HeaderKey<'_>,
    from: From,
    wait: Option<&str>,
) -> Result<Handed, Failure> {
    hand_out(engine, key.required()?, &from.0, wait).await
}

/// Pick up the commands that wait, with the key in the address.
#[utoipa::path(operation_id = "pickup_collect_key", context_path = "", tag = "way in",
    responses((status = 200, body = Vec<CommandForDevice>), (status = "default", body = lantern_api::Problem)))]
#[get("/do/<key>?<wait>")]
async fn collect_key(
    engine: &State<Arc<Engine>>,
    key: &str,
    from: From,
    wait: Option<&str>,
) -> Result<Handed, Failure> {
    hand_out(engine, Credential::Secret(key), &from.0, wait).await
}

async fn payload(data: Data<'_>) -> Result<Vec<u8>, Problem> {
    let body = data.open(MAX_ANSWER.bytes()).into_bytes().await;
    body.map(|body| body.into_inner()).map_err(|e| Problem::invalid("body", format_args!("it did not arrive: {e}")))
}

/// Answer a command, with the key in the header.
///
/// The body is `ok`, `refused`, either with a text after it, or JSON such as
/// `{"ok": false, "text": "no current"}`; an empty one is `ok`.
#[utoipa::path(operation_id = "pickup_answer", context_path = "", tag = "way in", security(("key" = [])),
    request_body(content = String, content_type = "text/plain"),
    responses((status = 200, body = String), (status = "default", body = lantern_api::Problem)))]
#[post("/done/<id>", data = "<data>")]
async fn answer(
    engine: &State<Arc<Engine>>,
    key: HeaderKey<'_>,
    from: From,
    id: i64,
    data: Data<'_>,
) -> Result<&'static str, Failure> {
    end(engine, key.required()?, &from.0, id, &payload(data).await?).await
}

/// Answer a command, with the key in the address.
#[utoipa::path(operation_id = "pickup_answer_key", context_path = "", tag = "way in",
    request_body(content = String, content_type = "text/plain"),
    responses((status = 200, body = String), (status = "default", body = lantern_api::Problem)))]
#[post("/done/<id>/<key>", data = "<data>")]
async fn answer_key(
    engine: &State<Arc<Engine>>,
    id: i64,
    key: &str,
    from: From,
    data: Data<'_>,
) -> Result<&'static str, Failure> {
    end(engine, Credential::Secret(key), &from.0, id, &payload(data).await?).await
}

/// Answer a command with a plain GET; `answer` is what the body would be.
#[utoipa::path(operation_id = "pickup_answer_get", context_path = "", tag = "way in",
    responses((status = 200, body = String), (status = "default", body = lantern_api::Problem)))]
#[get("/done/<id>/<key>?<answer>")]
async fn answer_get(
    engine: &State<Arc<Engine>>,
    id: i64,
    key: &str,
    from: From,
    answer: Option<&str>,
) -> Result<&'static str, Failure> {
    end(engine, Credential::Secret(key), &from.0, id, answer.unwrap_or_default().as_bytes()).await
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_api::Value;
    use std::collections::BTreeMap;

    #[test]
    fn a_command_is_a_line_of_words() {
        let arguments = BTreeMap::from([
            ("minutes".to_owned(), Value::Number(20.0)),
            ("state".to_owned(), Value::Flag(true)),
            ("why".to_owned(), Value::Text("ice & snow".to_owned())),
        ]);
        let command = CommandForDevice { id: 17, name: "heater".to_owned(), arguments };
        assert_eq!(lines(&[command]), "do 17 heater minutes=20 state=true why=ice+%26+snow\n");
    }
}

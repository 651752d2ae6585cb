//! Every change of a person is recorded: the guard that lets it through takes a picture of its
//! object, and when it was answered well this compares it with what the object is then.

use lantern_engine::record::{Deed, Doer};
use lantern_engine::{Engine, find};
use lantern_store::Site;
use rocket::fairing::{Fairing, Info, Kind};
use rocket::http::Method;
use rocket::{Request, Response, async_trait};
use serde_json::Value;
use std::io::Cursor;
use std::sync::Arc;

/// The largest answer that is read for what it says of a new object.
const MOST_ANSWER: usize = 256 * 1024;

/// A change that was let through, and waits to be answered.
struct Begun {
    doer: Doer,
    site: Option<Site>,
    action: &'static str,
    object: String,
    before: Option<Value>,
    adds: Adds,
}

/// How the object of a change is named.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Adds {
    /// The address names it.
    Nothing,
    /// The answer names what was made below the address.
    One,
    /// It is no single object: the answer tells what was done.
    Told,
}

/// What a route does, for the record: in the past tense, and how its object is named.
/// None for those that only try something out.
fn deed_of(method: Method, route: &str) -> Option<(&'static str, Adds)> {
    let last = route.rsplit('/').find(|part| !part.starts_with('<')).unwrap_or_default();
    Some(match (method, last) {
        (_, "try" | "preview" | "dry-run" | "calibration" | "undo" | "log-out") => return None,
        (Method::Post, "test") => ("tested", Adds::Told),
        (Method::Post, "press") => ("pressed the button of", Adds::Told),
        (Method::Post, "answer") => ("answered", Adds::Told),
        (Method::Post, "claim") => ("claimed", Adds::Nothing),
        (Method::Post, "confirm") => ("confirmed", Adds::Told),
        (Method::Post, "restore") => ("brought back", Adds::Nothing),
        (Method::Post, "replace") => ("replaced", Adds::Nothing),
        (Method::Post, "move") => ("moved devices to another revision of", Adds::Told),
        (Method::Post, "several") => ("added several", Adds::Told),
        (Method::Post, "reconversions") => ("had the past made anew of", Adds::Told),
        (Method::Post, "dummies") => ("asked for a dummy reading of", Adds::Told),
        (Method::Post, "live") => ("took live", Adds::Nothing),
        (Method::Post, "soak") => ("began a soak of", Adds::Told),
        (Method::Delete, "soak") => ("ended the soak of", Adds::Told),
        (Method::Post, "trial") => ("put back on trial", Adds::Nothing),
        (Method::Post, "joining") => ("opened a joining window of", Adds::Told),
        (Method::Delete, "joining") => ("closed the joining window of", Adds::Told),
        (Method::Post, "document") => ("applied a document to", Adds::Told),
        (Method::Put, "ignored") => ("ignored a name of", Adds::Told),
        (Method::Delete, "ignored") => ("no longer ignores a name of", Adds::Told),
        (Method::Post, "position") => ("joined a position of", Adds::Told),
        (Method::Post, "readings") => ("entered a reading of", Adds::Told),
        (Method::Delete, "readings") => ("deleted readings of", Adds::Told),
        (Method::Post, "commands") => ("gave a command to", Adds::Told),
        (Method::Delete, "commands") => ("withdrew a command of", Adds::Told),
        (Method::Delete, "jobs") => ("stopped", Adds::Told),
        (Method::Put, "password") => ("changed the password of", Adds::Told),
        (Method::Post, "second-factor") => ("asked for a second factor for", Adds::Told),
        (Method::Put, "second-factor") => ("began a second factor for", Adds::Told),
        (Method::Post, "end") => ("ended the second factor of", Adds::Told),
        (Method::Post, "new-password") => ("opened a way to a new password for", Adds::Told),
        (Method::Post, "accept") => ("accepted an invitation", Adds::Told),
        (
            Method::Post,
            "tokens" | "invitations" | "notes" | "devices" | "signals" | "keys" | "kinds" | "sites" | "watches"
            | "rosters",
        ) => ("added", Adds::One),
        (Method::Delete, "keys") => ("revoked", Adds::Nothing),
        (Method::Delete, "invitations") => ("withdrew", Adds::Told),
        (Method::Delete, "sessions" | "mqtt-sessions") => ("ended", Adds::Told),
        (Method::Delete, _) => ("removed", Adds::Nothing),
        (Method::Patch | Method::Put, _) => ("changed", Adds::Nothing),
        _ => ("did something to", Adds::Told),
    })
}

/// What the address of a request names below its site, without what is done to it.
fn object_of(request: &Request<'_>) -> String {
    let path: Vec<String> = request.uri().path().segments().skip(2).map(str::to_owned).collect();
    let below = if path.first().is_some_and(|first| first == "sites") { &path[path.len().min(2)..] } else { &path[..] };
    // Verbs and parts of an object stand at the end: they are not its name.
    let verbs = [
        "answer",
        "test",
        "press",
        "claim",
        "restore",
        "replace",
        "move",
        "several",
        "reconversions",
        "dummies",
        "live",
        "soak",
        "trial",
        "joining",
        "document",
        "ignored",
        "position",
        "readings",
        "meaning",
        "retention",
        "commissioning",
        "new-password",
        "commands",
        "end",
        "password",
    ];
    let end = below.iter().position(|part| verbs.contains(&part.as_str())).unwrap_or(below.len());
    let named = &below[..end];
    // What was claimed or ignored is a signal, and a device that waited is a device.
    named.join("/").replace("/arrivals/", "/signals/").replacen("waiting/", "devices/", 1)
}

/// Takes the picture of what is about to be changed.
pub(super) async fn begin(request: &Request<'_>, doer: Doer, site: Option<&str>) {
    let (Some(route), Some(engine)) = (request.route(), request.rocket().state::<Arc<Engine>>()) else { return };
    let Some((action, adds)) = deed_of(route.method, route.uri.path()) else { return };
    if request.query_value::<&str>("dry_run").is_some_and(|value| value == Ok("true")) {
        return;
    }
    let site = match site {
        // A site that is not there is said by the handler.
        Some(code) => match find::site(&engine.store, code).await {
            Ok(site) => Some(site),
            Err(_) => return,
        },
        None => None,
    };
    let object = object_of(request);
    let before = match (&site, adds) {
        (Some(site), Adds::Nothing) => engine.records.picture(site, &object).await.ok().flatten(),
        _ => None,
    };
    request.local_cache(|| Some(Begun { doer, site, action, object, before, adds }));
}

/// Writes the lines of the record.
pub(crate) struct Recording;

#[async_trait]
impl Fairing for Recording {
    fn info(&self) -> Info {
        Info { name: "the record of changes", kind: Kind::Response }
    }

    async fn on_response<'r>(&self, request: &'r Request<'_>, response: &mut Response<'r>) {
        let (Some(begun), Some(engine)) =
            (request.local_cache(|| None::<Begun>), request.rocket().state::<Arc<Engine>>())
        else {
            return;
        };
        if response.status().code / 100 != 2 {
            return;
        }
        let (object, after) = match (begun.adds, &begun.site) {
            (Adds::Nothing, Some(site)) => {
                // The site itself may have another name, or be gone.
                let now = find::site(&engine.store, &site.code).await.ok();
                let after = match &now {
                    Some(now) => engine.records.picture(now, &begun.object).await.ok().flatten(),
                    None => None,
                };
                if begun.before == after && begun.before.is_some() {
                    return;
                }
                (begun.object.clone(), after)
            }
            (Adds::One, site) => {
                let answer = read_answer(response).await.unwrap_or_default();
                let name = ["code", "id", "name"].iter().find_map(|field| word(&answer[*field]));
                let name =
                    name.or_else(|| word(&answer["invitation"]["id"])).or_else(|| word(&answer["session"]["id"]));
                let object = match name {
                    Some(name) => format!("{}/{name}", begun.object),
                    None => begun.object.clone(),
                };
                let after = match site {
                    Some(site) => engine.records.picture(site, &object).await.ok().flatten(),
                    None => None,
                };
                (object, after)
            }
            (Adds::Told | Adds::Nothing, _) => (begun.object.clone(), None),
        };
        let deed = Deed {
            site: begun.site.as_ref(),
            action: begun.action,
            object: &object,
            before: begun.before.as_ref(),
            after: after.as_ref(),
        };
        engine.records.write(&begun.doer, &deed).await;
    }
}

fn word(value: &Value) -> Option<String> {
    match value {
        Value::String(text) => Some(text.clone()),
        Value::Number(number) => Some(number.to_string()),
        _ => None,
    }
}

/// The answer in JSON, left in its place.
async fn read_answer(response: &mut Response<'_>) -> Option<Value> {
    response.body().preset_size().filter(|size| *size <= MOST_ANSWER)?;
    let bytes = response.body_mut().to_bytes().await.ok()?;
    let answer = serde_json::from_slice(&bytes).ok();
    response.set_sized_body(bytes.len(), Cursor::new(bytes));
    answer
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_done_is_told_by_the_route() {
        let cases = [
            (Method::Patch, "/api/v1/sites/<site>", Some("changed")),
            (Method::Post, "/api/v1/sites/<site>/devices", Some("added")),
            (Method::Delete, "/api/v1/sites/<site>/devices/<device>", Some("removed")),
            (Method::Put, "/api/v1/sites/<site>/devices/<device>/signals/<signal>/meaning", Some("changed")),
            (Method::Post, "/api/v1/sites/<site>/devices/<device>/signals/<signal>/meaning/preview", None),
            (Method::Delete, "/api/v1/sites/<site>/keys/<key>", Some("revoked")),
        ];
        for (method, route, action) in cases {
            assert_eq!(deed_of(method, route).map(|(action, _)| action), action, "{method} {route}");
        }
    }

    /// No route that changes something is recorded as doing just something.
    #[test]
    fn every_change_has_its_word() {
        for (method, path, _) in crate::auth::rights::rows().filter(|(method, ..)| *method != Method::Get) {
            let action = deed_of(method, path).map(|(action, _)| action);
            assert_ne!(action, Some("did something to"), "{method} {path}");
        }
    }
}

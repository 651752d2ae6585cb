//! The live stream as server-sent events.

use crate::auth::Access;
use crate::failure::Failure;
use crate::found;
use lantern_api::LiveEvent;
use lantern_core::SiteId;
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::live::{Event, Heard, Resume};
use rocket::outcome::Outcome;
use rocket::request::{FromRequest, Request};
use rocket::response::stream::{Event as Sent, EventStream};
use rocket::{Route, Shutdown, State, async_trait, get, routes};
use std::convert::Infallible;
use std::sync::Arc;
use std::time::Duration;
use tokio::time::interval;

/// How often it is checked that a listener may still listen: access ends with the log-in, the role or
/// the key.
const CHECK: Duration = Duration::from_secs(5);

pub(super) fn routes() -> Vec<Route> {
    routes![live]
}

/// Where a listener was when it lost the connection.
struct LastEventId(Option<String>);

#[async_trait]
impl<'r> FromRequest<'r> for LastEventId {
    type Error = Infallible;

    async fn from_request(request: &'r Request<'_>) -> rocket::request::Outcome<Self, Infallible> {
        Outcome::Success(Self(request.headers().get_one("Last-Event-ID").map(str::to_owned)))
    }
}

fn sent(event: &Event) -> Sent {
    Sent::data(event.json.clone()).event(event.name).id(event.id.clone())
}

/// What happens on a site, as it happens (server-sent events).
///
/// Events: `hello` when the stream begins; `readings` (ReadingsEvent); `presence`
/// (PresenceEvent); `change` (ChangeEvent); `contact` (ContactEvent); `command`
/// (CommandEvent); `reset` when events were missed and everything must be read again. A listener that comes back with `Last-Event-ID`
/// gets what it missed.
#[utoipa::path(operation_id = "live_live", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, content_type = "text/event-stream", body = LiveEvent),
        (status = "default", body = lantern_api::Problem)))]
#[get("/live?<site>")]
async fn live(
    engine: &State<Arc<Engine>>,
    access: Access,
    site: Option<&str>,
    last: LastEventId,
    mut end: Shutdown,
) -> Result<EventStream![], Failure> {
    let code = site.ok_or_else(|| Problem::invalid("site", "say which site to listen to"))?.to_owned();
    let site: SiteId = found::site(&engine.store, &code).await?.id;
    let engine: Arc<Engine> = Arc::clone(engine);
    let (mut listener, resume, id) = engine.live.listen(last.0.as_deref());
    let stream = EventStream! {
        match resume {
            Resume::Missed(events) => {
                yield Sent::data("{}").event("hello").id(id).with_retry(Duration::from_secs(2));
                for event in events.iter().filter(|event| event.site == site) {
                    yield sent(event);
                }
            }
            Resume::Reset => yield Sent::data("{}").event("reset").id(id).with_retry(Duration::from_secs(2)),
        }
        let mut check = interval(CHECK);
        check.tick().await;
        loop {
            let heard = tokio::select! {
                heard = listener.next() => heard,
                _ = check.tick() => {
                    if access.may_still_look(&engine, &code).await {
                        continue;
                    }
                    break;
                }
                () = &mut end => break,
            };
            match heard {
                Heard::Event(event) if event.site == site => yield sent(&event),
                Heard::Event(_) => {}
                Heard::Reset => yield Sent::data("{}").event("reset"),
                Heard::Closed => break,
            }
        }
    };
    Ok(stream.heartbeat(Duration::from_secs(15)))
}

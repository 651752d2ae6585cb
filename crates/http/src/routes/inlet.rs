//! `/in`: where senders deliver.

use super::in_answer::Reply;
use super::unpack::{ContentEncoding, unpack};
use crate::failure::Failure;
use crate::peers::Peers;
use lantern_api::InAnswer;
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::intake::{Astray, Body, Credential, Delivery, Said, Target};
use lantern_engine::problem::Class;
use lantern_engine::secret;
use rocket::data::{Data, ToByteUnit};
use rocket::http::uri::Origin;
use rocket::http::{Method, Status};
use rocket::outcome::Outcome;
use rocket::request::{FromRequest, Request};
use rocket::{Route, State, async_trait, get, post, routes};
use std::sync::Arc;
use std::time::Duration;
use tokio::io::AsyncReadExt;

const MAX_BODY_MIB: u64 = 1;
/// What a board's message fits into, in bytes.
const USUAL_BODY: usize = 512;
/// How much of a body without a good key is let go by, and for how long.
const PASSED_OVER_KIB: u64 = 64;
const PASSED_OVER_TIME: Duration = Duration::from_secs(2);
/// A modem on a bad line is slow, but one that stops must not hold on for ever.
const BODY_TIMEOUT: Duration = Duration::from_secs(30);

pub(super) fn routes() -> Vec<Route> {
    routes![post, post_key, get, get_key]
}

/// The key in the `Authorization` header, or the certificate of the connection.
pub(super) struct HeaderKey<'r>(Option<Credential<'r>>);

#[async_trait]
impl<'r> FromRequest<'r> for HeaderKey<'r> {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, (Status, ()), Status> {
        Outcome::Success(Self(credential(request)))
    }
}

fn credential<'r>(request: &'r Request<'_>) -> Option<Credential<'r>> {
    let header = request.headers().get_one("Authorization");
    let secret = header.and_then(|h| h.strip_prefix("Bearer ")).map(|secret| Credential::Secret(secret.trim()));
    secret.or_else(|| {
        let certificate = peers(request)?.behind(request)?.certificate?;
        Some(Credential::Hash(secret::hash_certificate(&certificate)))
    })
}

/// A request that no route takes.
pub(super) fn astray<'r>(request: &'r Request<'_>) -> Astray<'r> {
    let path = request.uri().path().as_str();
    Astray {
        protocol: protocol(request),
        path,
        credential: credential(request),
        from: from(request),
        is_of_people: is_browser(request) || path.starts_with("/api/"),
    }
}

/// Whether somebody looks with a browser, which asks for pages.
pub(super) fn is_browser(request: &Request<'_>) -> bool {
    request.headers().get_one("Accept").is_some_and(|accept| accept.contains("text/html"))
}

fn protocol(request: &Request<'_>) -> &'static str {
    if request.method() == Method::Get { "HTTP GET" } else { "HTTP POST" }
}

impl<'r> HeaderKey<'r> {
    pub(super) fn required(&self) -> Result<Credential<'r>, Problem> {
        self.0.ok_or_else(Delivery::no_key)
    }
}

fn peers<'r>(request: &'r Request<'_>) -> Option<&'r Peers> {
    request.rocket().state::<Arc<Peers>>().map(AsRef::as_ref)
}

fn from(request: &Request<'_>) -> String {
    peers(request).map(|peers| peers.from(request)).unwrap_or_default()
}

/// The address a request came from.
pub(super) struct From(pub(super) String);

#[async_trait]
impl<'r> FromRequest<'r> for From {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, (Status, ()), Status> {
        Outcome::Success(Self(from(request)))
    }
}

/// What the contact log says of a request: how it came and from where, and what
/// its payload is called.
struct Sender<'r> {
    protocol: &'static str,
    from: String,
    content_type: Option<&'r str>,
}

#[async_trait]
impl<'r> FromRequest<'r> for Sender<'r> {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, (Status, ()), Status> {
        Outcome::Success(Self {
            protocol: protocol(request),
            from: from(request),
            content_type: request.headers().get_one("Content-Type"),
        })
    }
}

/// Deliver readings with the key in the header.
///
/// The body is JSON, CBOR, SenML in JSON or CBOR, a form, CSV with names in the
/// first row, or what the device's decoder describes; packed with gzip or deflate
/// if need be. `at`, `ago` and `every` in the query hold for the whole body, other
/// names there are values. The answer is `ok 2` as text, or JSON if asked for by
/// `Accept`. Readings are durable when the answer comes; what was sent before
/// changes nothing. A good value beside a bad one is kept, and the answer names
/// both. With a site's key, `device` in the query or beside the values names the
/// device.
#[utoipa::path(operation_id = "inlet_post", context_path = "", tag = "way in", security(("key" = [])),
    request_body(content = String, content_type = "application/json"),
    responses((status = 200, description = "What was kept", body = InAnswer),
        (status = "default", description = "Nothing was kept", body = lantern_api::Problem)))]
#[post("/in", data = "<data>")]
async fn post(
    engine: &State<Arc<Engine>>,
    key: HeaderKey<'_>,
    uri: &Origin<'_>,
    sender: Sender<'_>,
    encoding: ContentEncoding,
    data: Data<'_>,
) -> Result<Reply, Failure> {
    deliver(engine, key.required(), uri, sender, Some((data, encoding))).await
}

/// Deliver readings with the key in the address.
///
/// For senders that cannot set headers. Values stand in the body, or in the
/// query as in `/in/KEY?temp=21.4&hum=55`.
#[utoipa::path(operation_id = "inlet_post_key", context_path = "", tag = "way in",
    request_body(content = String, content_type = "application/json"),
    responses((status = 200, description = "What was kept", body = InAnswer),
        (status = "default", description = "Nothing was kept", body = lantern_api::Problem)))]
#[post("/in/<key>", data = "<data>")]
async fn post_key(
    engine: &State<Arc<Engine>>,
    key: &str,
    uri: &Origin<'_>,
    sender: Sender<'_>,
    encoding: ContentEncoding,
    data: Data<'_>,
) -> Result<Reply, Failure> {
    deliver(engine, Ok(Credential::Secret(key)), uri, sender, Some((data, encoding))).await
}

/// Deliver the values of a query with the key in the header.
#[utoipa::path(operation_id = "inlet_get", context_path = "", tag = "way in", security(("key" = [])),
    responses((status = 200, description = "What was kept", body = InAnswer),
        (status = "default", description = "Nothing was kept", body = lantern_api::Problem)))]
#[get("/in")]
async fn get(
    engine: &State<Arc<Engine>>,
    key: HeaderKey<'_>,
    uri: &Origin<'_>,
    sender: Sender<'_>,
) -> Result<Reply, Failure> {
    deliver(engine, key.required(), uri, sender, None).await
}

/// Deliver the values of a query with the key in the address.
///
/// For modems that can do nothing but a plain GET: `/in/KEY?temp=21.4&hum=55`.
#[utoipa::path(operation_id = "inlet_get_key", context_path = "", tag = "way in",
    responses((status = 200, description = "What was kept", body = InAnswer),
        (status = "default", description = "Nothing was kept", body = lantern_api::Problem)))]
#[get("/in/<key>")]
async fn get_key(
    engine: &State<Arc<Engine>>,
    key: &str,
    uri: &Origin<'_>,
    sender: Sender<'_>,
) -> Result<Reply, Failure> {
    deliver(engine, Ok(Credential::Secret(key)), uri, sender, None).await
}

async fn deliver(
    engine: &State<Arc<Engine>>,
    credential: Result<Credential<'_>, Problem>,
    uri: &Origin<'_>,
    sender: Sender<'_>,
    data: Option<(Data<'_>, ContentEncoding)>,
) -> Result<Reply, Failure> {
    let body = match data {
        // Nobody who has no key makes the service hold or unpack a body.
        Some((data, encoding)) => match &credential {
            Ok(credential) if engine.intake.opens(credential).await => {
                read(data).await.and_then(|body| unpack(body, encoding))
            }
            _ => {
                pass_over(data).await;
                Ok(Body::default())
            }
        },
        None => Ok(Body::default()),
    };
    let delivery = Delivery {
        credential,
        target: Target::default(),
        topic: None,
        is_aside: false,
        patience_s: 0,
        body,
        said: Said::from_header(sender.content_type),
        query: uri.query().map_or("", |query| query.as_str()),
        protocol: sender.protocol,
        from: sender.from,
    };
    Ok(Reply(engine.intake.take(delivery).await?))
}

/// Lets a small body go by unread: a sender that still writes might not see its answer otherwise.
async fn pass_over(data: Data<'_>) {
    let going_by = data.open(PASSED_OVER_KIB.kibibytes()).stream_to(tokio::io::sink());
    let _ = tokio::time::timeout(PASSED_OVER_TIME, going_by).await;
}

async fn read(data: Data<'_>) -> Result<Vec<u8>, Problem> {
    let limit = MAX_BODY_MIB.mebibytes();
    // Straight into the body: the usual one is far smaller than a copying buffer.
    let mut body = Vec::with_capacity(USUAL_BODY);
    let mut stream = data.open(limit + 1);
    let reading = stream.read_to_end(&mut body);
    let slow = |detail: String| {
        Problem::new(
            Class::Slow,
            "slow-body",
            "The body did not arrive",
            detail,
            "Send it again, in smaller pieces if the line is slow.",
        )
    };
    tokio::time::timeout(BODY_TIMEOUT, reading)
        .await
        .map_err(|_| slow(format!("The body was not complete after {} s.", BODY_TIMEOUT.as_secs())))?
        .map_err(|e| slow(format!("The body broke off: {e}.")))?;
    if body.len() as u64 > limit.as_u64() {
        return Err(Problem::new(
            Class::TooLarge,
            "body-too-large",
            "Body too large",
            format!("The body is over {MAX_BODY_MIB} MiB; nothing of it was kept."),
            "Split it into several requests.",
        ));
    }
    Ok(body)
}

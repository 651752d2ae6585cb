//! Errors as they are answered: `application/problem+json` (RFC 9457).

use lantern_api::RefusedValue;
use lantern_core::{Refusal, RefusalCode};
use lantern_store::{RecordError, StoreError};
use rocket::http::{ContentType, Header, Status};
use rocket::request::Request;
use rocket::response::{self, Responder, Response};
use std::borrow::Cow;
use std::io::Cursor;
use std::ops::{Deref, DerefMut};

/// What went wrong with a request, what it means and what to do. Boxed, because
/// it is the rare case of every result that carries it.
#[derive(Debug, Clone)]
pub(crate) struct Problem(Box<Parts>);

/// What a [`Problem`] says.
#[derive(Debug, Clone)]
pub(crate) struct Parts {
    pub(crate) status: Status,
    pub(crate) code: &'static str,
    pub(crate) title: &'static str,
    pub(crate) detail: String,
    pub(crate) remedy: Cow<'static, str>,
    pub(crate) refused: Vec<RefusedValue>,
    /// Seconds after which to try again.
    pub(crate) retry_after: Option<u64>,
    /// What is left of an allowance.
    pub(crate) left: Option<u64>,
}

impl Problem {
    pub(crate) fn new(
        status: Status,
        code: &'static str,
        title: &'static str,
        detail: impl Into<String>,
        remedy: impl Into<Cow<'static, str>>,
    ) -> Self {
        Self(Box::new(Parts {
            status,
            code,
            title,
            detail: detail.into(),
            remedy: remedy.into(),
            refused: Vec::new(),
            retry_after: None,
            left: None,
        }))
    }

    /// A store error where a row was looked up by its code.
    pub(crate) fn missing(error: StoreError, what: &'static str, code: &str) -> Self {
        match error {
            StoreError::NotFound => Self::new(
                Status::NotFound,
                "not-found",
                "Not found",
                format!("There is no {what} `{code}` here."),
                "Check the spelling, or list what there is.",
            ),
            other => other.into(),
        }
    }

    /// A store error where something was to be made under a code.
    pub(crate) fn taken(error: StoreError, what: &'static str, code: &str) -> Self {
        match error {
            StoreError::Taken => Self::new(
                Status::Conflict,
                "taken",
                "Already taken",
                format!("There is a {what} `{code}` already."),
                "Choose another code, or edit the one there is.",
            ),
            other => other.into(),
        }
    }

    /// A field of a request that cannot be so.
    pub(crate) fn invalid(field: &str, detail: impl std::fmt::Display) -> Self {
        Self::new(
            Status::UnprocessableEntity,
            "invalid",
            "A value cannot be so",
            format!("`{field}`: {detail}."),
            "Change it and send the request again.",
        )
    }

    pub(crate) fn busy() -> Self {
        let mut problem = Self::new(
            Status::ServiceUnavailable,
            "busy",
            "Too much at once",
            "More readings are waiting to be written than fit; nothing of this request was kept.",
            "Send it again after a second.",
        );
        problem.retry_after = Some(1);
        problem
    }

    pub(crate) fn full() -> Self {
        let mut problem = Self::new(
            Status::ServiceUnavailable,
            "disk-full",
            "No room left",
            "The disk, or the part of it the service may use, is full; nothing of this request was kept.",
            "Send it again later: it is taken as soon as there is room. Whoever runs the service can free some, keep less (retention), or raise disk_budget.",
        );
        problem.retry_after = Some(60);
        problem
    }

    pub(crate) fn storage() -> Self {
        let mut problem = Self::new(
            Status::ServiceUnavailable,
            "storage-failed",
            "The database did not take it",
            "The database could not be read or written; nothing of this request was kept.",
            "Send it again later; the service's log says what is wrong, often a full disk.",
        );
        problem.retry_after = Some(30);
        problem
    }

    /// Leaves the problem where the catcher finds it, for a guard that fails.
    pub(crate) fn leave(self, request: &Request<'_>) -> (Status, ()) {
        let status = self.status;
        request.local_cache(|| Some(self));
        (status, ())
    }

    /// One short line for a modem.
    pub(crate) fn line(&self) -> String {
        format!("error {}: {} {}\n", self.code, self.detail, self.remedy)
    }

    fn to_json(&self) -> String {
        let body = lantern_api::Problem {
            kind: format!("urn:key-lantern:problem:{}", self.code),
            status: self.status.code,
            code: self.code.to_owned(),
            title: self.title.to_owned(),
            detail: self.detail.clone(),
            remedy: self.remedy.clone().into_owned(),
            refused: self.refused.clone(),
            left: self.left,
        };
        serde_json::to_string(&body).unwrap_or_default()
    }
}

impl Deref for Problem {
    type Target = Parts;

    fn deref(&self) -> &Parts {
        &self.0
    }
}

impl DerefMut for Problem {
    fn deref_mut(&mut self) -> &mut Parts {
        &mut self.0
    }
}

impl From<StoreError> for Problem {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::NotFound => Self::new(
                Status::NotFound,
                "not-found",
                "Not found",
                "It is not there any more.",
                "List what there is.",
            ),
            StoreError::Taken => Self::new(
                Status::Conflict,
                "taken",
                "Already taken",
                "There is one of that name already.",
                "Choose another name.",
            ),
            StoreError::Recorder(error) => error.into(),
            other => {
                tracing::error!(error = %other, "the database failed");
                Self::storage()
            }
        }
    }
}

impl From<RecordError> for Problem {
    fn from(error: RecordError) -> Self {
        match error {
            RecordError::Busy => Self::busy(),
            RecordError::Full => Self::full(),
            RecordError::Failed(_) => Self::storage(),
        }
    }
}

/// A refusal that concerns the whole delivery.
impl From<Refusal> for Problem {
    fn from(refusal: Refusal) -> Self {
        let status = match refusal.code {
            RefusalCode::TooManyReadings => Status::PayloadTooLarge,
            RefusalCode::MalformedJson | RefusalCode::MalformedCbor => Status::BadRequest,
            RefusalCode::UnknownPayload => Status::UnsupportedMediaType,
            RefusalCode::NotCarried => Status::Forbidden,
            _ => Status::UnprocessableEntity,
        };
        Self::new(status, refusal.code.as_str(), "Not taken", refusal.detail, refusal.code.remedy())
    }
}

impl<'r> Responder<'r, 'static> for Problem {
    fn respond_to(self, request: &'r Request<'_>) -> response::Result<'static> {
        let (content_type, body) = if prefers_text(request) {
            (ContentType::Plain, self.line())
        } else {
            (ContentType::new("application", "problem+json"), self.to_json())
        };
        let mut response = Response::build();
        response.status(self.status).header(content_type).sized_body(body.len(), Cursor::new(body));
        if let Some(seconds) = self.retry_after {
            response.header(Header::new("Retry-After", seconds.to_string()));
        }
        response.ok()
    }
}

/// Modems ask for text, or send a plain GET to the way in without saying.
fn prefers_text(request: &Request<'_>) -> bool {
    let accept = request.headers().get_one("Accept").unwrap_or_default();
    if accept.contains("json") {
        return false;
    }
    accept.contains("text/plain")
        || (request.method() == rocket::http::Method::Get && request.uri().path().starts_with("/in"))
}

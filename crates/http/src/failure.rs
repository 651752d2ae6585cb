//! Problems as they are answered: `application/problem+json` (RFC 9457), or a line of text for
//! a modem. This is the one place where a problem's class becomes a status of HTTP.

use lantern_core::Refusal;
use lantern_engine::Problem;
use lantern_engine::documents::Damaged;
use lantern_engine::problem::Class;
use lantern_store::StoreError;
use rocket::http::{ContentType, Header, Method, Status};
use rocket::request::Request;
use rocket::response::{self, Responder, Response};
use std::io::Cursor;

/// A problem with the status it is answered with.
#[derive(Debug, Clone)]
pub(crate) struct Failure {
    status: Status,
    problem: Problem,
}

/// The status of a class (RFC 9110, section 15; 429: RFC 6585).
const fn status_of(class: Class) -> Status {
    match class {
        Class::Malformed => Status::BadRequest,
        Class::NotKnown => Status::Unauthorized,
        Class::NotAllowed => Status::Forbidden,
        Class::Missing => Status::NotFound,
        Class::Slow => Status::RequestTimeout,
        Class::Conflict => Status::Conflict,
        Class::TooLarge | Class::OverAllowance => Status::PayloadTooLarge,
        Class::Unreadable => Status::UnsupportedMediaType,
        Class::Invalid => Status::UnprocessableEntity,
        Class::TooSoon => Status::TooManyRequests,
        Class::Failed => Status::InternalServerError,
        Class::Unavailable => Status::ServiceUnavailable,
    }
}

impl Failure {
    /// A problem that the HTTP library found, with the status it gave it.
    pub(crate) const fn with_status(status: Status, problem: Problem) -> Self {
        Self { status, problem }
    }

    /// Leaves the problem where the catcher finds it, for a guard that fails.
    pub(crate) fn leave(self, request: &Request<'_>) -> (Status, ()) {
        let status = self.status;
        request.local_cache(|| Some(self));
        (status, ())
    }

    /// One short line for a modem.
    fn line(&self) -> String {
        format!("error {}: {} {}\n", self.problem.code, self.problem.detail, self.problem.remedy)
    }

    fn to_json(&self) -> String {
        let problem = &self.problem;
        let body = lantern_api::Problem {
            kind: format!("urn:key-lantern:problem:{}", problem.code),
            status: self.status.code,
            code: problem.code.to_owned(),
            title: problem.title.to_owned(),
            detail: problem.detail.clone(),
            remedy: problem.remedy.clone().into_owned(),
            refused: problem.refused.clone(),
            left: problem.left,
        };
        serde_json::to_string(&body).unwrap_or_default()
    }
}

impl From<Problem> for Failure {
    fn from(problem: Problem) -> Self {
        Self { status: status_of(problem.class), problem }
    }
}

impl From<StoreError> for Failure {
    fn from(error: StoreError) -> Self {
        Problem::from(error).into()
    }
}

impl From<Refusal> for Failure {
    fn from(refusal: Refusal) -> Self {
        Problem::from(refusal).into()
    }
}

impl From<Damaged> for Failure {
    fn from(damaged: Damaged) -> Self {
        Problem::from(damaged).into()
    }
}

impl<'r> Responder<'r, 'static> for Failure {
    fn respond_to(self, request: &'r Request<'_>) -> response::Result<'static> {
        let (content_type, body) = if prefers_text(request) {
            (ContentType::Plain, self.line())
        } else {
            (ContentType::new("application", "problem+json"), self.to_json())
        };
        let mut response = Response::build();
        response.status(self.status).header(content_type).sized_body(body.len(), Cursor::new(body));
        if let Some(seconds) = self.problem.retry_after {
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
    accept.contains("text/plain") || (request.method() == Method::Get && request.uri().path().starts_with("/in"))
}

#[cfg(test)]
mod tests {
    use super::status_of;
    use lantern_engine::problem::Class;

    #[test]
    fn every_class_is_an_error_of_who_asks_or_of_the_service() {
        for class in Class::ALL {
            let status = status_of(class).code;
            let is_ours = matches!(class, Class::Failed | Class::Unavailable);
            assert_eq!(status >= 500, is_ours, "{class:?}");
            assert!((400..600).contains(&status), "{class:?}");
            assert_eq!(class.is_of_key(), matches!(status, 401 | 403), "{class:?}");
        }
    }
}

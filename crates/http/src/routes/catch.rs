//! Answers to requests that no route could take.

use crate::failure::Failure;
use lantern_engine::Problem;
use lantern_engine::problem::Class;
use rocket::http::Status;
use rocket::{Catcher, Request, catch, catchers};

pub(super) fn catchers() -> Vec<Catcher> {
    catchers![any]
}

#[catch(default)]
fn any(status: Status, request: &Request<'_>) -> Failure {
    // A guard that failed left its reason here.
    if let Some(failure) = request.local_cache(|| None::<Failure>) {
        return failure.clone();
    }
    let problem = match status.code {
        404 => Problem::new(
            Class::Missing,
            "no-such-address",
            "Not found",
            format!("Nothing answers {} at this address.", request.method()),
            "Readings go to /in, the API is at /api/v1 and described by /api/v1/openapi.json.",
        ),
        500 => Problem::new(
            Class::Failed,
            "internal",
            "Our fault",
            "The service failed at this request.",
            "Try again; if it fails again, the service's log says why.",
        ),
        _ => Problem::new(
            Class::Malformed,
            "bad-request",
            status.reason_lossy(),
            format!("The request was refused: {}.", status.reason_lossy().to_lowercase()),
            "The API is described by /api/v1/openapi.json.",
        ),
    };
    Failure::with_status(status, problem)
}

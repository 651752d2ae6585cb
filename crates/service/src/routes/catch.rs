//! Answers to requests that no route could take.

use crate::problem::Problem;
use rocket::http::Status;
use rocket::{Catcher, Request, catch, catchers};

pub(super) fn catchers() -> Vec<Catcher> {
    catchers![any]
}

#[catch(default)]
fn any(status: Status, request: &Request<'_>) -> Problem {
    // A guard that failed left its reason here.
    if let Some(problem) = request.local_cache(|| None::<Problem>) {
        return problem.clone();
    }
    match status.code {
        404 => Problem::new(
            Status::NotFound,
            "no-such-address",
            "Not found",
            format!("Nothing answers {} at this address.", request.method()),
            "Readings go to /in, the API is at /api/v1 and described by /api/v1/openapi.json.",
        ),
        500 => Problem::new(
            Status::InternalServerError,
            "internal",
            "Our fault",
            "The service failed at this request.",
            "Try again; if it fails again, the service's log says why.",
        ),
        _ => Problem::new(
            status,
            "bad-request",
            status.reason_lossy(),
            format!("The request was refused: {}.", status.reason_lossy().to_lowercase()),
            "The API is described by /api/v1/openapi.json.",
        ),
    }
}

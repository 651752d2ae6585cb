//! Answers to requests that no route could take.

use super::inlet;
use crate::failure::Failure;
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::problem::Class;
use rocket::http::Status;
use rocket::{Catcher, Request, catch, catchers};
use std::sync::Arc;

pub(super) fn catchers() -> Vec<Catcher> {
    catchers![any]
}

#[catch(default)]
async fn any(status: Status, request: &Request<'_>) -> Failure {
    // A guard that failed left its reason here.
    if let Some(failure) = request.local_cache(|| None::<Failure>) {
        return failure.clone();
    }
    let engine = request.rocket().state::<Arc<Engine>>();
    if let (404, Some(engine)) = (status.code, engine) {
        return Failure::with_status(status, engine.intake.astray(inlet::astray(request)).await);
    }
    let problem = match status.code {
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

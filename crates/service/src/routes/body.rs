//! JSON bodies of API requests, with a problem that says what is wrong in them.

use crate::problem::Problem;
use rocket::data::{self, Data, FromData, ToByteUnit};
use rocket::http::Status;
use rocket::outcome::Outcome;
use rocket::{Request, async_trait};
use serde::de::DeserializeOwned;

const MAX_KIB: u64 = 256;

/// A body read as `T`.
pub(super) struct Body<T>(pub(super) T);

async fn read<T: DeserializeOwned>(data: Data<'_>) -> Result<T, Problem> {
    let bad = |status, detail: String| {
        Problem::new(
            status,
            "bad-body",
            "The body cannot be read",
            detail,
            "Send JSON as /api/v1/openapi.json describes it.",
        )
    };
    let body = data
        .open(MAX_KIB.kibibytes())
        .into_bytes()
        .await
        .map_err(|e| bad(Status::BadRequest, format!("The body did not arrive: {e}.")))?;
    if !body.is_complete() {
        return Err(bad(Status::PayloadTooLarge, format!("The body is over {MAX_KIB} KiB.")));
    }
    serde_json::from_slice(&body).map_err(|e| {
        let status = if e.is_data() { Status::UnprocessableEntity } else { Status::BadRequest };
        bad(status, format!("The JSON does not fit: {e}."))
    })
}

#[async_trait]
impl<'r, T: DeserializeOwned> FromData<'r> for Body<T> {
    type Error = ();

    async fn from_data(request: &'r Request<'_>, data: Data<'r>) -> data::Outcome<'r, Self> {
        match read(data).await {
            Ok(body) => Outcome::Success(Self(body)),
            Err(problem) => Outcome::Error(problem.leave(request)),
        }
    }
}

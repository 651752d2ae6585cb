//! JSON bodies of API requests, with a problem that says what is wrong in them.

use crate::failure::Failure;
use lantern_engine::Problem;
use lantern_engine::problem::Class;
use rocket::data::{self, Data, FromData, ToByteUnit};
use rocket::outcome::Outcome;
use rocket::{Request, async_trait};
use serde::de::DeserializeOwned;
use std::time::Duration;

const MAX_KIB: u64 = 256;
/// How long a body may take to arrive.
const TIMEOUT: Duration = Duration::from_secs(30);

/// A body read as `T`.
pub(super) struct Body<T>(pub(super) T);

async fn read<T: DeserializeOwned>(data: Data<'_>) -> Result<T, Problem> {
    let bad = |class, detail: String| {
        Problem::new(
            class,
            "bad-body",
            "The body cannot be read",
            detail,
            "Send JSON as /api/v1/openapi.json describes it.",
        )
    };
    let body = tokio::time::timeout(TIMEOUT, data.open(MAX_KIB.kibibytes()).into_bytes())
        .await
        .map_err(|_| bad(Class::Slow, format!("The body was not complete after {} s.", TIMEOUT.as_secs())))?
        .map_err(|e| bad(Class::Malformed, format!("The body did not arrive: {e}.")))?;
    if !body.is_complete() {
        return Err(bad(Class::TooLarge, format!("The body is over {MAX_KIB} KiB.")));
    }
    serde_json::from_slice(&body).map_err(|e| {
        let class = if e.is_data() { Class::Invalid } else { Class::Malformed };
        bad(class, format!("The JSON does not fit: {e}."))
    })
}

#[async_trait]
impl<'r, T: DeserializeOwned> FromData<'r> for Body<T> {
    type Error = ();

    async fn from_data(request: &'r Request<'_>, data: Data<'r>) -> data::Outcome<'r, Self> {
        match read(data).await {
            Ok(body) => Outcome::Success(Self(body)),
            Err(problem) => Outcome::Error(Failure::from(problem).leave(request)),
        }
    }
}

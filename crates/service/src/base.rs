//! Where the service is reached from outside.

use crate::app::App;
use rocket::async_trait;
use rocket::outcome::Outcome;
use rocket::request::{FromRequest, Request};
use std::convert::Infallible;

/// The address a request was made to.
pub(crate) struct Base(String);

#[async_trait]
impl<'r> FromRequest<'r> for Base {
    type Error = Infallible;

    async fn from_request(request: &'r Request<'_>) -> rocket::request::Outcome<Self, Infallible> {
        let host = request.headers().get_one("Host").unwrap_or("127.0.0.1:8710");
        Outcome::Success(Self(format!("http://{host}")))
    }
}

impl Base {
    /// The address to show: the one that is set, or else the one that was asked.
    pub(crate) fn of(&self, app: &App) -> String {
        let set = app.settings.public_url.trim_end_matches('/');
        if set.is_empty() { self.0.clone() } else { set.to_owned() }
    }
}

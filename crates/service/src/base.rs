//! Where the service is reached from outside.

use crate::app::App;
use crate::mqtt::Addresses;
use rocket::async_trait;
use rocket::outcome::Outcome;
use rocket::request::{FromRequest, Request};
use std::convert::Infallible;
use std::sync::Arc;

/// The address a request was made to.
pub(crate) struct Base(String);

#[async_trait]
impl<'r> FromRequest<'r> for Base {
    type Error = Infallible;

    async fn from_request(request: &'r Request<'_>) -> rocket::request::Outcome<Self, Infallible> {
        let host = request.headers().get_one("Host").unwrap_or("127.0.0.1:8710");
        let is_tls = request.rocket().state::<Arc<App>>().is_some_and(|app| app.peers.behind(request).is_some());
        Outcome::Success(Self(format!("{}://{host}", if is_tls { "https" } else { "http" })))
    }
}

impl Base {
    /// Where senders reach MQTT, such as `mqtts://lantern.example:8883`: over TLS if
    /// the address to show is by TLS too, or nothing else is spoken.
    pub(crate) fn mqtt(&self, app: &App) -> Option<String> {
        let Addresses { plain, tls } = *app.mqtt.get()?;
        let shown = self.of(app);
        let prefers_tls = shown.starts_with("https://") || plain.is_none();
        let (scheme, address) = match tls.filter(|_| prefers_tls) {
            Some(address) => ("mqtts", address),
            None => ("mqtt", plain?),
        };
        let authority = shown.split("://").nth(1)?.split('/').next()?;
        let host = match authority.rsplit_once(':') {
            Some((host, port)) if !port.ends_with(']') => host,
            _ => authority,
        };
        Some(format!("{scheme}://{host}:{}", address.port()))
    }

    /// The address to show: the one that is set, or else the one that was asked.
    pub(crate) fn of(&self, app: &App) -> String {
        let set = app.settings.public_url.trim_end_matches('/');
        if set.is_empty() { self.0.clone() } else { set.to_owned() }
    }
}

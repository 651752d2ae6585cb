//! Where the service is reached from outside.

use crate::Settings;
use crate::peers::Peers;
use rocket::async_trait;
use rocket::outcome::Outcome;
use rocket::request::{FromRequest, Request};
use std::convert::Infallible;
use std::net::SocketAddr;
use std::sync::Arc;

/// Where MQTT is spoken.
#[derive(Debug, Clone, Copy, Default)]
pub struct Addresses {
    /// As it is.
    pub plain: Option<SocketAddr>,
    /// Over TLS.
    pub tls: Option<SocketAddr>,
}

/// Where senders reach the service, as it is shown: the address that is set, or else the one a
/// request was made to.
pub(crate) struct Base {
    shown: String,
    addresses: Addresses,
}

#[async_trait]
impl<'r> FromRequest<'r> for Base {
    type Error = Infallible;

    async fn from_request(request: &'r Request<'_>) -> rocket::request::Outcome<Self, Infallible> {
        let rocket = request.rocket();
        let set = rocket.state::<Settings>().map_or("", |settings| settings.public_url.trim_end_matches('/'));
        let shown = if set.is_empty() {
            let host = request.headers().get_one("Host").unwrap_or("127.0.0.1:8710");
            let is_tls = rocket.state::<Arc<Peers>>().is_some_and(|peers| peers.is_tls(request));
            format!("{}://{host}", if is_tls { "https" } else { "http" })
        } else {
            set.to_owned()
        };
        Outcome::Success(Self { shown, addresses: rocket.state::<Addresses>().copied().unwrap_or_default() })
    }
}

impl Base {
    /// The address to show, such as `https://lantern.example`.
    pub(crate) fn shown(&self) -> &str {
        &self.shown
    }

    /// Whether it leads every machine to itself, so that nobody else gets here by it.
    pub(crate) fn leads_to_itself(&self) -> bool {
        let host = self.authority().map(|authority| authority.trim_start_matches('['));
        host.is_some_and(|host| ["localhost", "127.", "::1"].iter().any(|own| host.starts_with(own)))
    }

    fn authority(&self) -> Option<&str> {
        self.shown.split("://").nth(1)?.split('/').next()
    }

    /// Where senders reach MQTT, such as `mqtts://lantern.example:8883`: over TLS if
    /// the address to show is by TLS too, or nothing else is spoken.
    pub(crate) fn mqtt(&self) -> Option<String> {
        let Addresses { plain, tls } = self.addresses;
        let prefers_tls = self.shown.starts_with("https://") || plain.is_none();
        let (scheme, address) = match tls.filter(|_| prefers_tls) {
            Some(address) => ("mqtts", address),
            None => ("mqtt", plain?),
        };
        let authority = self.authority()?;
        let host = match authority.rsplit_once(':') {
            Some((host, port)) if !port.ends_with(']') => host,
            _ => authority,
        };
        Some(format!("{scheme}://{host}:{}", address.port()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_address_that_leads_each_machine_to_itself_is_known() {
        for (shown, is_own) in [
            ("http://localhost:8710", true),
            ("http://127.0.0.1:8710", true),
            ("http://[::1]:8710", true),
            ("http://192.0.2.7:8710", false),
            ("https://lantern.example", false),
        ] {
            let base = Base { shown: shown.to_owned(), addresses: Addresses::default() };
            assert_eq!(base.leads_to_itself(), is_own, "{shown}");
        }
    }

    #[test]
    fn mqtt_is_where_the_shown_address_is() {
        let at = |port| Some(SocketAddr::from(([127, 0, 0, 1], port)));
        for (shown, plain, tls, expected) in [
            ("http://tower.example:8710", at(1883), at(8883), Some("mqtt://tower.example:1883")),
            ("https://tower.example", at(1883), at(8883), Some("mqtts://tower.example:8883")),
            ("https://tower.example", at(1883), None, Some("mqtt://tower.example:1883")),
            ("http://[::1]:8710", None, at(8883), Some("mqtts://[::1]:8883")),
            ("http://[::1]", at(1883), None, Some("mqtt://[::1]:1883")),
            ("http://tower.example", None, None, None),
        ] {
            let base = Base { shown: shown.to_owned(), addresses: Addresses { plain, tls } };
            assert_eq!(base.mqtt().as_deref(), expected, "{shown}");
        }
    }
}

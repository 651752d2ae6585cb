//! Headers that keep answers from being kept or taken for something else.

use crate::peers::Peers;
use rocket::fairing::{Fairing, Info, Kind};
use rocket::http::Header;
use rocket::{Request, Response, async_trait};
use std::sync::Arc;

/// Adds them.
pub(crate) struct SafeHeaders;

#[async_trait]
impl Fairing for SafeHeaders {
    fn info(&self) -> Info {
        Info { name: "safe headers", kind: Kind::Response }
    }

    async fn on_response<'r>(&self, request: &'r Request<'_>, response: &mut Response<'r>) {
        let add = |response: &mut Response<'r>, name: &'static str, value: &'static str| {
            if !response.headers().contains(name) {
                response.set_header(Header::new(name, value));
            }
        };
        add(response, "X-Content-Type-Options", "nosniff");
        if request.uri().path().starts_with("/api/") {
            // What a person sees is not left in a browser or on the way.
            add(response, "Cache-Control", "no-store");
        }
        let is_tls = request.rocket().state::<Arc<Peers>>().is_some_and(|peers| peers.is_tls(request));
        if is_tls {
            // RFC 6797: a browser that came by TLS comes by TLS for the next half year.
            add(response, "Strict-Transport-Security", "max-age=15768000");
        }
    }
}

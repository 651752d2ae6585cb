//! One log line for each request, without keys.

use lantern_engine::secret;
use rocket::fairing::{Fairing, Info, Kind};
use rocket::{Data, Request, Response, async_trait};
use std::time::Instant;

/// Writes the log lines.
pub(super) struct RequestLog;

struct Started(Instant);

#[async_trait]
impl Fairing for RequestLog {
    fn info(&self) -> Info {
        Info { name: "request log", kind: Kind::Request | Kind::Response }
    }

    async fn on_request(&self, request: &mut Request<'_>, _: &mut Data<'_>) {
        request.local_cache(|| Started(Instant::now()));
    }

    async fn on_response<'r>(&self, request: &'r Request<'_>, response: &mut Response<'r>) {
        let started = request.local_cache(|| Started(Instant::now())).0;
        let status = response.status().code;
        let milliseconds = started.elapsed().as_secs_f64() * 1e3;
        let path = path_without_key(request.uri().path().as_str());
        if status >= 500 {
            tracing::warn!(method = %request.method(), %path, status, milliseconds, "request failed");
        } else {
            tracing::debug!(method = %request.method(), %path, status, milliseconds, "request");
        }
    }
}

fn path_without_key(path: &str) -> &str {
    match path.split('/').nth(1) {
        Some("in") if path.len() > 3 => "/in/…",
        Some("do") if path.len() > 3 => "/do/…",
        Some("done") => "/done/…",
        // A mistyped address may hold one too.
        _ if path.split('/').any(secret::looks_like_key) => "/…",
        _ => path,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_in_addresses_are_not_logged() {
        assert_eq!(path_without_key("/in/0123456789abcdef"), "/in/…");
        assert_eq!(path_without_key("/in"), "/in");
        assert_eq!(path_without_key("/do/0123456789abcdef"), "/do/…");
        assert_eq!(path_without_key("/done/17/0123456789abcdef"), "/done/…");
        assert_eq!(path_without_key("/inn/0123456789abcdefghjkmnpq"), "/…");
        assert_eq!(path_without_key("/api/v1/sites"), "/api/v1/sites");
    }
}

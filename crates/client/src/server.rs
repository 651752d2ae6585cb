//! Calls to the service.

use crate::args::Connection;
use crate::login::Login;
use anyhow::{Context, Result, bail};
use lantern_api::{Health, Page, Problem, Site};
use reqwest::{Client, Method, RequestBuilder, Response};
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::time::Duration;

/// The service as one person sees it.
/// What the service answers when it does not do as it was asked.
#[derive(Debug, thiserror::Error)]
#[error("{text}")]
pub(crate) struct Refused {
    /// The stable code.
    pub(crate) code: String,
    text: String,
}

pub(crate) struct Server {
    client: Client,
    url: String,
    token: Option<String>,
    site: Option<String>,
}

impl Server {
    /// Finds out where the service is and who asks, from the arguments or the
    /// kept log-in.
    pub(crate) fn connect(connection: &Connection) -> Result<Self> {
        let login = Login::load()?.unwrap_or_default();
        let kept = |text: String| (!text.is_empty()).then_some(text);
        let url = connection.url.clone().or_else(|| kept(login.url.clone()));
        let url = url.context("no service is known: log in with `lantern login URL`, or give --url")?;
        // A kept token belongs to the service it was given by, and to no other.
        let kept_token = if same_place(&url, &login.url) { kept(login.token) } else { None };
        Ok(Self {
            token: connection.token.clone().or(kept_token),
            site: connection.site.clone().or(login.site),
            ..Self::anonymous(&url)?
        })
    }

    /// The service without a person.
    pub(crate) fn anonymous(url: &str) -> Result<Self> {
        let url = url.trim_end_matches('/');
        let url = if url.contains("://") { url.to_owned() } else { format!("http://{url}") };
        let client = Client::builder()
            .user_agent(concat!("lantern/", env!("CARGO_PKG_VERSION")))
            .connect_timeout(Duration::from_secs(10))
            .build()?;
        Ok(Self { client, url, token: None, site: None })
    }

    pub(crate) fn url(&self) -> &str {
        &self.url
    }

    /// The code of the site in use: named, kept, or the only one there is.
    pub(crate) async fn site_code(&self) -> Result<String> {
        if let Some(site) = &self.site {
            return Ok(site.clone());
        }
        let sites: Page<Site> = self.get("sites", &[("limit", "2".to_owned())]).await?;
        match sites.items.as_slice() {
            [only] => Ok(only.code.clone()),
            [] => bail!("there is no site yet: make one with `lantern site add NAME --zone ZONE`"),
            _ => bail!("there are several sites: name one with --site, or choose with `lantern site use CODE`"),
        }
    }

    /// The site in use.
    pub(crate) async fn site(&self) -> Result<Site> {
        let code = self.site_code().await?;
        self.get(&format!("sites/{}", segment(&code)), &[]).await
    }

    /// Path of a device's resource below the API.
    pub(crate) async fn device_path(&self, device: &str, rest: &str) -> Result<String> {
        Ok(format!("sites/{}/devices/{}{rest}", segment(&self.site_code().await?), segment(device)))
    }

    fn request(&self, method: Method, path: &str) -> RequestBuilder {
        let request = self.client.request(method, format!("{}/api/v1/{path}", self.url));
        match &self.token {
            Some(token) => request.bearer_auth(token),
            None => request,
        }
    }

    async fn run(&self, request: RequestBuilder) -> Result<Response> {
        let response =
            request.header("Accept", "application/json, text/event-stream, text/csv, text/markdown").send().await;
        let response = response.map_err(|error| {
            let reason = if error.is_connect() {
                "nothing answers there; is the service running?".to_owned()
            } else {
                error.without_url().to_string()
            };
            anyhow::anyhow!("{}: {reason}", self.url)
        })?;
        if response.status().is_success() {
            return Ok(response);
        }
        let status = response.status();
        let problem: Problem = response
            .json()
            .await
            .map_err(|_| anyhow::anyhow!("{} answered {status}; is it a Key Lantern?", self.url))?;
        let hint = if problem.code == "not-logged-in" { " Here: `lantern login URL`." } else { "" };
        let text = format!("{} {}{hint}", problem.detail, problem.remedy);
        Err(Refused { code: problem.code, text }.into())
    }

    async fn json<T: DeserializeOwned>(&self, request: RequestBuilder) -> Result<T> {
        self.run(request).await?.json().await.context("the answer of the service cannot be read")
    }

    /// GET with a query.
    pub(crate) async fn get<T: DeserializeOwned>(&self, path: &str, query: &[(&str, String)]) -> Result<T> {
        self.json(self.request(Method::GET, &with_query(path, query))).await
    }

    /// How the service is doing; it says so with another status when it is not well.
    pub(crate) async fn health(&self) -> Result<Health> {
        let response = self.request(Method::GET, "health").send().await;
        let response = response.map_err(|error| anyhow::anyhow!("{}: {}", self.url, error.without_url()))?;
        response.json().await.context("the answer of the service cannot be read")
    }

    /// All items of a paged list.
    pub(crate) async fn list<T: DeserializeOwned>(&self, path: &str, query: &[(&str, String)]) -> Result<Vec<T>> {
        let mut items = Vec::new();
        let mut after = None;
        loop {
            let mut query = query.to_vec();
            query.extend(after.map(|after| ("after", after)));
            let page: Page<T> = self.get(path, &query).await?;
            items.extend(page.items);
            match page.next {
                Some(next) => after = Some(next),
                None => return Ok(items),
            }
        }
    }

    /// GET whose answer is a stream.
    pub(crate) async fn stream(&self, path: &str, query: &[(&str, String)], last: Option<&str>) -> Result<Response> {
        let request = self.request(Method::GET, &with_query(path, query));
        let request = match last {
            Some(id) => request.header("Last-Event-ID", id),
            None => request,
        };
        self.run(request).await
    }

    /// POST.
    pub(crate) async fn post<T: DeserializeOwned>(&self, path: &str, body: &impl Serialize) -> Result<T> {
        self.json(self.request(Method::POST, path).json(body)).await
    }

    /// POST without body and answer.
    pub(crate) async fn tell(&self, path: &str) -> Result<()> {
        self.run(self.request(Method::POST, path)).await.map(drop)
    }

    /// POST that is answered with nothing.
    pub(crate) async fn tell_with(&self, path: &str, body: &impl Serialize) -> Result<()> {
        self.run(self.request(Method::POST, path).json(body)).await.map(drop)
    }

    /// PUT that is answered with nothing.
    pub(crate) async fn set(&self, path: &str, body: &impl Serialize) -> Result<()> {
        self.run(self.request(Method::PUT, path).json(body)).await.map(drop)
    }

    /// PUT.
    pub(crate) async fn put<T: DeserializeOwned>(&self, path: &str, body: &impl Serialize) -> Result<T> {
        self.json(self.request(Method::PUT, path).json(body)).await
    }

    /// GET whose answer is a text.
    pub(crate) async fn text(&self, path: &str) -> Result<String> {
        self.run(self.request(Method::GET, path))
            .await?
            .text()
            .await
            .context("the answer of the service cannot be read")
    }

    /// PATCH.
    pub(crate) async fn patch<T: DeserializeOwned>(&self, path: &str, body: &impl Serialize) -> Result<T> {
        self.json(self.request(Method::PATCH, path).json(body)).await
    }

    /// DELETE.
    pub(crate) async fn delete<T: DeserializeOwned>(&self, path: &str, query: &[(&str, String)]) -> Result<T> {
        self.json(self.request(Method::DELETE, &with_query(path, query))).await
    }

    /// DELETE without an answer.
    pub(crate) async fn remove(&self, path: &str) -> Result<()> {
        self.run(self.request(Method::DELETE, path)).await.map(drop)
    }

    /// Delivers readings with a device's key.
    pub(crate) async fn deliver<T: DeserializeOwned>(&self, key: &str, body: &impl Serialize) -> Result<T> {
        self.json(self.client.post(format!("{}/in", self.url)).bearer_auth(key).json(body)).await
    }
}

fn same_place(a: &str, b: &str) -> bool {
    let bare = |url: &str| url.trim_end_matches('/').trim_start_matches("http://").to_owned();
    bare(a) == bare(b)
}

/// A code as one part of a path.
pub(crate) fn segment(code: &str) -> String {
    let mut escaped = String::with_capacity(code.len());
    for byte in code.bytes() {
        if byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_' | b'.' | b'~') {
            escaped.push(char::from(byte));
        } else {
            escaped.push_str(&format!("%{byte:02X}"));
        }
    }
    escaped
}

pub(crate) fn with_query(path: &str, query: &[(&str, String)]) -> String {
    if query.is_empty() {
        return path.to_owned();
    }
    let pairs: Vec<String> = query.iter().map(|(name, value)| format!("{name}={}", segment(value))).collect();
    format!("{path}?{}", pairs.join("&"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_are_escaped_in_addresses() {
        assert_eq!(segment("a/b ?"), "a%2Fb%20%3F");
        assert_eq!(
            with_query("x", &[("to", "2026-05-01T12:00:00+01:00".into())]),
            "x?to=2026-05-01T12%3A00%3A00%2B01%3A00"
        );
    }

    #[test]
    fn a_token_goes_only_where_it_came_from() {
        assert!(same_place("http://127.0.0.1:8710/", "127.0.0.1:8710"));
        assert!(!same_place("http://127.0.0.1:8711", "http://127.0.0.1:8710"));
        assert!(!same_place("https://a", "http://a"));
    }
}

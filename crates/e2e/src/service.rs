use crate::{PATIENCE, binary};
use lantern_launch::{Launch, Launched};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use std::sync::Once;
use tempfile::TempDir;

/// An answer over HTTP.
#[derive(Debug, Clone)]
pub struct Answer {
    /// The status.
    pub status: StatusCode,
    /// The headers.
    pub headers: reqwest::header::HeaderMap,
    /// The body as text.
    pub text: String,
}

impl Answer {
    /// The body as JSON.
    pub fn json(&self) -> Value {
        serde_json::from_str(&self.text).unwrap_or_else(|e| panic!("no JSON ({e}): {}", self.text))
    }

    /// The body of a request that had to succeed.
    pub fn ok(&self) -> Value {
        assert!(self.status.is_success(), "{} {}", self.status, self.text);
        if self.text.is_empty() { Value::Null } else { self.json() }
    }

    /// The code of the problem, if it is one.
    pub fn problem(&self) -> String {
        self.json()["code"].as_str().unwrap_or_default().to_owned()
    }
}

/// A service of its own on a free port. Killed when dropped.
pub struct Service {
    launch: Launch,
    launched: Launched,
    /// Its address.
    pub url: String,
    /// The port it speaks MQTT on.
    pub mqtt: u16,
    /// The set-up code it printed, if there was nobody yet.
    pub code: Option<String>,
    /// A person's token, once there is one.
    pub token: String,
    dir: TempDir,
    http: reqwest::Client,
}

impl Service {
    /// Starts a fresh service with nobody in it.
    pub fn bare() -> Self {
        // Tests send as fast as they can; what limits them is a test of its own.
        Self::bare_with(&[
            ("readings_at_once", "1000000000"),
            ("readings_per_s", "1000000000"),
            ("requests_at_once", "1000000000"),
            ("requests_per_s", "1000000000"),
        ])
    }

    /// Starts a fresh service with some settings and nobody in it.
    pub fn bare_with(settings: &[(&str, &str)]) -> Self {
        static TLS: Once = Once::new();
        TLS.call_once(|| {
            let _ = rustls::crypto::ring::default_provider().install_default();
        });
        let dir = tempfile::tempdir().unwrap();
        let launch = Launch::new(&binary("key-lantern"), &dir.path().join("data"));
        let launch = settings.iter().fold(launch, |launch, (name, value)| launch.setting(name, value));
        let launched = launch.start().unwrap();
        let (url, code) = (launched.said.url.clone(), launched.said.code.clone());
        let mqtt = launched.said.at("mqtt").unwrap().port();
        // The service comes back where it was.
        let launch = launch.on(port_of(&url), mqtt);
        Self { launch, launched, url, mqtt, code, token: String::new(), dir, http: new_http() }
    }

    /// Starts a fresh service with an owner and the site `marlbeck`.
    pub async fn start() -> Self {
        Self::bare().with_site().await
    }

    /// Starts a fresh service with some settings, an owner and the site
    /// `marlbeck`.
    pub async fn start_with(settings: &[(&str, &str)]) -> Self {
        Self::bare_with(settings).with_site().await
    }

    async fn with_site(mut self) -> Self {
        self.set_up().await;
        let site = json!({"name": "Marlbeck Light Railway", "code": "marlbeck", "zone": "Europe/London"});
        self.post("sites", site).await.ok();
        self
    }

    /// Makes the owner `ann`.
    pub async fn set_up(&mut self) {
        let code = self.code.clone().expect("there is nobody yet");
        let body = json!({"code": code, "name": "ann", "password": PASSWORD, "token": true});
        self.token = self.post("set-up", body).await.ok()["token"].as_str().unwrap().to_owned();
    }

    /// The data directory.
    pub fn data(&self) -> std::path::PathBuf {
        self.dir.path().join("data")
    }

    /// The process.
    pub fn id(&self) -> u32 {
        self.launched.id()
    }

    /// Kills the service without warning.
    pub fn kill(&mut self) {
        self.launched.kill().unwrap();
    }

    /// Kills the service without warning and starts it again on the same port.
    pub fn kill_and_restart(&mut self) {
        self.kill();
        self.start_again();
    }

    /// Starts the service again after it was stopped.
    pub fn start_again(&mut self) {
        self.launched = self.launch.start().unwrap();
        // Connections of before are dead, and nobody must try to use them.
        self.http = new_http();
        assert_eq!(self.url, self.launched.said.url);
    }

    /// The port of another listener, by its scheme.
    pub fn port(&self, scheme: &str) -> u16 {
        self.launched.said.at(scheme).unwrap_or_else(|| panic!("no {scheme} in {:?}", self.launched.said)).port()
    }

    /// Asks the service to stop and gives back how it ended.
    pub fn stop(&mut self) -> std::process::ExitStatus {
        self.launched.stop(PATIENCE).unwrap()
    }

    /// A request to any address of the service.
    pub fn request(&self, method: Method, path: &str) -> reqwest::RequestBuilder {
        self.http.request(method, format!("{}{path}", self.url))
    }

    /// Sends a request.
    pub async fn send(&self, request: reqwest::RequestBuilder) -> Answer {
        let response = request.send().await.unwrap();
        let (status, headers) = (response.status(), response.headers().clone());
        Answer { status, headers, text: response.text().await.unwrap() }
    }

    /// A call to the API as the owner.
    pub async fn api(&self, method: Method, path: &str, body: Option<Value>) -> Answer {
        let mut request = self.request(method, &format!("/api/v1/{path}"));
        if !self.token.is_empty() {
            request = request.bearer_auth(&self.token);
        }
        if let Some(body) = body {
            request = request.json(&body);
        }
        self.send(request).await
    }

    /// GET of the API.
    pub async fn get(&self, path: &str) -> Answer {
        self.api(Method::GET, path, None).await
    }

    /// POST to the API.
    pub async fn post(&self, path: &str, body: Value) -> Answer {
        self.api(Method::POST, path, Some(body)).await
    }

    /// Makes a device of the site `marlbeck` with number signals, or others as
    /// `code:type`, and gives back its key.
    pub async fn device(&self, code: &str, signals: &[&str]) -> String {
        let signals: Vec<Value> = signals
            .iter()
            .map(|signal| {
                let (code, value_type) = signal.split_once(':').unwrap_or((signal, "number"));
                json!({"code": code, "type": value_type})
            })
            .collect();
        let device = json!({"code": code, "name": code, "interval_s": 30, "signals": signals});
        self.post("sites/marlbeck/devices", device).await.ok();
        let key = self.post(&format!("sites/marlbeck/devices/{code}/keys"), json!({})).await.ok();
        key["key"].as_str().unwrap().to_owned()
    }

    /// Delivers a body with a key in the header.
    pub async fn deliver(&self, key: &str, body: impl Into<String>) -> Answer {
        self.send(self.request(Method::POST, "/in").bearer_auth(key).body(body.into())).await
    }

    /// The readings of a signal of the site `marlbeck`, oldest first.
    pub async fn readings(&self, device: &str, signal: &str) -> Vec<(String, Value)> {
        let mut readings = Vec::new();
        let mut after = String::new();
        loop {
            let path = format!("sites/marlbeck/devices/{device}/signals/{signal}/readings?from=0&limit=5000{after}");
            let page = self.get(&path).await.ok();
            for item in page["items"].as_array().unwrap() {
                readings.push((item["at"].as_str().unwrap().to_owned(), item["value"].clone()));
            }
            match page["next"].as_str() {
                Some(next) => after = format!("&after={next}"),
                None => return readings,
            }
        }
    }
}

/// The password of the owner that [`Service::set_up`] makes.
pub(crate) const PASSWORD: &str = "steam and brass";

fn new_http() -> reqwest::Client {
    reqwest::Client::builder().timeout(PATIENCE).build().unwrap()
}

fn port_of(url: &str) -> u16 {
    url.rsplit(':').next().and_then(|port| port.parse().ok()).expect("an address with a port")
}

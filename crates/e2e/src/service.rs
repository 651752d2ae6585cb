use crate::{PATIENCE, binary};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::Once;
use std::time::{Duration, Instant};
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
    child: Child,
    /// Its address.
    pub url: String,
    /// The port it speaks MQTT on.
    pub mqtt: u16,
    /// Where else it is, as it says it.
    others: Vec<String>,
    /// The set-up code it printed, if there was nobody yet.
    pub code: Option<String>,
    /// A person's token, once there is one.
    pub token: String,
    dir: TempDir,
    http: reqwest::Client,
    settings: Vec<(String, String)>,
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
        let settings: Vec<_> = settings
            .iter()
            .map(|(name, value)| (format!("KEY_LANTERN_{}", name.to_uppercase()), (*value).to_owned()))
            .collect();
        let Started { child, url, mqtt, code, others } = spawn(&dir.path().join("data"), 0, 0, &settings);
        Self { child, url, mqtt, others, code, token: String::new(), dir, http: new_http(), settings }
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
        self.child.id()
    }

    /// Kills the service without warning.
    pub fn kill(&mut self) {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
    }

    /// Kills the service without warning and starts it again on the same port.
    pub fn kill_and_restart(&mut self) {
        self.kill();
        let port = self.url.rsplit(':').next().unwrap().parse().unwrap();
        let Started { child, url, .. } = spawn(&self.data(), port, self.mqtt, &self.settings);
        self.child = child;
        // Connections of before are dead, and nobody must try to use them.
        self.http = new_http();
        assert_eq!(self.url, url);
    }

    /// Starts the service again after it was stopped.
    pub fn start_again(&mut self) {
        let port = self.url.rsplit(':').next().unwrap().parse().unwrap();
        self.child = spawn(&self.data(), port, self.mqtt, &self.settings).child;
        self.http = new_http();
    }

    /// The port of another listener, by its scheme.
    pub fn port(&self, scheme: &str) -> u16 {
        let found = self.others.iter().find_map(|line| line.split_once(&format!("{scheme}://127.0.0.1:")));
        found.unwrap_or_else(|| panic!("no {scheme} in {:?}", self.others)).1.parse().unwrap()
    }

    /// Asks the service to stop and gives back how it ended.
    pub fn stop(&mut self) -> std::process::ExitStatus {
        let status = Command::new("kill").arg(self.child.id().to_string()).status().unwrap();
        assert!(status.success());
        let deadline = Instant::now() + PATIENCE;
        loop {
            if let Some(status) = self.child.try_wait().unwrap() {
                return status;
            }
            assert!(Instant::now() < deadline, "the service does not stop");
            std::thread::sleep(Duration::from_millis(10));
        }
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

impl Drop for Service {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// A service that has said where it is.
struct Started {
    child: Child,
    url: String,
    mqtt: u16,
    code: Option<String>,
    others: Vec<String>,
}

fn spawn(data: &Path, port: u16, mqtt: u16, settings: &[(String, String)]) -> Started {
    let mut child = Command::new(binary("key-lantern"))
        .arg("serve")
        .arg("--data")
        .arg(data)
        .args(["--http", &format!("127.0.0.1:{port}"), "--mqtt", &format!("127.0.0.1:{mqtt}")])
        .args(["--log-level", "warn"])
        .envs(settings.iter().cloned())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines().map_while(Result::ok);
    let first = lines.next().expect("the service says where it is");
    let url = first.strip_prefix("Key Lantern is at ").expect(&first).to_owned();
    let second = lines.next().expect("the service says where it speaks MQTT");
    let mqtt = second.strip_prefix("MQTT is at mqtt://127.0.0.1:").expect(&second).parse().unwrap();
    let mut others = Vec::new();
    for (name, _) in settings.iter().filter(|(name, _)| name.ends_with("MQTTS") || name.ends_with("HTTPS")) {
        others.push(lines.next().unwrap_or_else(|| panic!("the service says where it speaks {name}")));
    }
    // Where there is a code it comes with the address; else nothing more does.
    let code = if has_owner(&data.join("..")) { None } else { lines.next() };
    let code = code.and_then(|line| line.split_once("code=").map(|(_, code)| code.to_owned()));
    std::fs::write(data.join("../owner"), "").unwrap();
    std::thread::spawn(move || lines.for_each(drop));
    Started { child, url, mqtt, code, others }
}

/// Whether a service has been started in a directory before: the tests make the
/// owner at the first start.
fn has_owner(dir: &Path) -> bool {
    dir.join("owner").exists()
}

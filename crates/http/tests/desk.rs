use futures::future::BoxFuture;
use lantern_core::allowance::Allowance;
use lantern_engine::{Engine, Limits};
use lantern_http::files::NoFiles;
use lantern_http::{Addresses, Interface, Peers, SetUpCode, Settings, SocketPeer, Sockets};
use lantern_store::Store;
use rocket::http::{ContentType, Header, Method, Status};
use rocket::local::asynchronous::Client;
use serde_json::{Value, json};
use std::sync::Arc;
use tempfile::TempDir;
use tokio::io::DuplexStream;

const AMPLE: Allowance = Allowance { capacity: 1e6, per_second: 1e6 };

/// No MQTT is spoken.
struct NoSockets;

impl Sockets for NoSockets {
    fn most(&self) -> usize {
        0
    }

    fn serve(&self, _: DuplexStream, _: SocketPeer) -> Option<BoxFuture<'static, ()>> {
        None
    }
}

/// What was answered.
pub(crate) struct Answer {
    pub(crate) status: Status,
    pub(crate) media: String,
    pub(crate) text: String,
}

impl Answer {
    pub(crate) fn json(&self) -> Value {
        serde_json::from_str(&self.text).unwrap_or_else(|error| panic!("{error}: {}", self.text))
    }

    #[track_caller]
    pub(crate) fn ok(&self) -> Value {
        assert_eq!(self.status.code / 100, 2, "{}", self.text);
        self.json()
    }

    /// The code of a problem, which has all its parts.
    #[track_caller]
    pub(crate) fn problem(&self) -> String {
        assert_eq!(self.media, "application/problem+json", "{} {}", self.status, self.text);
        let problem = self.json();
        assert_eq!(problem["status"], self.status.code);
        assert!(problem["remedy"].as_str().is_some_and(|remedy| remedy.ends_with('.')), "{}", self.text);
        problem["code"].as_str().unwrap().to_owned()
    }
}

/// The interface, and the token of its owner.
pub(crate) struct Desk {
    client: Client,
    pub(crate) token: String,
    engine: Arc<Engine>,
    _folder: TempDir,
}

impl Desk {
    /// A fresh service with an owner and the site `marlbeck`.
    pub(crate) async fn open() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let store = Arc::new(Store::open(folder.path()).await.unwrap());
        let limits = Limits { requests: AMPLE, readings: AMPLE };
        let set_up = Arc::new(SetUpCode::new(true));
        let code = set_up.current().unwrap();
        let engine = Arc::new(Engine::open(store, &limits).await.unwrap());
        let interface = Interface {
            engine: engine.clone(),
            settings: Settings { data: folder.path().to_owned(), secure_cookies: false, public_url: String::new() },
            set_up,
            peers: Arc::<Peers>::default(),
            files: Arc::new(NoFiles),
            addresses: Addresses::default(),
            sockets: Arc::new(NoSockets),
        };
        let config = rocket::Config { log_level: rocket::config::LogLevel::Off, ..rocket::Config::debug_default() };
        let client = Client::untracked(lantern_http::build(interface, config)).await.unwrap();
        let mut desk = Self { client, token: String::new(), engine, _folder: folder };
        let owner = json!({"code": code, "name": "ann", "password": "steam and brass", "token": true});
        desk.token = desk.post("set-up", owner).await.ok()["token"].as_str().unwrap().to_owned();
        let site = json!({"name": "Marlbeck Light Railway", "code": "marlbeck", "zone": "Europe/London"});
        desk.post("sites", site).await.ok();
        desk
    }

    /// Somebody with a role on a site, and their token.
    pub(crate) async fn someone(&self, name: &str, site: &str, role: &str) -> String {
        let invitation = json!({"for_whom": name, "role": role});
        let made = self.post(&format!("sites/{site}/invitations"), invitation).await.ok();
        let secret = made["address"].as_str().unwrap().split_once('#').unwrap().1.to_owned();
        let come = json!({"secret": secret, "name": name, "password": "steam and brass", "token": true});
        self.post("come-in", come).await.ok()["token"].as_str().unwrap().to_owned()
    }

    /// Lets what goes on beside requests go on: the contact log is written, derived signals are worked out.
    pub(crate) fn tend(&self) {
        for task in self.engine.tasks() {
            tokio::spawn(task.work);
        }
    }

    /// Any request, with a token or key if one is given.
    pub(crate) async fn ask(
        &self,
        method: Method,
        path: &str,
        token: &str,
        body: Option<(ContentType, String)>,
    ) -> Answer {
        let mut request = self.client.req(method, path.to_owned());
        if !token.is_empty() {
            request.add_header(Header::new("Authorization", format!("Bearer {token}")));
        }
        if let Some((media, text)) = body {
            request.add_header(media);
            request.set_body(text);
        }
        let response = request.dispatch().await;
        let media = response.content_type().map(|media| media.to_string()).unwrap_or_default();
        Answer { status: response.status(), media, text: response.into_string().await.unwrap_or_default() }
    }

    pub(crate) async fn get(&self, path: &str) -> Answer {
        self.ask(Method::Get, &format!("/api/v1/{path}"), &self.token, None).await
    }

    pub(crate) async fn post(&self, path: &str, body: Value) -> Answer {
        self.with_body(Method::Post, path, body).await
    }

    pub(crate) async fn with_body(&self, method: Method, path: &str, body: Value) -> Answer {
        let body = Some((ContentType::JSON, body.to_string()));
        self.ask(method, &format!("/api/v1/{path}"), &self.token, body).await
    }

    /// A device with a signal, and its key.
    pub(crate) async fn device(&self, code: &str) -> String {
        self.add_device(code).await;
        self.issue_key(code).await
    }

    /// A device with a signal.
    pub(crate) async fn add_device(&self, code: &str) {
        let signals = json!([{"code": "level", "type": "number", "unit": "m"}]);
        let device = json!({"code": code, "name": code, "interval_s": 30, "signals": signals});
        self.post("sites/marlbeck/devices", device).await.ok();
    }

    /// A key of a device.
    pub(crate) async fn issue_key(&self, code: &str) -> String {
        let key = self.post(&format!("sites/marlbeck/devices/{code}/keys"), json!({})).await.ok();
        key["key"].as_str().unwrap().to_owned()
    }

    /// Delivers a body.
    pub(crate) async fn deliver(&self, key: &str, body: &str) -> Answer {
        self.ask(Method::Post, "/in", key, Some((ContentType::JSON, body.to_owned()))).await
    }
}

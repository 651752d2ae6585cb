use lantern_core::allowance::Allowance;
use lantern_core::{Moment, Value};
use lantern_engine::intake::{Body, Credential, Delivery, Said, Target};
use lantern_engine::setting_up::KeyHolder;
use lantern_engine::{Engine, Limits, secret};
use lantern_store::{DATABASE_FILE, Device, Grants, Signal, Site, Store};
use serde_json::json;
use std::sync::Arc;
use tempfile::TempDir;

pub(crate) const AMPLE: Allowance = Allowance { capacity: 1e6, per_second: 1e6 };

/// A device with its site and the secret of its key.
pub(crate) struct Place {
    pub(crate) site: Site,
    pub(crate) device: Device,
    pub(crate) key: String,
}

pub(crate) struct World {
    pub(crate) engine: Engine,
    pub(crate) store: Arc<Store>,
    pub(crate) tower: Place,
    pub(crate) shed: Place,
    folder: TempDir,
}

pub(crate) async fn engine(store: &Arc<Store>) -> Engine {
    Engine::open(store.clone(), &Limits { requests: AMPLE, readings: AMPLE }).await.unwrap()
}

async fn place(engine: &Engine, site: &str, device: &str) -> Place {
    let new = json!({"name": site, "code": site, "zone": "Europe/London"});
    let site = engine.set_up.add_site(serde_json::from_value(new).unwrap()).await.unwrap();
    let new = json!({
        "name": device, "code": device, "interval_s": 30, "state": "live",
        "signals": [{"code": "level", "type": "number", "unit": "m"}, {"code": "temp", "type": "number", "unit": "Cel"}],
        "commands": [
            {"name": "heater", "arguments": [], "standing": true},
            {"name": "probe", "arguments": [], "timeout_s": 60},
        ],
    });
    let device = engine.set_up.add_device(&site, serde_json::from_value(new).unwrap(), "ann").await.unwrap();
    let holder = KeyHolder::Device(Box::new(device.clone()));
    let (_, key) = engine.set_up.issue_key(&holder, "", Grants::SEND, None).await.unwrap();
    Place { site, device, key }
}

impl World {
    /// Two sites with a device each; one reading has come from both, and a command waits.
    pub(crate) async fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let store = Arc::new(Store::open(folder.path()).await.unwrap());
        let engine = engine(&store).await;
        let tower = place(&engine, "marlbeck", "tower").await;
        let shed = place(&engine, "fellside", "shed").await;
        let world = Self { engine, store, tower, shed, folder };
        for place in [&world.tower, &world.shed] {
            world.send(place, r#"{"level": 2.5, "temp": 8}"#).await;
            world.engine.commands.give(&place.device, "heater", &Default::default(), "ann").await.unwrap();
        }
        world
    }

    pub(crate) async fn send(&self, place: &Place, body: &str) -> lantern_api::InAnswer {
        self.engine.intake.take(delivery(&place.key, body)).await.unwrap()
    }

    /// Does something to the database from outside, such as spoiling it.
    pub(crate) async fn execute(&self, sql: &'static str) {
        let url = format!("sqlite://{}", self.folder.path().join(DATABASE_FILE).display());
        let pool = sqlx::SqlitePool::connect(&url).await.unwrap();
        sqlx::query(sql).execute(&pool).await.unwrap();
        pool.close().await;
    }

    pub(crate) async fn signal(&self, place: &Place, code: &str) -> Signal {
        self.store.signal_named(place.site.id, &place.device.code, code).await.unwrap()
    }

    /// All values of a signal, oldest first.
    pub(crate) async fn values(&self, place: &Place, code: &str) -> Vec<(Moment, Value)> {
        let signal = self.signal(place, code).await;
        self.engine.latest.readings(signal.id).await.unwrap()
    }
}

pub(crate) fn delivery<'a>(key: &'a str, body: &str) -> Delivery<'a> {
    Delivery {
        credential: Ok(Credential::Secret(key)),
        target: Target::default(),
        topic: None,
        is_aside: false,
        patience_s: 0,
        body: Ok(Body { bytes: body.as_bytes().to_vec(), sent: body.len(), remark: None }),
        said: Said::from_header(Some("application/json")),
        query: "",
        protocol: "a test",
        from: "here".to_owned(),
    }
}

pub(crate) fn hash(key: &str) -> [u8; 32] {
    secret::hash(key)
}

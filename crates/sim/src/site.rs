//! The demo site: what is made on the service, and what is remembered of it.

use crate::service::{Api, Service};
use anyhow::{Context, Result};
use lantern_api::{
    Device, IssuedKey, LogIn, NewDevice, NewKey, NewSignal, NewSite, Position, Session, SetUp, Site, ValueType,
};
use serde::{Deserialize, Serialize};
use std::io::Write;
use std::os::unix::fs::OpenOptionsExt;
use std::path::Path;

/// Code of the demo site.
pub(crate) const SITE: &str = "marlbeck";
/// Name of the demo person.
pub(crate) const PERSON: &str = "demo";
const FILE: &str = "demo.json";

/// What the demo keeps beside the database to go on another time.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(crate) struct Memory {
    pub(crate) password: String,
    pub(crate) seed: u64,
    /// When the story began, in seconds since 1970.
    pub(crate) began_s: i64,
    pub(crate) tower_key: String,
    pub(crate) larder_key: String,
}

/// What a first start is made with.
pub(crate) struct Plan {
    pub(crate) password: String,
    pub(crate) seed: u64,
    pub(crate) began_s: i64,
}

impl Memory {
    pub(crate) fn load(data: &Path) -> Result<Option<Self>> {
        match std::fs::read(data.join(FILE)) {
            Ok(bytes) => Ok(Some(serde_json::from_slice(&bytes).context("the demo's memory is damaged")?)),
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(None),
            Err(error) => Err(error.into()),
        }
    }

    fn save(&self, data: &Path) -> Result<()> {
        let mut file =
            std::fs::OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(data.join(FILE))?;
        Ok(file.write_all(&serde_json::to_vec_pretty(self)?)?)
    }
}

/// Logs the demo person in.
pub(crate) async fn log_in(service: &Service, memory: &Memory) -> Result<Api> {
    let log_in = LogIn { name: PERSON.to_owned(), password: memory.password.clone(), token: true };
    let session: Session = Api::new(&service.url, None)?.post("log-in", &log_in).await?;
    Api::new(&service.url, session.token)
}

/// Makes the demo person and the demo site on a fresh service.
pub(crate) async fn make(service: &Service, code: String, plan: Plan, data: &Path) -> Result<(Api, Memory)> {
    let set_up = SetUp { code, name: PERSON.to_owned(), password: plan.password.clone(), token: true };
    let session: Session = Api::new(&service.url, None)?.post("set-up", &set_up).await?;
    let api = Api::new(&service.url, session.token)?;
    let site = NewSite {
        code: Some(SITE.to_owned()),
        name: "Marlbeck Light Railway".to_owned(),
        zone: "Europe/London".to_owned(),
        position: Some(place(54.5, -2.3, 190.0)),
    };
    let _: Site = api.post("sites", &site).await?;
    let tower_key = add(&api, tower()).await?;
    let larder_key = add(&api, larder()).await?;
    let memory = Memory { password: plan.password, seed: plan.seed, began_s: plan.began_s, tower_key, larder_key };
    memory.save(data)?;
    Ok((api, memory))
}

/// Makes a device and gives back its key.
async fn add(api: &Api, new: NewDevice) -> Result<String> {
    let device: Device = api.post(&format!("sites/{SITE}/devices"), &new).await?;
    let note = NewKey { note: "demo sender".to_owned() };
    let issued: IssuedKey = api.post(&format!("sites/{SITE}/devices/{}/keys", device.code), &note).await?;
    Ok(issued.key)
}

const fn place(latitude: f64, longitude: f64, altitude: f64) -> Position {
    Position { latitude, longitude, altitude_m: Some(altitude) }
}

fn number(code: &str, name: &str, unit: &str) -> NewSignal {
    NewSignal {
        code: code.to_owned(),
        name: Some(name.to_owned()),
        note: String::new(),
        value_type: ValueType::Number,
        unit: Some(unit.to_owned()),
    }
}

fn tower() -> NewDevice {
    NewDevice {
        code: Some("tower".to_owned()),
        name: "Water tower, Hobb Halt".to_owned(),
        note: "Two level sensors, to be compared: an echo sounder and one at the foot.".to_owned(),
        interval_s: Some(30.0),
        position: Some(place(54.512, -2.318, 214.0)),
        signals: vec![
            number("level", "Water level", "m"),
            number("level-p", "Level by pressure", "m"),
            number("air", "Air temperature", "Cel"),
        ],
    }
}

fn larder() -> NewDevice {
    let door = NewSignal { value_type: ValueType::Flag, unit: None, ..number("door", "Door open", "") };
    NewDevice {
        code: Some("larder".to_owned()),
        name: "Tea room fridge".to_owned(),
        note: "Reports degrees Fahrenheit.".to_owned(),
        interval_s: Some(60.0),
        position: Some(place(54.498, -2.291, 187.0)),
        signals: vec![number("temp", "Fridge temperature", "[degF]"), door],
    }
}

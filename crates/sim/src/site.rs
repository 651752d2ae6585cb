//! The demo site: what is made on the service, and what is remembered of it.

use crate::devices::{
    board, carried, gateway, larder, place, points, radio_sensor, shed, shed_sensor, sorrel, tower, tunnel, viaduct,
};
use crate::rolling::RADIOS;
use crate::service::{Api, Service};
use anyhow::{Context, Result};
use lantern_api::{
    ComeIn, Device, DeviceChange, DeviceState, Grant, IssuedKey, Kind, LogIn, MadeInvitation, NewDevice, NewInvitation,
    NewKey, NewSite, Role, Session, SetUp, Site,
};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::io::Write;
use std::os::unix::fs::OpenOptionsExt;
use std::path::Path;

/// Code of the demo site.
pub(crate) const SITE: &str = "marlbeck";
/// Name of the demo person.
pub(crate) const PERSON: &str = "demo";
/// Others of the crew; they have the same password.
pub(crate) const CREW: [(&str, Role); 2] = [("signalwoman", Role::Operator), ("visitor", Role::Viewer)];
const FILE: &str = "demo.json";

/// What the demo keeps beside the database to go on another time.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(crate) struct Memory {
    pub(crate) password: String,
    pub(crate) seed: u64,
    /// When the story began, in seconds since 1970.
    pub(crate) began_s: i64,
    /// Keys by the code of their device; the site's own under `site`.
    pub(crate) keys: BTreeMap<String, String>,
}

/// What a first start is made with.
pub(crate) struct Plan {
    pub(crate) password: String,
    pub(crate) seed: u64,
    pub(crate) began_s: i64,
}

impl Memory {
    /// The key of a device.
    pub(crate) fn key(&self, device: &str) -> &str {
        self.keys.get(device).map_or("", String::as_str)
    }

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
    let log_in = LogIn { name: PERSON.to_owned(), password: memory.password.clone(), second: None, token: true };
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
    let mut keys = BTreeMap::new();
    for new in [tower(), larder(), tunnel(), viaduct()] {
        let (code, key) = add(&api, NewDevice { state: DeviceState::Live, ..new }).await?;
        keys.insert(code, key);
    }
    let _: Kind = api.post(&format!("sites/{SITE}/kinds"), &shed_sensor(1)).await?;
    for new in [shed(), sorrel(), gateway(), points()] {
        let state = if new.code.as_deref() == Some("shed-5") { DeviceState::Trial } else { DeviceState::Live };
        let (code, key) = add(&api, NewDevice { state, ..new }).await?;
        keys.insert(code, key);
    }
    let _: Kind = api.post(&format!("sites/{SITE}/kinds"), &radio_sensor()).await?;
    for (code, called, ..) in RADIOS {
        let _: Device = api.post(&format!("sites/{SITE}/devices"), &carried(code, called)).await?;
    }
    let board: Device = api.post(&format!("sites/{SITE}/devices"), &board()).await?;
    let grants = Some(vec![Grant::Send, Grant::Read]);
    let note = NewKey { note: "platform display".to_owned(), grants, ..NewKey::default() };
    let issued: IssuedKey = api.post(&format!("sites/{SITE}/devices/{}/keys", board.code), &note).await?;
    keys.insert(board.code, issued.key);
    // The second revision came after the shed was wired, which follows the first.
    let _: Kind = api.put(&format!("sites/{SITE}/kinds/shed-sensor"), &shed_sensor(2)).await?;
    let enrolment = NewKey { note: "enrolment of new sensors".to_owned(), ..NewKey::default() };
    let issued: IssuedKey = api.post(&format!("sites/{SITE}/keys"), &enrolment).await?;
    keys.insert("site".to_owned(), issued.key);
    for (name, role) in CREW {
        let theirs = invite(service, &api, name, role, &plan.password).await?;
        if role == Role::Operator {
            let change = DeviceChange {
                place: Some("North gantry of the water tower".to_owned()),
                late_after: Some(Some(3.0)),
                ..DeviceChange::default()
            };
            let _: Device = theirs.patch(&format!("sites/{SITE}/devices/tower"), &change).await?;
            let addresses = serde_json::json!({"addresses": ["signals@marlbeck.example", "+44 1632 960002"]});
            let _: lantern_api::Account = theirs.patch("account", &addresses).await?;
        }
    }
    let memory = Memory { password: plan.password, seed: plan.seed, began_s: plan.began_s, keys };
    memory.save(data)?;
    Ok((api, memory))
}

/// Lets somebody come in by an invitation.
async fn invite(service: &Service, api: &Api, name: &str, role: Role, password: &str) -> Result<Api> {
    let new = NewInvitation { for_whom: format!("{name}, of the crew"), role, days: 1 };
    let made: MadeInvitation = api.post(&format!("sites/{SITE}/invitations"), &new).await?;
    let secret = made.address.split('#').nth(1).unwrap_or_default().to_owned();
    let (name, password) = (Some(name.to_owned()), password.to_owned());
    let come = ComeIn { secret, name, password, second: None, token: true };
    let session: Session = Api::new(&service.url, None)?.post("come-in", &come).await?;
    Api::new(&service.url, session.token)
}

/// Makes a device and gives back its code and key.
async fn add(api: &Api, new: NewDevice) -> Result<(String, String)> {
    let device: Device = api.post(&format!("sites/{SITE}/devices"), &new).await?;
    let note = NewKey { note: "demo sender".to_owned(), ..NewKey::default() };
    let issued: IssuedKey = api.post(&format!("sites/{SITE}/devices/{}/keys", device.code), &note).await?;
    Ok((device.code, issued.key))
}

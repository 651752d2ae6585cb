//! What all routes and tasks share.

use crate::allowances::Allowances;
use crate::auth::{SetUpCode, Throttle};
use crate::commands::Commands;
use crate::contacts::Contacts;
use crate::dummies::Dummies;
use crate::heard::Heard;
use crate::latest::Latest;
use crate::links::Links;
use crate::live::Hub;
use crate::meaning::{Deriver, Jobs, Memories};
use crate::mqtt::{Addresses, Outward};
use crate::plans::Plans;
use crate::problem::Problem;
use crate::settings::Settings;
use crate::tls::Peers;
use lantern_store::{Device, Kind, Signal, Site, Store, StoreError};
use std::sync::{Arc, OnceLock};

/// The service's parts.
pub(crate) struct App {
    pub(crate) store: Store,
    pub(crate) settings: Settings,
    pub(crate) plans: Plans,
    pub(crate) latest: Latest,
    pub(crate) memories: Memories,
    pub(crate) deriver: Deriver,
    pub(crate) jobs: Jobs,
    pub(crate) heard: Heard,
    pub(crate) allowances: Allowances,
    pub(crate) commands: Commands,
    pub(crate) contacts: Contacts,
    pub(crate) dummies: Dummies,
    pub(crate) hub: Hub,
    pub(crate) links: Links,
    /// Where MQTT is spoken, once the service has started.
    pub(crate) mqtt: OnceLock<Addresses>,
    pub(crate) outward: Arc<Outward>,
    pub(crate) peers: Arc<Peers>,
    pub(crate) set_up: SetUpCode,
    pub(crate) throttle: Throttle,
}

impl App {
    pub(crate) async fn new(store: Store, settings: Settings) -> Result<Self, StoreError> {
        let heard = Heard::load(&store).await?;
        let dummies = Dummies::load(&store).await?;
        let commands = Commands::load(&store).await?;
        let set_up = SetUpCode::new(!store.has_people().await?);
        Ok(Self {
            store,
            allowances: Allowances::new(&settings),
            commands,
            contacts: Contacts::default(),
            dummies,
            settings,
            plans: Plans::default(),
            latest: Latest::default(),
            memories: Memories::default(),
            deriver: Deriver::default(),
            jobs: Jobs::default(),
            heard,
            hub: Hub::new(),
            links: Links::default(),
            mqtt: OnceLock::new(),
            outward: Arc::default(),
            peers: Arc::default(),
            set_up,
            throttle: Throttle::default(),
        })
    }

    pub(crate) async fn site(&self, code: &str) -> Result<Site, Problem> {
        self.store.site(code).await.map_err(|e| Problem::missing(e, "site", code))
    }

    pub(crate) async fn device(&self, site: &str, code: &str) -> Result<(Site, Device), Problem> {
        let site = self.site(site).await?;
        let device = self.store.device(site.id, code).await.map_err(|e| Problem::missing(e, "device", code))?;
        Ok((site, device))
    }

    /// The code of the device that carries another one's messages.
    pub(crate) async fn carrier_code(&self, device: &Device) -> Result<Option<String>, StoreError> {
        match device.carrier {
            Some(carrier) => Ok(Some(self.store.device_by_id(carrier).await?.code)),
            None => Ok(None),
        }
    }

    pub(crate) async fn kind(&self, site: &str, code: &str) -> Result<(Site, Kind), Problem> {
        let site = self.site(site).await?;
        let kind = self.store.kind(site.id, code).await.map_err(|e| Problem::missing(e, "kind", code))?;
        Ok((site, kind))
    }

    pub(crate) async fn signal(&self, site: &str, device: &str, code: &str) -> Result<(Site, Device, Signal), Problem> {
        let (site, device) = self.device(site, device).await?;
        let signal = self.store.signal(device.id, code).await.map_err(|e| Problem::missing(e, "signal", code))?;
        Ok((site, device, signal))
    }
}

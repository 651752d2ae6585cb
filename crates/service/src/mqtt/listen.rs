//! Where clients connect.

use super::Mqtt;
use super::host::EngineHost;
use super::outward::Outward;
use crate::ServeError;
use crate::door::{Behind, Door};
use crate::settings::{Listen, Settings};
use crate::sockets::bind;
use crate::supervisor::Supervisor;
use crate::tls::Certificates;
use lantern_engine::{Engine, Task};
use lantern_http::Addresses;
use std::sync::Arc;
use std::time::Duration;

const LAMP_TICK: Duration = Duration::from_secs(1);
/// How often keys of connections are looked at, which may have run out.
const KEY_TICK: Duration = Duration::from_secs(10);
/// How often the same is done for sessions that wait for their clients.
const ORPHAN_TICK: Duration = Duration::from_secs(600);

/// Starts the MQTT server with its tasks, and says where it listens.
pub(crate) async fn start(
    engine: &Arc<Engine>,
    settings: &Settings,
    certificates: Option<&Arc<Certificates>>,
    supervisor: &mut Supervisor,
) -> Result<(Arc<Mqtt>, Addresses), ServeError> {
    let kept = engine.store.kept_state().await.map_err(ServeError::Read)?;
    let server = Mqtt::new(Arc::new(EngineHost(engine.clone())), &kept, settings.mqtt_connections);
    let outward = Arc::new(Outward::new(engine.plans.clone(), engine.lamps.clone(), engine.store.clone()));
    outward.open(&server);
    engine.publisher.open(outward.clone());
    supervisor.start(Task::new("MQTT sessions", server.clone().tend()));
    supervisor.start(Task::new("publishing over MQTT", outward.clone().publish()));
    supervisor.start(Task::new("lamps over MQTT", lamps(outward.clone(), server.clone())));
    supervisor.start(Task::new("keys of MQTT connections", keys(outward)));
    let mut addresses = Addresses::default();
    if let Listen::At(address) = settings.mqtt {
        let listener = bind(address, "MQTT").await?;
        addresses.plain = listener.local_addr().ok();
        supervisor.start(Task::new("MQTT", Door::new(Behind::Mqtt(server.clone()), None).open(listener)));
    }
    if let (Listen::At(address), Some(certificates)) = (settings.mqtts, certificates) {
        let listener = bind(address, "MQTT over TLS").await?;
        addresses.tls = listener.local_addr().ok();
        let door = Door::new(Behind::Mqtt(server.clone()), Some(certificates.clone())).open(listener);
        supervisor.start(Task::new("MQTT over TLS", door));
    }
    Ok((server, addresses))
}

async fn lamps(outward: Arc<Outward>, server: Arc<Mqtt>) {
    let mut tick = tokio::time::interval(LAMP_TICK);
    loop {
        tick.tick().await;
        outward.publish_lamps(&server).await;
    }
}

async fn keys(outward: Arc<Outward>) {
    let mut tick = tokio::time::interval(KEY_TICK);
    let mut orphans = tokio::time::interval(ORPHAN_TICK);
    loop {
        tokio::select! {
            _ = tick.tick() => outward.recheck().await,
            _ = orphans.tick() => outward.end_orphans().await,
        }
    }
}

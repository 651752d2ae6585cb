//! Where clients connect.

use super::Mqtt;
use super::host::EngineHost;
use super::outward::Outward;
use crate::ServeError;
use crate::settings::{Listen, Settings};
use crate::sockets::{REST, bind, prepare};
use crate::supervisor::Supervisor;
use crate::tls::{Certificates, Door};
use lantern_engine::{Engine, Task};
use lantern_http::Addresses;
use lantern_mqtt::Peer;
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;
use tokio::net::{TcpListener, TcpStream};

const LAMP_TICK: Duration = Duration::from_secs(1);
/// How often keys of connections are looked at, which may have run out.
const KEY_TICK: Duration = Duration::from_secs(10);

/// Starts the MQTT server with its tasks, and says where it listens.
pub(crate) async fn start(
    engine: &Arc<Engine>,
    settings: &Settings,
    certificates: Option<&Arc<Certificates>>,
    supervisor: &mut Supervisor,
) -> Result<(Arc<Mqtt>, Addresses), ServeError> {
    let kept = engine.store.kept_state().await.map_err(ServeError::Read)?;
    let server = Mqtt::new(Arc::new(EngineHost(engine.clone())), &kept, settings.mqtt_connections);
    let outward = Arc::new(Outward::new(engine.plans.clone(), engine.heard.clone()));
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
        supervisor.start(Task::new("MQTT", accept(listener, server.clone())));
    }
    if let (Listen::At(address), Some(certificates)) = (settings.mqtts, certificates) {
        let listener = bind(address, "MQTT over TLS").await?;
        addresses.tls = listener.local_addr().ok();
        let door = Door::Mqtt(server.clone()).open(listener, certificates.clone());
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
    loop {
        tick.tick().await;
        outward.recheck().await;
    }
}

async fn accept(listener: TcpListener, server: Arc<Mqtt>) {
    loop {
        match listener.accept().await {
            Ok((stream, from)) => {
                tokio::spawn(serve(stream, from, server.clone()));
            }
            Err(error) => {
                tracing::warn!(%error, "a connection could not be accepted");
                tokio::time::sleep(REST).await;
            }
        }
    }
}

async fn serve(stream: TcpStream, from: SocketAddr, server: Arc<Mqtt>) {
    prepare(&stream);
    let peer = Peer { from: from.ip().to_string(), protocol: "MQTT", certificate: None };
    let (reader, writer) = stream.into_split();
    server.serve(reader, writer, peer).await;
}

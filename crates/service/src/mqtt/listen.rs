//! Where clients connect.

use super::{Door, Mqtt};
use crate::app::App;
use crate::settings::Listen;
use crate::tls::{self, Certificates};
use lantern_mqtt::Peer;
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;
use tokio::net::{TcpListener, TcpStream};
use tokio::task::JoinSet;

const LAMP_TICK: Duration = Duration::from_secs(1);
/// How often keys of connections are looked at, which may have run out.
const KEY_TICK: Duration = Duration::from_secs(10);
/// How long a listener rests when the system has no more sockets.
const REST: Duration = Duration::from_millis(200);

/// Starts the MQTT server with its tasks, and says where it listens.
pub(crate) async fn start(
    app: &Arc<App>,
    certificates: Option<&Arc<Certificates>>,
    tasks: &mut JoinSet<()>,
) -> Result<(Arc<Mqtt>, Addresses), String> {
    let kept = app.store.kept_state().await.map_err(|e| format!("the state of MQTT sessions cannot be read: {e}"))?;
    let server = Mqtt::new(Arc::new(Door::new(app.clone())), &kept, app.settings.mqtt_connections);
    app.outward.open(&server);
    tasks.spawn(server.clone().tend());
    tasks.spawn(app.outward.clone().publish(app.clone()));
    tasks.spawn(look_after(app.clone(), server.clone()));
    let mut addresses = Addresses::default();
    if let Listen::At(address) = app.settings.mqtt {
        let listener = tls::bind(address, "MQTT").await?;
        addresses.plain = listener.local_addr().ok();
        tasks.spawn(accept(listener, server.clone()));
    }
    if let (Listen::At(address), Some(certificates)) = (app.settings.mqtts, certificates) {
        let listener = tls::bind(address, "MQTT over TLS").await?;
        addresses.tls = listener.local_addr().ok();
        tasks.spawn(tls::Door::Mqtt(server.clone()).open(listener, certificates.clone()));
    }
    Ok((server, addresses))
}

/// Where MQTT is spoken.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Addresses {
    pub(crate) plain: Option<SocketAddr>,
    pub(crate) tls: Option<SocketAddr>,
}

async fn look_after(app: Arc<App>, server: Arc<Mqtt>) {
    let mut lamps = tokio::time::interval(LAMP_TICK);
    let mut keys = tokio::time::interval(KEY_TICK);
    loop {
        tokio::select! {
            _ = lamps.tick() => app.outward.lamps(&app, &server).await,
            _ = keys.tick() => app.outward.recheck(&app).await,
        }
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

/// Small packets go at once, and a peer that is gone without a word is noticed in
/// some minutes even if it asked for no keep-alive.
pub(crate) fn prepare(stream: &TcpStream) {
    let _ = stream.set_nodelay(true);
    let keep_alive =
        socket2::TcpKeepalive::new().with_time(Duration::from_secs(60)).with_interval(Duration::from_secs(20));
    let _ = socket2::SockRef::from(stream).set_tcp_keepalive(&keep_alive);
}

//! The TLS door: accepts connections, and hands what is inside on.

use super::Certificates;
use crate::sockets::{REST, prepare};
use lantern_http::{PeerInfo, Peers};
use lantern_mqtt::Peer;
use lantern_mqtt::shell::Server;
use std::net::{Ipv4Addr, Ipv6Addr, SocketAddr};
use std::sync::Arc;
use std::time::Duration;
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::Semaphore;
use tokio::time::timeout;
use tokio_rustls::server::TlsStream;

/// Until when a handshake must be done.
const HANDSHAKE: Duration = Duration::from_secs(10);
/// Connections by https there may be at once.
const MAX_HTTPS: usize = 2_000;

/// What lies behind a door.
#[derive(Clone)]
pub(crate) enum Door {
    /// The HTTP server at an address of this machine.
    Http(SocketAddr, Arc<Peers>, Arc<Semaphore>),
    /// The MQTT server.
    Mqtt(Arc<Server>),
}

impl Door {
    /// The door to the HTTP server that listens at `address`.
    pub(crate) fn http(mut address: SocketAddr, peers: Arc<Peers>) -> Self {
        if address.ip().is_unspecified() {
            address.set_ip(if address.is_ipv4() { Ipv4Addr::LOCALHOST.into() } else { Ipv6Addr::LOCALHOST.into() });
        }
        Self::Http(address, peers, Arc::new(Semaphore::new(MAX_HTTPS)))
    }

    /// Lets connections in until the service stops.
    pub(crate) async fn open(self, listener: TcpListener, certificates: Arc<Certificates>) {
        loop {
            match listener.accept().await {
                Ok((stream, from)) => {
                    tokio::spawn(self.clone().let_in(stream, from, certificates.clone()));
                }
                Err(error) => {
                    tracing::warn!(%error, "a connection could not be accepted");
                    tokio::time::sleep(REST).await;
                }
            }
        }
    }

    async fn let_in(self, stream: TcpStream, from: SocketAddr, certificates: Arc<Certificates>) {
        prepare(&stream);
        let stream = match timeout(HANDSHAKE, certificates.acceptor().accept(stream)).await {
            Ok(Ok(stream)) => stream,
            Ok(Err(error)) => {
                tracing::debug!(%from, %error, "no TLS connection came about");
                return;
            }
            Err(_) => return,
        };
        let certificate = certificate_of(&stream);
        match self {
            Self::Http(address, peers, room) => {
                let Ok(_room) = room.try_acquire() else { return };
                carry(stream, from, certificate, address, &peers).await;
            }
            Self::Mqtt(server) => {
                let peer = Peer { from: from.ip().to_string(), protocol: "MQTT over TLS", certificate };
                let (reader, writer) = tokio::io::split(stream);
                server.serve(reader, writer, peer).await;
            }
        }
    }
}

fn certificate_of(stream: &TlsStream<TcpStream>) -> Option<Arc<[u8]>> {
    let certificates = stream.get_ref().1.peer_certificates()?;
    certificates.first().map(|certificate| certificate.as_ref().into())
}

/// Carries what is inside a connection to the HTTP server and back.
async fn carry(
    mut stream: TlsStream<TcpStream>,
    from: SocketAddr,
    certificate: Option<Arc<[u8]>>,
    address: SocketAddr,
    peers: &Arc<Peers>,
) {
    let way_on = async {
        let way_on = TcpStream::connect(address).await?;
        prepare(&way_on);
        let local = way_on.local_addr()?;
        Ok::<_, std::io::Error>((way_on, local))
    };
    let (mut way_on, local) = match way_on.await {
        Ok(connected) => connected,
        Err(error) => {
            tracing::warn!(%error, "the HTTP server cannot be reached from the TLS door");
            return;
        }
    };
    let _entered = peers.enter(local, PeerInfo { ip: from.ip(), certificate });
    // Senders often hang up without closing TLS properly; nothing is to be done about it.
    let _ = tokio::io::copy_bidirectional(&mut stream, &mut way_on).await;
}

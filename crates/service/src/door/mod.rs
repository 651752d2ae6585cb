//! The doors: they accept connections, limit what each of them and its network may take, and hand
//! what is inside on.

mod framing;
mod pipe;

pub(crate) use pipe::Patience;

use crate::sockets::{REST, prepare};
use crate::tls::Certificates;
use lantern_api::Problem;
use lantern_core::places::Places;
use lantern_http::{PeerInfo, Peers};
use lantern_mqtt::Peer;
use lantern_mqtt::shell::Server;
use rocket::http::Status;
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;
use tokio::io::{AsyncRead, AsyncWrite, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};
use tokio::time::timeout;
use tokio_rustls::server::TlsStream;

/// Until when a handshake must be done.
const HANDSHAKE: Duration = Duration::from_secs(10);
/// Handshakes that may be under way, in all and from one network.
const HANDSHAKES: (usize, usize) = (1_000, 100);
/// How long the word that there is no place may take.
const LAST_WORD: Duration = Duration::from_secs(2);

/// What lies behind a door.
#[derive(Clone)]
pub(crate) enum Behind {
    /// The HTTP server.
    Http(Arc<HttpServer>),
    /// The MQTT server.
    Mqtt(Arc<Server>),
}

/// The HTTP server, which listens on this machine only.
pub(crate) struct HttpServer {
    /// Where.
    pub(crate) address: SocketAddr,
    /// Who is behind the connections that the doors make to it.
    pub(crate) peers: Arc<Peers>,
    /// Places for connections.
    pub(crate) places: Arc<Places>,
    /// How long things may take.
    pub(crate) patience: Patience,
}

/// A door.
#[derive(Clone)]
pub(crate) struct Door {
    behind: Behind,
    /// For a door that speaks TLS.
    tls: Option<(Arc<Certificates>, Arc<Places>)>,
}

impl Door {
    /// A door at which TLS is spoken if there are certificates.
    pub(crate) fn new(behind: Behind, certificates: Option<Arc<Certificates>>) -> Self {
        let tls = certificates.map(|certificates| (certificates, Places::new(HANDSHAKES.0, HANDSHAKES.1)));
        Self { behind, tls }
    }

    /// Lets connections in until the service stops.
    pub(crate) async fn open(self, listener: TcpListener) {
        loop {
            match listener.accept().await {
                Ok((stream, from)) => {
                    prepare(&stream);
                    tokio::spawn(self.clone().let_in(stream, from));
                }
                Err(error) => {
                    tracing::warn!(%error, "a connection could not be accepted");
                    tokio::time::sleep(REST).await;
                }
            }
        }
    }

    async fn let_in(self, stream: TcpStream, from: SocketAddr) {
        let Some((certificates, handshakes)) = self.tls else {
            return self.behind.take(stream, from, None).await;
        };
        let Ok(place) = handshakes.take(from.ip()) else {
            tracing::debug!(%from, "a connection was turned away: too many handshakes are under way");
            return;
        };
        let stream = match timeout(HANDSHAKE, certificates.acceptor().accept(stream)).await {
            Ok(Ok(stream)) => stream,
            Ok(Err(error)) => {
                tracing::debug!(%from, %error, "no TLS connection came about");
                return;
            }
            Err(_) => return,
        };
        drop(place);
        let certificate = certificate_of(&stream);
        self.behind.take(stream, from, Some(certificate)).await;
    }
}

fn certificate_of(stream: &TlsStream<TcpStream>) -> Option<Arc<[u8]>> {
    let certificates = stream.get_ref().1.peer_certificates()?;
    certificates.first().map(|certificate| certificate.as_ref().into())
}

impl Behind {
    /// Takes a connection; one by TLS with the certificate the client has shown, if any.
    async fn take(
        self,
        stream: impl AsyncRead + AsyncWrite + Unpin + Send + 'static,
        from: SocketAddr,
        tls: Option<Option<Arc<[u8]>>>,
    ) {
        let (ip, is_tls, certificate) = (from.ip(), tls.is_some(), tls.flatten());
        match self {
            Self::Http(server) => server.take(stream, PeerInfo { ip, is_tls, certificate }).await,
            Self::Mqtt(server) => {
                let protocol = if is_tls { "MQTT over TLS" } else { "MQTT" };
                let peer = Peer { from: ip, protocol, certificate };
                let (reader, writer) = tokio::io::split(stream);
                server.serve(reader, writer, peer).await;
            }
        }
    }
}

impl HttpServer {
    async fn take(&self, mut stream: impl AsyncRead + AsyncWrite + Unpin + Send, peer: PeerInfo) {
        let Ok(_place) = self.places.take(peer.ip) else {
            tracing::debug!(from = %peer.ip, "a connection was turned away: there are as many as there may be");
            let detail = "There are as many connections as there may be.";
            let remedy = "Close some, or try again later.";
            let answer = refusal(Status::ServiceUnavailable, "busy", "Too many connections", detail, remedy);
            let _ = timeout(LAST_WORD, stream.write_all(answer.as_bytes())).await;
            return;
        };
        let way_on = async {
            let way_on = TcpStream::connect(self.address).await?;
            prepare(&way_on);
            let local = way_on.local_addr()?;
            Ok::<_, std::io::Error>((way_on, local))
        };
        let (way_on, local) = match way_on.await {
            Ok(connected) => connected,
            Err(error) => {
                tracing::warn!(%error, "the HTTP server cannot be reached from its door");
                return;
            }
        };
        let _entered = self.peers.enter(local, peer);
        pipe::carry(stream, way_on, self.patience).await;
    }
}

/// The answer to a request that does not reach the HTTP server.
fn refusal(status: Status, code: &str, title: &str, detail: &str, remedy: &str) -> String {
    let problem = Problem {
        kind: format!("urn:key-lantern:problem:{code}"),
        status: status.code,
        code: code.to_owned(),
        title: title.to_owned(),
        detail: detail.to_owned(),
        remedy: remedy.to_owned(),
        refused: Vec::new(),
        left: None,
    };
    let body = serde_json::to_string(&problem).unwrap_or_default();
    format!(
        "HTTP/1.1 {status}\r\nContent-Type: application/problem+json\r\nContent-Length: {}\r\nRetry-After: 5\r\nConnection: close\r\n\r\n{body}",
        body.len()
    )
}

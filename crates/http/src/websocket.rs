//! MQTT over WebSocket, on the HTTP port (MQTT 5.0 and 3.1.1, section 6).

use crate::peers::Peers;
use futures::future::BoxFuture;
use futures::{SinkExt, StreamExt};
use rocket::data::{IoHandler, IoStream};
use rocket::http::Status;
use rocket::request::{FromRequest, Outcome, Request};
use rocket::response::{self, Responder, Response};
use rocket::{Route, State, async_trait, get, routes};
use std::convert::Infallible;
use std::net::{IpAddr, Ipv4Addr};
use std::pin::Pin;
use std::sync::Arc;
use std::time::Duration;
use tokio::io::{AsyncReadExt, AsyncWriteExt, DuplexStream};
use tokio_tungstenite::WebSocketStream;
use tokio_tungstenite::tungstenite::handshake::derive_accept_key;
use tokio_tungstenite::tungstenite::protocol::{Message as Frame, Role, WebSocketConfig};

/// Bytes on their way between the frames and the MQTT server.
const PIPE: usize = 16 << 10;
/// How long a client may take to close its side once the server has.
const CLOSE: Duration = Duration::from_secs(5);

/// Who speaks MQTT over a WebSocket.
pub struct SocketPeer {
    /// Its address.
    pub from: IpAddr,
    /// Whether it came by TLS.
    pub is_tls: bool,
    /// The certificate it proved to have, in DER.
    pub certificate: Option<Arc<[u8]>>,
}

/// Where MQTT over WebSocket goes.
pub trait Sockets: Send + Sync {
    /// The most bytes of a message.
    fn most(&self) -> usize;

    /// Speaks MQTT over a pipe until either side ends; `None` if no MQTT is spoken.
    fn serve(&self, pipe: DuplexStream, peer: SocketPeer) -> Option<BoxFuture<'static, ()>>;
}

pub(crate) fn routes() -> Vec<Route> {
    routes![upgrade]
}

/// A request to speak MQTT on this connection.
struct Wish {
    key: Option<String>,
    is_mqtt: bool,
    peer: SocketPeer,
}

#[async_trait]
impl<'r> FromRequest<'r> for Wish {
    type Error = Infallible;

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, Infallible> {
        let headers = request.headers();
        let has = |name: &str, word: &str| {
            headers.get(name).flat_map(|value| value.split(',')).any(|value| value.trim().eq_ignore_ascii_case(word))
        };
        let is_upgrade = has("Connection", "upgrade") && has("Upgrade", "websocket");
        let is_current = headers.get_one("Sec-WebSocket-Version") == Some("13");
        let key = headers.get_one("Sec-WebSocket-Key").filter(|_| is_upgrade && is_current).map(str::to_owned);
        Outcome::Success(Self { key, is_mqtt: has("Sec-WebSocket-Protocol", "mqtt"), peer: peer(request) })
    }
}

fn peer(request: &Request<'_>) -> SocketPeer {
    let peers = request.rocket().state::<Arc<Peers>>();
    let behind = peers.and_then(|peers| peers.behind(request));
    SocketPeer {
        is_tls: behind.as_ref().is_some_and(|peer| peer.is_tls),
        certificate: behind.and_then(|peer| peer.certificate),
        // A request without an address came over no network.
        from: peers.and_then(|peers| peers.ip(request)).unwrap_or(IpAddr::V4(Ipv4Addr::LOCALHOST)),
    }
}

/// The answer that turns the connection into one of MQTT.
struct Upgraded {
    accept: String,
    socket: Socket,
}

/// What is carried, once the connection is turned.
struct Socket {
    near: DuplexStream,
    served: BoxFuture<'static, ()>,
    most: usize,
}

#[get("/mqtt")]
fn upgrade(sockets: &State<Arc<dyn Sockets>>, wish: Wish) -> Result<Upgraded, (Status, &'static str)> {
    let Some(key) = wish.key else {
        return Err((Status::UpgradeRequired, "This is where MQTT over WebSocket is spoken (subprotocol mqtt).\n"));
    };
    if !wish.is_mqtt {
        return Err((Status::BadRequest, "Ask for the WebSocket subprotocol mqtt.\n"));
    }
    let (far, near) = tokio::io::duplex(PIPE);
    let served = sockets.serve(far, wish.peer).ok_or((Status::ServiceUnavailable, "MQTT is not running.\n"))?;
    let socket = Socket { near, served, most: sockets.most() };
    Ok(Upgraded { accept: derive_accept_key(key.as_bytes()), socket })
}

impl<'r> Responder<'r, 'r> for Upgraded {
    fn respond_to(self, _: &'r Request<'_>) -> response::Result<'r> {
        Response::build()
            .status(Status::SwitchingProtocols)
            .raw_header("Sec-WebSocket-Accept", self.accept)
            .raw_header("Sec-WebSocket-Protocol", "mqtt")
            .upgrade("websocket", self.socket)
            .ok()
    }
}

#[async_trait]
impl IoHandler for Socket {
    async fn io(self: Pin<Box<Self>>, io: IoStream) -> std::io::Result<()> {
        let Self { near, served, most } = *Pin::into_inner(self);
        let config = WebSocketConfig::default().max_message_size(Some(most)).max_frame_size(Some(most));
        let frames = WebSocketStream::from_raw_socket(io, Role::Server, Some(config)).await;
        tokio::join!(carry(frames, near), served);
        Ok(())
    }
}

/// Carries bytes between frames and the server until either side ends. MQTT is
/// carried in binary frames only; packets need not keep to frames.
async fn carry(frames: WebSocketStream<IoStream>, pipe: DuplexStream) {
    let (mut sink, mut stream) = frames.split();
    let (mut from_server, mut to_server) = tokio::io::split(pipe);
    let inward = async {
        while let Some(Ok(frame)) = stream.next().await {
            match frame {
                Frame::Binary(bytes) => {
                    if to_server.write_all(&bytes).await.is_err() {
                        break;
                    }
                }
                Frame::Text(_) | Frame::Close(_) => break,
                Frame::Ping(_) | Frame::Pong(_) | Frame::Frame(_) => {}
            }
        }
        let _ = to_server.shutdown().await;
    };
    let outward = async {
        let mut buffer = vec![0; PIPE];
        while let Ok(count @ 1..) = from_server.read(&mut buffer).await {
            if sink.send(Frame::Binary(buffer[..count].to_vec().into())).await.is_err() {
                return;
            }
        }
        let _ = sink.close().await;
    };
    tokio::pin!(inward, outward);
    tokio::select! {
        () = &mut inward => outward.await,
        // Whoever does not answer the close is gone, or wants to hold the connection for nothing.
        () = &mut outward => { let _ = tokio::time::timeout(CLOSE, inward).await; }
    }
}

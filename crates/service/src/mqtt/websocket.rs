//! MQTT over WebSocket, on the HTTP port (MQTT 5.0 and 3.1.1, section 6).

use super::Mqtt;
use crate::app::App;
use futures::{SinkExt, StreamExt};
use lantern_mqtt::Peer;
use rocket::data::{IoHandler, IoStream};
use rocket::http::Status;
use rocket::request::{FromRequest, Outcome, Request};
use rocket::response::{self, Responder, Response};
use rocket::{Route, State, async_trait, get, routes};
use std::convert::Infallible;
use std::pin::Pin;
use std::sync::Arc;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio_tungstenite::WebSocketStream;
use tokio_tungstenite::tungstenite::handshake::derive_accept_key;
use tokio_tungstenite::tungstenite::protocol::{Message as Frame, Role, WebSocketConfig};

/// Bytes on their way between the frames and the MQTT server.
const PIPE: usize = 16 << 10;

pub(crate) fn routes() -> Vec<Route> {
    routes![upgrade]
}

/// A request to speak MQTT on this connection.
struct Wish {
    key: Option<String>,
    is_mqtt: bool,
    peer: Peer,
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

fn peer(request: &Request<'_>) -> Peer {
    let peers = request.rocket().state::<Arc<App>>().map(|app| &app.peers);
    let behind = peers.and_then(|peers| peers.behind(request));
    Peer {
        protocol: if behind.is_some() { "MQTT over WebSocket and TLS" } else { "MQTT over WebSocket" },
        certificate: behind.and_then(|peer| peer.certificate),
        from: peers.map(|peers| peers.from(request)).unwrap_or_default(),
    }
}

/// The answer that turns the connection into one of MQTT.
struct Upgraded {
    accept: String,
    socket: Socket,
}

struct Socket {
    server: Arc<Mqtt>,
    peer: Peer,
}

#[get("/mqtt")]
fn upgrade(app: &State<Arc<App>>, wish: Wish) -> Result<Upgraded, (Status, &'static str)> {
    let Some(key) = wish.key else {
        return Err((Status::UpgradeRequired, "This is where MQTT over WebSocket is spoken (subprotocol mqtt).\n"));
    };
    if !wish.is_mqtt {
        return Err((Status::BadRequest, "Ask for the WebSocket subprotocol mqtt.\n"));
    }
    let server = app.outward.server().ok_or((Status::ServiceUnavailable, "MQTT is not running.\n"))?;
    Ok(Upgraded { accept: derive_accept_key(key.as_bytes()), socket: Socket { server, peer: wish.peer } })
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
        let Self { server, peer } = *Pin::into_inner(self);
        let limit = lantern_mqtt::codec::MAX_PACKET as usize;
        let config = WebSocketConfig::default().max_message_size(Some(limit)).max_frame_size(Some(limit));
        let frames = WebSocketStream::from_raw_socket(io, Role::Server, Some(config)).await;
        let (near, far) = tokio::io::duplex(PIPE);
        let (reader, writer) = tokio::io::split(near);
        let served = tokio::spawn(server.serve(reader, writer, peer));
        carry(frames, far).await;
        let _ = served.await;
        Ok(())
    }
}

/// Carries bytes between frames and the server until either side ends. MQTT is
/// carried in binary frames only; packets need not keep to frames.
async fn carry(frames: WebSocketStream<IoStream>, pipe: tokio::io::DuplexStream) {
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
    tokio::join!(inward, outward);
}

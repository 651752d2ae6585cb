//! MQTT over WebSocket: pipes that the HTTP interface hands over.

use super::Mqtt;
use futures::future::BoxFuture;
use lantern_http::{SocketPeer, Sockets};
use lantern_mqtt::Peer;
use lantern_mqtt::codec::MAX_PACKET;
use std::sync::{Arc, Weak};
use tokio::io::DuplexStream;

/// Hands pipes to the server, while it runs.
pub(crate) struct WebSockets(Weak<Mqtt>);

impl WebSockets {
    pub(crate) fn new(server: &Arc<Mqtt>) -> Self {
        Self(Arc::downgrade(server))
    }
}

impl Sockets for WebSockets {
    fn most(&self) -> usize {
        MAX_PACKET as usize
    }

    fn serve(&self, pipe: DuplexStream, peer: SocketPeer) -> Option<BoxFuture<'static, ()>> {
        let server = self.0.upgrade()?;
        let peer = Peer {
            protocol: if peer.is_tls { "MQTT over WebSocket and TLS" } else { "MQTT over WebSocket" },
            from: peer.from,
            certificate: peer.certificate,
        };
        let (reader, writer) = tokio::io::split(pipe);
        Some(server.serve(reader, writer, peer))
    }
}

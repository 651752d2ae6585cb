//! Who is behind the connections that the doors make to the HTTP server.

use rocket::async_trait;
use rocket::request::{FromRequest, Outcome, Request};
use std::collections::HashMap;
use std::convert::Infallible;
use std::net::{IpAddr, Ipv4Addr, SocketAddr};
use std::sync::{Arc, Mutex, PoisonError};

/// The other end of a connection.
#[derive(Debug, Clone)]
pub struct PeerInfo {
    /// Its address.
    pub ip: IpAddr,
    /// Whether it came by TLS.
    pub is_tls: bool,
    /// The certificate it proved to have, in DER.
    pub certificate: Option<Arc<[u8]>>,
}

/// The connections there are, by the address of their way on to the HTTP
/// server: nothing a client sends can claim to be one of them.
#[derive(Default)]
pub struct Peers(Mutex<HashMap<SocketAddr, PeerInfo>>);

impl Peers {
    /// Notes a connection until the guard is dropped.
    #[must_use]
    pub fn enter(self: &Arc<Self>, way_on: SocketAddr, peer: PeerInfo) -> Entered {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).insert(way_on, peer);
        Entered { peers: self.clone(), way_on }
    }

    /// Who is behind a request, if it came by a door.
    pub(crate) fn behind(&self, request: &Request<'_>) -> Option<PeerInfo> {
        let remote = request.remote()?;
        self.0.lock().unwrap_or_else(PoisonError::into_inner).get(&remote).cloned()
    }

    /// Whether a request came by TLS.
    pub(crate) fn is_tls(&self, request: &Request<'_>) -> bool {
        self.behind(request).is_some_and(|peer| peer.is_tls)
    }

    /// The address a request came from.
    pub(crate) fn ip(&self, request: &Request<'_>) -> Option<IpAddr> {
        self.behind(request).map(|peer| peer.ip).or_else(|| request.client_ip())
    }

    /// The same in words.
    pub(crate) fn from(&self, request: &Request<'_>) -> String {
        self.ip(request).map_or_else(|| "unknown".to_owned(), |ip| ip.to_string())
    }
}

/// A connection that is noted.
pub struct Entered {
    peers: Arc<Peers>,
    way_on: SocketAddr,
}

impl Drop for Entered {
    fn drop(&mut self) {
        self.peers.0.lock().unwrap_or_else(PoisonError::into_inner).remove(&self.way_on);
    }
}

/// The address a request came from, as a request guard.
pub(crate) struct ClientIp(pub(crate) IpAddr);

#[async_trait]
impl<'r> FromRequest<'r> for ClientIp {
    type Error = Infallible;

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, Infallible> {
        let ip = request.rocket().state::<Arc<Peers>>().and_then(|peers| peers.ip(request));
        // A request without an address came over no network.
        Outcome::Success(Self(ip.unwrap_or(IpAddr::V4(Ipv4Addr::LOCALHOST))))
    }
}

//! The HTTP interface of Key Lantern: routes and guards around the engine.
//!
//! [`build`] puts an [`Interface`] together; whoever runs the service launches what it gives:
//!
//! ```ignore
//! let rocket = lantern_http::build(Interface { engine, settings, peers, files, sockets }, config);
//! rocket.launch().await?;
//! ```
//!
//! One file per resource in `routes`, who may use them in `auth`, a problem's way to a status
//! in `failure`. Routes read the request, call the part of the
//! [`Engine`](lantern_engine::Engine) that does the work, and write the answer; they hold no
//! rules of their own.
//!
//! It knows neither TLS nor MQTT: connections that came by TLS are named by [`Peers`], and
//! WebSockets of MQTT are handed to [`Sockets`].

mod auth;
mod base;
mod failure;
pub mod files;
mod found;
mod headers;
mod peers;
mod routes;
mod websocket;

pub use auth::SetUpCode;
pub use base::Addresses;
pub use peers::{PeerInfo, Peers};
pub use websocket::{SocketPeer, Sockets};

pub use routes::openapi_document;

/// The right that each route asks for: method, path below `/api/v1` and right.
#[must_use]
pub fn rights_of_routes() -> Vec<(String, &'static str, lantern_core::access::Right)> {
    auth::rights::rows().map(|(method, path, right)| (method.to_string(), path, right)).collect()
}

use auth::Throttle;
use files::Files;
use lantern_engine::Engine;
use rocket::{Build, Rocket};
use std::path::PathBuf;
use std::sync::Arc;

/// What the interface is told.
#[derive(Debug, Clone)]
pub struct Settings {
    /// Directory of the database, where backups are written before they are sent.
    pub data: PathBuf,
    /// Whether session cookies are marked as Secure.
    pub secure_cookies: bool,
    /// Where senders reach the service from outside; empty: where it was asked.
    pub public_url: String,
}

/// What the interface is made of.
pub struct Interface {
    /// What does the work.
    pub engine: Arc<Engine>,
    /// What it is told.
    pub settings: Settings,
    /// The code with which the first owner is made.
    pub set_up: Arc<SetUpCode>,
    /// Who is behind connections that came by TLS.
    pub peers: Arc<Peers>,
    /// The console's files.
    pub files: Arc<dyn Files>,
    /// Where MQTT is spoken.
    pub addresses: Addresses,
    /// Where MQTT over WebSocket goes.
    pub sockets: Arc<dyn Sockets>,
}

/// Puts the interface together.
#[must_use]
pub fn build(interface: Interface, config: rocket::Config) -> Rocket<Build> {
    let Interface { engine, settings, set_up, peers, files, addresses, sockets } = interface;
    let rocket = rocket::custom(config)
        .manage(engine)
        .manage(settings)
        .manage(set_up)
        .manage(Throttle::default())
        .manage(peers)
        .manage(files)
        .manage(addresses)
        .manage(sockets);
    routes::mount(rocket)
}

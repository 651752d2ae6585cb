//! Running Key Lantern: settings, the tasks beside requests, TLS, and MQTT as the engine
//! speaks it.
//!
//! [`serve`] runs the service until it is told to stop. It opens the store, wires the
//! [`Engine`](lantern_engine::Engine), puts HTTP ([`lantern_http`]) and MQTT ([`lantern_mqtt`])
//! around it, and keeps an eye on every task: one that ends, ends the service.
//!
//! | module | holds |
//! |---|---|
//! | [`settings`] | what it is told, and by whom |
//! | `run` | start, and graceful stop |
//! | `supervisor` | the tasks |
//! | `announce` | what it prints when it is up |
//! | `sockets` | listening at an address |
//! | `tls` | certificates, and the doors that speak TLS |
//! | `outside` | what callouts are sent by |
//! | `mqtt` | what topics mean, who may use them, and what goes out on them |
//! | [`maintenance`] | checking and restoring a database that no service has open |
//!
//! It holds no rules about readings: those are the engine's.

mod announce;
mod door;
mod error;
pub mod maintenance;
mod metrics;
mod mqtt;
mod outside;
mod run;
pub mod settings;
mod sockets;
mod supervisor;
mod tls;

pub use error::ServeError;
pub use lantern_store::{Cause, with_sources};
pub use run::serve;

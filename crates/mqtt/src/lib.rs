//! The MQTT server of Key Lantern, for versions 3.1.1 and 5.0.
//!
//! Three layers, each usable without the next: the [`codec`] turns bytes into
//! packets and back; the [`Broker`] is sessions, subscriptions, retained messages
//! and wills as a value, without sockets or clock; the [`shell`] is one task a
//! connection. What messages mean is the [`Host`]'s business: it admits clients,
//! takes what they publish and makes the changes durable.
//!
//! The statements of the standards, and the test that shows each, are listed in
//! `docs/reference/mqtt.md`.

mod broker;
pub mod codec;
mod host;
mod message;
mod outbox;
pub mod shell;
mod topic;

pub use broker::{Broker, Ending, Link, Opened, Outcome, Receipt, SessionView, Ticket, Will};
pub use host::{Client, Farewell, Hello, Host, Peer, Prepared, Refused};
pub use message::{Carried, Message, QoS};
pub use outbox::Outbox;
pub use topic::{Filter, TopicError, check_name, matches};

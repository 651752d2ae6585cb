//! The MQTT server of Key Lantern, for versions 3.1.1 and 5.0.
//!
//! Three layers, each usable without the next: the [`codec`] turns bytes into packets and
//! back. The [`Broker`] (sessions, subscriptions, retained messages and wills of all sites) and
//! the [`Connection`] (what the packets of one client mean) are values without sockets and
//! clock: they are told what happened and what the time is, and are polled for what is to be
//! done. The [`shell`] runs them, one task a connection. What messages mean is the [`Host`]'s
//! business: it admits clients, takes what they publish and makes the changes durable.
//!
//! ```ignore
//! connection.handle_packet(&mut broker, packet, now)?;
//! while let Some(action) = connection.poll_action() { /* begin it; later handle_done */ }
//! while let Some((link, output)) = broker.poll_output() { /* write it to that connection */ }
//! let wake_up = connection.poll_timeout();
//! ```
//!
//! The statements of the standards, and the test that shows each, are listed in
//! `docs/reference/mqtt.md`.

mod broker;
pub mod codec;
mod connection;
mod host;
mod message;
pub mod shell;
mod topic;

pub use broker::{Broker, Ending, Link, Opened, Outcome, Output, Receipt, SessionView, Ticket, Will};
pub use connection::{Action, Connection, Done, End, Work};
pub use host::{Client, Farewell, Hello, Holder, Host, Peer, Prepared, Refused};
pub use message::{Carried, Message, QoS};
pub use topic::{Filter, TopicError, check_name, matches};

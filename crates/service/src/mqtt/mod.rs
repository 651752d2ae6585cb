//! MQTT: what topics mean, who may use them, and what goes out on them.
//!
//! The protocol itself is [`lantern_mqtt`]'s; this is the [`Host`](lantern_mqtt::Host) behind it.

mod admission;
mod door;
mod listen;
mod outward;
mod place;
mod standing;
mod websocket;

pub(crate) use door::Door;
pub(crate) use listen::{Addresses, prepare, start};
pub(crate) use outward::{Outward, command_message};
pub(crate) use websocket::routes;

/// The MQTT server of this service.
pub(crate) type Mqtt = lantern_mqtt::shell::Server<Door>;

//! MQTT as the engine speaks it: what topics mean, who may use them, and what goes out on
//! them.
//!
//! The protocol itself is [`lantern_mqtt`]'s; this is the [`Host`](lantern_mqtt::Host) behind
//! it, and the way from a problem's class to a reason code.

mod admission;
mod admitted;
mod client;
mod holder;
mod host;
mod listen;
mod messages;
mod outward;
mod place;
mod refusal;
mod standing;
mod websocket;

pub(crate) use listen::start;
pub(crate) use websocket::WebSockets;

/// The MQTT server.
pub(crate) type Mqtt = lantern_mqtt::shell::Server;

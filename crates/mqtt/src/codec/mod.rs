//! Packets of MQTT 3.1.1 and 5.0, as one set of types.

mod fault;
mod packet;
mod properties;
mod read;
mod reason;
mod write;

pub use fault::Fault;
pub use packet::{Ack, Connect, ConnectWill, Incoming, Outgoing, Publish, Retained, Subscription, Version, Welcome};
pub(crate) use read::ALIASES;
pub use read::Reader;
pub use reason::Reason;
pub use write::Writer;
pub(crate) use write::publish_size;

/// Bytes a packet may have, unless its receiver says less: a body of 1 MiB and
/// room for topic and properties.
pub const MAX_PACKET: u32 = (1 << 20) + (64 << 10);

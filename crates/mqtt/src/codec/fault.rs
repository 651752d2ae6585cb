//! What a client can do wrong.

use super::{MAX_PACKET, Reason};
use mqtt_protocol_core::mqtt::result_code::MqttError;

/// Why a connection is closed: what the client did wrong.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// The reason code.
    pub reason: Reason,
    /// The same in words.
    pub text: String,
}

impl Fault {
    pub(crate) fn new(reason: Reason, text: impl Into<String>) -> Self {
        Self { reason, text: text.into() }
    }

    pub(super) fn malformed(text: &str) -> Self {
        Self::new(Reason::MalformedPacket, format!("The packet is malformed: {text}."))
    }

    pub(super) fn protocol(text: &str) -> Self {
        Self::new(Reason::ProtocolError, format!("The packet breaks the protocol: {text}."))
    }
}

impl From<MqttError> for Fault {
    fn from(error: MqttError) -> Self {
        match error {
            MqttError::PacketTooLarge => Self::new(
                Reason::PacketTooLarge,
                format!("The packet is over {MAX_PACKET} bytes; send smaller messages."),
            ),
            MqttError::ProtocolError => Self::protocol("a field has a value it must not have"),
            _ => Self::malformed("a field is cut short or is not what it should be"),
        }
    }
}

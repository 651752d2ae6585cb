//! Reason codes (MQTT 5.0, section 2.4).

/// Why something is so. The numbers are the standard's.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[repr(u8)]
#[allow(missing_docs, reason = "the names are the standard's own")]
pub enum Reason {
    Success = 0x00,
    GrantedQos1 = 0x01,
    GrantedQos2 = 0x02,
    NoMatchingSubscribers = 0x10,
    NoSubscriptionExisted = 0x11,
    Unspecified = 0x80,
    MalformedPacket = 0x81,
    ProtocolError = 0x82,
    ImplementationSpecific = 0x83,
    UnsupportedVersion = 0x84,
    ClientIdentifierNotValid = 0x85,
    BadUserNameOrPassword = 0x86,
    NotAuthorized = 0x87,
    ServerUnavailable = 0x88,
    ServerBusy = 0x89,
    ServerShuttingDown = 0x8B,
    BadAuthenticationMethod = 0x8C,
    KeepAliveTimeout = 0x8D,
    SessionTakenOver = 0x8E,
    TopicFilterInvalid = 0x8F,
    TopicNameInvalid = 0x90,
    PacketIdentifierInUse = 0x91,
    PacketIdentifierNotFound = 0x92,
    ReceiveMaximumExceeded = 0x93,
    TopicAliasInvalid = 0x94,
    PacketTooLarge = 0x95,
    QuotaExceeded = 0x97,
    AdministrativeAction = 0x98,
    PayloadFormatInvalid = 0x99,
}

impl Reason {
    /// The number on the wire.
    #[must_use]
    pub const fn number(self) -> u8 {
        self as u8
    }

    /// Whether it says that something did not happen.
    #[must_use]
    pub const fn is_failure(self) -> bool {
        self.number() >= 0x80
    }

    /// The return code of a CONNACK of 3.1.1 (table 3.1); `None` where that
    /// version has none and the connection is closed without one.
    #[must_use]
    pub const fn return_code(self) -> Option<u8> {
        match self {
            Self::Success => Some(0),
            Self::UnsupportedVersion => Some(1),
            Self::ClientIdentifierNotValid => Some(2),
            Self::ServerUnavailable | Self::ServerBusy | Self::QuotaExceeded | Self::ServerShuttingDown => Some(3),
            Self::BadUserNameOrPassword => Some(4),
            Self::NotAuthorized => Some(5),
            _ => None,
        }
    }
}

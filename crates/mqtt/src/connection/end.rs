//! Why a connection ends, and what follows from it.

use crate::broker::Ending;
use crate::codec::{Fault, Outgoing, Reason};
use crate::host::Farewell;

/// Why a connection ends.
#[derive(Debug, PartialEq, Eq)]
pub enum End {
    /// The client said goodbye.
    Goodbye {
        /// Whether it wants its will published all the same.
        with_will: bool,
        /// The session's new expiry in seconds, if it named one.
        session_expiry_s: Option<u32>,
    },
    /// The client did something wrong.
    Fault(Fault),
    /// Nothing came for one and a half times the keep-alive.
    KeepAlive,
    /// The network broke.
    Broken,
    /// The service closes it.
    Closed(Reason, String),
}

impl End {
    /// What it means for the session.
    #[must_use]
    pub fn ending(&self) -> Ending {
        match self {
            Self::Goodbye { with_will: false, session_expiry_s } => {
                Ending::Goodbye { session_expiry_s: *session_expiry_s }
            }
            Self::Goodbye { with_will: true, session_expiry_s } => {
                Ending::Broken { session_expiry_s: *session_expiry_s }
            }
            _ => Ending::Broken { session_expiry_s: None },
        }
    }

    /// What the client is told, if it can still hear.
    #[must_use]
    pub fn last_word(&self) -> Option<Outgoing> {
        match self {
            Self::Goodbye { .. } | Self::Broken => None,
            Self::Fault(fault) => Some(Outgoing::Disconnect(fault.reason, fault.text.clone())),
            Self::KeepAlive => {
                let text = "Nothing came for one and a half times the keep-alive.".to_owned();
                Some(Outgoing::Disconnect(Reason::KeepAliveTimeout, text))
            }
            Self::Closed(reason, text) => Some(Outgoing::Disconnect(*reason, text.clone())),
        }
    }

    /// What the host is told.
    #[must_use]
    pub fn farewell(self) -> Farewell {
        match self {
            Self::Goodbye { .. } => Farewell::Goodbye,
            Self::Fault(fault) => Farewell::Closed(fault.text),
            Self::KeepAlive => Farewell::KeepAlive,
            Self::Broken => Farewell::Broken,
            Self::Closed(Reason::SessionTakenOver, _) => Farewell::TakenOver,
            Self::Closed(_, text) => Farewell::Closed(text),
        }
    }
}

impl From<Fault> for End {
    fn from(fault: Fault) -> Self {
        Self::Fault(fault)
    }
}

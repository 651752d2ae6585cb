//! Numbers that identify things, one type for each, so that none is taken for another.

use serde::{Deserialize, Serialize};

/// Makes a type of numbers that identify something.
macro_rules! id {
    ($(#[$doc:meta])* $name:ident) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        #[serde(transparent)]
        pub struct $name(pub i64);

        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                self.0.fmt(f)
            }
        }
    };
}

id! {
    /// Identifies a signal, and so the series of its readings.
    SignalId
}
id! {
    /// Identifies a device.
    DeviceId
}
id! {
    /// Identifies a site.
    SiteId
}
id! {
    /// Identifies a key.
    KeyId
}
id! {
    /// Identifies a command that was given.
    CommandId
}
id! {
    /// Identifies a job.
    JobId
}
id! {
    /// Identifies a note.
    NoteId
}

//! Why the service cannot start, or ended.

use crate::tls::TlsError;
use lantern_store::{OpenError, StoreError};
use std::net::SocketAddr;

/// Why the service cannot start, or ended. With its sources
/// ([`with_sources`](lantern_store::with_sources)) each is a sentence for the operator.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ServeError {
    /// The system gives no threads.
    #[error("the runtime cannot start")]
    Runtime(#[source] std::io::Error),
    /// The database cannot be opened.
    #[error(transparent)]
    Open(#[from] OpenError),
    /// The database may not use as much of the disk as is set.
    #[error("the disk budget cannot be set")]
    Budget(#[source] StoreError),
    /// The database cannot be read.
    #[error("the database cannot be read")]
    Read(#[source] StoreError),
    /// The certificate cannot be used.
    #[error(transparent)]
    Tls(#[from] TlsError),
    /// A port cannot be listened on.
    #[error("cannot listen on {address} for {what}; stop what uses the port, or choose another in the settings")]
    Listen {
        /// The address and port.
        address: SocketAddr,
        /// What was to be spoken there.
        what: &'static str,
        /// What the system said.
        #[source]
        cause: std::io::Error,
    },
    /// The port of HTTP cannot be listened on.
    #[error("cannot listen on {address} ({cause}); stop what uses the port, or choose another with --http")]
    ListenHttp {
        /// The address and port.
        address: SocketAddr,
        /// What the system said.
        cause: String,
    },
    /// The HTTP server does not run.
    #[error("the HTTP server cannot run: {0}")]
    Http(String),
    /// A task ended that should go on for ever.
    #[error("the task for {name} ended ({why}); start the service again, and report what the log says before this")]
    TaskEnded {
        /// What the task was for.
        name: &'static str,
        /// How it ended.
        why: String,
    },
}

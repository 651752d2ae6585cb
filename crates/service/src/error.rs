//! Why the service cannot start, or ended.

use lantern_store::{Cause, OpenError, StoreError};
use std::net::SocketAddr;
use std::path::PathBuf;
use tokio_rustls::rustls;
use tokio_rustls::rustls::pki_types::pem;

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
    /// What callouts are sent by cannot be used.
    #[error("{0}")]
    Outside(String),
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

/// Why a certificate cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum TlsError {
    /// A file without a certificate.
    #[error("{} holds no certificate in PEM", .0.display())]
    Empty(PathBuf),
    /// Certificates that cannot be read.
    #[error("the certificates in {} cannot be read", .0.display())]
    Certificates(PathBuf, #[source] pem::Error),
    /// A private key that cannot be read.
    #[error("the private key in {} cannot be read", .0.display())]
    Key(PathBuf, #[source] pem::Error),
    /// The library cannot be set up.
    #[error("TLS cannot be set up")]
    SetUp(#[source] rustls::Error),
    /// Certificates that cannot be believed.
    #[error("the certificates in {} cannot be used to check those of clients", .0.display())]
    Clients(PathBuf, #[source] Cause),
    /// A certificate and a key that do not belong together.
    #[error("{} and {} do not fit", .certificate.display(), .key.display())]
    Unfit {
        /// The file of the certificate.
        certificate: PathBuf,
        /// The file of the key.
        key: PathBuf,
        /// What the library said.
        #[source]
        cause: rustls::Error,
    },
}

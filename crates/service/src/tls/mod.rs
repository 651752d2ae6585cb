//! TLS: certificates from PEM files, read again when they change, and who is at
//! the other end.

use crate::error::TlsError;
use crate::settings::Settings;
use lantern_api::HealthPart;
use lantern_core::Moment;
use lantern_store::{Cause, with_sources};
use std::path::{Path, PathBuf};
use std::sync::{Arc, PoisonError, RwLock};
use std::time::{Duration, SystemTime};
use tokio_rustls::TlsAcceptor;
use tokio_rustls::rustls::crypto::ring;
use tokio_rustls::rustls::pki_types::pem::PemObject;
use tokio_rustls::rustls::pki_types::{CertificateDer, PrivateKeyDer};
use tokio_rustls::rustls::server::WebPkiClientVerifier;
use tokio_rustls::rustls::{RootCertStore, ServerConfig};

/// Days before its end from which on a certificate is not well.
const SOON_DAYS: f64 = 7.0;
/// How often the files are looked at.
const LOOK: Duration = Duration::from_secs(2);

/// The service's certificate, as its files have it now.
pub(crate) struct Certificates {
    files: Files,
    current: RwLock<Current>,
}

/// What connections are accepted with.
#[derive(Clone)]
struct Current {
    config: Arc<ServerConfig>,
    /// When the certificate in it ends, if it says so.
    ends_at: Option<Moment>,
}

struct Files {
    certificate: PathBuf,
    key: PathBuf,
    /// Whose certificates of clients are believed.
    clients: Option<PathBuf>,
}

impl Certificates {
    /// Reads the files that the settings name; `None` if they name none.
    ///
    /// # Errors
    /// [`TlsError`].
    pub(crate) fn load(settings: &Settings) -> Result<Option<Arc<Self>>, TlsError> {
        let path = |text: &str| (!text.is_empty()).then(|| PathBuf::from(text));
        let (Some(certificate), Some(key)) = (path(&settings.tls_certificate), path(&settings.tls_key)) else {
            return Ok(None);
        };
        let files = Files { certificate, key, clients: path(&settings.tls_clients) };
        let current = RwLock::new(files.read()?);
        Ok(Some(Arc::new(Self { files, current })))
    }

    fn current(&self) -> Current {
        self.current.read().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// When the service's certificate ends, if it says so.
    pub(crate) fn ends_at(&self) -> Option<Moment> {
        self.current().ends_at
    }

    /// How it is doing.
    pub(crate) fn health(&self, now: Moment) -> HealthPart {
        let (is_well, detail) = match self.ends_at() {
            None => (false, "When it ends cannot be read from its file.".to_owned()),
            Some(end) if end <= now => (false, format!("It ended on {end}; put a new one into its place.")),
            Some(end) => {
                let days = end.seconds_since(now) / 86_400.0;
                (days > SOON_DAYS, format!("It ends in {days:.0} days, on {end}."))
            }
        };
        HealthPart { name: "certificate".to_owned(), is_well, detail }
    }

    /// What the next connection is accepted with.
    pub(crate) fn acceptor(&self) -> TlsAcceptor {
        TlsAcceptor::from(self.current().config)
    }

    /// Reads the files again whenever they change. Connections there are go on with
    /// what they began with; files that are not right change nothing.
    pub(crate) async fn watch(self: Arc<Self>) {
        let mut known = self.files.stamps();
        loop {
            tokio::time::sleep(LOOK).await;
            let now = self.files.stamps();
            if now == known {
                continue;
            }
            known = now;
            match self.files.read() {
                Ok(current) => {
                    *self.current.write().unwrap_or_else(PoisonError::into_inner) = current;
                    tracing::info!("the TLS certificate was read again");
                }
                Err(error) => {
                    tracing::warn!(error = %with_sources(&error), "the TLS certificate has changed and is not right; the old one stays");
                }
            }
        }
    }
}

fn certificates(file: &Path) -> Result<Vec<CertificateDer<'static>>, TlsError> {
    let read = CertificateDer::pem_file_iter(file).and_then(Iterator::collect::<Result<Vec<_>, _>>);
    match read {
        Ok(found) if found.is_empty() => Err(TlsError::Empty(file.to_owned())),
        Ok(found) => Ok(found),
        Err(cause) => Err(TlsError::Certificates(file.to_owned(), cause)),
    }
}

fn end_of(certificate: &CertificateDer<'_>) -> Option<Moment> {
    let (_, certificate) = x509_parser::parse_x509_certificate(certificate).ok()?;
    Moment::from_epoch(certificate.validity().not_after.timestamp() as f64).ok()
}

impl Files {
    fn read(&self) -> Result<Current, TlsError> {
        let chain = certificates(&self.certificate)?;
        let ends_at = chain.first().and_then(end_of);
        let key = PrivateKeyDer::from_pem_file(&self.key).map_err(|cause| TlsError::Key(self.key.clone(), cause))?;
        let provider = Arc::new(ring::default_provider());
        let builder = ServerConfig::builder_with_provider(provider.clone())
            .with_safe_default_protocol_versions()
            .map_err(TlsError::SetUp)?;
        let builder = match &self.clients {
            None => builder.with_no_client_auth(),
            Some(file) => {
                let unusable = |cause: Cause| TlsError::Clients(file.clone(), cause);
                let mut roots = RootCertStore::empty();
                for certificate in certificates(file)? {
                    roots.add(certificate).map_err(|cause| unusable(cause.into()))?;
                }
                let verifier = WebPkiClientVerifier::builder_with_provider(Arc::new(roots), provider)
                    .allow_unauthenticated()
                    .build()
                    .map_err(|cause| unusable(cause.into()))?;
                builder.with_client_cert_verifier(verifier)
            }
        };
        let config = builder.with_single_cert(chain, key).map_err(|cause| TlsError::Unfit {
            certificate: self.certificate.clone(),
            key: self.key.clone(),
            cause,
        })?;
        Ok(Current { config: Arc::new(config), ends_at })
    }

    fn stamps(&self) -> Vec<Option<SystemTime>> {
        let files = [Some(&self.certificate), Some(&self.key), self.clients.as_ref()];
        files.into_iter().flatten().map(|file| std::fs::metadata(file).and_then(|m| m.modified()).ok()).collect()
    }
}

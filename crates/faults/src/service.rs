//! The service that things go wrong around.

use crate::control::Control;
use crate::load::Place;
use anyhow::{Context, Result, bail, ensure};
use lantern_launch::{Launch, Launched};
use rcgen::{BasicConstraints, CertificateParams, CertifiedIssuer, IsCa, KeyPair};
use reqwest::Method;
use rustls::pki_types::CertificateDer;
use rustls::pki_types::ServerName;
use rustls::pki_types::pem::PemObject;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, Instant};
use tokio::net::TcpStream;
use tokio::time::sleep;

/// The longest the service may take until it answers again.
const PATIENCE: Duration = Duration::from_secs(60);
const LOOK: Duration = Duration::from_millis(50);

/// The service, its files and its certificates.
pub(crate) struct Service {
    launch: Launch,
    launched: Launched,
    pub(crate) control: Control,
    pub(crate) place: Place,
    folder: PathBuf,
    https: u16,
    authority: CertifiedIssuer<'static, KeyPair>,
    token: String,
    /// How often it has ended by itself.
    pub(crate) ended: u32,
}

fn built(name: &str) -> Result<PathBuf> {
    let own = std::env::current_exe()?;
    let found = own.parent().context("no folder of programs")?.join(name);
    ensure!(found.is_file(), "{} is missing; run `cargo xtask faults`, which builds it", found.display());
    Ok(found)
}

impl Service {
    /// Starts a service with an owner and a site in a folder.
    pub(crate) async fn start(folder: &Path) -> Result<Self> {
        let mut params = CertificateParams::new(Vec::new())?;
        params.is_ca = IsCa::Ca(BasicConstraints::Unconstrained);
        let authority = CertifiedIssuer::self_signed(params, KeyPair::generate()?)?;
        issue(&authority, folder)?;
        let data = folder.join("data");
        let control = Control::new(folder.join("mishap"))?;
        let file = |name: &str| folder.join(name).display().to_string();
        let launch = Launch::new(&built("key-lantern")?, &data)
            .variable("LD_PRELOAD", &built("liblantern_mishap.so")?.display().to_string())
            .variable("LANTERN_MISHAP", &control.path().display().to_string())
            .variable("LANTERN_MISHAP_FOLDER", &data.display().to_string())
            .log_to(&folder.join("service.log"))
            .setting("tls_certificate", &file("certificate.pem"))
            .setting("tls_key", &file("key.pem"))
            .setting("https", "127.0.0.1:0")
            .setting("callouts_may_be_private", "true")
            .setting("public_url", "http://lantern.example")
            .setting("mqtts", "off");
        let unlimited = ["readings_at_once", "readings_per_s", "requests_at_once", "requests_per_s"];
        let launch = unlimited.iter().fold(launch, |launch, name| launch.setting(name, "1000000000"));
        let launched = launch.start()?;
        let port = |scheme: &str| launched.said.at(scheme).map(|at| at.port()).with_context(|| format!("no {scheme}"));
        let (https, mqtt) = (port("https")?, port("mqtt")?);
        let place = Place { url: launched.said.url.clone(), mqtt };
        let http = place.http().context("no port of HTTP")?;
        let launch = launch.on(http, mqtt).setting("https", &format!("127.0.0.1:{https}"));
        let code = launched.said.code.clone().context("no set-up code")?;
        let folder = folder.to_owned();
        let token = String::new();
        let mut service = Self { launch, launched, control, place, folder, https, authority, token, ended: 0 };
        let person = json!({"code": code, "name": "ann", "password": "steam and brass", "token": true});
        let answer = service.call(Method::POST, "set-up", Some(person)).await?;
        service.token = answer["token"].as_str().context("no token")?.to_owned();
        let site = json!({"name": "Marlbeck Light Railway", "code": "marlbeck", "zone": "Europe/London"});
        service.call(Method::POST, "sites", Some(site)).await?;
        Ok(service)
    }

    /// A call to the API.
    pub(crate) async fn call(&self, method: Method, path: &str, body: Option<Value>) -> Result<Value> {
        // Connections of before may be dead.
        let client = reqwest::Client::builder().timeout(PATIENCE).pool_max_idle_per_host(0).build()?;
        let mut request = client.request(method, format!("{}/api/v1/{path}", self.place.url)).bearer_auth(&self.token);
        if let Some(body) = body {
            request = request.json(&body);
        }
        let answer = request.send().await?;
        let (status, text) = (answer.status(), answer.text().await?);
        ensure!(status.is_success(), "{path}: {status} {text}");
        Ok(serde_json::from_str(&text).unwrap_or_default())
    }

    /// All items of a list, page by page. The path has a query already.
    pub(crate) async fn list(&self, path: &str) -> Result<Vec<Value>> {
        let mut items = Vec::new();
        let mut after = String::new();
        loop {
            let page = self.call(Method::GET, &format!("{path}{after}"), None).await?;
            items.extend(page["items"].as_array().context("no items")?.iter().cloned());
            match page["next"].as_str() {
                Some(next) => after = format!("&after={next}"),
                None => return Ok(items),
            }
        }
    }

    /// Makes a device that is relied upon, and gives back its key. Its counts are kept
    /// for years: a clock that leaps further must not delete them.
    pub(crate) async fn device(&self, code: &str) -> Result<String> {
        let signals = json!([{"code": "count", "type": "number"}, {"code": "wrong", "type": "flag"}]);
        let device = json!({"code": code, "name": code, "interval_s": 30, "state": "live", "signals": signals});
        self.call(Method::POST, "sites/marlbeck/devices", Some(device)).await?;
        let retention = json!({"raw_s": 1_000 * 86_400});
        let path = format!("sites/marlbeck/devices/{code}/signals/count/retention");
        self.call(Method::PUT, &path, Some(retention)).await?;
        let key = self.call(Method::POST, &format!("sites/marlbeck/devices/{code}/keys"), Some(json!({}))).await?;
        Ok(key["key"].as_str().context("no key")?.to_owned())
    }

    /// The process.
    pub(crate) fn id(&self) -> u32 {
        self.launched.id()
    }

    pub(crate) fn kill(&mut self) -> Result<()> {
        Ok(self.launched.kill()?)
    }

    pub(crate) fn stop(&mut self) -> Result<()> {
        let status = self.launched.stop(PATIENCE)?;
        ensure!(status.success(), "asked to stop, it ended with {status}");
        Ok(())
    }

    pub(crate) fn start_again(&mut self) -> Result<()> {
        self.launched = self.launch.start()?;
        Ok(())
    }

    /// Starts it again if it has ended by itself, which is for whoever supervises it to do.
    pub(crate) fn revive(&mut self) -> Result<()> {
        if self.launched.ended()?.is_some() {
            self.ended += 1;
            self.start_again()?;
        }
        Ok(())
    }

    /// Waits until it is well, and says how long that took.
    pub(crate) async fn wait_until_well(&mut self) -> Result<Duration> {
        let begun = Instant::now();
        let client = reqwest::Client::builder().timeout(Duration::from_secs(5)).pool_max_idle_per_host(0).build()?;
        loop {
            self.revive()?;
            let said = match client.get(format!("{}/api/v1/health", self.place.url)).send().await {
                Ok(answer) if answer.status().is_success() => return Ok(begun.elapsed()),
                Ok(answer) => answer.text().await.unwrap_or_default(),
                Err(error) => error.to_string(),
            };
            if begun.elapsed() > PATIENCE {
                bail!("it is not well after {PATIENCE:?}: {said}");
            }
            sleep(LOOK).await;
        }
    }

    /// Gives the service another certificate and waits until it shows it.
    pub(crate) async fn new_certificate(&self) -> Result<()> {
        let expected = issue(&self.authority, &self.folder)?;
        let begun = Instant::now();
        while self.shown_certificate().await.ok().as_ref() != Some(&expected) {
            ensure!(begun.elapsed() < PATIENCE, "it does not show its new certificate");
            sleep(LOOK).await;
        }
        Ok(())
    }

    async fn shown_certificate(&self) -> Result<CertificateDer<'static>> {
        let mut roots = rustls::RootCertStore::empty();
        roots.add(CertificateDer::from_pem_slice(self.authority.pem().as_bytes())?)?;
        let config = rustls::ClientConfig::builder().with_root_certificates(roots).with_no_client_auth();
        let stream = TcpStream::connect(("127.0.0.1", self.https)).await?;
        let connector = tokio_rustls::TlsConnector::from(Arc::new(config));
        let stream = connector.connect(ServerName::try_from("localhost")?, stream).await?;
        let shown = stream.get_ref().1.peer_certificates().and_then(<[_]>::first).context("no certificate")?;
        Ok(shown.clone().into_owned())
    }
}

/// Writes a new certificate with its key into a folder.
fn issue(authority: &CertifiedIssuer<'static, KeyPair>, folder: &Path) -> Result<CertificateDer<'static>> {
    let key = KeyPair::generate()?;
    let certificate = CertificateParams::new(vec!["localhost".to_owned()])?.signed_by(&key, authority)?;
    std::fs::write(folder.join("key.pem"), key.serialize_pem())?;
    std::fs::write(folder.join("certificate.pem"), certificate.pem())?;
    Ok(certificate.der().clone())
}

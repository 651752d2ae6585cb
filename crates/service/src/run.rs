//! Running the service: start and graceful stop.

use crate::announce::announce;
use crate::error::ServeError;
use crate::mqtt;
use crate::settings::{Listen, Settings};
use crate::sockets::bind;
use crate::supervisor::Supervisor;
use crate::tls::{Certificates, Door};
use lantern_core::allowance::Allowance;
use lantern_engine::{Engine, Limits, Task};
use lantern_http::files::Files;
use lantern_http::{Addresses, Interface, Peers, SetUpCode};
use lantern_store::Store;
use rocket::config::{Ident, LogLevel, Shutdown as ShutdownConfig};
use rocket::error::ErrorKind;
use rocket::fairing::AdHoc;
use rocket::{Build, Rocket, Shutdown};
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;
use tokio::net::TcpListener;
use tokio::signal::unix::{SignalKind, signal};
use tokio::sync::oneshot;

/// How long requests may go on when a task has died.
const LAST_REQUESTS: Duration = Duration::from_secs(10);

/// Runs the service until SIGINT or SIGTERM, with the console's files.
///
/// # Errors
/// [`ServeError`]: the data directory cannot be used, a port is taken, a task died.
pub fn serve(settings: Settings, files: Arc<dyn Files>) -> Result<(), ServeError> {
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build().map_err(ServeError::Runtime)?;
    runtime.block_on(Box::pin(run(settings, files)))
}

async fn run(settings: Settings, files: Arc<dyn Files>) -> Result<(), ServeError> {
    let store = Store::open(&settings.data).await?;
    store.set_disk_budget(settings.disk_budget_mb << 20).await.map_err(ServeError::Budget)?;
    let set_up = Arc::new(SetUpCode::new(!store.has_people().await.map_err(ServeError::Read)?));
    let engine = Engine::open(Arc::new(store), &limits(&settings)).await.map_err(ServeError::Read)?;
    let engine = Arc::new(engine);
    let certificates = Certificates::load(&settings)?;
    let mut supervisor = Supervisor::default();
    engine.tasks().into_iter().for_each(|task| supervisor.start(task));
    let (mqtt, addresses) = mqtt::start(&engine, &settings, certificates.as_ref(), &mut supervisor).await?;
    let peers = Arc::<Peers>::default();
    let interface = Interface {
        engine: engine.clone(),
        settings: lantern_http::Settings {
            data: settings.data.clone(),
            secure_cookies: settings.secure_cookies,
            public_url: settings.public_url.clone(),
        },
        set_up: set_up.clone(),
        peers: peers.clone(),
        files,
        addresses,
        sockets: Arc::new(mqtt::WebSockets::new(&mqtt)),
    };
    let https = match (settings.https, &certificates) {
        (Listen::At(address), Some(_)) => Some(bind(address, "https").await?),
        _ => None,
    };
    let https_address = https.as_ref().and_then(|listener| listener.local_addr().ok());
    let (rocket, up) = with_announcement(lantern_http::build(interface, config(settings.http)), https_address, set_up);
    let rocket = rocket.ignite().await.map_err(|error| http_error(&settings, error.kind()))?;
    if let Some(certificates) = certificates {
        if let Some(listener) = https {
            supervisor.start(Task::new("HTTPS", https_door(up, listener, peers, certificates.clone())));
        }
        supervisor.start(Task::new("the TLS certificate", certificates.watch()));
    }
    supervisor.start(Task::new("signals", stop_on_signal(rocket.shutdown())));
    let ended = until_the_end(rocket, &mut supervisor, &settings).await;
    mqtt.stop().await;
    supervisor.stop().await;
    engine.close().await;
    tracing::info!("stopped");
    ended
}

fn limits(settings: &Settings) -> Limits {
    Limits {
        requests: Allowance { capacity: settings.requests_at_once, per_second: settings.requests_per_s },
        readings: Allowance { capacity: settings.readings_at_once, per_second: settings.readings_per_s },
    }
}

/// Serves requests until the service is told to stop, or a task dies.
async fn until_the_end(
    rocket: Rocket<rocket::Ignite>,
    supervisor: &mut Supervisor,
    settings: &Settings,
) -> Result<(), ServeError> {
    let stop = rocket.shutdown();
    let mut launch = Box::pin(rocket.launch());
    tokio::select! {
        launched = &mut launch => launched.map(drop).map_err(|error| http_error(settings, error.kind())),
        error = supervisor.first_end() => {
            tracing::error!(%error, "stopping, because a task has died");
            stop.notify();
            let _ = tokio::time::timeout(LAST_REQUESTS, launch).await;
            Err(error)
        }
    }
}

fn http_error(settings: &Settings, kind: &ErrorKind) -> ServeError {
    match kind {
        ErrorKind::Bind(cause) => ServeError::ListenHttp { address: settings.http, cause: cause.to_string() },
        other => ServeError::Http(other.to_string()),
    }
}

fn config(http: SocketAddr) -> rocket::Config {
    rocket::Config {
        address: http.ip(),
        port: http.port(),
        log_level: LogLevel::Off,
        cli_colors: false,
        ident: Ident::none(),
        // Nobody's word is taken for where a request came from.
        ip_header: None,
        keep_alive: 60,
        // Signals are handled here, so that a second one can force the end.
        shutdown: ShutdownConfig {
            ctrlc: false,
            signals: std::collections::HashSet::new(),
            grace: 5,
            mercy: 2,
            ..ShutdownConfig::default()
        },
        ..rocket::Config::default()
    }
}

/// Announces the service when it is up; what is given then receives where HTTP is spoken.
fn with_announcement(
    rocket: Rocket<Build>,
    https: Option<SocketAddr>,
    set_up: Arc<SetUpCode>,
) -> (Rocket<Build>, oneshot::Receiver<SocketAddr>) {
    let (tell, up) = oneshot::channel();
    let rocket = rocket.attach(AdHoc::on_liftoff("announce", move |rocket| {
        Box::pin(async move {
            let addresses = rocket.state::<Addresses>().copied().unwrap_or_default();
            let config = rocket.config();
            let _ = tell.send((config.address, config.port).into());
            announce(rocket, addresses, https, &set_up);
        })
    }));
    (rocket, up)
}

async fn https_door(
    up: oneshot::Receiver<SocketAddr>,
    listener: TcpListener,
    peers: Arc<Peers>,
    certificates: Arc<Certificates>,
) {
    // If HTTP does not come up, the service ends for that reason.
    match up.await {
        Ok(http) => Door::http(http, peers).open(listener, certificates).await,
        Err(_) => std::future::pending().await,
    }
}

async fn stop_on_signal(stop: Shutdown) {
    let (Ok(mut interrupt), Ok(mut terminate)) = (signal(SignalKind::interrupt()), signal(SignalKind::terminate()))
    else {
        tracing::error!("signals cannot be handled");
        return;
    };
    let mut wait = async || tokio::select! { _ = interrupt.recv() => {}, _ = terminate.recv() => {} };
    wait().await;
    tracing::info!("stopping: finishing what was accepted; a second signal forces the end");
    stop.notify();
    wait().await;
    tracing::warn!("forced to stop");
    std::process::exit(1);
}

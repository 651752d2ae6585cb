//! Running the service: start and graceful stop.

use crate::announce::Announced;
use crate::door::{Behind, Door, HttpServer, Patience};
use crate::error::ServeError;
use crate::metrics::{self, Metrics};
use crate::mqtt;
use crate::outside;
use crate::settings::{Listen, Settings};
use crate::sockets::{allow_files, bind};
use crate::supervisor::Supervisor;
use crate::tls::Certificates;
use lantern_core::allowance::Allowance;
use lantern_core::places::Places;
use lantern_engine::{Engine, Limits, Task};
use lantern_http::files::Files;
use lantern_http::{Interface, Peers, SetUpCode};
use lantern_store::Store;
use rocket::config::{Ident, LogLevel, Shutdown as ShutdownConfig};
use rocket::fairing::AdHoc;
use rocket::{Build, Rocket, Shutdown};
use std::net::{Ipv4Addr, SocketAddr};
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
    allow_files();
    let store = Store::open(&settings.data).await?;
    store.set_disk_budget(settings.disk_budget_mb << 20).await.map_err(ServeError::Budget)?;
    let set_up = Arc::new(SetUpCode::new(!store.has_people().await.map_err(ServeError::Read)?));
    let engine = Engine::open(Arc::new(store), &limits(&settings)).await.map_err(ServeError::Read)?;
    let engine = Arc::new(engine);
    engine.callouts.open(outside::post(&settings).map_err(ServeError::Outside)?);
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
    let mut fronts = Vec::new();
    if let Listen::At(address) = settings.http {
        fronts.push(Front { listener: bind(address, "HTTP").await?, certificates: None });
    }
    if let (Listen::At(address), Some(certificates)) = (settings.https, &certificates) {
        let listener = bind(address, "HTTP over TLS").await?;
        fronts.push(Front { listener, certificates: Some(certificates.clone()) });
    }
    let announced = Announced { web: fronts.iter().filter_map(Front::address).collect(), mqtt: addresses, set_up };
    let (rocket, up) = with_announcement(lantern_http::build(interface, config()), announced);
    let rocket = rocket.ignite().await.map_err(|error| ServeError::Http(error.kind().to_string()))?;
    let places = Places::new(settings.http_connections as usize, settings.http_connections as usize / 4);
    if let Listen::At(address) = settings.metrics {
        let (engine, mqtt, http, certificates) = (engine.clone(), mqtt.clone(), places.clone(), certificates.clone());
        let metrics = Metrics { engine, mqtt, http, certificates };
        supervisor.start(Task::new("metrics", Box::pin(metrics::serve(metrics, address))));
    }
    let stop = rocket.shutdown();
    supervisor.start(Task::new("HTTP", open_doors(up, fronts, peers, places, stop)));
    if let Some(certificates) = certificates {
        let shown = certificates.clone();
        engine.healths.add(Box::new(move |now| shown.health(now)));
        supervisor.start(Task::new("the TLS certificate", certificates.watch()));
    }
    supervisor.start(Task::new("signals", stop_on_signal(rocket.shutdown())));
    engine.healths.add(supervisor.health());
    let ended = until_the_end(rocket, &mut supervisor).await;
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
async fn until_the_end(rocket: Rocket<rocket::Ignite>, supervisor: &mut Supervisor) -> Result<(), ServeError> {
    let stop = rocket.shutdown();
    let mut launch = Box::pin(rocket.launch());
    tokio::select! {
        launched = &mut launch => launched.map(drop).map_err(|error| ServeError::Http(error.kind().to_string())),
        error = supervisor.first_end() => {
            tracing::error!(%error, "stopping, because a task has died");
            stop.notify();
            let _ = tokio::time::timeout(LAST_REQUESTS, launch).await;
            Err(error)
        }
    }
}

/// Where the console and the API are reached.
struct Front {
    listener: TcpListener,
    /// Where TLS is spoken.
    certificates: Option<Arc<Certificates>>,
}

impl Front {
    fn address(&self) -> Option<(&'static str, SocketAddr)> {
        let scheme = if self.certificates.is_some() { "https" } else { "http" };
        self.listener.local_addr().ok().map(|address| (scheme, address))
    }
}

/// The HTTP server itself listens on this machine only, behind the doors.
fn config() -> rocket::Config {
    rocket::Config {
        address: Ipv4Addr::LOCALHOST.into(),
        port: 0,
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

/// Announces the service when it is up; what is given then receives where the HTTP server listens.
fn with_announcement(rocket: Rocket<Build>, announced: Announced) -> (Rocket<Build>, oneshot::Receiver<SocketAddr>) {
    let (tell, up) = oneshot::channel();
    let rocket = rocket.attach(AdHoc::on_liftoff("announce", move |rocket| {
        Box::pin(async move {
            let config = rocket.config();
            let _ = tell.send((config.address, config.port).into());
            announced.print();
        })
    }));
    (rocket, up)
}

async fn open_doors(
    up: oneshot::Receiver<SocketAddr>,
    fronts: Vec<Front>,
    peers: Arc<Peers>,
    places: Arc<Places>,
    stop: Shutdown,
) {
    // If HTTP does not come up, the service ends for that reason.
    let Ok(address) = up.await else { return std::future::pending().await };
    let server = Arc::new(HttpServer { address, peers, places, patience: Patience::default() });
    let open = |front: Front| Door::new(Behind::Http(server.clone()), front.certificates).open(front.listener);
    let doors = futures::future::join_all(fronts.into_iter().map(open));
    // Once the service stops, nobody is let in any more; those who are in are answered.
    futures::future::select(Box::pin(doors), stop).await;
    std::future::pending::<()>().await;
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

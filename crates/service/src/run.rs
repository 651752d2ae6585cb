//! Running the service: start, tasks beside it, graceful stop.

use crate::app::App;
use crate::mqtt::Addresses;
use crate::settings::{Listen, Settings};
use crate::tls::{self, Certificates};
use crate::{clock, mqtt, routes};
use lantern_store::Store;
use rocket::config::{Ident, LogLevel, Shutdown as ShutdownConfig};
use rocket::fairing::AdHoc;
use rocket::{Build, Orbit, Rocket, Shutdown};
use std::io::Write;
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;
use tokio::net::TcpListener;
use tokio::signal::unix::{SignalKind, signal};
use tokio::task::JoinSet;

const LIVE_TICK: Duration = Duration::from_millis(100);
const PRESENCE_TICK: Duration = Duration::from_secs(1);
const FLUSH_TICK: Duration = Duration::from_secs(10);
const CONTACT_TICK: Duration = Duration::from_secs(1);
const TRIM_TICK: Duration = Duration::from_secs(60);
const RETAIN_TICK: Duration = Duration::from_secs(1_800);
const SWEEP_TICK: Duration = Duration::from_secs(60);
/// What was removed is swept no sooner, in seconds: longer than a delivery takes.
const SWEEP_AFTER_S: f64 = 60.0;

/// Runs the service until SIGINT or SIGTERM.
///
/// # Errors
/// One sentence for the operator: the data directory cannot be used, the port is
/// taken, and the like.
pub async fn serve(settings: Settings) -> Result<(), String> {
    let store = Store::open(&settings.data).await.map_err(|e| e.to_string())?;
    store
        .set_disk_budget(settings.disk_budget_mb << 20)
        .await
        .map_err(|e| format!("the disk budget cannot be set: {e}"))?;
    let app = App::new(store, settings.clone()).await.map_err(|e| format!("the database cannot be read: {e}"))?;
    let app = Arc::new(app);
    let mut tasks = JoinSet::new();
    let certificates = Certificates::load(&app.settings)?;
    let (mqtt, addresses) = mqtt::start(&app, certificates.as_ref(), &mut tasks).await?;
    let _ = app.mqtt.set(addresses);
    let https = match (app.settings.https, certificates.clone()) {
        (Listen::At(address), Some(certificates)) => Some((tls::bind(address, "https").await?, certificates)),
        _ => None,
    };
    if let Some(certificates) = certificates {
        tasks.spawn(certificates.watch());
    }
    let rocket = build(app.clone(), addresses, https).ignite().await.map_err(|e| {
        // Rocket's error insists on having been looked at.
        format!("the service cannot start: {:?}", e.kind())
    })?;
    tasks.spawn(stop_on_signal(rocket.shutdown()));
    tasks.spawn(tend(app.clone()));
    tasks.spawn(sweep(app.clone()));
    tasks.spawn(retain(app.clone()));
    tasks.spawn(commands(app.clone()));
    tasks.spawn(crate::meaning::Deriver::run(app.clone()));
    tasks.spawn(crate::meaning::Jobs::run(app.clone()));
    let launched = rocket.launch().await.map(drop);
    mqtt.stop().await;
    tasks.shutdown().await;
    close(&app).await;
    match launched {
        Ok(()) => Ok(()),
        Err(error) => Err(match error.kind() {
            rocket::error::ErrorKind::Bind(cause) => format!(
                "cannot listen on {} ({cause}); stop what uses the port, or choose another with --http",
                settings.http
            ),
            other => format!("the service cannot run: {other}"),
        }),
    }
}

async fn close(app: &App) {
    if let Err(error) = app.heard.flush(&app.store).await {
        tracing::warn!(%error, "the last contacts were not noted");
    }
    if let Err(error) = app.contacts.flush(&app.store, &app.hub).await {
        tracing::warn!(%error, "the end of the contact log was not written");
    }
    if let Err(error) = app.links.flush(&app.store, clock::now()).await {
        tracing::warn!(%error, "the last link figures were not written");
    }
    app.store.close().await;
    tracing::info!("stopped");
}

type Https = Option<(TcpListener, Arc<Certificates>)>;

fn build(app: Arc<App>, mqtt: Addresses, https: Https) -> Rocket<Build> {
    let http = app.settings.http;
    let config = rocket::Config {
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
    };
    let peers = app.peers.clone();
    routes::mount(rocket::custom(config).manage(app)).attach(AdHoc::on_liftoff("announce", move |rocket| {
        Box::pin(async move {
            let config = rocket.config();
            let https_address = https.as_ref().and_then(|(listener, _)| listener.local_addr().ok());
            if let Some((listener, certificates)) = https {
                let door = tls::Door::http((config.address, config.port).into(), peers);
                let stop = rocket.shutdown();
                tokio::spawn(async move {
                    tokio::select! {
                        () = door.open(listener, certificates) => {}
                        () = stop => {}
                    }
                });
            }
            announce(rocket, mqtt, https_address);
        })
    }))
}

/// Prints where the service is, for people and for programs that start it.
fn announce(rocket: &Rocket<Orbit>, mqtt: Addresses, https: Option<SocketAddr>) {
    let config = rocket.config();
    let ip = if config.address.is_unspecified() { "127.0.0.1".to_owned() } else { config.address.to_string() };
    let ip = if ip.contains(':') { format!("[{ip}]") } else { ip };
    let address = format!("http://{ip}:{}", config.port);
    tracing::info!(%address, "listening");
    let mut lines = format!("Key Lantern is at {address}\n");
    let others =
        [("MQTT", "mqtt", mqtt.plain), ("MQTT over TLS", "mqtts", mqtt.tls), ("HTTP over TLS", "https", https)];
    for (what, scheme, address) in others {
        if let Some(address) = address {
            tracing::info!(%address, "listening for {what}");
            lines += &format!("{what} is at {scheme}://{address}\n");
        }
    }
    if let Some(code) = rocket.state::<Arc<App>>().and_then(|app| app.set_up.current()) {
        lines += &format!("Set up the first person at {address}/set-up?code={code}\n");
        lines += &format!("or with: lantern login {address} --setup {code}\n");
    }
    // Whoever started it may have stopped listening: no reason to end.
    let _ = std::io::stdout().write_all(lines.as_bytes());
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

async fn tend(app: Arc<App>) {
    let mut live = tokio::time::interval(LIVE_TICK);
    let mut presence = tokio::time::interval(PRESENCE_TICK);
    let mut flush = tokio::time::interval(FLUSH_TICK);
    let mut contacts = tokio::time::interval(CONTACT_TICK);
    let mut trim = tokio::time::interval(TRIM_TICK);
    loop {
        tokio::select! {
            _ = live.tick() => app.hub.tick(),
            _ = presence.tick() => app.heard.judge(clock::now(), &app.hub),
            _ = flush.tick() => if let Err(error) = app.heard.flush(&app.store).await {
                tracing::warn!(%error, "contacts were not noted");
            } else if let Err(error) = app.links.flush(&app.store, clock::now()).await {
                tracing::warn!(%error, "link figures were not written");
            },
            _ = contacts.tick() => if let Err(error) = app.contacts.flush(&app.store, &app.hub).await {
                tracing::warn!(%error, "the contact log was not written");
            },
            _ = trim.tick() => if let Err(error) = app.contacts.trim(&app.store, clock::now()).await {
                tracing::warn!(%error, "the contact log was not trimmed");
            },
        }
    }
}

async fn commands(app: Arc<App>) {
    loop {
        app.commands.tend(&app).await;
    }
}

async fn sweep(app: Arc<App>) {
    let mut tick = tokio::time::interval(SWEEP_TICK);
    loop {
        tick.tick().await;
        loop {
            match app.store.sweep(clock::now().plus_seconds(-SWEEP_AFTER_S)).await {
                Ok(true) => {}
                Ok(false) => break,
                Err(error) => {
                    tracing::warn!(%error, "what was removed could not be swept away yet");
                    break;
                }
            }
        }
    }
}

async fn retain(app: Arc<App>) {
    let mut tick = tokio::time::interval(RETAIN_TICK);
    loop {
        tick.tick().await;
        match app.store.retain(clock::now()).await {
            Ok(forgotten) if forgotten.readings > 0 => tracing::info!(
                readings = forgotten.readings,
                summarized = forgotten.summarized,
                "readings that were no longer to be kept were deleted"
            ),
            Ok(_) => {}
            Err(error) => tracing::warn!(%error, "what is no longer to be kept could not be deleted yet"),
        }
    }
}

//! Figures for machines in the open text format OpenMetrics 1.0, at an address of their own.

use crate::tls::Certificates;
use lantern_core::places::Places;
use lantern_engine::{Engine, clock};
use lantern_mqtt::shell::Server;
use rocket::config::{Config, Ident, LogLevel, Shutdown};
use rocket::http::ContentType;
use rocket::{State, get, routes};
use std::fmt::Write;
use std::net::SocketAddr;
use std::sync::Arc;

/// Where figures come from.
pub(crate) struct Metrics {
    pub(crate) engine: Arc<Engine>,
    pub(crate) mqtt: Arc<Server>,
    pub(crate) http: Arc<Places>,
    pub(crate) certificates: Option<Arc<Certificates>>,
}

/// Serves them at an address until the service stops.
pub(crate) async fn serve(metrics: Metrics, address: SocketAddr) {
    let config = Config {
        address: address.ip(),
        port: address.port(),
        log_level: LogLevel::Off,
        ident: Ident::none(),
        shutdown: Shutdown { ctrlc: false, signals: std::collections::HashSet::new(), ..Shutdown::default() },
        ..Config::default()
    };
    let rocket = rocket::custom(config).manage(metrics).mount("/", routes![figures]);
    if let Err(error) = rocket.launch().await {
        tracing::error!(%error, %address, "metrics cannot be served");
    }
}

#[get("/metrics")]
async fn figures(metrics: &State<Metrics>) -> (ContentType, String) {
    let format =
        ContentType::new("application", "openmetrics-text").with_params([("version", "1.0.0"), ("charset", "utf-8")]);
    (format, metrics.text().await)
}

/// A text that grows.
#[derive(Default)]
struct Text(String);

impl Text {
    fn family(&mut self, name: &str, kind: &str, help: &str) {
        let _ = writeln!(self.0, "# TYPE key_lantern_{name} {kind}\n# HELP key_lantern_{name} {help}");
    }

    fn sample(&mut self, name: &str, value: f64) {
        let _ = writeln!(self.0, "key_lantern_{name} {value}");
    }

    fn gauge(&mut self, name: &str, help: &str, value: f64) {
        self.family(name, "gauge", help);
        self.sample(name, value);
    }

    fn counter(&mut self, name: &str, help: &str, value: u64) {
        self.family(name, "counter", help);
        self.sample(&format!("{name}_total"), value as f64);
    }
}

impl Metrics {
    async fn text(&self) -> String {
        let mut text = Text::default();
        text.family("build", "info", "The version of the service.");
        text.sample(&format!("build_info{{version=\"{}\"}}", env!("CARGO_PKG_VERSION")), 1.0);
        let health = self.engine.healths.now().await;
        text.family("well", "gauge", "Whether a part of the service is well.");
        for part in &health.parts {
            // Names of parts are words of ours: nothing in them needs escaping.
            text.sample(&format!("well{{part=\"{}\"}}", part.name), f64::from(u8::from(part.is_well)));
        }
        let load = self.engine.store.workload();
        text.counter("deliveries_written", "Deliveries that were written durably.", load.written);
        text.counter("deliveries_failed", "Deliveries that could not be written.", load.failed);
        text.counter("readings_written", "Readings in the deliveries that were written.", load.readings);
        text.family("delivery_wait_seconds", "summary", "From when a delivery was queued until it was durable.");
        text.sample("delivery_wait_seconds_count", (load.written + load.failed) as f64);
        text.sample("delivery_wait_seconds_sum", load.waited.as_secs_f64());
        text.counter("groups_written", "Groups in which deliveries were written.", load.groups);
        text.gauge("deliveries_waiting", "Deliveries that wait to be written.", load.waiting.0 as f64);
        text.gauge("readings_unsealed", "Readings that are kept and not in segments yet.", load.unsealed.0 as f64);
        if let Ok((used, left)) = self.engine.healths.room().await {
            text.gauge("disk_used_bytes", "Bytes the database uses.", used as f64);
            if let Some(left) = left {
                text.gauge("disk_left_bytes", "Bytes that are left for it.", left as f64);
            }
        }
        text.gauge("http_connections", "Connections by HTTP and HTTPS.", self.http.count() as f64);
        text.gauge("mqtt_connections", "Connections by MQTT.", self.mqtt.connected() as f64);
        text.gauge("mqtt_sessions", "Sessions of MQTT clients, connected or not.", self.mqtt.broker().count() as f64);
        if let Some(end) = self.certificates.as_ref().and_then(|certificates| certificates.ends_at()) {
            let seconds = end.as_micros() as f64 / 1e6;
            text.gauge("certificate_end_timestamp_seconds", "When the certificate ends.", seconds);
        }
        text.gauge(
            "clock_timestamp_seconds",
            "The time by the clock of the service.",
            clock::now().as_micros() as f64 / 1e6,
        );
        text.0.push_str("# EOF\n");
        text.0
    }
}

//! What the service prints when it is up.

use lantern_http::{Addresses, SetUpCode};
use rocket::{Orbit, Rocket};
use std::io::Write;
use std::net::SocketAddr;

/// Prints where the service is, for people and for programs that start it.
pub(crate) fn announce(rocket: &Rocket<Orbit>, mqtt: Addresses, https: Option<SocketAddr>, set_up: &SetUpCode) {
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
    if let Some(code) = set_up.current() {
        lines += &format!("Set up the first person at {address}/set-up?code={code}\n");
        lines += &format!("or with: lantern login {address} --setup {code}\n");
    }
    lines += "Ctrl-C stops it.\n";
    // Whoever started it may have stopped listening: no reason to end.
    let _ = std::io::stdout().write_all(lines.as_bytes());
}

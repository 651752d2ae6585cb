//! What the service prints when it is up.

use lantern_http::{Addresses, SetUpCode};
use std::io::Write;
use std::net::SocketAddr;
use std::sync::Arc;

/// Where the service is, for people and for programs that start it.
pub(crate) struct Announced {
    /// Where the console and the API are, with the scheme.
    pub(crate) web: Vec<(&'static str, SocketAddr)>,
    /// Where MQTT is spoken.
    pub(crate) mqtt: Addresses,
    /// Of a service without people.
    pub(crate) set_up: Arc<SetUpCode>,
}

/// An address as this machine reaches it.
fn reached(scheme: &str, mut address: SocketAddr) -> String {
    if address.ip().is_unspecified() {
        address.set_ip([127, 0, 0, 1].into());
    }
    format!("{scheme}://{address}")
}

impl Announced {
    pub(crate) fn print(&self) {
        let mut lines = String::new();
        let mut main = None;
        for (scheme, address) in &self.web {
            tracing::info!(%address, "listening for {scheme}");
            let address = reached(scheme, *address);
            if main.is_none() {
                lines += &format!("Key Lantern is at {address}\n");
                main = Some(address);
            } else {
                lines += &format!("HTTP over TLS is at {address}\n");
            }
        }
        let others = [("MQTT", "mqtt", self.mqtt.plain), ("MQTT over TLS", "mqtts", self.mqtt.tls)];
        for (what, scheme, address) in others {
            if let Some(address) = address {
                tracing::info!(%address, "listening for {what}");
                lines += &format!("{what} is at {scheme}://{address}\n");
            }
        }
        if let (Some(address), Some(code)) = (main, self.set_up.current()) {
            lines += &format!("Set up the first person at {address}/set-up?code={code}\n");
            lines += &format!("or with: lantern login {address} --setup {code}\n");
        }
        lines += "Ctrl-C stops it.\n";
        // Whoever started it may have stopped listening: no reason to end.
        let _ = std::io::stdout().write_all(lines.as_bytes());
    }
}

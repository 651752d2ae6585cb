//! `lantern follow --mqtt`: values as they come over MQTT, with nothing but a key.

use super::Context;
use super::chosen::{Chosen, line};
use crate::output::{Form, emit};
use anyhow::{Context as _, Result, bail};
use jiff::tz::TimeZone;
use lantern_api::{LiveReading, Value};
use rumqttc::v5::mqttbytes::QoS;
use rumqttc::v5::mqttbytes::v5::Packet;
use rumqttc::v5::{AsyncClient, Event, MqttOptions};
use rumqttc::{TlsConfiguration, Transport};
use std::time::Duration;

const KEEP_ALIVE: Duration = Duration::from_secs(30);
/// Between two attempts to come back.
const PATIENCE: Duration = Duration::from_secs(2);

#[derive(serde::Deserialize)]
struct Now {
    value: Value,
    #[serde(default)]
    unit: Option<String>,
    at: String,
}

pub(super) async fn run(context: &Context, address: &str, key: &str, chosen: &Chosen) -> Result<()> {
    let options = options(address, key)?;
    let (client, mut events) = AsyncClient::new(options, 64);
    let mut was_connected = false;
    loop {
        match events.poll().await {
            Ok(Event::Incoming(Packet::ConnAck(_))) => {
                was_connected = true;
                // A key is of one site, whose topics are all there are.
                client.subscribe("+/+/now/+", QoS::AtLeastOnce).await?;
            }
            Ok(Event::Incoming(Packet::SubAck(ack))) => {
                if let Some(reason) = ack.return_codes.iter().find(|reason| !is_granted(reason)) {
                    bail!("the key may not subscribe ({reason:?}); use one that is granted `read`");
                }
            }
            Ok(Event::Incoming(Packet::Publish(publish))) => {
                let topic = String::from_utf8_lossy(&publish.topic).into_owned();
                show(context.output.form, &topic, &publish.payload, chosen)?;
            }
            Ok(_) => {}
            Err(error) if was_connected => {
                eprintln!("lantern: {address}: {error}; trying again");
                tokio::time::sleep(PATIENCE).await;
            }
            Err(error) => bail!("{address}: {error}"),
        }
    }
}

const fn is_granted(reason: &rumqttc::v5::mqttbytes::v5::SubscribeReasonCode) -> bool {
    matches!(reason, rumqttc::v5::mqttbytes::v5::SubscribeReasonCode::Success(_))
}

fn options(address: &str, key: &str) -> Result<MqttOptions> {
    let (scheme, rest) = address.split_once("://").unwrap_or(("mqtt", address));
    let (is_tls, usual) = match scheme {
        "mqtt" => (false, 1883),
        "mqtts" => (true, 8883),
        other => bail!("`{other}` is not spoken here; write mqtt://HOST:PORT or mqtts://HOST:PORT"),
    };
    let rest = rest.trim_end_matches('/');
    let (host, port) = match rest.rsplit_once(':') {
        Some((host, port)) => (host, port.parse().with_context(|| format!("`{port}` is no port"))?),
        None => (rest, usual),
    };
    let mut options = MqttOptions::new(format!("lantern-follow-{}", std::process::id()), host, port);
    options.set_keep_alive(KEEP_ALIVE).set_credentials("", key);
    if is_tls {
        let config = rustls::ClientConfig::builder().with_root_certificates(roots()?).with_no_client_auth();
        options.set_transport(Transport::Tls(TlsConfiguration::Rustls(std::sync::Arc::new(config))));
    }
    Ok(options)
}

/// The roots this machine believes, and those of SSL_CERT_FILE.
fn roots() -> Result<rustls::RootCertStore> {
    let mut roots = rustls::RootCertStore::empty();
    let found = rustls_native_certs::load_native_certs();
    roots.add_parsable_certificates(found.certs);
    if roots.is_empty() {
        bail!("this machine believes no certificates; set SSL_CERT_FILE to a file of those to believe");
    }
    Ok(roots)
}

fn show(form: Form, topic: &str, payload: &[u8], chosen: &Chosen) -> Result<()> {
    let mut levels = topic.split('/').skip(1);
    let (Some(device), Some("now"), Some(signal)) = (levels.next(), levels.next(), levels.next()) else {
        return Ok(());
    };
    if !chosen.has(device, signal) {
        return Ok(());
    }
    let Ok(now) = serde_json::from_slice::<Now>(payload) else { return Ok(()) };
    let reading = LiveReading { device: device.to_owned(), signal: signal.to_owned(), at: now.at, value: now.value };
    emit(&match form {
        Form::Json => serde_json::to_string(&reading)?,
        Form::Table => line(&reading, now.unit.as_deref().unwrap_or_default(), &TimeZone::UTC),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_read() {
        let found = options("mqtt://lantern.example:1884", "k").unwrap();
        assert_eq!(found.broker_address(), ("lantern.example".to_owned(), 1884));
        assert_eq!(options("127.0.0.1", "k").unwrap().broker_address().1, 1883);
        assert!(options("http://x", "k").is_err());
    }
}

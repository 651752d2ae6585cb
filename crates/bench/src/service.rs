//! A service of its own for one measurement.

use crate::work::{DEVICES, SIGNALS, code};
use anyhow::{Context, Result, bail};
use futures::{StreamExt, TryStreamExt};
use lantern_launch::{Launch, Launched};
use reqwest::Client;
use serde_json::{Value, json};
use std::collections::HashSet;
use std::path::Path;

/// Devices that are made at once.
const AT_ONCE: usize = 8;

/// A client of one connection that trusts nobody: to read whom the system trusts takes
/// as long as hundreds of requests.
pub(crate) fn client() -> Result<Client> {
    Ok(Client::builder().pool_max_idle_per_host(1).tls_certs_only([]).build()?)
}

/// Killed when dropped.
pub(crate) struct Service {
    launched: Launched,
    pub(crate) url: String,
    /// Where it speaks MQTT.
    pub(crate) mqtt: std::net::SocketAddr,
    /// The key of each device.
    pub(crate) keys: Vec<String>,
    token: String,
    client: Client,
}

fn port(url: &str) -> Option<u16> {
    url.rsplit(':').next()?.parse().ok()
}

impl Service {
    /// Starts a service and makes the devices.
    pub(crate) async fn start(data: &Path) -> Result<Self> {
        Self::start_with(data, DEVICES, SIGNALS).await
    }

    /// Starts a service and makes so many devices with so many signals each.
    pub(crate) async fn start_with(data: &Path, devices: usize, signals: usize) -> Result<Self> {
        let launched = launch(data)?.start()?;
        let said = &launched.said;
        let (url, mqtt, code) = (said.url.clone(), said.at("mqtt"), said.code.clone());
        let (Some(mqtt), Some(code)) = (mqtt, code) else { bail!("the service has run before, or without MQTT") };
        let mut service = Self { launched, url, mqtt, keys: Vec::new(), token: String::new(), client: client()? };
        service.make_devices(&code, devices, signals).await?;
        Ok(service)
    }

    /// Ends the service and starts it again on the same data.
    pub(crate) fn restart(&mut self, data: &Path) -> Result<()> {
        self.launched.kill()?;
        self.launched = launch(data)?.start()?;
        self.url.clone_from(&self.launched.said.url);
        Ok(())
    }

    async fn make_devices(&mut self, set_up_code: &str, devices: usize, signals: usize) -> Result<()> {
        let set_up = json!({"code": set_up_code, "name": "bench", "password": "bench bench bench", "token": true});
        let token = self.post("", "set-up", set_up).await?["token"].as_str().unwrap_or_default().to_owned();
        self.post(&token, "sites", json!({"name": "Bench", "zone": "UTC"})).await?;
        self.token = token;
        let signals: Vec<Value> = (0..signals).map(|signal| json!({"code": code(signal)})).collect();
        let made: Vec<String> = futures::stream::iter(0..devices)
            .map(|device| self.make_device(device, &signals))
            .buffered(AT_ONCE)
            .try_collect()
            .await?;
        self.keys = made;
        Ok(())
    }

    async fn make_device(&self, device: usize, signals: &[Value]) -> Result<String> {
        let name = format!("d{device}");
        self.post(&self.token, "sites/bench/devices", json!({"name": name, "state": "live", "signals": signals}))
            .await?;
        let key = self.post(&self.token, &format!("sites/bench/devices/{name}/keys"), json!({})).await?;
        Ok(key["key"].as_str().unwrap_or_default().to_owned())
    }

    /// The process.
    pub(crate) fn id(&self) -> u32 {
        self.launched.id()
    }

    /// Makes each device send some names nobody has declared, and ignores them.
    pub(crate) async fn ignore(&self, names: &[String]) -> Result<()> {
        for (device, key) in self.keys.iter().enumerate() {
            for name in names {
                let values = json!({name: 0.5});
                let request = self.client.post(format!("{}/in", self.url)).bearer_auth(key).json(&values);
                request.send().await?.error_for_status()?;
                let path = format!("{}/api/v1/sites/bench/devices/d{device}/arrivals/{name}/ignored", self.url);
                self.client.put(path).bearer_auth(&self.token).send().await?.error_for_status()?;
            }
        }
        Ok(())
    }

    /// Makes a watch on a signal of every device, with a limit that is hardly ever passed.
    pub(crate) async fn add_watch(&self, signal: &str, number: usize) -> Result<()> {
        let watch = json!({"name": format!("{signal} {number}"), "on": {"signal": signal},
            "when": {"is": "above", "limit": 1e6 + number as f64}});
        self.post(&self.token, "sites/bench/watches", json!({"watch": watch})).await.map(drop)
    }

    /// Makes a watch on a signal of the first device.
    pub(crate) async fn watch_above(&self, signal: &str, limit: f64) -> Result<()> {
        let watch = json!({"name": "bench", "on": {"device": "d0", "signal": signal},
            "when": {"is": "above", "limit": limit}});
        self.post(&self.token, "sites/bench/watches", json!({"watch": watch})).await.map(drop)
    }

    /// Where the HTTP server listens behind its door: the port of loopback that is not announced.
    pub(crate) fn behind_the_door(&self) -> Result<String> {
        let id = self.id();
        let sockets: HashSet<String> = std::fs::read_dir(format!("/proc/{id}/fd"))?
            .filter_map(|file| std::fs::read_link(file.ok()?.path()).ok())
            .filter_map(|link| Some(link.to_str()?.strip_prefix("socket:[")?.strip_suffix(']')?.to_owned()))
            .collect();
        let announced = [port(&self.url), Some(self.mqtt.port())];
        let table = std::fs::read_to_string(format!("/proc/{id}/net/tcp"))?;
        for line in table.lines().skip(1) {
            let fields: Vec<&str> = line.split_whitespace().collect();
            let (Some(local), Some(&"0A"), Some(inode)) = (fields.get(1), fields.get(3), fields.get(9)) else {
                continue;
            };
            let found = local.split_once(':').and_then(|(_, port)| u16::from_str_radix(port, 16).ok());
            if sockets.contains(*inode) && !announced.contains(&found) {
                return Ok(format!("http://127.0.0.1:{}", found.context("no port")?));
            }
        }
        bail!("the HTTP server does not listen behind a door")
    }

    /// Says what the values of a signal mean.
    pub(crate) async fn give_meaning(&self, device: usize, signal: &str, meaning: &Value) -> Result<()> {
        let path = format!("{}/api/v1/sites/bench/devices/d{device}/signals/{signal}/meaning", self.url);
        let request = self.client.put(path).bearer_auth(&self.token).json(&json!({"meaning": meaning}));
        request.send().await?.error_for_status()?;
        Ok(())
    }

    /// Makes the past of a signal again, and waits until that is done.
    pub(crate) async fn reconvert(&self, device: usize, signal: &str) -> Result<()> {
        let path = format!("sites/bench/devices/d{device}/signals/{signal}/reconversions");
        let job = self.post(&self.token, &path, json!({"from": "0"})).await?;
        let path = format!("{}/api/v1/sites/bench/jobs/{}", self.url, job["id"]);
        loop {
            let answer = self.client.get(&path).bearer_auth(&self.token).send().await?.error_for_status()?;
            let job: Value = answer.json().await?;
            match job["state"].as_str() {
                Some("done") => return Ok(()),
                Some("waiting" | "running") => tokio::time::sleep(std::time::Duration::from_millis(5)).await,
                _ => bail!("the job ended as {job}"),
            }
        }
    }

    /// Sends readings in JSON.
    pub(crate) async fn send(&self, key: &str, body: String) -> Result<()> {
        let request = self.client.post(format!("{}/in", self.url)).bearer_auth(key);
        let request = request.header("Content-Type", "application/json").body(body);
        request.send().await?.error_for_status()?;
        Ok(())
    }

    /// A key that reads all there is.
    pub(crate) async fn reading_key(&self) -> Result<String> {
        let key = self.post(&self.token, "sites/bench/keys", json!({"grants": ["read"]})).await?;
        Ok(key["key"].as_str().unwrap_or_default().to_owned())
    }

    /// GET below the API, as text.
    pub(crate) async fn get(&self, path: &str) -> Result<reqwest::Response> {
        let request = self.client.get(format!("{}/api/v1/{path}", self.url)).bearer_auth(&self.token);
        Ok(request.send().await?.error_for_status()?)
    }

    /// The memory it has at the most held, in bytes.
    pub(crate) fn peak_memory(&self) -> Result<f64> {
        let status = std::fs::read_to_string(format!("/proc/{}/status", self.id()))?;
        let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:")).context("no peak of memory")?;
        Ok(line.trim_end_matches("kB").trim().parse::<f64>()? * 1_024.0)
    }

    async fn post(&self, token: &str, path: &str, body: Value) -> Result<Value> {
        let request = self.client.post(format!("{}/api/v1/{path}", self.url)).bearer_auth(token).json(&body);
        Ok(request.send().await?.error_for_status()?.json().await?)
    }
}

/// A service whose keys may send all there is: allowances are not what is measured.
fn launch(data: &Path) -> Result<Launch> {
    let launch = Launch::new(&std::env::current_exe()?.with_file_name("key-lantern"), data);
    let ample = ["readings_at_once", "readings_per_s", "requests_at_once", "requests_per_s"];
    Ok(ample.iter().fold(launch, |launch, name| launch.setting(name, "1000000000000")))
}

//! A service of its own for one measurement.

use crate::work::{DEVICES, SIGNALS, code};
use anyhow::{Context, Result, bail};
use reqwest::Client;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Stdio};

/// A client of one connection that trusts nobody: to read whom the system trusts takes
/// as long as hundreds of requests.
pub(crate) fn client() -> Result<Client> {
    Ok(Client::builder().pool_max_idle_per_host(1).tls_certs_only([]).build()?)
}

/// Killed when dropped.
pub(crate) struct Service {
    child: Child,
    pub(crate) url: String,
    /// Where it speaks MQTT.
    pub(crate) mqtt: std::net::SocketAddr,
    /// The key of each device.
    pub(crate) keys: Vec<String>,
    token: String,
    client: Client,
}

impl Service {
    /// Starts a service and makes the devices.
    pub(crate) async fn start(data: &Path) -> Result<Self> {
        let (child, url, mut lines) = spawn(data)?;
        let mqtt = lines.next().and_then(|l| l.strip_prefix("MQTT is at mqtt://")?.parse().ok());
        let code = lines.next().and_then(|l| Some(l.split_once("code=")?.1.to_owned()));
        let (Some(mqtt), Some(code)) = (mqtt, code) else { bail!("the service did not start") };
        std::thread::spawn(move || lines.for_each(drop));
        let mut service = Self { child, url, mqtt, keys: Vec::new(), token: String::new(), client: client()? };
        service.make_devices(&code).await?;
        Ok(service)
    }

    /// Ends the service and starts it anew on the same data.
    pub(crate) fn restart(&mut self, data: &Path) -> Result<()> {
        let _ = self.child.kill();
        let _ = self.child.wait();
        let (child, url, lines) = spawn(data)?;
        (self.child, self.url) = (child, url);
        std::thread::spawn(move || lines.for_each(drop));
        Ok(())
    }

    async fn make_devices(&mut self, set_up_code: &str) -> Result<()> {
        let set_up = json!({"code": set_up_code, "name": "bench", "password": "bench bench bench", "token": true});
        let token = self.post("", "set-up", set_up).await?["token"].as_str().unwrap_or_default().to_owned();
        self.post(&token, "sites", json!({"name": "Bench", "zone": "UTC"})).await?;
        for device in 0..DEVICES {
            let signals: Vec<Value> = (0..SIGNALS).map(|signal| json!({"code": code(signal)})).collect();
            let name = format!("d{device}");
            self.post(&token, "sites/bench/devices", json!({"name": name, "signals": signals})).await?;
            let key = self.post(&token, &format!("sites/bench/devices/{name}/keys"), json!({})).await?;
            self.keys.push(key["key"].as_str().unwrap_or_default().to_owned());
        }
        self.token = token;
        Ok(())
    }

    /// The process.
    pub(crate) fn id(&self) -> u32 {
        self.child.id()
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

    /// Says what the values of a signal mean.
    pub(crate) async fn give_meaning(&self, device: usize, signal: &str, meaning: &Value) -> Result<()> {
        let path = format!("{}/api/v1/sites/bench/devices/d{device}/signals/{signal}/meaning", self.url);
        let request = self.client.put(path).bearer_auth(&self.token).json(&json!({"meaning": meaning}));
        request.send().await?.error_for_status()?;
        Ok(())
    }

    /// Makes the past of a signal anew, and waits until that is done.
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

/// Starts the process, and gives its address and the lines it prints after that.
fn spawn(data: &Path) -> Result<(Child, String, impl Iterator<Item = String> + Send + use<>)> {
    let binary = std::env::current_exe()?.with_file_name("key-lantern");
    let mut child = Command::new(binary)
        .arg("serve")
        .arg("--data")
        .arg(data)
        .args(["--http", "127.0.0.1:0", "--mqtt", "127.0.0.1:0", "--log-level", "warn"])
        // Keys that may send all there is: allowances are not what is measured.
        .envs(
            ["READINGS_AT_ONCE", "READINGS_PER_S", "REQUESTS_AT_ONCE", "REQUESTS_PER_S"]
                .map(|name| (format!("KEY_LANTERN_{name}"), "1000000000000")),
        )
        .stdout(Stdio::piped())
        .spawn()
        .context("cannot start the service")?;
    let stdout = child.stdout.take().context("the service has no output")?;
    let mut lines = BufReader::new(stdout).lines().map_while(Result::ok);
    let url = lines.next().and_then(|line| Some(line.strip_prefix("Key Lantern is at ")?.to_owned()));
    Ok((child, url.context("the service did not start")?, lines))
}

impl Drop for Service {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

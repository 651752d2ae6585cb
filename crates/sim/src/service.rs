//! The service as the demo starts it and talks to it.

use anyhow::{Context, Result, bail};
use lantern_api::Problem;
use reqwest::{Client, Response};
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::path::Path;
use std::process::Stdio;
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, BufReader};
use tokio::process::{Child, Command};

/// A service that ends with the demo.
pub(crate) struct Service {
    child: Child,
    pub(crate) url: String,
    /// Address and port it speaks MQTT on.
    pub(crate) mqtt: String,
    /// The set-up code, if there is nobody yet.
    pub(crate) code: Option<String>,
}

impl Service {
    /// Starts the service beside this binary and waits until it listens.
    pub(crate) async fn start(data: &Path, port: u16, mqtt: u16) -> Result<Self> {
        let binary = std::env::current_exe()?.with_file_name("key-lantern");
        let mut child = Command::new(&binary)
            .arg("serve")
            .arg("--data")
            .arg(data)
            .arg("--http")
            .arg(format!("127.0.0.1:{port}"))
            .args(["--log-level", "warn", "--mqtt"])
            .arg(format!("127.0.0.1:{mqtt}"))
            // The fortnight before today is sent all at once.
            .env("KEY_LANTERN_READINGS_AT_ONCE", "10000000")
            .env("KEY_LANTERN_REQUESTS_AT_ONCE", "10000")
            .stdout(Stdio::piped())
            // Ctrl-C reaches the demo, which then stops the service in order.
            .process_group(0)
            .kill_on_drop(true)
            .spawn()
            .with_context(|| format!("cannot start {}", binary.display()))?;
        let stdout = child.stdout.take().context("the service has no output")?;
        let mut lines = BufReader::new(stdout).lines();
        let mut url = None;
        let mut mqtt = None;
        let mut code = None;
        let deadline = tokio::time::sleep(Duration::from_secs(30));
        tokio::pin!(deadline);
        loop {
            let line = tokio::select! {
                line = lines.next_line() => line?,
                () = &mut deadline => bail!("the service did not start within 30 s"),
                // All it has to say comes at once.
                () = tokio::time::sleep(Duration::from_millis(200)), if url.is_some() => break,
            };
            let Some(line) = line else { bail!("the service did not start; see above") };
            if let Some(address) = line.strip_prefix("Key Lantern is at ") {
                url = Some(address.to_owned());
            }
            if let Some(address) = line.strip_prefix("MQTT is at mqtt://") {
                mqtt = Some(address.to_owned());
            }
            if let Some((_, found)) = line.split_once("/set-up?code=") {
                code = Some(found.to_owned());
                break;
            }
        }
        tokio::spawn(async move { while let Ok(Some(_)) = lines.next_line().await {} });
        Ok(Self {
            child,
            url: url.context("the service did not say where it is")?,
            mqtt: mqtt.context("the service does not speak MQTT")?,
            code,
        })
    }

    /// Stops the service and waits until it has closed its database.
    pub(crate) async fn stop(mut self) -> Result<()> {
        if let Some(id) = self.child.id() {
            Command::new("kill").arg("-TERM").arg(id.to_string()).status().await?;
        }
        tokio::time::timeout(Duration::from_secs(10), self.child.wait())
            .await
            .context("the service did not stop")??;
        Ok(())
    }

    /// Waits until the service ends by itself, which it should not.
    pub(crate) async fn ended(&mut self) -> Result<()> {
        let status = self.child.wait().await?;
        bail!("the service ended by itself ({status})")
    }
}

/// Calls to the API with a person's token.
pub(crate) struct Api {
    client: Client,
    url: String,
    token: Option<String>,
}

impl Api {
    pub(crate) fn new(url: &str, token: Option<String>) -> Result<Self> {
        Ok(Self { client: Client::builder().build()?, url: url.to_owned(), token })
    }

    pub(crate) async fn get<T: DeserializeOwned>(&self, path: &str) -> Result<T> {
        let request = self.client.get(format!("{}/api/v1/{path}", self.url));
        Ok(checked(request.bearer_auth(self.token.as_deref().unwrap_or_default()).send().await?).await?.json().await?)
    }

    pub(crate) async fn post<T: DeserializeOwned>(&self, path: &str, body: &impl Serialize) -> Result<T> {
        let request = self.client.post(format!("{}/api/v1/{path}", self.url)).json(body);
        Ok(checked(request.bearer_auth(self.token.as_deref().unwrap_or_default()).send().await?).await?.json().await?)
    }

    pub(crate) async fn put<T: DeserializeOwned>(&self, path: &str, body: &impl Serialize) -> Result<T> {
        let request = self.client.put(format!("{}/api/v1/{path}", self.url)).json(body);
        Ok(checked(request.bearer_auth(self.token.as_deref().unwrap_or_default()).send().await?).await?.json().await?)
    }
}

/// The answer, or the service's own words for what was wrong.
pub(crate) async fn checked(response: Response) -> Result<Response> {
    if response.status().is_success() {
        return Ok(response);
    }
    let status = response.status();
    match response.json::<Problem>().await {
        Ok(problem) => bail!("{} {}", problem.detail, problem.remedy),
        Err(_) => bail!("the service answered {status}"),
    }
}

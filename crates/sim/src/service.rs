//! The service as the demo starts it and talks to it.

use crate::stand_ins::Running;
use anyhow::{Context, Result, bail};
use lantern_api::Problem;
use lantern_launch::{Launch, Launched};
use reqwest::{Client, Response};
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::path::Path;
use std::time::Duration;
use tokio::task::spawn_blocking;

/// How often it is looked whether the service still runs.
const LOOK: Duration = Duration::from_millis(200);
/// How long it may take to close its database.
const PATIENCE: Duration = Duration::from_secs(10);

/// A service that ends with the demo.
pub(crate) struct Service {
    launched: Launched,
    pub(crate) url: String,
    /// Address and port it speaks MQTT on.
    pub(crate) mqtt: String,
    /// The set-up code, if there is nobody yet.
    pub(crate) code: Option<String>,
}

impl Service {
    /// Starts the service beside this binary and waits until it listens.
    pub(crate) async fn start(data: &Path, port: u16, mqtt: u16, stand_ins: Running) -> Result<Self> {
        let launch = Launch::new(&std::env::current_exe()?.with_file_name("key-lantern"), data)
            .on(port, mqtt)
            // The fortnight before today is sent all at once.
            .setting("readings_at_once", "10000000")
            .setting("requests_at_once", "10000")
            // Whoever is called is called at a stand-in.
            .setting("mail_server", &stand_ins.mail.to_string())
            .setting("mail_security", "clear")
            .setting("mail_from", "Key Lantern <lantern@marlbeck.example>")
            .setting("text_url", &format!("http://{}/text", stand_ins.http))
            .setting("callouts_may_be_private", "true")
            .setting("sign_of_life_url", &format!("http://{}/alive", stand_ins.http))
            // Ctrl-C reaches the demo, which then stops the service in order.
            .apart();
        let launched = spawn_blocking(move || launch.start()).await??;
        let said = &launched.said;
        Ok(Self {
            url: said.url.clone(),
            mqtt: said.at("mqtt").context("the service does not speak MQTT")?.to_string(),
            code: said.code.clone(),
            launched,
        })
    }

    /// Stops the service and waits until it has closed its database.
    pub(crate) async fn stop(mut self) -> Result<()> {
        spawn_blocking(move || self.launched.stop(PATIENCE)).await??;
        Ok(())
    }

    /// Waits until the service ends by itself, which it should not.
    pub(crate) async fn ended(&mut self) -> Result<()> {
        loop {
            if let Some(status) = self.launched.ended()? {
                bail!("the service ended by itself ({status})");
            }
            tokio::time::sleep(LOOK).await;
        }
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

    pub(crate) async fn patch<T: DeserializeOwned>(&self, path: &str, body: &impl Serialize) -> Result<T> {
        let request = self.client.patch(format!("{}/api/v1/{path}", self.url)).json(body);
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

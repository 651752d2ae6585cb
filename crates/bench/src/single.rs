//! One reading a request, as most boards send.

use crate::service::{Service, client};
use crate::work::DEVICES;
use crate::{Entry, median};
use anyhow::{Context, Result, bail, ensure};
use rocket::serde::json::Json;
use rocket::{Config, post, routes};
use std::collections::HashMap;
use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::time::Instant;

/// Connections that are kept alive.
const CONNECTIONS: usize = 64;
/// Requests of each.
const REQUESTS: usize = 400;
/// The argument with which this program is the limit's server.
pub(crate) const BARE: &str = "bare-route";

/// The least a server can do: read the same body and answer.
#[post("/in", data = "<body>")]
fn bare(body: Json<HashMap<String, f64>>) -> String {
    format!("ok {}\n", body.into_inner().len() - 1)
}

/// Serves the bare route on a free port until it is killed.
pub(crate) async fn serve() -> Result<()> {
    let config = Config { port: 0, log_level: rocket::config::LogLevel::Off, ..Config::release_default() };
    let announce = rocket::fairing::AdHoc::on_liftoff("announce", |rocket| {
        Box::pin(async move { println!("http://127.0.0.1:{}", rocket.config().port) })
    });
    rocket::custom(config).mount("/", routes![bare]).attach(announce).launch().await?;
    Ok(())
}

/// One-reading JSON posts over 64 connections, each answered when it is durable.
/// Limit: a bare route of the same server library that reads the same body and
/// answers, in a process of its own.
pub(crate) async fn single_64(rounds: u8) -> Result<Entry> {
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    for round in 0..rounds {
        let dir = tempfile::tempdir()?;
        let service = Service::start(dir.path()).await?;
        figures.push(load(&service.url, &service.keys, round).await?);
        drop(service);
        let bare = Bare::start()?;
        limits.push(load(&bare.url, &vec![String::new(); DEVICES], round).await?);
    }
    let (figure, limit) = (median(figures), median(limits));
    Ok(Entry { name: "intake-single-64", figure, unit: "requests/s", limit, ratio: figure / limit })
}

/// The same posts through the door in front of the HTTP server, which counts connections and looks after slow
/// ones. Limit: to the HTTP server itself.
pub(crate) async fn door_64(rounds: u8) -> Result<Entry> {
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    for _ in 0..rounds {
        let dir = tempfile::tempdir()?;
        let service = Service::start(dir.path()).await?;
        let behind = service.behind_the_door()?;
        limits.push(load(&behind, &service.keys, 0).await?);
        figures.push(load(&service.url, &service.keys, 1).await?);
    }
    let (figure, limit) = (median(figures), median(limits));
    Ok(Entry { name: "door-single-64", figure, unit: "requests/s", limit, ratio: figure / limit })
}

async fn load(url: &str, keys: &[String], round: u8) -> Result<f64> {
    let started = Instant::now();
    let tasks: Vec<_> = (0..CONNECTIONS)
        .map(|connection| {
            // Each connection is a sender with a signal of its own.
            let (url, key) = (format!("{url}/in"), keys[connection % keys.len()].clone());
            let signal = connection / keys.len();
            tokio::spawn(async move {
                let client = client()?;
                for number in 0..REQUESTS {
                    // A time of its own for each, so that none is a repetition.
                    let at =
                        1_777_593_600.0 + f64::from(round) * 1e6 + (number * CONNECTIONS + connection) as f64 / 100.0;
                    let body = format!("{{\"s{signal}\":{}.5,\"at\":{at}}}", number % 50);
                    let request = client.post(&url).bearer_auth(&key).header("Content-Type", "application/json");
                    let text = request.body(body).send().await?.text().await?;
                    ensure!(text == "ok 1\n", "answered {text}");
                }
                anyhow::Ok(())
            })
        })
        .collect();
    for task in tasks {
        task.await??;
    }
    Ok((CONNECTIONS * REQUESTS) as f64 / started.elapsed().as_secs_f64())
}

/// The process that serves the bare route.
struct Bare {
    child: Child,
    url: String,
}

impl Bare {
    fn start() -> Result<Self> {
        let mut child = Command::new(std::env::current_exe()?).arg(BARE).stdout(Stdio::piped()).spawn()?;
        let stdout = child.stdout.take().context("it has no output")?;
        let Some(Ok(url)) = BufReader::new(stdout).lines().next() else { bail!("the bare route did not start") };
        Ok(Self { child, url })
    }
}

impl Drop for Bare {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

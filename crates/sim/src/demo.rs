//! The demo: a service with a site that has lived for fourteen days.

use crate::field::Field;
use crate::notes;
use crate::railway::Railway;
use crate::rosters;
use crate::senders::Senders;
use crate::service::{Api, Service};
use crate::site::{self, Memory, PERSON, Plan, SITE};
use crate::stand_ins::{self, Running};
use crate::watches;
use anyhow::{Context, Result};
use clap::Args;
use indicatif::{ProgressBar, ProgressStyle};
use jiff::{Timestamp, ToSpan, Zoned, tz::TimeZone};
use lantern_api::{Commissioning, DeviceNow, DeviceState, NewDummyTest, NewSoak, Page};
use std::net::TcpListener;
use std::path::PathBuf;
use std::time::{Duration, Instant};

const DEFAULT_PORT: u16 = 8710;
const DEFAULT_MQTT_PORT: u16 = 1883;
const STORY_DAYS: i64 = 14;

/// Options of the demo.
#[derive(Args)]
pub(crate) struct Demo {
    /// The same seed gives the same fourteen days
    #[arg(long, default_value_t = 5)]
    seed: u64,
    /// Directory to keep the demo in; a passing one if absent
    #[arg(long, value_name = "DIR")]
    data: Option<PathBuf>,
    /// Port of the service; 8710 if it is free, else any
    #[arg(long)]
    port: Option<u16>,
    /// Port it speaks MQTT on; 1883 if it is free, else any
    #[arg(long)]
    mqtt_port: Option<u16>,
    /// How many times faster than real time the story goes on (1 to 1000)
    #[arg(long, default_value_t = 1.0, value_parser = parse_speed)]
    speed: f64,
}

fn parse_speed(text: &str) -> Result<f64, String> {
    text.parse()
        .ok()
        .filter(|speed| (1.0..=1_000.0).contains(speed))
        .ok_or_else(|| "a number from 1 to 1000".to_owned())
}

impl Demo {
    pub(crate) async fn run(self) -> Result<()> {
        let started = Instant::now();
        let passing = tempfile::tempdir()?;
        let data = self.data.clone().unwrap_or_else(|| passing.path().to_owned());
        let port = self.port.unwrap_or_else(|| free_port(DEFAULT_PORT));
        let mqtt = self.mqtt_port.unwrap_or_else(|| free_port(DEFAULT_MQTT_PORT));
        let stand_ins = stand_ins::start(0, 0).await?;
        let mut service = Service::start(&data, port, mqtt, stand_ins).await?;
        // Ctrl-C counts from here on, also while the past is delivered.
        let outcome = tokio::select! {
            outcome = self.show(&data, &service, stand_ins, started) => outcome,
            _ = tokio::signal::ctrl_c() => Ok(None),
        };
        let outcome = match outcome {
            Ok(Some(Story { senders, field, api, now_s })) => tokio::select! {
                () = senders.live(now_s, self.speed) => Ok(()),
                () = field.run() => Ok(()),
                error = commands(&api) => Err(error),
                _ = tokio::signal::ctrl_c() => Ok(()),
                ended = service.ended() => ended,
            },
            Ok(None) => Ok(()),
            Err(error) => Err(error),
        };
        println!("\nStopping.");
        service.stop().await?;
        outcome
    }

    async fn show(
        &self,
        data: &std::path::Path,
        service: &Service,
        stand_ins: Running,
        started: Instant,
    ) -> Result<Option<Story>> {
        let now = Timestamp::now();
        let (api, memory) = match (Memory::load(data)?, &service.code) {
            (Some(memory), None) => (site::log_in(service, &memory).await?, memory),
            (_, Some(code)) => {
                let plan = Plan { password: password(), seed: self.seed, began_s: began(now)?.as_second() };
                site::make(service, code.clone(), plan, data).await?
            }
            (None, None) => {
                anyhow::bail!("{} holds a service that is not the demo's; choose another --data", data.display())
            }
        };
        let senders = Senders {
            client: reqwest::Client::builder().build()?,
            url: service.url.clone(),
            railway: Railway::new(memory.seed),
            memory,
        };
        let now_s = now.as_second();
        let from_s = last_heard(&api).await?.unwrap_or(senders.memory.began_s).max(now_s - STORY_DAYS * 86_400);
        let bar = progress(Senders::history_size(from_s, now_s));
        watches::make(&api).await?;
        senders.history(&api, from_s, now_s, &bar).await?;
        bar.finish_and_clear();
        half_way(&api).await?;
        notes::write(&api, senders.memory.began_s).await?;
        watches::answer(&api, now_s).await?;
        rosters::make(&api, stand_ins.http).await?;
        announce(service, &senders.memory, started);
        let story_s = (now_s - senders.memory.began_s) as f64;
        let field = Field::new(senders.railway, senders.memory.clone(), &service.mqtt, story_s, self.speed)?;
        Ok(Some(Story { senders, field, api, now_s }))
    }
}

/// What goes on once the past has been delivered.
struct Story {
    senders: Senders,
    field: Field,
    api: Api,
    now_s: i64,
}

/// A few commands to the heated points, so that each fate of one is to be seen.
/// Ends only if one cannot be given.
async fn commands(api: &Api) -> anyhow::Error {
    let path = format!("sites/{SITE}/devices/points-7/commands");
    let order = |name: &str, arguments: serde_json::Value| serde_json::json!({"name": name, "arguments": arguments});
    // Once the points are there.
    tokio::time::sleep(Duration::from_secs(2)).await;
    for command in [
        order("target", serde_json::json!({"temp": 4})),
        order("throw", serde_json::json!({"way": "loop"})),
        order("test", serde_json::json!({})),
        order("heater", serde_json::json!({"state": true})),
    ] {
        if let Err(error) = api.post::<lantern_api::Command>(&path, &command).await {
            return error;
        }
    }
    std::future::pending().await
}

/// The new shed is half way through its commissioning: a dummy value is asked
/// for, and it has been at its place since a little while.
async fn half_way(api: &Api) -> Result<()> {
    let path = format!("sites/{SITE}/devices/shed-5/commissioning");
    let now: Commissioning = api.get(&path).await?;
    if now.state == DeviceState::Trial && now.soak.is_none() {
        let test = NewDummyTest { signal: "battery".to_owned(), expected: 3.33, tolerance: 0.01 };
        let _: Commissioning = api.post(&format!("{path}/dummies"), &test).await?;
        let _: Commissioning = api.post(&format!("{path}/soak"), &NewSoak { hours: Some(12.0) }).await?;
    }
    Ok(())
}

/// Midnight at the site, thirteen days before today: the first of fourteen days.
fn began(now: Timestamp) -> Result<Timestamp> {
    let today: Zoned = now.to_zoned(TimeZone::get("Europe/London")?);
    Ok(today.start_of_day()?.checked_sub((STORY_DAYS - 1).days())?.timestamp())
}

/// The time of the newest reading, in seconds since 1970.
async fn last_heard(api: &Api) -> Result<Option<i64>> {
    let page: Page<DeviceNow> = api.get(&format!("sites/{SITE}/now")).await?;
    let times = page.items.iter().flat_map(|d| &d.signals).filter_map(|s| s.last.as_ref());
    let times: Result<Vec<Timestamp>, _> = times.map(|last| last.at.parse()).collect();
    Ok(times.context("the service tells a time that cannot be read")?.into_iter().map(|t| t.as_second()).max())
}

fn progress(size: u64) -> ProgressBar {
    let bar = ProgressBar::new(size);
    if let Ok(style) = ProgressStyle::with_template("Delivering fourteen days {wide_bar} {pos}/{len} messages") {
        bar.set_style(style);
    }
    bar
}

fn free_port(wanted: u16) -> u16 {
    if TcpListener::bind(("127.0.0.1", wanted)).is_ok() { wanted } else { 0 }
}

/// A password nobody has to think of, different for each demo.
fn password() -> String {
    const WORDS: [&str; 16] = [
        "amber", "beck", "copper", "dale", "ember", "fell", "gorse", "heather", "iron", "juniper", "kettle", "larch",
        "moor", "north", "oak", "pine",
    ];
    use std::hash::{BuildHasher, RandomState};
    let random = RandomState::new().hash_one(0);
    let word = |i: u32| WORDS[((random >> (8 * i)) & 15) as usize];
    format!("{}-{}-{}-{:04}", word(0), word(1), word(2), (random >> 40) % 10_000)
}

fn announce(service: &Service, memory: &Memory, started: Instant) {
    let url = &service.url;
    let lantern = std::env::current_exe().ok().map(|exe| exe.with_file_name("lantern"));
    let lantern = lantern
        .and_then(|path| {
            let here = std::env::current_dir().ok()?;
            Some(path.strip_prefix(here).map_or_else(|_| path.display().to_string(), |p| p.display().to_string()))
        })
        .unwrap_or_else(|| "lantern".to_owned());
    println!(
        "\nMarlbeck Light Railway is at {url}   (ready after {:.1} s)\n\n  \
         log in as   {PERSON}\n  password    {}\n\nTry in another terminal:\n\n  \
         LANTERN_PASSWORD={} {lantern} login {url} --name {PERSON}\n  \
         {lantern} follow\n  \
         {lantern} command points-7 heater on\n  \
         {lantern} link shed-gw\n  \
         {lantern} export tower/level tower/level-p --since 7d --file tower.csv\n\n\
         Whoever is called is called at stand-ins: see what they get under Alarms, Callouts.\n\n\
         As a sender:  curl {url}/in/{} -d '{{\"air\": 11.5}}'\n\
         or by MQTT at {} with the key as password.\n\nCtrl-C stops it all.",
        started.elapsed().as_secs_f64(),
        memory.password,
        memory.password,
        memory.key("tower"),
        service.mqtt,
    );
}

//! What strangers and a careless key may cost the service: how long genuine senders wait for their
//! acknowledgement meanwhile, and how much memory it takes.

use crate::load::Place;
use crate::service::Service;
use crate::watch::Watch;
use anyhow::{Context, Result, ensure};
use reqwest::Method;
use rumqttc::v5::mqttbytes::QoS;
use rumqttc::v5::{AsyncClient, MqttOptions};
use serde_json::json;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, Instant};
use tokio::io::AsyncWriteExt;
use tokio::net::TcpStream;
use tokio::time::{interval, sleep, timeout};

/// Genuine senders, and the time between two messages of one.
const SENDERS: usize = 20;
const PACE: Duration = Duration::from_millis(50);
/// How long each load lasts.
const LASTS: Duration = Duration::from_secs(15);
/// How many times as long as at rest the genuine may wait.
const MOST_TIMES: f64 = 3.0;
/// Below this nobody notices, whatever it was at rest.
const UNNOTICED: Duration = Duration::from_millis(50);

/// Runs all loads one after the other, and says what each cost. `false` if one cost too much.
pub(crate) async fn run(folder: &Path, most_mb: u64) -> Result<bool> {
    let service = Service::start(folder).await?;
    let watch = Arc::<Watch>::default();
    watch.at(service.id());
    watch.start();
    let mut keys = Vec::new();
    for number in 0..SENDERS {
        keys.push(service.device(&format!("device-{number}")).await?);
    }
    let place = service.place.clone();
    println!("{:<46} {:>7} {:>7} {:>7} {:>6} {:>9}", "load", "done", "p50 ms", "p99 ms", "times", "memory MB");
    let rest = genuine(&keys, &place, LASTS).await?;
    print_line("none", 0, &rest, 1.0, &watch);
    let mut is_bearable = true;
    let strained: [(&str, Load); 5] = [
        ("1000 log-ins that stall", Load::Stalled),
        ("1000 packed bombs with a wrong key", Load::Bombs),
        ("2000 sessions kept by one key, 1 MiB for each", Load::Sessions),
        ("5000 wrong keys a second", Load::WrongKeys),
        ("200 guesses of a password at once", Load::Guesses),
    ];
    for (name, load) in strained {
        let done = Done::default();
        let strain = tokio::spawn(load.run(place.clone(), keys[0].clone(), done.clone()));
        sleep(Duration::from_millis(300)).await;
        let waits = genuine(&keys[1..], &place, LASTS).await?;
        strain.abort();
        let times = waits.p99().as_secs_f64() / rest.p99().as_secs_f64();
        print_line(name, done.load(Ordering::Relaxed), &waits, times, &watch);
        is_bearable &= times <= MOST_TIMES || waits.p99() <= UNNOTICED;
        sleep(Duration::from_secs(1)).await;
    }
    let sessions = service.call(Method::GET, "sites/marlbeck/mqtt-sessions?limit=500", None).await?;
    let kept = sessions["items"].as_array().context("no sessions")?.len();
    println!("\n{kept} sessions are kept for the key that opened 2000; at most {} MB of memory", watch.memory_mb());
    ensure!(watch.memory_mb() <= most_mb, "more memory than {most_mb} MB");
    Ok(is_bearable)
}

fn print_line(name: &str, done: u64, waits: &Waits, times: f64, watch: &Watch) {
    let ms = |wait: Duration| wait.as_secs_f64() * 1_000.0;
    println!(
        "{name:<46} {done:>7} {:>7.1} {:>7.1} {times:>6.1} {:>9}",
        ms(waits.p50()),
        ms(waits.p99()),
        watch.memory_mb()
    );
}

/// How long acknowledgements took.
struct Waits(Vec<Duration>);

impl Waits {
    fn at(&self, share: f64) -> Duration {
        let place = (self.0.len() as f64 * share) as usize;
        self.0.get(place.min(self.0.len().saturating_sub(1))).copied().unwrap_or_default()
    }

    fn p50(&self) -> Duration {
        self.at(0.5)
    }

    fn p99(&self) -> Duration {
        self.at(0.99)
    }
}

/// Genuine senders for a time. All they send must be taken.
async fn genuine(keys: &[String], place: &Place, lasts: Duration) -> Result<Waits> {
    let tasks = keys.iter().map(|key| {
        let (key, url) = (key.clone(), format!("{}/in", place.url));
        tokio::spawn(async move {
            let client = reqwest::Client::builder().timeout(Duration::from_secs(20)).build()?;
            let (mut waits, mut pace, begun) = (Vec::new(), interval(PACE), Instant::now());
            while begun.elapsed() < lasts {
                pace.tick().await;
                let sent = Instant::now();
                let answer = client.post(&url).bearer_auth(&key).body("count=1").send().await?;
                ensure!(answer.status().is_success(), "a genuine sender was refused: {}", answer.status());
                waits.push(sent.elapsed());
            }
            Ok(waits)
        })
    });
    let mut all = Vec::new();
    for task in tasks.collect::<Vec<_>>() {
        all.extend(task.await??);
    }
    all.sort_unstable();
    Ok(Waits(all))
}

/// How many times it was done.
type Done = Arc<AtomicU64>;

/// What somebody does to the service.
enum Load {
    Stalled,
    Bombs,
    Sessions,
    WrongKeys,
    Guesses,
}

impl Load {
    /// Does it until it is aborted.
    async fn run(self, place: Place, key: String, done: Done) -> Result<()> {
        match self {
            Self::Stalled => stalled(&place, &done).await,
            Self::Bombs => bombs(&place, &done).await,
            Self::Sessions => sessions(&place, &key, &done).await,
            Self::WrongKeys => wrong_keys(&place, &done).await,
            Self::Guesses => guesses(&place, &done).await,
        }
        std::future::pending().await
    }
}

async fn connect(place: &Place) -> Option<TcpStream> {
    TcpStream::connect(("127.0.0.1", place.http()?)).await.ok()
}

async fn stalled(place: &Place, done: &Done) {
    let mut open = Vec::new();
    for _ in 0..1_000 {
        let Some(mut stream) = connect(place).await else { continue };
        let half =
            b"POST /api/v1/log-in HTTP/1.1\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{\"name\":";
        let _ = stream.write_all(half).await;
        open.push(stream);
        done.fetch_add(1, Ordering::Relaxed);
    }
    std::future::pending::<()>().await;
}

/// A megabyte that unpacks to a thousand times as much would be refused for its size; this is as
/// much as may be unpacked, and as small as it gets.
fn bomb() -> Vec<u8> {
    use std::io::Write;
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::best());
    let _ = packed.write_all(&vec![b' '; 8 << 20]);
    packed.finish().unwrap_or_default()
}

async fn bombs(place: &Place, done: &Done) {
    let bomb = Arc::new(bomb());
    let throws = (0..1_000).map(|_| {
        let (bomb, url, done) = (bomb.clone(), format!("{}/in", place.url), done.clone());
        tokio::spawn(async move {
            let client = reqwest::Client::new();
            let request = client.post(url).bearer_auth("nobody").header("Content-Encoding", "gzip");
            let _ = request.body((*bomb).clone()).send().await;
            done.fetch_add(1, Ordering::Relaxed);
        })
    });
    for throw in throws.collect::<Vec<_>>() {
        let _ = throw.await;
    }
}

async fn sessions(place: &Place, key: &str, done: &Done) {
    let dial = |id: String| {
        let mut options = MqttOptions::new(id, "localhost", place.mqtt);
        options.set_credentials("", key).set_clean_start(false).set_session_expiry_interval(Some(u32::MAX));
        options.set_max_packet_size(Some(2 << 20));
        AsyncClient::new(options, 10)
    };
    for number in 0..2_000 {
        let (client, mut events) = dial(format!("kept-{number}"));
        let _ = client.subscribe("marlbeck/device-0/#", QoS::AtLeastOnce).await;
        let until_subscribed = async {
            loop {
                match events.poll().await {
                    Ok(rumqttc::v5::Event::Incoming(rumqttc::v5::mqttbytes::v5::Packet::SubAck(_))) | Err(_) => return,
                    Ok(_) => {}
                }
            }
        };
        if timeout(Duration::from_secs(5), until_subscribed).await.is_ok() {
            done.fetch_add(1, Ordering::Relaxed);
        }
    }
    let (client, mut events) = dial("publisher".to_owned());
    let task = tokio::spawn(async move {
        loop {
            if events.poll().await.is_err() {
                sleep(Duration::from_millis(100)).await;
            }
        }
    });
    for number in 0..50_u32 {
        let _ = client
            .publish(format!("marlbeck/device-0/chat/{number}"), QoS::AtLeastOnce, false, vec![b'x'; 1 << 20])
            .await;
    }
    sleep(LASTS).await;
    task.abort();
}

async fn wrong_keys(place: &Place, done: &Done) {
    for _ in 0..20 {
        let (done, url) = (done.clone(), format!("{}/in", place.url));
        tokio::spawn(async move {
            let client = reqwest::Client::new();
            // Twenty of them, each 250 a second.
            let mut pace = interval(Duration::from_millis(4));
            let begun = Instant::now();
            while begun.elapsed() < LASTS {
                pace.tick().await;
                let number = done.fetch_add(1, Ordering::Relaxed);
                let _ =
                    client.post(&url).bearer_auth(format!("WRONGKEYWRONGKEY{number:08}")).body("count=1").send().await;
            }
        });
    }
}

async fn guesses(place: &Place, done: &Done) {
    let url = format!("{}/api/v1/log-in", place.url);
    loop {
        let round = (0..200).map(|number| {
            let (client, url, done) = (reqwest::Client::new(), url.clone(), done.clone());
            tokio::spawn(async move {
                let guess = json!({"name": "ann", "password": format!("guess {number}")});
                let _ = client.post(url).json(&guess).send().await;
                done.fetch_add(1, Ordering::Relaxed);
            })
        });
        for guess in round.collect::<Vec<_>>() {
            let _ = guess.await;
        }
        sleep(Duration::from_millis(500)).await;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn quantiles_are_of_the_sorted_waits() {
        let waits = Waits((1..=200).map(Duration::from_millis).collect());
        assert_eq!((waits.p50(), waits.p99()), (Duration::from_millis(101), Duration::from_millis(199)));
        assert_eq!(Waits(Vec::new()).p99(), Duration::ZERO);
    }
}

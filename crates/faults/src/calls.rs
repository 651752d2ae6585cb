//! Alarms and callouts meanwhile: each time a flag is raised is one alarm, and each alarm calls once.

use crate::check::{FAR_S, PAGE};
use crate::service::Service;
use anyhow::{Context, Result};
use reqwest::Method;
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::net::{Ipv4Addr, SocketAddr};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};
use tokio::time::{sleep, timeout};

/// How long alarms and callouts may take to catch up once all is well.
const DRAIN: Duration = Duration::from_secs(90);
/// How long a message to the receiver may take to arrive.
const PATIENCE: Duration = Duration::from_secs(10);
const MOST_BYTES: usize = 1 << 20;
/// An alarm that comes again within so many seconds calls only once: the newer one does.
const GATHERED_S: f64 = 4.0;

/// The numbers of callouts that came for an alarm, by the alarm's.
type Came = Arc<Mutex<BTreeMap<i64, BTreeSet<u64>>>>;

/// Whoever is called.
pub(crate) struct Receiver {
    came: Came,
    address: SocketAddr,
}

impl Receiver {
    /// Takes webhooks from now on, and acknowledges what they call for at a service.
    pub(crate) async fn start(url: &str) -> Result<Self> {
        let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, 0)).await?;
        let (came, address) = (Came::default(), listener.local_addr()?);
        let (into, url) = (came.clone(), format!("{url}/api/v1/called-for/acknowledge"));
        let client = reqwest::Client::builder().timeout(PATIENCE).pool_max_idle_per_host(0).build()?;
        tokio::spawn(async move {
            while let Ok((stream, _)) = listener.accept().await {
                let (into, url, client) = (into.clone(), url.clone(), client.clone());
                tokio::spawn(async move {
                    // Whoever breaks off comes again.
                    let Ok(Ok(Some(secret))) = timeout(PATIENCE, take(stream, &into)).await else { return };
                    // A service that is just down is not told: the alarm goes on until it comes again.
                    let _ = client.post(url).json(&json!({"secret": secret})).send().await;
                });
            }
        });
        Ok(Self { came, address })
    }

    /// Has everything watched, and the receiver called for each alarm.
    pub(crate) async fn watch(&self, service: &Service) -> Result<()> {
        let watch = json!({"code": "wrong", "watch": {"name": "Wrong", "on": {"signal": "wrong"},
            "when": {"is": "flag", "value": true}}});
        service.call(Method::POST, "sites/marlbeck/watches", Some(watch)).await?;
        let also = [format!("http://{}/hook", self.address)];
        let roster = json!({"code": "all", "roster": {"name": "All", "order": [], "also": also}});
        service.call(Method::POST, "sites/marlbeck/rosters", Some(roster)).await?;
        Ok(())
    }

    /// Compares alarms and calls with what readings say, once they have caught up.
    pub(crate) async fn check(&self, service: &Service, devices: &[&str]) -> Result<Calls> {
        let mut expected = BTreeSet::new();
        for device in devices {
            for raised in raised(service, device).await? {
                expected.insert(((*device).to_owned(), raised));
            }
        }
        let begun = Instant::now();
        loop {
            let calls = self.compare(&expected, &alarms(service).await?);
            if calls.is_clean() || begun.elapsed() > DRAIN {
                return Ok(calls);
            }
            sleep(Duration::from_millis(500)).await;
        }
    }

    fn compare(&self, expected: &BTreeSet<(String, String)>, alarms: &[Value]) -> Calls {
        let text = |alarm: &Value, name: &str| alarm[name].as_str().unwrap_or_default().to_owned();
        let there: Vec<_> = alarms.iter().map(|alarm| (text(alarm, "device"), text(alarm, "raised_at"))).collect();
        let unique: BTreeSet<_> = there.iter().cloned().collect();
        let came = self.came.lock().unwrap_or_else(PoisonError::into_inner);
        let calls_of = |alarm: &Value| alarm["id"].as_i64().and_then(|id| came.get(&id)).map_or(0, BTreeSet::len);
        let calling: Vec<_> = alarms.iter().filter(|alarm| alarm["is_found"] != true && !came_again(alarm)).collect();
        Calls {
            alarms: there.len(),
            lost: expected.difference(&unique).count(),
            doubled: there.len() - unique.len(),
            strange: unique.difference(expected).count(),
            uncalled: calling.iter().filter(|alarm| calls_of(alarm) == 0).count(),
            called_twice: alarms.iter().filter(|alarm| calls_of(alarm) > 1).count(),
        }
    }
}

/// How alarms and calls differ from what they should be.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct Calls {
    pub(crate) alarms: usize,
    /// A flag was raised, and there is no alarm.
    pub(crate) lost: usize,
    /// There more than once.
    pub(crate) doubled: usize,
    /// There, but no flag was raised then.
    pub(crate) strange: usize,
    /// Nobody was called.
    pub(crate) uncalled: usize,
    /// Called by messages with different numbers.
    pub(crate) called_twice: usize,
}

impl Calls {
    pub(crate) fn is_clean(&self) -> bool {
        *self == Self { alarms: self.alarms, ..Self::default() }
    }
}

/// Whether an alarm came again before anybody was to be called for it.
fn came_again(alarm: &Value) -> bool {
    let time = |name: &str| alarm[name].as_str().and_then(|text| text.parse::<jiff::Timestamp>().ok());
    let is_answered = alarm["acknowledged_by"].is_string();
    let waited =
        time("recorded_at").zip(time("acknowledged_at")).map(|(from, to)| (to - from).total(jiff::Unit::Second));
    !is_answered && waited.is_some_and(|waited| waited.is_ok_and(|waited| waited < GATHERED_S))
}

/// When the flag of a device was raised, as its readings have it.
async fn raised(service: &Service, device: &str) -> Result<Vec<String>> {
    let path = format!("sites/marlbeck/devices/{device}/signals/wrong/readings?from=0&to={FAR_S}&limit={PAGE}");
    let mut raised = Vec::new();
    let mut before = false;
    for reading in service.list(&path).await? {
        let is_wrong = reading["value"].as_bool().context("no flag")?;
        if is_wrong && !before {
            raised.push(reading["at"].as_str().context("no time")?.to_owned());
        }
        before = is_wrong;
    }
    Ok(raised)
}

async fn alarms(service: &Service) -> Result<Vec<Value>> {
    service.list("sites/marlbeck/alarms?limit=500").await
}

/// Takes one webhook; gives what acknowledges its alarms.
async fn take(mut stream: TcpStream, into: &Came) -> Result<Option<String>> {
    let mut bytes = Vec::new();
    let mut chunk = [0; 8_192];
    let (head, body) = loop {
        let count = stream.read(&mut chunk).await?;
        anyhow::ensure!(count > 0 && bytes.len() < MOST_BYTES, "broken off");
        bytes.extend_from_slice(&chunk[..count]);
        let text = String::from_utf8_lossy(&bytes).into_owned();
        let Some((head, body)) = text.split_once("\r\n\r\n") else { continue };
        let length: usize = header(head, "content-length").and_then(|length| length.parse().ok()).unwrap_or(0);
        if body.len() >= length {
            break (head.to_owned(), body.to_owned());
        }
    };
    let number: u64 = header(&head, "callout-id").context("no number")?.parse()?;
    let body: Value = serde_json::from_str(&body)?;
    if body["sort"] == "call" {
        let mut came = into.lock().unwrap_or_else(PoisonError::into_inner);
        for alarm in body["alarms"].as_array().into_iter().flatten() {
            came.entry(alarm["id"].as_i64().context("no alarm")?).or_default().insert(number);
        }
    }
    stream.write_all(b"HTTP/1.1 204 No Content\r\nconnection: close\r\n\r\n").await?;
    Ok(body["acknowledge"].as_str().and_then(|address| address.split('#').nth(1)).map(str::to_owned))
}

fn header<'a>(head: &'a str, name: &str) -> Option<&'a str> {
    let mut lines = head.lines().filter_map(|line| line.split_once(':'));
    lines.find(|(of, _)| of.eq_ignore_ascii_case(name)).map(|(_, value)| value.trim())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_lost_doubled_strange_and_called_twice_is_told_apart() {
        let receiver = Receiver { came: Came::default(), address: SocketAddr::from(([127, 0, 0, 1], 1)) };
        let alarm = |id: i64, at: &str| json!({"id": id, "device": "a", "raised_at": at, "is_found": false});
        let expected = BTreeSet::from([("a".to_owned(), "1".to_owned()), ("a".to_owned(), "2".to_owned())]);
        let call = |alarm: i64, number: u64| {
            receiver.came.lock().unwrap().entry(alarm).or_default().insert(number);
        };
        call(1, 7);
        call(1, 7);
        call(2, 8);
        assert!(
            receiver.compare(&expected, &[alarm(1, "1"), alarm(2, "2")]).is_clean(),
            "the same number again is known"
        );
        call(2, 9);
        let wrong = receiver.compare(&expected, &[alarm(1, "1"), alarm(2, "1"), alarm(3, "3")]);
        assert_eq!(wrong, Calls { alarms: 3, lost: 1, doubled: 1, strange: 1, uncalled: 1, called_twice: 1 });
    }
}

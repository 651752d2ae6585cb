//! MQTT: durable QoS 1, idle connections, fan-out. The load speaks in bytes made
//! beforehand, so that what is measured is the server.

use crate::service::Service;
use crate::work::DEVICES;
use crate::{Entry, median};
use anyhow::{Context, Result, bail, ensure};
use bytes::BytesMut;
use futures::future::BoxFuture;
use lantern_core::state::StateChange;
use lantern_core::{Moment, SiteId};
use lantern_mqtt::codec::Reason;
use lantern_mqtt::shell::Server;
use lantern_mqtt::{Client, Farewell, Filter, Hello, Holder, Host, Message, Peer, Prepared, Refused};
use std::net::SocketAddr;
use std::process::{Command, Stdio};
use std::sync::Arc;
use std::time::{Duration, Instant};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};

/// Connections of `mqtt-qos1-100`.
const SENDERS: usize = 100;
/// Messages each has in flight.
const IN_FLIGHT: usize = 20;
/// Messages each sends.
const MESSAGES: usize = 2_000;
/// Connections of `mqtt-idle-5000`.
const IDLE: usize = 5_000;
/// Subscribers of `mqtt-fanout-1000`.
const SUBSCRIBERS: usize = 1_000;
/// Messages published in it.
const PUBLISHED: usize = 50;
/// The argument with which this program is the limit's server.
pub(crate) const BARE: &str = "bare-mqtt";

/// The same server with nothing behind it: what is published is acknowledged and
/// not stored.
struct Nothing;

impl Host for Nothing {
    fn now(&self) -> Moment {
        let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap_or_default();
        Moment::from_micros(i64::try_from(now.as_micros()).unwrap_or_default()).unwrap_or(Moment::EPOCH)
    }

    fn admit<'a>(&'a self, _: Hello<'a>) -> BoxFuture<'a, Result<Arc<dyn Client>, Refused>> {
        Box::pin(async { Ok(Arc::new(Nobody) as Arc<dyn Client>) })
    }

    fn believed_now(&self) -> BoxFuture<'_, Option<Moment>> {
        let now = self.now();
        Box::pin(async move { Some(now) })
    }

    fn recall<'a>(&'a self, _: SiteId, _: &'a [u8]) -> BoxFuture<'a, Option<Arc<dyn Client>>> {
        Box::pin(async { None })
    }

    fn keep(&self, _: Vec<StateChange>) -> BoxFuture<'_, Result<(), Refused>> {
        Box::pin(async { Ok(()) })
    }

    fn taken(&self, _: i64) {}
}

/// Every client of it.
struct Nobody;

impl Client for Nobody {
    fn site(&self) -> SiteId {
        SiteId(1)
    }

    fn holder(&self) -> Holder {
        Holder { lineage: Arc::new([0]), credential: Arc::new([0]), most_kept: usize::MAX }
    }

    fn prepare<'a>(&'a self, _: &'a Message, _: Moment) -> BoxFuture<'a, Result<Box<dyn Prepared>, Refused>> {
        Box::pin(async { Ok(Box::new(Unkept) as Box<dyn Prepared>) })
    }

    fn may_subscribe<'a>(&'a self, _: &'a Filter) -> BoxFuture<'a, Result<(), Refused>> {
        Box::pin(async { Ok(()) })
    }

    fn standing<'a>(&'a self, _: &'a Filter) -> BoxFuture<'a, Vec<Message>> {
        Box::pin(async { Vec::new() })
    }

    fn connected(&self) {}

    fn disconnected(&self, _: &Farewell) {}
}

/// A message that is not stored.
struct Unkept;

impl Prepared for Unkept {
    fn is_passed_on(&self) -> bool {
        true
    }

    fn commit(self: Box<Self>, changes: Vec<StateChange>) -> BoxFuture<'static, Result<(), Refused>> {
        let text = "nothing is stored".to_owned();
        let refused = Refused { reason: Reason::ImplementationSpecific, text, is_passing: false };
        Box::pin(async move { if changes.is_empty() { Ok(()) } else { Err(refused) } })
    }
}

/// Serves on a free port until it is killed.
pub(crate) async fn serve() -> Result<()> {
    let listener = TcpListener::bind("127.0.0.1:0").await?;
    println!("{}", listener.local_addr()?);
    let server = Server::new(Arc::new(Nothing), &[], 10_000);
    loop {
        let (stream, from) = listener.accept().await?;
        stream.set_nodelay(true)?;
        let (reader, writer) = stream.into_split();
        let peer = Peer { from: from.ip(), protocol: "MQTT", certificate: None };
        tokio::spawn(server.clone().serve(reader, writer, peer));
    }
}

struct Bare {
    child: std::process::Child,
    address: SocketAddr,
}

impl Bare {
    fn start() -> Result<Self> {
        use std::io::BufRead;
        let mut child = Command::new(std::env::current_exe()?).arg(BARE).stdout(Stdio::piped()).spawn()?;
        let stdout = child.stdout.take().context("it has no output")?;
        let Some(Ok(line)) = std::io::BufReader::new(stdout).lines().next() else { bail!("it did not start") };
        Ok(Self { child, address: line.parse()? })
    }
}

impl Drop for Bare {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

pub(crate) fn packet(first: u8, body: &[u8]) -> Vec<u8> {
    let mut out = vec![first];
    let mut size = body.len();
    loop {
        let more = size > 127;
        out.push((size & 127) as u8 | if more { 128 } else { 0 });
        size >>= 7;
        if !more {
            break;
        }
    }
    out.extend_from_slice(body);
    out
}

pub(crate) fn text(text: &str) -> Vec<u8> {
    [&(text.len() as u16).to_be_bytes()[..], text.as_bytes()].concat()
}

/// A connection of MQTT 3.1.1 that is admitted.
pub(crate) async fn connect(address: SocketAddr, id: &str, user: &str, key: &str) -> Result<TcpStream> {
    let mut stream = TcpStream::connect(address).await?;
    stream.set_nodelay(true)?;
    let body = [text("MQTT"), vec![4, 0xC2, 0, 0], text(id), text(user), text(key)].concat();
    stream.write_all(&packet(0x10, &body)).await?;
    let mut welcome = [0; 4];
    stream.read_exact(&mut welcome).await?;
    ensure!(welcome == [0x20, 2, 0, 0], "not admitted: {welcome:?}");
    Ok(stream)
}

/// QoS 1 over 100 connections with 20 messages in flight each, each a reading that
/// is durable before its PUBACK. Limit: the same server acknowledging without
/// storing, which it does with values of names that are ignored. Prints what the
/// protocol alone would do, with nothing behind it.
pub(crate) async fn qos1_100(rounds: u8) -> Result<Entry> {
    let (mut figures, mut limits, mut bares) = (Vec::new(), Vec::new(), Vec::new());
    for round in 0..rounds {
        let dir = tempfile::tempdir()?;
        let service = Service::start(dir.path()).await?;
        figures.push(load(service.mqtt, &service.keys, "s", round).await?);
        let ignored: Vec<String> = (0..SENDERS.div_ceil(DEVICES)).map(|signal| format!("x{signal}")).collect();
        service.ignore(&ignored).await?;
        limits.push(load(service.mqtt, &service.keys, "x", round).await?);
        drop(service);
        let bare = Bare::start()?;
        bares.push(load(bare.address, &vec!["key".to_owned(); DEVICES], "s", round).await?);
    }
    let (figure, limit) = (median(figures), median(limits));
    println!("  the protocol alone, with nothing behind it: {:.0} messages/s", median(bares));
    Ok(Entry { name: "mqtt-qos1-100", figure, unit: "messages/s", limit, ratio: figure / limit })
}

async fn load(address: SocketAddr, keys: &[String], prefix: &'static str, round: u8) -> Result<f64> {
    let mut streams = Vec::new();
    for sender in 0..SENDERS {
        let device = sender % keys.len();
        streams.push(connect(address, &format!("c{sender}"), &format!("d{device}"), &keys[device]).await?);
    }
    let started = Instant::now();
    let tasks: Vec<_> = streams
        .into_iter()
        .enumerate()
        .map(|(sender, stream)| {
            let signal = format!("{prefix}{}", sender / keys.len());
            tokio::spawn(send(stream, sender, sender % keys.len(), signal, round))
        })
        .collect();
    for task in tasks {
        task.await??;
    }
    Ok((SENDERS * MESSAGES) as f64 / started.elapsed().as_secs_f64())
}

/// Keeps so many messages in flight until all are acknowledged.
async fn send(mut stream: TcpStream, sender: usize, device: usize, signal: String, round: u8) -> Result<()> {
    let topic = text(&format!("bench/d{device}/in"));
    let mut next = 0;
    let mut taken = 0;
    let mut answer = vec![0; 4_096];
    let mut left = 0;
    while taken < MESSAGES {
        let mut out = BytesMut::new();
        while next < MESSAGES && next < taken + IN_FLIGHT {
            let at = 1_777_593_600.0 + f64::from(round) * 1e6 + (next * SENDERS + sender) as f64 / 100.0;
            let payload = format!("{{\"{signal}\":{}.5,\"at\":{at}}}", next % 50);
            let id = (next % 60_000 + 1) as u16;
            let body = [&topic[..], &id.to_be_bytes(), payload.as_bytes()].concat();
            out.extend_from_slice(&packet(0x32, &body));
            next += 1;
        }
        stream.write_all(&out).await?;
        let count = stream.read(&mut answer[left..]).await?;
        ensure!(count > 0, "the connection ended");
        let whole = (left + count) / 4;
        for ack in answer[..whole * 4].chunks(4) {
            ensure!(ack[..2] == [0x40, 2], "answered {ack:?}");
        }
        taken += whole;
        answer.copy_within(whole * 4..left + count, 0);
        left = left + count - whole * 4;
    }
    Ok(())
}

fn status(id: u32, field: &str) -> Result<f64> {
    let status = std::fs::read_to_string(format!("/proc/{id}/status"))?;
    let line = status.lines().find(|line| line.starts_with(field)).context("no such field")?;
    Ok(line.split_whitespace().nth(1).context("no number")?.parse()?)
}

/// Processor time of a process so far, in seconds.
fn processor_s(id: u32) -> Result<f64> {
    let stat = std::fs::read_to_string(format!("/proc/{id}/stat"))?;
    let fields: Vec<&str> = stat.rsplit(')').next().unwrap_or_default().split_whitespace().collect();
    let ticks: f64 =
        fields.get(11).context("no utime")?.parse::<f64>()? + fields.get(12).context("no stime")?.parse::<f64>()?;
    Ok(ticks / 100.0)
}

/// Resident bytes that each of 5,000 idle connections costs, against the 20 KB it
/// may; prints the share of a core they take at rest.
pub(crate) async fn idle_5000() -> Result<Entry> {
    const MAY: f64 = 20_000.0;
    let dir = tempfile::tempdir()?;
    let service = Service::start(dir.path()).await?;
    // What the first connections make once is not theirs alone.
    let mut streams = Vec::new();
    for number in 0..100 {
        streams.push(idle(&service, number).await?);
    }
    tokio::time::sleep(Duration::from_secs(2)).await;
    let before = status(service.id(), "VmRSS")?;
    for number in 100..IDLE + 100 {
        streams.push(idle(&service, number).await?);
    }
    tokio::time::sleep(Duration::from_secs(5)).await;
    let bytes = (status(service.id(), "VmRSS")? - before) * 1_024.0 / IDLE as f64;
    let (started, used) = (Instant::now(), processor_s(service.id())?);
    tokio::time::sleep(Duration::from_secs(20)).await;
    let share = (processor_s(service.id())? - used) / started.elapsed().as_secs_f64();
    println!("  {IDLE} idle connections take {:.2} % of a core", share * 100.0);
    drop(streams);
    Ok(Entry { name: "mqtt-idle-5000", figure: bytes, unit: "bytes each", limit: MAY, ratio: MAY / bytes })
}

async fn idle(service: &Service, number: usize) -> Result<TcpStream> {
    let device = number % service.keys.len();
    connect(service.mqtt, &format!("c{number}"), &format!("d{device}"), &service.keys[device]).await
}

/// One publisher, 1,000 subscribers: until the last of them has a message, at the
/// 99th percentile of messages and subscribers. Limit: a program that writes the
/// same bytes to 1,000 sockets and nothing else.
pub(crate) async fn fanout_1000(rounds: u8) -> Result<Entry> {
    let (mut figures, mut limits) = (Vec::new(), Vec::new());
    for _ in 0..rounds {
        let dir = tempfile::tempdir()?;
        let service = Service::start(dir.path()).await?;
        figures.push(fan_out(&service).await?);
        drop(service);
        limits.push(write_out().await?);
    }
    let (figure, limit) = (median(figures), median(limits));
    Ok(Entry { name: "mqtt-fanout-1000", figure, unit: "us (p99)", limit, ratio: limit / figure })
}

async fn fan_out(service: &Service) -> Result<f64> {
    let read = service.reading_key().await?;
    let topic = "bench/d0/in";
    let begun = Instant::now();
    let mut tasks = Vec::new();
    for number in 0..SUBSCRIBERS {
        let mut stream = connect(service.mqtt, &format!("r{number}"), "r", &read).await?;
        stream.write_all(&packet(0x82, &[vec![0, 1], text(topic), vec![0]].concat())).await?;
        let mut ack = [0; 5];
        stream.read_exact(&mut ack).await?;
        tasks.push(tokio::spawn(receive(stream, 2 + 2 + topic.len() + 21, begun)));
    }
    let mut from = connect(service.mqtt, "from", "d0", &service.keys[0]).await?;
    for number in 0..PUBLISHED {
        let payload = format!("{{\"s0\":0.{:0>12}}}", begun.elapsed().as_micros());
        let id = (number + 1) as u16;
        let body = [&text(topic)[..], &id.to_be_bytes(), payload.as_bytes()].concat();
        from.write_all(&packet(0x32, &body)).await?;
        let mut ack = [0; 4];
        from.read_exact(&mut ack).await?;
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    percentile(tasks).await
}

/// Reads messages of one size, and says how long after the number in them each came.
async fn receive(mut stream: TcpStream, size: usize, begun: Instant) -> Result<Vec<f64>> {
    let mut late = Vec::new();
    let mut bytes = vec![0; size];
    for _ in 0..PUBLISHED {
        stream.read_exact(&mut bytes).await?;
        let now = begun.elapsed().as_micros() as f64;
        let text = String::from_utf8_lossy(&bytes[size - 13..size - 1]).into_owned();
        late.push(now - text.parse::<f64>().with_context(|| format!("a time in {text}"))?);
    }
    Ok(late)
}

async fn percentile(tasks: Vec<tokio::task::JoinHandle<Result<Vec<f64>>>>) -> Result<f64> {
    let mut all = Vec::new();
    for task in tasks {
        all.extend(task.await??);
    }
    all.sort_by(f64::total_cmp);
    Ok(all[all.len() * 99 / 100])
}

async fn write_out() -> Result<f64> {
    let listener = TcpListener::bind("127.0.0.1:0").await?;
    let address = listener.local_addr()?;
    let begun = Instant::now();
    let size = 2 + 2 + "bench/d0/in".len() + 21;
    let mut tasks = Vec::new();
    let mut streams = Vec::new();
    for _ in 0..SUBSCRIBERS {
        let stream = TcpStream::connect(address).await?;
        let (to, _) = listener.accept().await?;
        to.set_nodelay(true)?;
        streams.push(to);
        tasks.push(tokio::spawn(receive(stream, size, begun)));
    }
    for _ in 0..PUBLISHED {
        let payload = format!("{{\"s0\":0.{:0>12}}}", begun.elapsed().as_micros());
        let bytes = packet(0x30, &[text("bench/d0/in"), payload.into_bytes()].concat());
        for stream in &mut streams {
            stream.write_all(&bytes).await?;
        }
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    percentile(tasks).await
}

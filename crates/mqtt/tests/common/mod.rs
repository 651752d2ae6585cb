//! A host that keeps state in memory, and a client that writes its packets byte
//! by byte, so that nothing is tested with the code under test.

use futures::FutureExt;
use futures::future::BoxFuture;
use lantern_core::state::{KeptState, StateChange, StateKey};
use lantern_core::{Moment, SiteId};
use lantern_mqtt::codec::Reason;
use lantern_mqtt::shell::Server;
use lantern_mqtt::{Client, Farewell, Filter, Hello, Holder, Host, Message, Peer, Prepared, Refused};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, AtomicI64, Ordering};
use std::sync::{Arc, Mutex, Weak};
use std::time::Duration;
use tokio::io::{AsyncReadExt, AsyncWriteExt, DuplexStream};

/// How long a test waits for something that must come.
const PATIENCE: Duration = Duration::from_secs(30);
/// How often other tasks get their turn before nothing more can come: far more than a packet
/// has steps between one client and another.
const TURNS: usize = 200;
/// Commits that may go on at once; who takes all holds them up.
pub(crate) const GATE: usize = 1_000;

/// Sessions of one key that may be kept.
pub(crate) const MOST_KEPT: usize = 3;

/// Site, owner, part and item of a piece of state.
type Place = (i64, String, &'static str, String);

/// The service behind the server in tests. The password is the key; its first byte is the
/// site, and `deny` is none.
pub(crate) struct TestHost {
    own: Weak<TestHost>,
    kept: Mutex<BTreeMap<Place, Vec<u8>>>,
    /// Topics taken in, with payloads.
    pub(crate) taken: Mutex<Vec<(String, Vec<u8>)>>,
    pub(crate) farewells: Mutex<Vec<(String, Farewell)>>,
    pub(crate) tokens: Mutex<Vec<i64>>,
    now: AtomicI64,
    /// Whether the clock has leapt ahead and is not believed.
    pub(crate) has_leapt: AtomicBool,
    /// Nothing can be made durable.
    pub(crate) is_broken: AtomicBool,
    /// What a commit waits for.
    pub(crate) gate: tokio::sync::Semaphore,
}

struct TestClient {
    host: Weak<TestHost>,
    site: SiteId,
    id: String,
    /// Whose its sessions are.
    holder: String,
}

fn no(reason: Reason, text: &str) -> Refused {
    Refused { reason, text: text.to_owned(), is_passing: false }
}

impl TestHost {
    pub(crate) fn new() -> Arc<Self> {
        Arc::new_cyclic(|own| Self {
            own: own.clone(),
            kept: Mutex::default(),
            taken: Mutex::default(),
            farewells: Mutex::default(),
            tokens: Mutex::default(),
            now: AtomicI64::new(1_777_636_800_000_000),
            has_leapt: AtomicBool::new(false),
            is_broken: AtomicBool::new(false),
            gate: tokio::sync::Semaphore::new(GATE),
        })
    }

    fn client(&self, site: SiteId, id: &str, holder: &[u8]) -> Arc<dyn Client> {
        let holder = String::from_utf8_lossy(holder).into_owned();
        Arc::new(TestClient { host: self.own.clone(), site, id: id.to_owned(), holder })
    }

    pub(crate) fn pass(&self, seconds: i64) {
        self.now.fetch_add(seconds * 1_000_000, Ordering::SeqCst);
    }

    /// What a service that starts now would find.
    pub(crate) fn kept(&self) -> Vec<KeptState> {
        let kept = self.kept.lock().unwrap();
        kept.iter()
            .map(|((site, owner, part, item), value)| KeptState {
                site: SiteId(*site),
                owner: owner.clone(),
                part: (*part).to_owned(),
                item: item.clone(),
                value: value.clone(),
            })
            .collect()
    }

    async fn commit(&self, changes: Vec<StateChange>) -> Result<(), Refused> {
        let _permit = self.gate.acquire().await.unwrap();
        if self.is_broken.load(Ordering::SeqCst) {
            return Err(Refused { is_passing: true, ..no(Reason::QuotaExceeded, "the disk is full") });
        }
        let place = |key: StateKey| (key.site.0, key.owner.to_string(), key.part, key.item);
        let mut kept = self.kept.lock().unwrap();
        for change in changes {
            match change {
                StateChange::Put(key, value) => drop(kept.insert(place(key), value)),
                StateChange::Remove(key) => drop(kept.remove(&place(key))),
                StateChange::RemoveAll { site, owner } => kept.retain(|key, _| key.0 != site.0 || key.1 != *owner),
                other => unreachable!("not of sessions: {other:?}"),
            }
        }
        Ok(())
    }
}

impl Host for TestHost {
    fn now(&self) -> Moment {
        Moment::from_micros(self.now.load(Ordering::SeqCst)).unwrap()
    }

    fn admit<'a>(&'a self, hello: Hello<'a>) -> BoxFuture<'a, Result<Arc<dyn Client>, Refused>> {
        let admitted = match hello.password {
            Some(b"deny") => Err(no(Reason::NotAuthorized, "denied")),
            Some(site) if !site.is_empty() => Ok(self.client(SiteId(site[0].into()), hello.client_id, site)),
            _ => Err(no(Reason::BadUserNameOrPassword, "no key")),
        };
        Box::pin(async { admitted })
    }

    fn believed_now(&self) -> BoxFuture<'_, Option<Moment>> {
        let believed = (!self.has_leapt.load(Ordering::SeqCst)).then(|| self.now());
        Box::pin(async move { believed })
    }

    fn recall<'a>(&'a self, site: SiteId, credential: &'a [u8]) -> BoxFuture<'a, Option<Arc<dyn Client>>> {
        let client = self.client(site, "recalled", credential);
        Box::pin(async { Some(client) })
    }

    fn keep(&self, changes: Vec<StateChange>) -> BoxFuture<'_, Result<(), Refused>> {
        Box::pin(self.commit(changes))
    }

    fn taken(&self, token: i64) {
        self.tokens.lock().unwrap().push(token);
    }
}

impl Client for TestClient {
    fn site(&self) -> SiteId {
        self.site
    }

    fn holder(&self) -> Holder {
        let lineage: Arc<[u8]> = self.holder.as_bytes().into();
        Holder { credential: lineage.clone(), lineage, most_kept: MOST_KEPT }
    }

    fn prepare<'a>(&'a self, message: &'a Message, _: Moment) -> BoxFuture<'a, Result<Box<dyn Prepared>, Refused>> {
        Box::pin(async {
            if message.topic.starts_with("forbidden") {
                return Err(no(Reason::NotAuthorized, "not here"));
            }
            let taken = (message.topic.to_string(), message.payload.to_vec());
            Ok(Box::new(TestMessage { host: self.host.upgrade().unwrap(), taken }) as Box<dyn Prepared>)
        })
    }

    fn may_subscribe<'a>(&'a self, filter: &'a Filter) -> BoxFuture<'a, Result<(), Refused>> {
        let is_forbidden = filter.pattern().starts_with("forbidden");
        Box::pin(async move { if is_forbidden { Err(no(Reason::NotAuthorized, "not here")) } else { Ok(()) } })
    }

    fn standing<'a>(&'a self, filter: &'a Filter) -> BoxFuture<'a, Vec<Message>> {
        let message = Message { retain: true, token: Some(7), ..Message::own("site/standing", "always") };
        let found = if lantern_mqtt::matches(filter.pattern(), &message.topic) { vec![message] } else { Vec::new() };
        Box::pin(async { found })
    }

    fn connected(&self) {}

    fn disconnected(&self, how: &Farewell) {
        self.host.upgrade().unwrap().farewells.lock().unwrap().push((self.id.clone(), how.clone()));
    }
}

/// A message that was understood.
struct TestMessage {
    host: Arc<TestHost>,
    taken: (String, Vec<u8>),
}

impl Prepared for TestMessage {
    fn is_passed_on(&self) -> bool {
        true
    }

    fn commit(self: Box<Self>, changes: Vec<StateChange>) -> BoxFuture<'static, Result<(), Refused>> {
        Box::pin(async move {
            self.host.commit(changes).await?;
            self.host.taken.lock().unwrap().push(self.taken);
            Ok(())
        })
    }
}

/// A server with the host behind it.
#[derive(Clone)]
pub(crate) struct TestServer {
    server: Arc<Server>,
    host: Arc<TestHost>,
}

impl TestServer {
    pub(crate) fn new(host: Arc<TestHost>, kept: &[KeptState], connections: u32) -> Self {
        Self { server: Server::new(host.clone(), kept, connections), host }
    }

    pub(crate) fn host(&self) -> &TestHost {
        &self.host
    }
}

impl std::ops::Deref for TestServer {
    type Target = Arc<Server>;

    fn deref(&self) -> &Arc<Server> {
        &self.server
    }
}

/// A server with nothing kept.
pub(crate) fn server() -> TestServer {
    TestServer::new(TestHost::new(), &[], 1_000)
}

/// The server after a crash: what was not kept is gone.
pub(crate) fn crashed(old: &TestServer) -> TestServer {
    let kept = old.host().kept();
    let host = TestHost::new();
    host.kept.lock().unwrap().clone_from(&old.host().kept.lock().unwrap());
    host.now.store(old.host().now.load(Ordering::SeqCst), Ordering::SeqCst);
    TestServer::new(host, &kept, 1_000)
}

/// A packet from the server: its first byte and its body.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Packet {
    pub(crate) first: u8,
    pub(crate) body: Vec<u8>,
}

/// A PUBLISH taken apart.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Got {
    pub(crate) topic: String,
    pub(crate) payload: String,
    pub(crate) qos: u8,
    pub(crate) dup: bool,
    pub(crate) retain: bool,
    pub(crate) id: u16,
    pub(crate) properties: Vec<u8>,
}

/// A client that speaks in bytes.
pub(crate) struct Raw {
    pub(crate) io: DuplexStream,
    pub(crate) version: u8,
}

pub(crate) fn text(text: &str) -> Vec<u8> {
    binary(text.as_bytes())
}

pub(crate) fn binary(bytes: &[u8]) -> Vec<u8> {
    let mut out = (bytes.len() as u16).to_be_bytes().to_vec();
    out.extend_from_slice(bytes);
    out
}

pub(crate) fn length(mut value: usize) -> Vec<u8> {
    let mut out = Vec::new();
    loop {
        let byte = (value % 128) as u8;
        value /= 128;
        out.push(if value > 0 { byte | 128 } else { byte });
        if value == 0 {
            return out;
        }
    }
}

pub(crate) fn packet(first: u8, body: &[u8]) -> Vec<u8> {
    let mut out = vec![first];
    out.extend(length(body.len()));
    out.extend_from_slice(body);
    out
}

/// What a CONNECT says.
#[derive(Clone)]
pub(crate) struct Hi<'a> {
    pub(crate) version: u8,
    pub(crate) id: &'a str,
    pub(crate) clean: bool,
    pub(crate) keep_alive: u16,
    pub(crate) properties: Vec<u8>,
    /// Topic, payload, flags (QoS and retain as in the connect flags), properties.
    pub(crate) will: Option<(&'a str, &'a str, u8, Vec<u8>)>,
    pub(crate) password: &'a str,
}

pub(crate) const V3: Hi<'static> =
    Hi { version: 4, id: "c", clean: true, keep_alive: 0, properties: Vec::new(), will: None, password: "A" };
pub(crate) const V5: Hi<'static> =
    Hi { version: 5, id: "c", clean: true, keep_alive: 0, properties: Vec::new(), will: None, password: "A" };

/// The property that makes a session of 5.0 outlive its connection.
pub(crate) fn expiry(seconds: u32) -> Vec<u8> {
    let mut property = vec![17];
    property.extend(seconds.to_be_bytes());
    property
}

impl Hi<'_> {
    pub(crate) fn bytes(&self) -> Vec<u8> {
        let mut flags = 0xC0 | u8::from(self.clean) << 1;
        if let Some((_, _, will_flags, _)) = &self.will {
            flags |= 4 | will_flags;
        }
        let mut body = text("MQTT");
        body.extend([self.version, flags]);
        body.extend(self.keep_alive.to_be_bytes());
        if self.version == 5 {
            body.extend(length(self.properties.len()));
            body.extend_from_slice(&self.properties);
        }
        body.extend(text(self.id));
        if let Some((topic, payload, _, properties)) = &self.will {
            if self.version == 5 {
                body.extend(length(properties.len()));
                body.extend_from_slice(properties);
            }
            body.extend(text(topic));
            body.extend(text(payload));
        }
        body.extend(text("user"));
        body.extend(text(self.password));
        packet(0x10, &body)
    }
}

impl Raw {
    /// A connection on which nothing was said.
    pub(crate) fn open(server: &TestServer, version: u8) -> Self {
        let (io, far) = tokio::io::duplex(1 << 20);
        let (reader, writer) = tokio::io::split(far);
        let peer = Peer { from: std::net::Ipv4Addr::LOCALHOST.into(), protocol: "MQTT", certificate: None };
        tokio::spawn(Arc::clone(server).serve(reader, writer, peer));
        Self { io, version }
    }

    /// A connected client, and whether its session was there.
    pub(crate) async fn connect(server: &TestServer, hi: &Hi<'_>) -> (Self, bool) {
        let mut raw = Self::open(server, hi.version);
        raw.send(&hi.bytes()).await;
        let welcome = raw.next().await;
        assert_eq!((welcome.first, welcome.body[1]), (0x20, 0), "{welcome:?}");
        (raw, welcome.body[0] == 1)
    }

    pub(crate) async fn send(&mut self, bytes: &[u8]) {
        self.io.write_all(bytes).await.unwrap();
    }

    async fn read(&mut self) -> std::io::Result<Packet> {
        let first = self.io.read_u8().await?;
        let (mut size, mut shift) = (0, 0);
        loop {
            let byte = self.io.read_u8().await?;
            size |= usize::from(byte & 127) << shift;
            shift += 7;
            if byte & 128 == 0 {
                break;
            }
        }
        let mut body = vec![0; size];
        self.io.read_exact(&mut body).await?;
        Ok(Packet { first, body })
    }

    /// The next packet.
    pub(crate) async fn next(&mut self) -> Packet {
        tokio::time::timeout(PATIENCE, self.read()).await.expect("a packet comes").expect("the connection lives")
    }

    /// Nothing comes, once all tasks have done what they can. There is one thread and no wire,
    /// so that this takes no time.
    pub(crate) async fn quiet(&mut self) {
        for _ in 0..TURNS {
            tokio::task::yield_now().await;
        }
        if let Some(packet) = self.read().now_or_never() {
            panic!("nothing should come, but {packet:?}");
        }
    }

    /// The server ends the connection; gives back the reason it says, if any.
    pub(crate) async fn closed(&mut self) -> Option<u8> {
        let mut reason = None;
        loop {
            match tokio::time::timeout(PATIENCE, self.read()).await.expect("the connection ends") {
                Ok(packet) if packet.first == 0xE0 => reason = packet.body.first().copied(),
                Ok(packet) if packet.first == 0x20 => reason = Some(packet.body[1]),
                Ok(_) => {}
                Err(_) => return reason,
            }
        }
    }

    fn put_properties(&self, out: &mut Vec<u8>, properties: &[u8]) {
        if self.version == 5 {
            out.extend(length(properties.len()));
            out.extend_from_slice(properties);
        }
    }

    /// Subscribes and gives back the reason codes.
    pub(crate) async fn subscribe(&mut self, filters: &[(&str, u8)]) -> Vec<u8> {
        self.subscribe_with(&[], filters).await
    }

    pub(crate) async fn subscribe_with(&mut self, properties: &[u8], filters: &[(&str, u8)]) -> Vec<u8> {
        let mut body = vec![0, 99];
        self.put_properties(&mut body, properties);
        for (filter, options) in filters {
            body.extend(text(filter));
            body.push(*options);
        }
        self.send(&packet(0x82, &body)).await;
        let ack = self.next_of(0x90).await;
        assert_eq!(ack.body[..2], [0, 99]);
        ack.body[ack.body.len() - filters.len()..].to_vec()
    }

    /// The next packet of a kind; others must not come before it.
    pub(crate) async fn next_of(&mut self, first: u8) -> Packet {
        let packet = self.next().await;
        assert_eq!(packet.first & 0xF0, first & 0xF0, "{packet:?}");
        packet
    }

    pub(crate) fn publish_bytes(&self, topic: &str, payload: &str, flags: u8, id: u16, properties: &[u8]) -> Vec<u8> {
        let mut body = text(topic);
        if flags & 6 != 0 {
            body.extend(id.to_be_bytes());
        }
        self.put_properties(&mut body, properties);
        body.extend_from_slice(payload.as_bytes());
        packet(0x30 | flags, &body)
    }

    /// Publishes; flags as in the first byte: 1 retain, 2 and 4 QoS, 8 duplicate.
    pub(crate) async fn publish(&mut self, topic: &str, payload: &str, flags: u8, id: u16) {
        let bytes = self.publish_bytes(topic, payload, flags, id, &[]);
        self.send(&bytes).await;
    }

    pub(crate) async fn publish_with(&mut self, topic: &str, payload: &str, flags: u8, id: u16, properties: &[u8]) {
        let bytes = self.publish_bytes(topic, payload, flags, id, properties);
        self.send(&bytes).await;
    }

    /// Sends one of the four answers.
    pub(crate) async fn ack(&mut self, first: u8, id: u16) {
        self.send(&packet(first, &id.to_be_bytes())).await;
    }

    /// Waits for one of the four answers and gives back its reason.
    pub(crate) async fn acked(&mut self, first: u8, id: u16) -> u8 {
        let packet = self.next_of(first).await;
        assert_eq!(packet.first, first, "{packet:?}");
        assert_eq!(packet.body[..2], id.to_be_bytes(), "{packet:?}");
        packet.body.get(2).copied().unwrap_or(0)
    }

    /// A ping, by which all that was sent before has been dealt with.
    pub(crate) async fn ping(&mut self) {
        self.send(&[0xC0, 0]).await;
        assert!(self.next_of(0xD0).await.body.is_empty());
    }

    /// The next message.
    pub(crate) async fn got(&mut self) -> Got {
        let packet = self.next_of(0x30).await;
        self.take_apart(&packet)
    }

    pub(crate) fn take_apart(&self, packet: &Packet) -> Got {
        let body = &packet.body;
        let mut place = 2 + usize::from(u16::from_be_bytes([body[0], body[1]]));
        let topic = String::from_utf8(body[2..place].to_vec()).unwrap();
        let qos = packet.first >> 1 & 3;
        let mut id = 0;
        if qos > 0 {
            id = u16::from_be_bytes([body[place], body[place + 1]]);
            place += 2;
        }
        let mut properties = Vec::new();
        if self.version == 5 {
            let size = usize::from(body[place]);
            assert!(size < 128, "short enough for the test");
            properties = body[place + 1..place + 1 + size].to_vec();
            place += 1 + size;
        }
        Got {
            topic,
            payload: String::from_utf8(body[place..].to_vec()).unwrap(),
            qos,
            dup: packet.first & 8 != 0,
            retain: packet.first & 1 != 0,
            id,
            properties,
        }
    }

    /// Says goodbye and waits until the server has noticed.
    pub(crate) async fn goodbye(mut self) {
        self.send(&[0xE0, 0]).await;
        self.closed().await;
    }

    /// Breaks the connection off.
    pub(crate) async fn break_off(mut self, server: &TestServer) {
        let before = server.host().farewells.lock().unwrap().len();
        self.io.shutdown().await.unwrap();
        drop(self);
        eventually(|| server.host().farewells.lock().unwrap().len() > before).await;
    }
}

/// Waits until something is so.
pub(crate) async fn eventually(mut is_so: impl FnMut() -> bool) {
    let end = tokio::time::Instant::now() + PATIENCE;
    while !is_so() {
        assert!(tokio::time::Instant::now() < end, "waited in vain");
        tokio::time::sleep(Duration::from_millis(2)).await;
    }
}

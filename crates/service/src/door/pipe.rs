//! Carries what a client and the HTTP server say to one another, and ends connections that take
//! too long over it.

use super::framing::{Framing, Malformed, Part};
use rocket::http::Status;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::Duration;
use tokio::io::{AsyncRead, AsyncReadExt, AsyncWrite, AsyncWriteExt};
use tokio::net::TcpStream;
use tokio::sync::Notify;
use tokio::time::{Instant, timeout, timeout_at};

/// Bytes carried at once.
const CHUNK: usize = 16 << 10;

/// How long things may take.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Patience {
    /// The head of a request; for the first one, from the connection on.
    pub(crate) head: Duration,
    /// The body of a request.
    pub(crate) body: Duration,
    /// A connection on which nothing is said: more than a request may wait for its answer.
    pub(crate) idle: Duration,
    /// A client that does not take what it is sent.
    pub(crate) write: Duration,
    /// The answer to a client that has closed its side after its request.
    pub(crate) linger: Duration,
}

impl Default for Patience {
    fn default() -> Self {
        let seconds = Duration::from_secs;
        Self { head: seconds(15), body: seconds(40), idle: seconds(120), write: seconds(60), linger: seconds(5) }
    }
}

/// Why the door ended a connection.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Fault {
    /// A head or a body took too long.
    Slow,
    /// Nothing was said for long.
    Idle,
    /// It was no HTTP.
    Malformed(Malformed),
    /// One of the sides broke.
    Broken,
}

impl From<std::io::Error> for Fault {
    fn from(_: std::io::Error) -> Self {
        Self::Broken
    }
}

/// What both directions know of one another.
struct Between {
    begun: Instant,
    /// Milliseconds after the beginning at which the server said something last.
    server_said_ms: AtomicU64,
    /// The next bytes of the server answer whether another protocol begins.
    is_asked: AtomicBool,
    is_granted: AtomicBool,
    has_said: Notify,
}

impl Between {
    fn server_says(&self) {
        let passed = u64::try_from(self.begun.elapsed().as_millis()).unwrap_or(u64::MAX);
        self.server_said_ms.store(passed, Ordering::Relaxed);
        self.has_said.notify_one();
    }

    fn server_said(&self) -> Instant {
        self.begun + Duration::from_millis(self.server_said_ms.load(Ordering::Relaxed))
    }
}

/// Carries until one of the sides is done.
pub(super) async fn carry(client: impl AsyncRead + AsyncWrite + Send + Unpin, server: TcpStream, patience: Patience) {
    let (mut from_client, mut to_client) = tokio::io::split(client);
    let (mut from_server, mut to_server) = server.into_split();
    let between = Between {
        begun: Instant::now(),
        server_said_ms: AtomicU64::new(0),
        is_asked: AtomicBool::new(false),
        is_granted: AtomicBool::new(false),
        has_said: Notify::new(),
    };
    let mut framing = Framing::default();
    let fault = {
        let inward = inward(&mut from_client, &mut to_server, &mut framing, &between, patience);
        let outward = outward(&mut from_server, &mut to_client, &between, patience);
        tokio::pin!(inward, outward);
        tokio::select! {
            ended = &mut inward => match ended {
                Ok(()) => outward.await.err(),
                Err(fault) => Some(fault),
            },
            ended = &mut outward => ended.err(),
        }
    };
    if let Some(answer) = fault.filter(|_| framing.heads() == 0).and_then(answer) {
        // No request has gone on yet, so that nothing else is being answered.
        let _ = timeout(patience.linger, to_client.write_all(answer.as_bytes())).await;
    }
    let _ = timeout(patience.linger, to_client.shutdown()).await;
}

fn answer(fault: Fault) -> Option<String> {
    Some(match fault {
        Fault::Slow => super::refusal(
            Status::RequestTimeout,
            "too-slow",
            "Too slow",
            "The request did not come in time.",
            "Send it again, all at once.",
        ),
        Fault::Malformed(Malformed::TooLong) => super::refusal(
            Status::RequestHeaderFieldsTooLarge,
            "too-large",
            "Head too large",
            "The head of the request is longer than 64 KiB.",
            "Send fewer or shorter header fields and cookies.",
        ),
        Fault::Malformed(_) => super::refusal(
            Status::BadRequest,
            "no-request",
            "No request",
            "What came is no request of HTTP/1.1.",
            "Speak HTTP/1.1 here, without TLS at the port for http.",
        ),
        Fault::Idle | Fault::Broken => return None,
    })
}

/// From the client to the server, until the client is done.
async fn inward(
    from: &mut (impl AsyncRead + Unpin),
    to: &mut (impl AsyncWrite + Unpin),
    framing: &mut Framing,
    between: &Between,
    patience: Patience,
) -> Result<(), Fault> {
    let mut buffer = vec![0; CHUNK];
    let mut began = (framing.heads(), framing.part(), Instant::now());
    loop {
        let now = (framing.heads(), framing.part());
        if now != (began.0, began.1) {
            began = (now.0, now.1, Instant::now());
        }
        let count = match read(from, &mut buffer, began, between, patience).await? {
            Some(0) => break,
            Some(count) => count,
            // The server has said something meanwhile.
            None => continue,
        };
        let mut rest = &buffer[..count];
        while !rest.is_empty() {
            let taken = framing.take(rest).map_err(Fault::Malformed)?;
            let asks = framing.take_upgrade();
            between.is_asked.fetch_or(asks, Ordering::AcqRel);
            to.write_all(&rest[..taken]).await?;
            rest = &rest[taken..];
            if asks && is_granted(between, patience).await {
                to.write_all(rest).await?;
                // Another protocol, with time limits of its own.
                tokio::io::copy(from, to).await?;
                to.shutdown().await?;
                return Ok(());
            }
        }
    }
    if framing.part() == Part::Between && framing.heads() > 0 {
        // The HTTP server gives up a request whose sender has closed its side.
        let _ = timeout(patience.linger, between.has_said.notified()).await;
    }
    to.shutdown().await?;
    Ok(())
}

/// Reads within the time there is for what is under way since `began`. `None` if there is more time than
/// was thought.
async fn read(
    from: &mut (impl AsyncRead + Unpin),
    buffer: &mut [u8],
    (heads, part, since): (u64, Part, Instant),
    between: &Between,
    patience: Patience,
) -> Result<Option<usize>, Fault> {
    let (until, fault) = match part {
        Part::Between if heads == 0 => (since + patience.head, Fault::Slow),
        Part::Between => (since.max(between.server_said()) + patience.idle, Fault::Idle),
        Part::Head => (since + patience.head, Fault::Slow),
        Part::Body => (since + patience.body, Fault::Slow),
    };
    match timeout_at(until, from.read(buffer)).await {
        Ok(count) => Ok(Some(count?)),
        Err(_) if fault == Fault::Idle && between.server_said() + patience.idle > Instant::now() => Ok(None),
        Err(_) => Err(fault),
    }
}

/// Waits for the server's word on whether another protocol begins.
async fn is_granted(between: &Between, patience: Patience) -> bool {
    let answered = async {
        while between.is_asked.load(Ordering::Acquire) {
            between.has_said.notified().await;
        }
    };
    timeout(patience.idle, answered).await.is_ok() && between.is_granted.load(Ordering::Acquire)
}

/// From the server to the client, until the server is done.
async fn outward(
    from: &mut (impl AsyncRead + Unpin),
    to: &mut (impl AsyncWrite + Unpin),
    between: &Between,
    patience: Patience,
) -> Result<(), Fault> {
    let mut buffer = vec![0; CHUNK];
    loop {
        let count = from.read(&mut buffer).await?;
        if count == 0 {
            return Ok(());
        }
        let said = &buffer[..count];
        if between.is_asked.load(Ordering::Acquire) {
            between.is_granted.store(said.starts_with(b"HTTP/1.1 101"), Ordering::Release);
            between.is_asked.store(false, Ordering::Release);
        }
        between.server_says();
        timeout(patience.write, to.write_all(said)).await.map_err(|_| Fault::Idle)??;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tokio::io::DuplexStream;
    use tokio::net::TcpListener;

    const BRIEF: Duration = Duration::from_millis(60);
    const LONG: Duration = Duration::from_secs(60);
    const PATIENT: Patience = Patience { head: LONG, body: LONG, idle: LONG, write: LONG, linger: LONG };

    /// A client at the door, and the connection it was carried to.
    async fn connected(patience: Patience) -> (DuplexStream, TcpStream) {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let server = TcpStream::connect(listener.local_addr().unwrap()).await.unwrap();
        let (client, inside) = tokio::io::duplex(1 << 10);
        tokio::spawn(carry(inside, server, patience));
        (client, listener.accept().await.unwrap().0)
    }

    async fn rest(mut from: impl AsyncRead + Unpin) -> String {
        let mut bytes = Vec::new();
        timeout(LONG, from.read_to_end(&mut bytes)).await.unwrap().unwrap();
        String::from_utf8(bytes).unwrap()
    }

    #[tokio::test]
    async fn what_takes_too_long_is_ended() {
        let body = "POST /in HTTP/1.1\r\nContent-Length: 5\r\n\r\nhel";
        for (patience, said, expected) in [
            (Patience { head: BRIEF, ..PATIENT }, "", "HTTP/1.1 408"),
            (Patience { head: BRIEF, ..PATIENT }, "GET / HT", "HTTP/1.1 408"),
            (Patience { body: BRIEF, ..PATIENT }, body, ""),
            (Patience { idle: BRIEF, ..PATIENT }, "GET / HTTP/1.1\r\n\r\n", ""),
        ] {
            let (mut client, _server) = connected(patience).await;
            client.write_all(said.as_bytes()).await.unwrap();
            let answer = rest(client).await;
            assert!(answer.starts_with(expected) && answer.is_empty() == expected.is_empty(), "{said}: {answer}");
        }
    }

    #[tokio::test]
    async fn what_is_no_request_is_answered() {
        let long = format!("GET / HTTP/1.1\r\nx: {}", "y".repeat(70_000));
        for (said, status) in
            [("\u{16}\u{3}\u{1}\r\n\r\n", "400 Bad Request"), (&long, "431 Request Header Fields Too Large")]
        {
            let (client, _server) = connected(PATIENT).await;
            let (from, mut to) = tokio::io::split(client);
            // The door may close before it has taken all.
            let _ = to.write_all(said.as_bytes()).await;
            let answer = rest(from).await;
            assert!(answer.starts_with(&format!("HTTP/1.1 {status}\r\n")), "{answer}");
            assert!(answer.contains("\"code\":\"") && answer.contains("\"remedy\":\""), "{answer}");
        }
    }

    #[tokio::test]
    async fn a_client_that_does_not_read_is_ended() {
        let (mut client, mut server) = connected(Patience { write: BRIEF, ..PATIENT }).await;
        client.write_all(b"GET / HTTP/1.1\r\n\r\n").await.unwrap();
        let fill = async { while server.write_all(&[b'x'; 1 << 16]).await.is_ok() {} };
        timeout(LONG, fill).await.unwrap();
    }

    #[tokio::test]
    async fn answers_keep_a_connection_alive() {
        let (mut client, mut server) = connected(Patience { idle: BRIEF * 4, ..PATIENT }).await;
        client.write_all(b"GET /live HTTP/1.1\r\n\r\n").await.unwrap();
        for _ in 0..6 {
            tokio::time::sleep(BRIEF).await;
            server.write_all(b"x").await.unwrap();
        }
        let mut bytes = [0; 6];
        client.read_exact(&mut bytes).await.unwrap();
    }

    #[tokio::test]
    async fn who_hangs_up_after_the_request_is_answered_still() {
        let (mut client, mut server) = connected(PATIENT).await;
        client.write_all(b"GET / HTTP/1.1\r\n\r\n").await.unwrap();
        client.shutdown().await.unwrap();
        let mut head = [0; 18];
        server.read_exact(&mut head).await.unwrap();
        assert!(timeout(BRIEF, server.read_u8()).await.is_err(), "the server is not told of it yet");
        server.write_all(b"HTTP/1.1 200 OK\r\n\r\n").await.unwrap();
        assert!(timeout(LONG, server.read_u8()).await.unwrap().is_err());
        drop(server);
        assert_eq!(rest(client).await, "HTTP/1.1 200 OK\r\n\r\n");
    }

    #[tokio::test]
    async fn only_a_granted_protocol_is_carried_without_limits() {
        let ask = b"GET /mqtt HTTP/1.1\r\nConnection: upgrade\r\nUpgrade: websocket\r\n\r\n";
        let patience = Patience { head: BRIEF, idle: BRIEF * 4, ..PATIENT };
        for (answer, is_granted) in
            [("HTTP/1.1 101 Switching Protocols\r\n\r\n", true), ("HTTP/1.1 404\r\n\r\n", false)]
        {
            let (mut client, mut server) = connected(patience).await;
            client.write_all(ask).await.unwrap();
            let mut head = vec![0; ask.len()];
            server.read_exact(&mut head).await.unwrap();
            server.write_all(answer.as_bytes()).await.unwrap();
            let mut got = vec![0; answer.len()];
            client.read_exact(&mut got).await.unwrap();
            client.write_all(b"\x10").await.unwrap();
            assert_eq!(server.read_u8().await.unwrap(), 0x10);
            let more = timeout(BRIEF * 8, client.read_u8()).await;
            assert_eq!(more.is_err(), is_granted, "{answer}: what is no head any more has its time, or none");
        }
    }
}

//! A gateway for text messages and a receiver of webhooks: just enough HTTP/1.1 for that.

use super::kept::{Kept, Manner, Message};
use std::collections::BTreeMap;
use std::sync::Arc;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};

/// Bytes of a request that are taken.
const MOST_BYTES: usize = 1 << 20;

pub(super) async fn serve(listener: TcpListener, kept: Arc<Kept>) {
    while let Ok((stream, _)) = listener.accept().await {
        let kept = kept.clone();
        tokio::spawn(async move {
            // Whoever breaks off has nothing more to say.
            let _ = converse(stream, &kept).await;
        });
    }
}

struct Request {
    method: String,
    path: String,
    headers: BTreeMap<String, String>,
    body: String,
}

async fn converse(mut stream: TcpStream, kept: &Kept) -> std::io::Result<()> {
    let Some(request) = read(&mut stream).await? else { return Ok(()) };
    let (status, body) = match (request.method.as_str(), request.path.as_str()) {
        ("GET", "/kept") => (200, kept.shown()),
        ("PUT", "/manners") => match serde_json::from_str(&request.body) {
            Ok(manners) => {
                kept.behave(manners);
                (204, String::new())
            }
            Err(error) => (400, error.to_string()),
        },
        ("POST", "/text") | ("POST", "/hook") | ("GET", "/alive") => {
            let sort = match request.path.as_str() {
                "/text" => "text",
                "/hook" => "hook",
                _ => "alive",
            };
            match take(kept, sort, request).await {
                Some(answer) => answer,
                None => return Ok(()),
            }
        }
        _ => (404, "not known here".to_owned()),
    };
    let head = format!(
        "HTTP/1.1 {status} -\r\ncontent-type: application/json\r\ncontent-length: {}\r\nconnection: close\r\n\r\n",
        body.len()
    );
    stream.write_all(head.as_bytes()).await?;
    stream.write_all(body.as_bytes()).await?;
    stream.shutdown().await
}

/// Takes a message, and says what is answered; nothing, if the connection is closed without a word.
async fn take(kept: &Kept, sort: &'static str, request: Request) -> Option<(u16, String)> {
    let answer = match kept.manner(sort) {
        Manner::Busy => return Some((503, "come back later".to_owned())),
        Manner::Refuse => return Some((400, "not like that".to_owned())),
        Manner::Well => Some((200, r#"{"taken": true}"#.to_owned())),
        Manner::Garbage => Some((200, "\u{fffd}moo".to_owned())),
        Manner::Drop | Manner::Hang => None,
    };
    let number = |text: &str| serde_json::from_str::<serde_json::Value>(text).ok()?["to"].as_str().map(str::to_owned);
    let to = number(&request.body).unwrap_or_default();
    let is_hanging = kept.manner(sort) == Manner::Hang;
    kept.keep(Message { sort, to, body: request.body, headers: request.headers });
    if is_hanging {
        std::future::pending::<()>().await;
    }
    answer
}

/// Reads a request; none if it is none.
async fn read(stream: &mut TcpStream) -> std::io::Result<Option<Request>> {
    let mut bytes = Vec::new();
    let mut chunk = [0; 8_192];
    loop {
        let count = stream.read(&mut chunk).await?;
        if count == 0 || bytes.len() > MOST_BYTES {
            return Ok(None);
        }
        bytes.extend_from_slice(&chunk[..count]);
        let mut headers = [httparse::EMPTY_HEADER; 64];
        let mut parsed = httparse::Request::new(&mut headers);
        let head = match parsed.parse(&bytes) {
            Ok(httparse::Status::Complete(head)) => head,
            Ok(httparse::Status::Partial) => continue,
            Err(_) => return Ok(None),
        };
        let text = |value: &[u8]| String::from_utf8_lossy(value).into_owned();
        let headers: BTreeMap<String, String> =
            parsed.headers.iter().map(|one| (one.name.to_ascii_lowercase(), text(one.value))).collect();
        let length = headers.get("content-length").and_then(|text| text.parse().ok()).unwrap_or(0);
        if bytes.len() < head + length {
            continue;
        }
        let (method, path) = (parsed.method.unwrap_or_default(), parsed.path.unwrap_or_default());
        let body = text(&bytes[head..head + length]);
        return Ok(Some(Request { method: method.to_owned(), path: path.to_owned(), headers, body }));
    }
}

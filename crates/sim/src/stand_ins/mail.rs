//! A mail server (RFC 5321) that delivers nothing.

use super::kept::{Kept, Manner, Message};
use std::collections::BTreeMap;
use std::sync::Arc;
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufStream};
use tokio::net::{TcpListener, TcpStream};

/// Bytes of a message that are taken.
const MOST_BYTES: usize = 1 << 20;

pub(super) async fn serve(listener: TcpListener, kept: Arc<Kept>) {
    while let Ok((stream, _)) = listener.accept().await {
        let kept = kept.clone();
        tokio::spawn(async move {
            // Whoever breaks off has nothing more to say.
            let _ = converse(BufStream::new(stream), &kept).await;
        });
    }
}

async fn converse(mut stream: BufStream<TcpStream>, kept: &Kept) -> std::io::Result<()> {
    answer(&mut stream, "220 yard.example a stand-in for a mail server").await?;
    let mut to = String::new();
    loop {
        let mut line = String::new();
        if stream.read_line(&mut line).await? == 0 {
            return Ok(());
        }
        let upper = line.trim().to_ascii_uppercase();
        let manner = kept.manner("mail");
        let said = match upper.split([' ', ':']).next().unwrap_or_default() {
            "EHLO" => "250-yard.example\r\n250-8BITMIME\r\n250 AUTH PLAIN LOGIN",
            "HELO" | "NOOP" | "RSET" => "250 yard.example",
            "AUTH" if upper.ends_with("LOGIN") || upper.ends_with("PLAIN") => "334 ",
            "AUTH" => "235 you are who you say",
            "MAIL" => "250 go on",
            "RCPT" if manner == Manner::Busy => "450 come back later",
            "RCPT" if manner == Manner::Refuse => "550 nobody of that name",
            "RCPT" => {
                to = line.split(['<', '>']).nth(1).unwrap_or_default().to_owned();
                "250 they are here"
            }
            "DATA" => {
                answer(&mut stream, "354 end with a dot").await?;
                let body = body(&mut stream).await?;
                kept.keep(Message { sort: "mail", to: std::mem::take(&mut to), body, headers: BTreeMap::new() });
                match manner {
                    Manner::Drop => return Ok(()),
                    Manner::Hang => std::future::pending().await,
                    Manner::Garbage => "moo",
                    Manner::Well | Manner::Busy | Manner::Refuse => "250 taken",
                }
            }
            "QUIT" => {
                answer(&mut stream, "221 bye").await?;
                return Ok(());
            }
            _ => "502 not known here",
        };
        answer(&mut stream, said).await?;
    }
}

async fn answer(stream: &mut BufStream<TcpStream>, line: &str) -> std::io::Result<()> {
    stream.write_all(format!("{line}\r\n").as_bytes()).await?;
    stream.flush().await
}

async fn body(stream: &mut BufStream<TcpStream>) -> std::io::Result<String> {
    let mut bytes = Vec::new();
    loop {
        let from = bytes.len();
        if stream.read_until(b'\n', &mut bytes).await? == 0 || bytes.len() > MOST_BYTES {
            break;
        }
        if bytes[from..].trim_ascii_end() == b"." {
            bytes.truncate(from);
            break;
        }
    }
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

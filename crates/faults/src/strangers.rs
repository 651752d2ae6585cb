//! Strangers who say half of something and hang up.

use crate::load::Place;
use rand::rngs::StdRng;
use rand::{Rng, SeedableRng};
use std::time::Duration;
use tokio::io::AsyncWriteExt;
use tokio::net::TcpStream;

const PIECES: [&[u8]; 7] = [
    b"",
    b"GET /api/v1/sites HTT",
    b"POST /in HTTP/1.1\r\nContent-Length: 1000\r\nAuthorization: Bearer nobody\r\n\r\n{\"count\":",
    b"POST /in HTTP/1.1\r\nTransfer-Encoding: chunked\r\n\r\nffff\r\n",
    b"\x16\x03\x01\x02\x00\x01\x00",
    b"\x10\xff\xff\x03\x00\x04MQTT\x05\xc2\x00\x0a",
    b"\x10\x1a\x00\x04MQTT\x04\xc2\x00\x0a\x00\x01a\x00\x01b\x00\x06nobody",
];

/// So many connect at once; none stays longer than half a second.
pub(crate) async fn visit(count: u32, place: &Place, seed: u64) {
    let http = place.http().unwrap_or_default();
    let mut random = StdRng::seed_from_u64(seed);
    let visits = (0..count).map(|_| {
        let port = if random.random_bool(0.5) { http } else { place.mqtt };
        let piece = PIECES[random.random_range(0..PIECES.len())];
        let stays = Duration::from_millis(random.random_range(0..500));
        tokio::spawn(async move {
            let Ok(mut stream) = TcpStream::connect(("127.0.0.1", port)).await else { return };
            let _ = stream.write_all(piece).await;
            tokio::time::sleep(stays).await;
        })
    });
    for visit in visits.collect::<Vec<_>>() {
        let _ = visit.await;
    }
}

//! Where a client is in its requests, by the rules of HTTP/1.1 (RFC 9112): whether a head or a
//! body is under way, so that a door knows how long it may take. Nothing is changed by it.

/// Bytes of a head.
const MAX_HEAD: usize = 64 << 10;
/// Fields of a head.
const MAX_FIELDS: usize = 128;
/// Bytes of a line between the chunks of a body.
const MAX_LINE: usize = 4 << 10;

/// What is under way.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Part {
    /// Nothing: the next request has not begun.
    Between,
    /// The head of a request.
    Head,
    /// Its body.
    Body,
}

/// What is wrong with what the client sends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Malformed {
    /// The head is no head of a request of HTTP/1.1.
    Head,
    /// The head is too long.
    TooLong,
    /// The body does not come as its head says.
    Body,
}

#[derive(Debug)]
enum State {
    Head(Vec<u8>),
    /// So many bytes are to come.
    Counted(u64),
    /// The line before a chunk.
    Size(Vec<u8>),
    /// A chunk with the end of its line.
    Chunk(u64),
    /// Fields after the last chunk; the bytes of the line that has begun.
    Trailer(Vec<u8>),
}

/// Follows what a client sends.
#[derive(Debug)]
pub(super) struct Framing {
    state: State,
    heads: u64,
    wants_upgrade: bool,
}

impl Default for Framing {
    fn default() -> Self {
        Self { state: State::Head(Vec::new()), heads: 0, wants_upgrade: false }
    }
}

impl Framing {
    /// What is under way.
    pub(super) fn part(&self) -> Part {
        match &self.state {
            State::Head(seen) if seen.is_empty() => Part::Between,
            State::Head(_) => Part::Head,
            _ => Part::Body,
        }
    }

    /// Requests whose head has come.
    pub(super) fn heads(&self) -> u64 {
        self.heads
    }

    /// Whether the last request asks for another protocol on the connection; once.
    pub(super) fn take_upgrade(&mut self) -> bool {
        std::mem::take(&mut self.wants_upgrade)
    }

    /// Takes what has come, up to the end of a head that asks for another protocol: what follows
    /// it may be of that one. Says how many bytes that is.
    pub(super) fn take(&mut self, bytes: &[u8]) -> Result<usize, Malformed> {
        let mut taken = 0;
        while taken < bytes.len() && !self.wants_upgrade {
            taken += self.step(&bytes[taken..])?;
        }
        Ok(taken)
    }

    /// Takes some bytes of at least one, and says how many.
    fn step(&mut self, bytes: &[u8]) -> Result<usize, Malformed> {
        match &mut self.state {
            State::Head(seen) => {
                // Empty lines before a request are allowed (RFC 9112, 2.2).
                if seen.is_empty() && matches!(bytes[0], b'\r' | b'\n') {
                    return Ok(1);
                }
                let count = line_end(bytes);
                seen.extend_from_slice(&bytes[..count]);
                if seen.len() > MAX_HEAD {
                    return Err(Malformed::TooLong);
                }
                if seen.ends_with(b"\n\r\n") || seen.ends_with(b"\n\n") {
                    let head = std::mem::take(seen);
                    self.begin_body(&head)?;
                }
                Ok(count)
            }
            State::Counted(left) | State::Chunk(left) => {
                let count = usize::try_from(*left).unwrap_or(usize::MAX).min(bytes.len());
                *left -= count as u64;
                if *left == 0 {
                    self.state = match self.state {
                        State::Chunk(_) => State::Size(Vec::new()),
                        _ => State::Head(Vec::new()),
                    };
                }
                Ok(count)
            }
            State::Size(line) => {
                let count = collect(line, bytes)?;
                if line.ends_with(b"\n") {
                    let size = chunk_size(line)?;
                    let with_end = size.checked_add(2).ok_or(Malformed::Body)?;
                    self.state = if size == 0 { State::Trailer(Vec::new()) } else { State::Chunk(with_end) };
                }
                Ok(count)
            }
            State::Trailer(line) => {
                let count = collect(line, bytes)?;
                if line.ends_with(b"\n") {
                    let is_last = matches!(line.as_slice(), b"\r\n" | b"\n");
                    self.state = if is_last { State::Head(Vec::new()) } else { State::Trailer(Vec::new()) };
                }
                Ok(count)
            }
        }
    }

    fn begin_body(&mut self, head: &[u8]) -> Result<(), Malformed> {
        let mut fields = [httparse::EMPTY_HEADER; MAX_FIELDS];
        let mut request = httparse::Request::new(&mut fields);
        match request.parse(head) {
            Ok(httparse::Status::Complete(_)) => {}
            Ok(httparse::Status::Partial) | Err(_) => return Err(Malformed::Head),
        }
        self.heads += 1;
        let mut length = 0;
        let mut is_chunked = false;
        for field in request.headers.iter() {
            if field.name.eq_ignore_ascii_case("content-length") {
                let text = std::str::from_utf8(field.value).map_err(|_| Malformed::Head)?;
                length = text.trim().parse().map_err(|_| Malformed::Head)?;
            } else if field.name.eq_ignore_ascii_case("transfer-encoding") {
                is_chunked = true;
            } else if field.name.eq_ignore_ascii_case("upgrade") {
                self.wants_upgrade = true;
            }
        }
        self.state = match (is_chunked, length) {
            (true, _) => State::Size(Vec::new()),
            (false, 0) => State::Head(Vec::new()),
            (false, length) => State::Counted(length),
        };
        Ok(())
    }
}

/// Bytes up to the end of the first line, or all.
fn line_end(bytes: &[u8]) -> usize {
    bytes.iter().position(|byte| *byte == b'\n').map_or(bytes.len(), |at| at + 1)
}

fn collect(line: &mut Vec<u8>, bytes: &[u8]) -> Result<usize, Malformed> {
    let count = line_end(bytes);
    line.extend_from_slice(&bytes[..count]);
    if line.len() > MAX_LINE { Err(Malformed::Body) } else { Ok(count) }
}

/// The size in hexadecimal digits, before extensions.
fn chunk_size(line: &[u8]) -> Result<u64, Malformed> {
    let text = std::str::from_utf8(line).map_err(|_| Malformed::Body)?;
    let digits = text.split(';').next().unwrap_or_default().trim();
    u64::from_str_radix(digits, 16).map_err(|_| Malformed::Body)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const GET: &str = "GET / HTTP/1.1\r\nHost: a\r\n\r\n";
    const POST: &str = "POST /in HTTP/1.1\r\nContent-Length: 5\r\n\r\nhello";
    const CHUNKED: &str =
        "POST /in HTTP/1.1\r\ntransfer-encoding: chunked\r\n\r\n5;a=b\r\nhello\r\nA\r\n0123456789\r\n0\r\nx: y\r\n\r\n";

    fn parts(text: &str, pieces: usize) -> (Vec<Part>, u64) {
        let mut framing = Framing::default();
        let mut parts = Vec::new();
        for piece in text.as_bytes().chunks(pieces) {
            assert_eq!(framing.take(piece), Ok(piece.len()));
            parts.push(framing.part());
        }
        (parts, framing.heads())
    }

    #[test]
    fn requests_begin_and_end_however_they_are_cut() {
        for text in [GET, POST, CHUNKED] {
            let twice = text.repeat(2);
            for pieces in [1, 2, 3, 7, 1_000] {
                let (parts, heads) = parts(&twice, pieces);
                assert_eq!((parts.last(), heads), (Some(&Part::Between), 2), "{text} in pieces of {pieces}");
            }
        }
        let (parts, _) = parts(POST, 1);
        let head = POST.len() - 5;
        assert!(parts[..head - 1].iter().all(|part| *part == Part::Head));
        assert!(parts[head - 1..POST.len() - 1].iter().all(|part| *part == Part::Body));
    }

    #[test]
    fn another_protocol_begins_after_the_head_that_asks_for_it() {
        let mut framing = Framing::default();
        let head = "GET /mqtt HTTP/1.1\r\nUpgrade: websocket\r\nConnection: upgrade\r\n\r\n";
        let with_more = format!("{head}\u{1}\u{2}");
        assert_eq!(framing.take(with_more.as_bytes()), Ok(head.len()));
        assert!(framing.take_upgrade() && !framing.take_upgrade());
    }

    #[test]
    fn what_is_no_request_is_said() {
        let long = format!("GET / HTTP/1.1\r\nx: {}", "y".repeat(MAX_HEAD));
        let many = format!("GET / HTTP/1.1\r\n{}\r\n", "a: b\r\n".repeat(MAX_FIELDS + 1));
        let chunk = |line: &str| format!("POST / HTTP/1.1\r\nTransfer-Encoding: chunked\r\n\r\n{line}\r\n");
        for (text, expected) in [
            ("\u{16}\u{3}\u{1} hello\r\n\r\n".to_owned(), Malformed::Head),
            ("PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n".to_owned(), Malformed::Head),
            ("POST / HTTP/1.1\r\nContent-Length: -1\r\n\r\n".to_owned(), Malformed::Head),
            (many, Malformed::Head),
            (long, Malformed::TooLong),
            (chunk("hello"), Malformed::Body),
            (chunk("ffffffffffffffff"), Malformed::Body),
            (chunk(&"0".repeat(MAX_LINE)), Malformed::Body),
        ] {
            let mut framing = Framing::default();
            assert_eq!(framing.take(text.as_bytes()), Err(expected), "{}", &text[..text.len().min(60)]);
        }
    }

    proptest! {
        #[test]
        fn no_bytes_break_it(bytes in proptest::collection::vec(any::<u8>(), 0..2_000), piece in 1_usize..50) {
            let mut framing = Framing::default();
            for part in bytes.chunks(piece) {
                match framing.take(part) {
                    Ok(taken) => prop_assert!(taken <= part.len()),
                    Err(_) => break,
                }
            }
        }
    }
}

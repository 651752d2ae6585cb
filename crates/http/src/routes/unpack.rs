//! Packed bodies: gzip and deflate, and no more than fits.

use flate2::read::{DeflateDecoder, MultiGzDecoder, ZlibDecoder};
use lantern_core::decode::{Remark, RemarkCode};
use lantern_engine::Problem;
use lantern_engine::intake::Body;
use lantern_engine::problem::Class;
use rocket::async_trait;
use rocket::outcome::Outcome;
use rocket::request::{FromRequest, Request};
use std::io::Read;

/// The most a packed body may come to, in MiB: what 10,000 readings need, and no
/// room for a body that is made to fill the memory.
const MAX_MIB: u64 = 8;

/// How a body is packed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum ContentEncoding {
    /// Not at all.
    Plain,
    /// gzip (RFC 1952).
    Gzip,
    /// zlib (RFC 1950), which HTTP calls deflate; bare deflate is read as well.
    Deflate,
    /// Something else.
    Other(String),
}

#[async_trait]
impl<'r> FromRequest<'r> for ContentEncoding {
    type Error = std::convert::Infallible;

    async fn from_request(request: &'r Request<'_>) -> rocket::request::Outcome<Self, Self::Error> {
        let header = request.headers().get_one("Content-Encoding").unwrap_or_default().trim().to_ascii_lowercase();
        Outcome::Success(match header.as_str() {
            "" | "identity" => Self::Plain,
            "gzip" | "x-gzip" => Self::Gzip,
            "deflate" => Self::Deflate,
            _ => Self::Other(header.chars().take(40).collect()),
        })
    }
}

/// Unpacks a body. One that is plainly gzip is unpacked although nothing says so.
pub(super) fn unpack(body: Vec<u8>, encoding: ContentEncoding) -> Result<Body, Problem> {
    let sent = body.len();
    let mut remark = None;
    let encoding = if encoding == ContentEncoding::Plain && body.starts_with(GZIP) {
        let detail = "The payload was packed as gzip, which its header did not say.";
        remark = Some(Remark::new(RemarkCode::Unpacked, detail));
        ContentEncoding::Gzip
    } else {
        encoding
    };
    Ok(Body { bytes: unpacked(body, encoding)?, sent, remark })
}

/// How gzip with its only method begins (RFC 1952, section 2.3.1).
const GZIP: &[u8] = &[0x1f, 0x8b, 0x08];

fn unpacked(body: Vec<u8>, encoding: ContentEncoding) -> Result<Vec<u8>, Problem> {
    match encoding {
        ContentEncoding::Plain => Ok(body),
        ContentEncoding::Gzip => bounded(MultiGzDecoder::new(body.as_slice()), "gzip"),
        // Senders disagree on what deflate means: two bytes tell which it is.
        ContentEncoding::Deflate if body.first().is_some_and(|b| b & 0x0f == 8) => {
            bounded(ZlibDecoder::new(body.as_slice()), "deflate")
        }
        ContentEncoding::Deflate => bounded(DeflateDecoder::new(body.as_slice()), "deflate"),
        ContentEncoding::Other(name) => Err(Problem::new(
            Class::Unreadable,
            "unknown-encoding",
            "Unknown packing",
            format!("The body is packed as `{name}`; nothing of it was kept."),
            "Send it as gzip, as deflate, or not packed.",
        )),
    }
}

fn bounded(reader: impl Read, name: &str) -> Result<Vec<u8>, Problem> {
    let limit = MAX_MIB * 1024 * 1024;
    let mut body = Vec::new();
    reader.take(limit + 1).read_to_end(&mut body).map_err(|e| {
        Problem::new(
            Class::Malformed,
            "bad-packing",
            "Badly packed",
            format!("The body is not {name} ({e}); nothing of it was kept."),
            "Pack it again, or send it without Content-Encoding.",
        )
    })?;
    if body.len() as u64 > limit {
        return Err(Problem::new(
            Class::TooLarge,
            "body-too-large",
            "Body too large",
            format!("Unpacked the body is over {MAX_MIB} MiB; nothing of it was kept."),
            "Split it into several requests.",
        ));
    }
    Ok(body)
}

#[cfg(test)]
mod tests {
    use super::*;
    use flate2::Compression;
    use flate2::read::{DeflateEncoder, GzEncoder, ZlibEncoder};

    fn all(mut reader: impl Read) -> Vec<u8> {
        let mut bytes = Vec::new();
        reader.read_to_end(&mut bytes).unwrap();
        bytes
    }

    #[test]
    fn every_packing_comes_back_as_it_was() {
        let body = b"{\"temp\": 21.4}".as_slice();
        let best = Compression::best();
        for (packed, encoding) in [
            (body.to_vec(), ContentEncoding::Plain),
            (all(GzEncoder::new(body, best)), ContentEncoding::Gzip),
            (all(ZlibEncoder::new(body, best)), ContentEncoding::Deflate),
            (all(DeflateEncoder::new(body, best)), ContentEncoding::Deflate),
        ] {
            assert_eq!(unpack(packed, encoding.clone()).unwrap().bytes, body, "{encoding:?}");
        }
        let unsaid = unpack(all(GzEncoder::new(body, best)), ContentEncoding::Plain).unwrap();
        assert_eq!(unsaid.bytes, body);
        assert!(unsaid.remark.is_some());
    }

    #[test]
    fn what_does_not_fit_or_is_broken_is_refused() {
        let bomb = all(GzEncoder::new(std::io::repeat(b' ').take(9 * 1024 * 1024), Compression::best()));
        assert!(bomb.len() < 100_000);
        let cut = bomb[..bomb.len() / 2].to_vec();
        for (packed, encoding, code) in [
            (bomb, ContentEncoding::Gzip, "body-too-large"),
            (cut, ContentEncoding::Gzip, "bad-packing"),
            (b"not packed".to_vec(), ContentEncoding::Gzip, "bad-packing"),
            (b"not packed".to_vec(), ContentEncoding::Deflate, "bad-packing"),
            (Vec::new(), ContentEncoding::Other("br".into()), "unknown-encoding"),
        ] {
            assert_eq!(unpack(packed, encoding).err().map(|e| e.code), Some(code));
        }
    }
}

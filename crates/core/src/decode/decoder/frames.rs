//! Frames: messages between marks in a stream of bytes.

use super::super::{Decoded, Remark, RemarkCode, Times};
use super::{Form, text};
use crate::{Refusal, RefusalCode};

pub(super) fn run(
    start: &str,
    stop: &str,
    inside: &Form,
    body: &[u8],
    times: &Times,
    decoded: &mut Decoded<'static>,
) -> Result<(), Refusal> {
    let (start, stop) = (start.as_bytes(), stop.as_bytes());
    let mut rest = body;
    let mut noise = 0;
    let mut number = 0;
    while let Some(begin) = find(rest, start) {
        noise += rest[..begin].iter().filter(|b| !b.is_ascii_whitespace()).count();
        let after = &rest[begin + start.len()..];
        number += 1;
        let Some(end) = find(after, stop) else {
            let detail = format!("Message {number} has a start mark, but no stop mark.");
            decoded.refuse(Refusal::whole(RefusalCode::DoesNotFit, detail))?;
            rest = &[];
            break;
        };
        // A start mark inside a message means that the stop mark of the one
        // before was lost: what follows it is the message.
        let message = match rfind(&after[..end], start) {
            Some(again) => {
                let detail = format!("Message {number} breaks off: another one begins before it ends.");
                decoded.refuse(Refusal::whole(RefusalCode::DoesNotFit, detail))?;
                &after[again + start.len()..end]
            }
            None => &after[..end],
        };
        let message = String::from_utf8_lossy(message);
        text::one(inside, &message, &format!("Message {number}"), times, decoded)?;
        rest = &after[end + stop.len()..];
    }
    noise += rest.iter().filter(|b| !b.is_ascii_whitespace()).count();
    if number == 0 {
        let detail = format!("There is no start mark in the {} bytes.", body.len());
        return Err(Refusal::whole(RefusalCode::DoesNotFit, detail));
    }
    if noise > 0 {
        decoded.remark(Remark::new(RemarkCode::Noise, format!("{noise} bytes stood between the messages.")));
    }
    Ok(())
}

fn find(bytes: &[u8], mark: &[u8]) -> Option<usize> {
    bytes.windows(mark.len()).position(|window| window == mark)
}

fn rfind(bytes: &[u8], mark: &[u8]) -> Option<usize> {
    bytes.windows(mark.len()).rposition(|window| window == mark)
}

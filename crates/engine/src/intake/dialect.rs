//! What a payload is read as: what its sender says, what its device's decoder
//! takes, or what it plainly is.

use crate::plans::DevicePlan;
use lantern_core::decode::{self, Decoded, Decoder, Dialect, Remark, RemarkCode, Times, guess};
use lantern_core::senml;
use lantern_core::{Refusal, RefusalCode};
use std::borrow::Cow;

/// What a sender calls its payload.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Said {
    /// A dialect.
    Dialect(Dialect),
    /// Text or bytes, or nothing: for the decoder to read.
    Anything,
    /// Something that is no dialect, by its name.
    Other(String),
}

impl Said {
    /// From the value of a `Content-Type` header.
    #[must_use]
    pub fn from_header(header: Option<&str>) -> Self {
        let Some(header) = header else { return Self::Anything };
        let media = header.split(';').next().unwrap_or_default().trim().to_ascii_lowercase();
        match media.as_str() {
            "" | "text/plain" | "application/octet-stream" => Self::Anything,
            "application/json" | "text/json" => Self::Dialect(Dialect::Json),
            "application/cbor" => Self::Dialect(Dialect::Cbor),
            "application/senml+json" => Self::Dialect(Dialect::SenmlJson),
            "application/senml+cbor" => Self::Dialect(Dialect::SenmlCbor),
            "text/csv" => Self::Dialect(Dialect::Csv),
            "application/x-www-form-urlencoded" => Self::Dialect(Dialect::Form),
            _ => Self::Other(media.chars().take(80).collect()),
        }
    }
}

/// How a payload is read.
#[derive(Debug, Clone, PartialEq)]
enum Way {
    Decoder,
    Dialect(Dialect),
}

/// A payload that was read, and what as.
pub(crate) struct Read<'a> {
    pub(crate) dialect: &'static str,
    /// That it was recognised, where its sender did not say what it is.
    pub(crate) remark: Option<Remark>,
    pub(crate) decoded: Result<Decoded<'a>, Refusal>,
}

/// Reads a payload. `plan` is missing for a sender whose device is not known yet.
pub(crate) fn read<'a>(body: &'a [u8], said: &Said, plan: Option<&DevicePlan>, times: &Times) -> Read<'a> {
    let (way, remark) = match choose(body, said, plan) {
        Ok(chosen) => chosen,
        Err(refusal) => return Read { dialect: "unknown", remark: None, decoded: Err(refusal) },
    };
    let (dialect, decoded) = match way {
        Way::Decoder => ("decoder", with_decoder(body, said, plan, times)),
        Way::Dialect(dialect) => (dialect.as_str(), with_dialect(dialect, body, plan, times)),
    };
    Read { dialect, remark, decoded }
}

fn choose(body: &[u8], said: &Said, plan: Option<&DevicePlan>) -> Result<(Way, Option<Remark>), Refusal> {
    let decoder = decoder_of(plan)?;
    let guessed = guess(body).filter(|dialect| *dialect != Dialect::SenmlJson || has_no_senml_names(plan));
    match (said, decoder) {
        (Said::Dialect(dialect), Some(decoder)) if decoder.takes(*dialect) => Ok((Way::Decoder, None)),
        (Said::Dialect(said), _) => Ok(match guessed {
            Some(found) if !fits(*said, found) => {
                (Way::Dialect(found), Some(recognised(&format!("was called {}, but", said.as_str()), found)))
            }
            _ => (Way::Dialect(*said), None),
        }),
        (Said::Anything | Said::Other(_), Some(_)) => Ok((Way::Decoder, None)),
        (said, None) => match (guessed, said) {
            (Some(found), Said::Other(name)) => {
                Ok((Way::Dialect(found), Some(recognised(&format!("was called `{name}`, but"), found))))
            }
            (Some(found), _) => Ok((Way::Dialect(found), Some(recognised("was not called anything, and", found)))),
            (None, _) => Err(unknown(body)),
        },
    }
}

/// The decoder of a device. Without the one it should have, a payload would be taken for
/// something else.
fn decoder_of(plan: Option<&DevicePlan>) -> Result<Option<&Decoder>, Refusal> {
    let Some(plan) = plan else { return Ok(None) };
    match &plan.decoder {
        Ok(decoder) => Ok(decoder.as_ref()),
        Err(damaged) => Err(Refusal::whole(RefusalCode::DecoderDamaged, format!("Of `{}`, {damaged}.", plan.code))),
    }
}

/// Whether a payload that was said to be one thing may be what was found: then
/// what was said holds.
fn fits(said: Dialect, found: Dialect) -> bool {
    match said {
        // What fails as JSON is answered as broken JSON, not as something else.
        Dialect::Json => {
            !matches!(found, Dialect::SenmlJson | Dialect::Cbor | Dialect::SenmlCbor | Dialect::Csv | Dialect::Form)
        }
        Dialect::SenmlJson => found != Dialect::SenmlCbor,
        Dialect::Form => matches!(found, Dialect::Form),
        Dialect::Cbor => !matches!(found, Dialect::Json | Dialect::SenmlJson),
        Dialect::SenmlCbor => !matches!(found, Dialect::SenmlJson),
        Dialect::Csv | Dialect::Bare => true,
    }
}

/// A device whose own signals are called like the labels of SenML means them.
fn has_no_senml_names(plan: Option<&DevicePlan>) -> bool {
    plan.is_none_or(|plan| ["n", "v", "vs", "vb", "u", "t"].iter().all(|name| plan.plan.get(name).is_none()))
}

fn recognised(called: &str, found: Dialect) -> Remark {
    Remark::new(RemarkCode::Recognised, format!("The payload {called} it is {}.", found.as_str()))
}

fn unknown(body: &[u8]) -> Refusal {
    if body.is_empty() {
        return Refusal::whole(RefusalCode::NoValues, "The body is empty.");
    }
    let shown: String = String::from_utf8_lossy(&body[..body.len().min(120)]).chars().take(40).collect();
    let detail = format!("It is not clear what the payload is, and the device has no decoder: `{}`.", shown.trim());
    Refusal::whole(RefusalCode::UnknownPayload, detail)
}

fn with_decoder<'a>(
    body: &'a [u8],
    said: &Said,
    plan: Option<&DevicePlan>,
    times: &Times,
) -> Result<Decoded<'a>, Refusal> {
    let Some(decoder) = decoder_of(plan)? else { return Err(unknown(body)) };
    let refusal = match decoder.run(body, times) {
        Ok(decoded) if !decoded.items.is_empty() => return Ok(decoded),
        Ok(decoded) => Ok(decoded),
        Err(refusal) => Err(refusal),
    };
    // A program that posts forms may send one although its device has a decoder.
    if *said == Said::Dialect(Dialect::Form) && guess(body) == Some(Dialect::Form) {
        return with_dialect(Dialect::Form, body, plan, times);
    }
    refusal
}

fn with_dialect<'a>(
    dialect: Dialect,
    body: &'a [u8],
    plan: Option<&DevicePlan>,
    times: &Times,
) -> Result<Decoded<'a>, Refusal> {
    match dialect {
        Dialect::Json => decode::json(body, times),
        Dialect::Cbor => decode::cbor(body, times),
        Dialect::SenmlJson => senml::decode(senml::from_json(body)?, times.now),
        Dialect::SenmlCbor => senml::decode(senml::from_cbor(body)?, times.now),
        Dialect::Csv => decode::csv(body, times),
        Dialect::Form => decode::pairs(form_urlencoded::parse(body), times),
        Dialect::Bare => {
            let Some(name) = plan.and_then(|plan| plan.plan.only_number()) else {
                let detail = "The payload is a number without a name, and the device does not have just one signal that is a number.";
                return Err(Refusal::whole(RefusalCode::UnknownPayload, detail));
            };
            let text = String::from_utf8_lossy(body);
            decode::pairs([(Cow::Owned(name.to_owned()), text)], times)
        }
    }
}

//! Reading CBOR (RFC 8949): what its readers share.

use crate::{Refusal, RefusalCode};
use minicbor::data::Type;
use minicbor::decode::{Decoder, Error};
use std::borrow::Cow;

/// A CBOR error as a refusal of the whole request.
pub(crate) fn malformed(error: &Error) -> Refusal {
    let place = error.position().map(|p| format!(" at byte {}", p + 1)).unwrap_or_default();
    Refusal::whole(RefusalCode::MalformedCbor, format!("The CBOR is broken{place}: {error}."))
}

/// Any number of CBOR as a float; `None` if the next item is no number.
pub(crate) fn number(cbor: &mut Decoder<'_>) -> Result<Option<f64>, Error> {
    Ok(Some(match cbor.datatype()? {
        Type::U8 | Type::U16 | Type::U32 | Type::U64 => cbor.u64()? as f64,
        Type::I8 | Type::I16 | Type::I32 | Type::I64 | Type::Int => i128::from(cbor.int()?) as f64,
        Type::F16 => f64::from(cbor.f16()?),
        Type::F32 => f64::from(cbor.f32()?),
        Type::F64 => cbor.f64()?,
        _ => return Ok(None),
    }))
}

/// Counts down a definite array or map, or looks for the end of an indefinite one.
pub(crate) fn more(cbor: &mut Decoder<'_>, left: &mut Option<u64>) -> Result<bool, Error> {
    match left {
        Some(0) => Ok(false),
        Some(count) => {
            *count -= 1;
            Ok(true)
        }
        None if cbor.datatype()? == Type::Break => {
            cbor.skip()?;
            *left = Some(0);
            Ok(false)
        }
        None => Ok(true),
    }
}

/// A text, also one sent in pieces.
pub(crate) fn text<'b>(cbor: &mut Decoder<'b>) -> Result<Cow<'b, str>, Error> {
    if cbor.datatype()? == Type::StringIndef {
        return cbor.str_iter()?.collect::<Result<String, _>>().map(Cow::Owned);
    }
    cbor.str().map(Cow::Borrowed)
}

//! SenML packs in CBOR (`application/senml+cbor`): the labels are numbers
//! (RFC 8428, table 4).

use super::{Record, Value, bad_pack};
use crate::cbor::{malformed, more, number, text};
use crate::decode::MAX_READINGS;
use crate::{Refusal, RefusalCode};
use minicbor::data::Type;
use minicbor::decode::{Decoder, Error};

/// Reads the records of a pack in CBOR.
///
/// # Errors
/// A [`Refusal`] of the whole pack: not CBOR, not an array of maps, or a label
/// with a value of the wrong type.
pub fn from_cbor(body: &[u8]) -> Result<Vec<Record>, Refusal> {
    let mut cbor = Decoder::new(body);
    let not_a_pack = || Refusal::whole(RefusalCode::BadSenml, "The SenML pack is not an array of records.");
    if !matches!(cbor.datatype().map_err(|e| malformed(&e))?, Type::Array | Type::ArrayIndef) {
        return Err(not_a_pack());
    }
    let mut left = cbor.array().map_err(|e| malformed(&e))?;
    let mut records = Vec::new();
    while more(&mut cbor, &mut left).map_err(|e| malformed(&e))? {
        if records.len() == MAX_READINGS {
            let detail = format!("The SenML pack has more than {MAX_READINGS} records.");
            return Err(Refusal::whole(RefusalCode::TooManyReadings, detail));
        }
        if !matches!(cbor.datatype().map_err(|e| malformed(&e))?, Type::Map | Type::MapIndef) {
            return Err(not_a_pack());
        }
        records.push(record(&mut cbor, records.len())?);
    }
    if cbor.position() < body.len() {
        let detail = format!("The CBOR goes on after its end at byte {}.", cbor.position() + 1);
        return Err(Refusal::whole(RefusalCode::MalformedCbor, detail));
    }
    Ok(records)
}

fn record(cbor: &mut Decoder<'_>, index: usize) -> Result<Record, Refusal> {
    let mut left = cbor.map().map_err(|e| malformed(&e))?;
    let mut record = Record::default();
    while more(cbor, &mut left).map_err(|e| malformed(&e))? {
        let label = label(cbor).map_err(|e| malformed(&e))?;
        match set(cbor, &mut record, &label) {
            Ok(Ok(())) => {}
            Ok(Err(detail)) => return Err(bad_pack(index, format_args!("label {label}: {detail}"))),
            Err(error) => return Err(malformed(&error)),
        }
    }
    Ok(record)
}

/// A label as its JSON name; unknown numbers as themselves.
fn label(cbor: &mut Decoder<'_>) -> Result<String, Error> {
    if matches!(cbor.datatype()?, Type::String | Type::StringIndef) {
        return Ok(text(cbor)?.into_owned());
    }
    let number = i128::from(cbor.int()?);
    Ok(match number {
        -1 => "bver".to_owned(),
        -2 => "bn".to_owned(),
        -3 => "bt".to_owned(),
        -4 => "bu".to_owned(),
        -5 => "bv".to_owned(),
        -6 => "bs".to_owned(),
        0 => "n".to_owned(),
        1 => "u".to_owned(),
        2 => "v".to_owned(),
        3 => "vs".to_owned(),
        4 => "vb".to_owned(),
        5 => "s".to_owned(),
        6 => "t".to_owned(),
        7 => "ut".to_owned(),
        8 => "vd".to_owned(),
        other => other.to_string(),
    })
}

type Set = Result<Result<(), String>, Error>;

fn set(cbor: &mut Decoder<'_>, record: &mut Record, label: &str) -> Set {
    match label {
        "bn" => set_text(cbor, &mut record.bn),
        "bu" => set_text(cbor, &mut record.bu),
        "n" => set_text(cbor, &mut record.n),
        "u" => set_text(cbor, &mut record.u),
        "bt" => set_number(cbor, &mut record.bt),
        "bv" => set_number(cbor, &mut record.bv),
        "bs" => set_number(cbor, &mut record.bs),
        "s" => set_number(cbor, &mut record.s),
        "t" => set_number(cbor, &mut record.t),
        "ut" => set_number(cbor, &mut record.ut),
        "bver" => match cbor.datatype()? {
            Type::U8 | Type::U16 | Type::U32 | Type::U64 => {
                record.bver = Some(cbor.u64()?);
                Ok(Ok(()))
            }
            other => Ok(Err(format!("a positive integer expected, not {other}"))),
        },
        "v" => {
            let mut value = None;
            match set_number(cbor, &mut value)? {
                Ok(()) => Ok(value.map_or(Ok(()), |number| record.set_value(Value::Number(number)))),
                wrong => Ok(wrong),
            }
        }
        "vs" => {
            let mut value = None;
            match set_text(cbor, &mut value)? {
                Ok(()) => Ok(value.map_or(Ok(()), |text| record.set_value(Value::Text(text)))),
                wrong => Ok(wrong),
            }
        }
        "vb" => match cbor.datatype()? {
            Type::Bool => Ok(record.set_value(Value::Flag(cbor.bool()?))),
            other => Ok(Err(format!("a flag expected, not {other}"))),
        },
        "vd" => match cbor.datatype()? {
            Type::Bytes => Ok(record.set_value(Value::Data(data_encoding::BASE64URL_NOPAD.encode(cbor.bytes()?)))),
            other => Ok(Err(format!("bytes expected, not {other}"))),
        },
        must if must.ends_with('_') => Ok(Err("it must be understood, but is not".to_owned())),
        _ => cbor.skip().map(Ok),
    }
}

fn set_text(cbor: &mut Decoder<'_>, place: &mut Option<String>) -> Set {
    if !matches!(cbor.datatype()?, Type::String | Type::StringIndef) {
        return Ok(Err(format!("a text expected, not {}", cbor.datatype()?)));
    }
    *place = Some(text(cbor)?.into_owned());
    Ok(Ok(()))
}

fn set_number(cbor: &mut Decoder<'_>, place: &mut Option<f64>) -> Set {
    let found = cbor.datatype()?;
    // A decimal fraction (RFC 8949, section 3.4.4) is a number too.
    if found == Type::Tag {
        if cbor.tag()?.as_u64() != 4 || cbor.array()? != Some(2) {
            return Ok(Err("a number expected, not another tag".to_owned()));
        }
        let (exponent, mantissa) = (i128::from(cbor.int()?), i128::from(cbor.int()?));
        *place = format!("{mantissa}e{exponent}").parse().ok();
    } else {
        *place = number(cbor)?;
    }
    match place {
        Some(number) if number.is_finite() => Ok(Ok(())),
        Some(_) => Ok(Err("a finite number expected".to_owned())),
        None => Ok(Err(format!("a number expected, not {found}"))),
    }
}

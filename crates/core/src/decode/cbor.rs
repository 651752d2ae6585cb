//! CBOR (RFC 8949): a map of `name: value`, or an array of such maps, the same
//! shapes as in JSON. Arrays of samples may be typed arrays (RFC 8746).

use super::record::Record;
use super::{Decoded, Item, MAX_DEPTH, Raw, TIME_NAMES, Times, short};
use crate::cbor::{malformed, more, number, text};
use crate::{Refusal, RefusalCode};
use minicbor::data::Type;
use minicbor::decode::{Decoder, Error};
use std::borrow::Cow;

/// Reads a CBOR payload: maps with text keys, as [`json`](super::json) reads
/// objects.
///
/// # Errors
/// A [`Refusal`] of the whole request: not CBOR (with the byte), not a map or
/// array of maps, too deep, too many readings, or no value in it.
pub fn cbor<'a>(body: &'a [u8], times: &Times) -> Result<Decoded<'a>, Refusal> {
    let mut reader = Reader { cbor: Decoder::new(body), decoded: Decoded::default(), times };
    match reader.datatype()? {
        Type::Map | Type::MapIndef => reader.object()?,
        Type::Array | Type::ArrayIndef => {
            let mut left = reader.cbor.array().map_err(|e| malformed(&e))?;
            while reader.more(&mut left)? {
                if !matches!(reader.datatype()?, Type::Map | Type::MapIndef) {
                    let detail = format!("At byte {} of the CBOR: a map expected.", reader.cbor.position() + 1);
                    return Err(Refusal::whole(RefusalCode::NotAnObject, detail));
                }
                reader.object()?;
            }
        }
        _ => {
            let detail = "The body is CBOR, but neither a map nor an array of maps.";
            return Err(Refusal::whole(RefusalCode::NotAnObject, detail));
        }
    }
    if reader.cbor.position() < body.len() {
        let detail = format!("The CBOR goes on after its end at byte {}.", reader.cbor.position() + 1);
        return Err(Refusal::whole(RefusalCode::MalformedCbor, detail));
    }
    reader.decoded.finish()
}

struct Reader<'b, 't> {
    cbor: Decoder<'b>,
    decoded: Decoded<'b>,
    times: &'t Times,
}

impl<'b> Reader<'b, '_> {
    fn datatype(&self) -> Result<Type, Refusal> {
        self.cbor.datatype().map_err(|e| malformed(&e))
    }

    fn more(&mut self, left: &mut Option<u64>) -> Result<bool, Refusal> {
        more(&mut self.cbor, left).map_err(|e| malformed(&e))
    }

    fn object(&mut self) -> Result<(), Refusal> {
        let mut record = Record::begin(&self.decoded);
        self.map(&mut record, "", 1)?;
        record.close(self.times, &mut self.decoded)
    }

    fn map(&mut self, record: &mut Record<'b>, prefix: &str, depth: usize) -> Result<(), Refusal> {
        let mut left = self.cbor.map().map_err(|e| malformed(&e))?;
        while self.more(&mut left)? {
            let name = text(&mut self.cbor).map_err(|e| malformed(&e))?;
            if depth == 1 && TIME_NAMES.contains(&name.as_ref()) {
                self.time(record, &name)?;
            } else {
                let name = if prefix.is_empty() { name } else { Cow::Owned(format!("{prefix}{name}")) };
                self.leaf(record, name, depth)?;
            }
        }
        Ok(())
    }

    /// A time is a text or a number, and either may be tagged as one.
    fn time(&mut self, record: &mut Record<'b>, name: &str) -> Result<(), Refusal> {
        if self.datatype()? == Type::Tag {
            self.cbor.tag().map_err(|e| malformed(&e))?;
        }
        let read = match self.datatype()? {
            Type::String | Type::StringIndef => text(&mut self.cbor).map(Cow::into_owned),
            Type::Null | Type::Undefined => return self.cbor.skip().map_err(|e| malformed(&e)),
            _ => match number(&mut self.cbor) {
                Ok(Some(number)) => Ok(number.to_string()),
                Ok(None) => self.cbor.skip().map(|()| "neither number nor text".to_owned()),
                Err(error) => Err(error),
            },
        };
        record.time(name, &read.map_err(|e| malformed(&e))?, self.times, &mut self.decoded);
        Ok(())
    }

    fn leaf(&mut self, record: &mut Record<'b>, name: Cow<'b, str>, depth: usize) -> Result<(), Refusal> {
        let value = match self.datatype()? {
            Type::Null | Type::Undefined => return self.cbor.skip().map_err(|e| malformed(&e)),
            Type::Bool => Raw::Flag(self.cbor.bool().map_err(|e| malformed(&e))?),
            Type::String | Type::StringIndef => Raw::Text(text(&mut self.cbor).map_err(|e| malformed(&e))?),
            Type::Map | Type::MapIndef if depth >= MAX_DEPTH => {
                let detail = format!("`{}` is nested deeper than {MAX_DEPTH} levels.", short(&name));
                return Err(Refusal::whole(RefusalCode::TooDeep, detail));
            }
            Type::Map | Type::MapIndef => return self.map(record, &format!("{name}."), depth + 1),
            Type::Array | Type::ArrayIndef | Type::Tag => return self.samples(record, name),
            _ => match number(&mut self.cbor).map_err(|e| malformed(&e))? {
                Some(number) if number.is_finite() => Raw::Number(number),
                Some(number) => {
                    let detail = format!("`{}` is {number}, not a finite number.", short(&name));
                    return self.decoded.refuse(Refusal::of(RefusalCode::NumberTooLarge, &name, detail));
                }
                None => {
                    self.cbor.skip().map_err(|e| malformed(&e))?;
                    let detail = format!("`{}` is neither number, flag nor text.", short(&name));
                    return self.decoded.refuse(Refusal::of(RefusalCode::WrongType, &name, detail));
                }
            },
        };
        self.decoded.push(Item::new(name, value))
    }

    fn samples(&mut self, record: &mut Record<'b>, name: Cow<'b, str>) -> Result<(), Refusal> {
        let start = self.cbor.position();
        let samples = match self.datatype()? {
            Type::Tag => self.typed_array(),
            _ => self.plain_array(),
        };
        match samples.map_err(|e| malformed(&e))? {
            Some(samples) => record.wave(name, samples),
            None => {
                self.cbor.set_position(start);
                self.cbor.skip().map_err(|e| malformed(&e))?;
                let detail = format!("`{}` is an array, but not one of numbers.", short(&name));
                self.decoded.refuse(Refusal::of(RefusalCode::WrongType, &name, detail))?;
            }
        }
        Ok(())
    }

    fn plain_array(&mut self) -> Result<Option<Vec<Option<f64>>>, Error> {
        let mut left = self.cbor.array()?;
        let mut samples = Vec::new();
        while more(&mut self.cbor, &mut left)? {
            if self.cbor.datatype()? == Type::Null {
                self.cbor.skip()?;
                samples.push(None);
            } else {
                match number(&mut self.cbor)? {
                    Some(number) if number.is_finite() => samples.push(Some(number)),
                    _ => return Ok(None),
                }
            }
        }
        Ok(Some(samples))
    }

    /// Bytes whose tag says what numbers they are (RFC 8746, section 2).
    fn typed_array(&mut self) -> Result<Option<Vec<Option<f64>>>, Error> {
        let tag = self.cbor.tag()?.as_u64();
        if self.cbor.datatype()? != Type::Bytes {
            return Ok(None);
        }
        let bytes = self.cbor.bytes()?;
        Ok(typed_numbers(tag, bytes))
    }
}

/// The numbers of a typed array: tags 64 to 87 without those of 128 bits.
fn typed_numbers(tag: u64, bytes: &[u8]) -> Option<Vec<Option<f64>>> {
    /// The numbers of one width, in big endian or little endian order.
    macro_rules! read {
        ($number:ty, $big:expr) => {{
            let (chunks, rest) = bytes.as_chunks::<{ size_of::<$number>() }>();
            let one = |c: &[u8; size_of::<$number>()]| {
                let number = if $big { <$number>::from_be_bytes(*c) } else { <$number>::from_le_bytes(*c) };
                Some(number as f64).filter(|n| n.is_finite())
            };
            rest.is_empty().then(|| chunks.iter().map(one).collect())
        }};
    }
    match tag {
        64 | 68 => read!(u8, true),
        65 => read!(u16, true),
        66 => read!(u32, true),
        67 => read!(u64, true),
        69 => read!(u16, false),
        70 => read!(u32, false),
        71 => read!(u64, false),
        72 => read!(i8, true),
        73 => read!(i16, true),
        74 => read!(i32, true),
        75 => read!(i64, true),
        77 => read!(i16, false),
        78 => read!(i32, false),
        79 => read!(i64, false),
        81 => read!(f32, true),
        82 => read!(f64, true),
        85 => read!(f32, false),
        86 => read!(f64, false),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Moment;
    use jiff::tz::TimeZone;
    use proptest::prelude::*;

    fn decode(body: &[u8]) -> Result<Decoded<'_>, Refusal> {
        cbor(body, &Times::new(Moment::parse("2026-05-01T12:00:00Z").unwrap(), TimeZone::UTC))
    }

    fn hex(text: &str) -> Vec<u8> {
        data_encoding::HEXLOWER.decode(text.as_bytes()).unwrap()
    }

    #[test]
    fn reads_what_json_reads() {
        // {"at": 1777636800, "temp": 21.5, "door": true, "mode": "eco", "env": {"hum": 55}, "gap": null}
        let body = hex(concat!(
            "a6",
            "626174",
            "1a69f495c0",
            "6474656d70",
            "f94d60",
            "64646f6f72",
            "f5",
            "646d6f6465",
            "6365636f",
            "63656e76",
            "a163",
            "68756d",
            "1837",
            "63676170",
            "f6"
        ));
        let decoded = decode(&body).unwrap();
        let seen: Vec<_> = decoded.items.iter().map(|i| (i.name.as_ref(), i.value.clone())).collect();
        assert_eq!(
            seen,
            [
                ("temp", Raw::Number(21.5)),
                ("door", Raw::Flag(true)),
                ("mode", Raw::Text("eco".into())),
                ("env.hum", Raw::Number(55.0)),
            ]
        );
        assert_eq!(decoded.items[3].at.unwrap().to_string(), "2026-05-01T12:00:00Z");
    }

    #[test]
    fn typed_arrays_are_samples() {
        for (array, expected) in [
            ("83010203", vec![1.0, 2.0, 3.0]),
            ("d84d4401000200", vec![1.0, 2.0]),  // 77: i16 little endian
            ("d849440001ffff", vec![1.0, -1.0]), // 73: i16 big endian
            ("d855440000803f", vec![1.0]),       // 85: f32 little endian
            ("9f0102ff", vec![1.0, 2.0]),        // indefinite length
        ] {
            // {"every": 0.5, "w": …}
            let body = hex(&format!("a2656576657279f938006177{array}"));
            let decoded = decode(&body).unwrap();
            let seen: Vec<_> = decoded.items.iter().map(|i| i.value.clone()).collect();
            assert_eq!(seen, expected.into_iter().map(Raw::Number).collect::<Vec<_>>(), "{array}");
        }
        // An odd number of bytes for i16, an unknown tag, an array of texts.
        for array in ["d84d43010002", "d9ffff420100", "816161"] {
            let body = hex(&format!("a2656576657279f938006177{array}"));
            assert_eq!(decode(&body).unwrap().refused[0].code, RefusalCode::WrongType, "{array}");
        }
    }

    #[test]
    fn what_is_broken_is_refused() {
        for (body, code) in [
            ("", RefusalCode::MalformedCbor),
            ("a1", RefusalCode::MalformedCbor),
            ("a1617801ff", RefusalCode::MalformedCbor),
            ("a10102", RefusalCode::MalformedCbor), // keys are texts
            ("01", RefusalCode::NotAnObject),
            ("8101", RefusalCode::NotAnObject),
            ("a0", RefusalCode::NoValues),
            ("9bffffffffffffffff", RefusalCode::MalformedCbor),
        ] {
            assert_eq!(decode(&hex(body)).unwrap_err().code, code, "{body}");
        }
        let deep = format!("{}01", "a16161".repeat(MAX_DEPTH + 1));
        assert_eq!(decode(&hex(&deep)).unwrap_err().code, RefusalCode::TooDeep);
        assert_eq!(decode(&hex("a16178f97e00")).unwrap().refused[0].code, RefusalCode::NumberTooLarge);
    }

    proptest! {
        #[test]
        fn any_bytes_decode_or_are_refused(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
            let _ = decode(&bytes);
        }
    }
}

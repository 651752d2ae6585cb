//! Values as SQLite keeps them: the storage class tells the type.

use lantern_core::Value;
use lantern_core::fix::{Fix, FixPart};
use sqlx::encode::IsNull;
use sqlx::error::BoxDynError;
use sqlx::sqlite::{Sqlite, SqliteArgumentsBuffer, SqliteTypeInfo, SqliteValueRef};
use sqlx::{Decode, Encode, Type, TypeInfo, Value as _, ValueRef};

/// Lets a [`Value`] be bound and read as a column of any storage class.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Stored(pub(crate) Value);

/// As [`Stored`], for binding without a copy.
#[derive(Clone, Copy)]
pub(crate) struct Storing<'a>(pub(crate) &'a Value);

impl Type<Sqlite> for Stored {
    fn type_info() -> SqliteTypeInfo {
        <f64 as Type<Sqlite>>::type_info()
    }

    fn compatible(_: &SqliteTypeInfo) -> bool {
        true
    }
}

impl Type<Sqlite> for Storing<'_> {
    fn type_info() -> SqliteTypeInfo {
        Stored::type_info()
    }
}

impl Encode<'_, Sqlite> for Storing<'_> {
    fn encode_by_ref(&self, buffer: &mut SqliteArgumentsBuffer) -> Result<IsNull, BoxDynError> {
        match self.0 {
            Value::Number(number) => Encode::<Sqlite>::encode(*number, buffer),
            Value::Flag(flag) => Encode::<Sqlite>::encode(i64::from(*flag), buffer),
            Value::Text(text) => Encode::<Sqlite>::encode(text.clone(), buffer),
            Value::Position(fix) => Encode::<Sqlite>::encode(to_bytes(fix), buffer),
        }
    }
}

impl<'r> Decode<'r, Sqlite> for Stored {
    fn decode(value: SqliteValueRef<'r>) -> Result<Self, BoxDynError> {
        let value = ValueRef::to_owned(&value);
        Ok(Self(match value.type_info().name() {
            "INTEGER" => Value::Flag(value.try_decode_unchecked::<i64>()? != 0),
            "TEXT" => Value::Text(value.try_decode_unchecked()?),
            "BLOB" => from_bytes(value.try_decode_unchecked()?)?.into(),
            _ => Value::Number(value.try_decode_unchecked()?),
        }))
    }
}

/// The numbers of a position in the order of [`FixPart::ALL`], 8 bytes each (binary64,
/// the lowest byte first); what is missing is not a number.
fn to_bytes(fix: &Fix) -> Vec<u8> {
    FixPart::ALL.iter().flat_map(|part| fix.part(*part).unwrap_or(f64::NAN).to_le_bytes()).collect()
}

fn from_bytes(bytes: &[u8]) -> Result<Fix, BoxDynError> {
    let (numbers, rest) = bytes.as_chunks::<8>();
    let &[latitude, longitude, altitude, accuracy] = numbers else { return Err("no position of four numbers".into()) };
    if !rest.is_empty() {
        return Err("no position of four numbers".into());
    }
    let there = |number: [u8; 8]| Some(f64::from_le_bytes(number)).filter(|number| !number.is_nan());
    Ok(Fix {
        latitude: f64::from_le_bytes(latitude),
        longitude: f64::from_le_bytes(longitude),
        altitude_m: there(altitude),
        accuracy_m: there(accuracy),
    })
}

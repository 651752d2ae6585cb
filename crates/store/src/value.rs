//! Values as SQLite keeps them: the storage class tells the type.

use lantern_core::Value;
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
        }
    }
}

impl<'r> Decode<'r, Sqlite> for Stored {
    fn decode(value: SqliteValueRef<'r>) -> Result<Self, BoxDynError> {
        let value = ValueRef::to_owned(&value);
        Ok(Self(match value.type_info().name() {
            "INTEGER" => Value::Flag(value.try_decode_unchecked::<i64>()? != 0),
            "TEXT" => Value::Text(value.try_decode_unchecked()?),
            _ => Value::Number(value.try_decode_unchecked()?),
        }))
    }
}

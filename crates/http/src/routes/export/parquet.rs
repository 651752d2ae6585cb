//! Exports as Apache Parquet files: a row for each time, a typed column for each signal.
//!
//! The file's metadata has `site`, `zone` and `columns`: for each column its unit (UCUM)
//! and what people call its signal, as JSON.

use super::column::Column;
use super::format::quality;
use super::rows::Given;
use lantern_core::fix::FixPart;
use lantern_core::{Moment, Value, ValueType};
use parquet::basic::{
    Compression, ConvertedType, Encoding, LogicalType, Repetition, TimeUnit, Type as Physical, ZstdLevel,
};
use parquet::data_type::{BoolType, ByteArray, ByteArrayType, DataType, DoubleType, Int64Type};
use parquet::errors::{ParquetError, Result};
use parquet::file::metadata::KeyValue;
use parquet::file::properties::WriterProperties;
use parquet::file::writer::{SerializedFileWriter, SerializedRowGroupWriter};
use parquet::schema::types::{ColumnPath, Type};
use serde::Serialize;
use std::sync::Arc;

/// Values gathered before they are written as one row group. More make files no smaller and take
/// more memory (measured: 250,000 and 1,000,000 differ by less than 1 %).
const GROUP: usize = 250_000;
/// Of texts, whose length nobody knows before.
const GROUP_BYTES: usize = 8 * 1024 * 1024;
/// Compresses to a third of the raw bytes at a third of the cost of the levels above it.
const ZSTD_LEVEL: i32 = 3;

/// A Parquet file that is being written.
pub(super) struct ParquetFile {
    writer: SerializedFileWriter<Vec<u8>>,
    times: Vec<i64>,
    /// The columns behind the time, in the file's order.
    cells: Vec<Cells>,
    /// Bytes of texts in them.
    bytes: usize,
    has_quality: bool,
}

/// The values of a column since the last row group. Levels are 1 where there is a value and 0
/// where there is none.
struct Cells {
    levels: Vec<i16>,
    values: Values,
}

enum Values {
    Numbers(Vec<f64>),
    Flags(Vec<bool>),
    Texts(Vec<ByteArray>),
}

/// What the metadata tells of a column.
#[derive(Serialize)]
struct Told<'a> {
    column: String,
    title: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    unit: Option<&'a str>,
}

impl ParquetFile {
    /// Begins a file.
    ///
    /// # Errors
    /// Of the library, if two columns had one name.
    pub(super) fn begin(site: &str, zone: &str, columns: &[Column], has_quality: bool) -> Result<Self> {
        let mut fields = vec![Arc::new(time_field()?)];
        let (mut cells, mut told) = (Vec::new(), Vec::new());
        for column in columns {
            if column.value_type == Some(ValueType::Position) {
                for part in FixPart::ALL {
                    let name = format!("{}.{}", column.name, part.as_str());
                    add(&mut fields, &mut cells, &name, Some(ValueType::Number))?;
                    told.push(Told { column: name, title: &column.title, unit: Some(part.unit()) });
                }
            } else {
                add(&mut fields, &mut cells, &column.name, column.value_type)?;
                let unit = column.unit.as_deref();
                told.push(Told { column: column.name.clone(), title: &column.title, unit });
            }
            if has_quality {
                add(&mut fields, &mut cells, &format!("{} quality", column.name), Some(ValueType::Text))?;
            }
        }
        let schema = Arc::new(Type::group_type_builder("readings").with_fields(fields).build()?);
        let columns = serde_json::to_string(&told).map_err(|error| ParquetError::General(error.to_string()))?;
        let metadata = [("site", site.to_owned()), ("zone", zone.to_owned()), ("columns", columns)];
        let metadata = metadata.map(|(key, value)| KeyValue::new(key.to_owned(), value));
        let time = ColumnPath::from("time");
        let properties = WriterProperties::builder()
            .set_created_by("Key Lantern".to_owned())
            .set_compression(Compression::ZSTD(ZstdLevel::try_new(ZSTD_LEVEL)?))
            .set_column_dictionary_enabled(time.clone(), false)
            .set_column_encoding(time, Encoding::DELTA_BINARY_PACKED)
            .set_key_value_metadata(Some(metadata.to_vec()))
            .build();
        let writer = SerializedFileWriter::new(Vec::new(), schema, Arc::new(properties))?;
        Ok(Self { writer, times: Vec::new(), cells, bytes: 0, has_quality })
    }

    /// Takes the values of one time.
    pub(super) fn row(&mut self, columns: &[Column], at: Moment, values: &[Option<Given>]) {
        self.times.push(at.as_micros());
        let mut cells = self.cells.iter_mut();
        for (column, given) in columns.iter().zip(values) {
            let value = given.as_ref().map(|given| &given.value);
            if column.value_type == Some(ValueType::Position) {
                let fix = value.and_then(Value::as_fix);
                for (part, cell) in FixPart::ALL.into_iter().zip(&mut cells) {
                    cell.number(fix.and_then(|fix| fix.part(part)));
                }
            } else if let Some(cell) = cells.next() {
                self.bytes += cell.value(value);
            }
            if self.has_quality
                && let Some(cell) = cells.next()
            {
                cell.text(given.as_ref().map(|given| quality(given.quality).0.into()));
            }
        }
    }

    /// Whether so much has been gathered that it should be written.
    pub(super) fn is_full(&self) -> bool {
        self.times.len() * (self.cells.len() + 1) >= GROUP || self.bytes >= GROUP_BYTES
    }

    /// Writes what has been gathered as a row group, and gives the bytes.
    ///
    /// # Errors
    /// Of the library.
    pub(super) fn write_group(&mut self) -> Result<Vec<u8>> {
        if !self.times.is_empty() {
            let mut group = self.writer.next_row_group()?;
            write::<Int64Type>(&mut group, &self.times, None)?;
            self.times.clear();
            for Cells { levels, values } in &mut self.cells {
                match values {
                    Values::Numbers(numbers) => write::<DoubleType>(&mut group, numbers, Some(levels))?,
                    Values::Flags(flags) => write::<BoolType>(&mut group, flags, Some(levels))?,
                    Values::Texts(texts) => write::<ByteArrayType>(&mut group, texts, Some(levels))?,
                }
                levels.clear();
                values.clear();
            }
            self.bytes = 0;
            group.close()?;
        }
        self.written()
    }

    /// Writes the rest and the end of the file, without which nobody can read it.
    ///
    /// # Errors
    /// Of the library.
    pub(super) fn end(&mut self) -> Result<Vec<u8>> {
        let mut rest = self.write_group()?;
        self.writer.finish()?;
        rest.append(&mut self.written()?);
        Ok(rest)
    }

    fn written(&mut self) -> Result<Vec<u8>> {
        self.writer.flush()?;
        Ok(std::mem::take(self.writer.inner_mut()))
    }
}

impl Cells {
    /// Takes a value, and gives how many bytes it takes beyond those of a number.
    fn value(&mut self, value: Option<&Value>) -> usize {
        match (&mut self.values, value) {
            (Values::Numbers(numbers), Some(Value::Number(number))) => numbers.push(*number),
            (Values::Flags(flags), Some(Value::Flag(flag))) => flags.push(*flag),
            (Values::Texts(_), Some(value)) => {
                let text = match value {
                    Value::Text(text) => text.clone(),
                    // Of signals whose type nobody has declared.
                    Value::Number(number) => number.to_string(),
                    Value::Flag(flag) => flag.to_string(),
                    Value::Position(fix) => fix.to_string(),
                };
                let bytes = text.len();
                self.text(Some(text.as_str().into()));
                return bytes;
            }
            // A value of the type that its signal had before has no place in its column.
            _ => {
                self.levels.push(0);
                return 0;
            }
        }
        self.levels.push(1);
        0
    }

    fn number(&mut self, number: Option<f64>) {
        self.value(number.map(Value::Number).as_ref());
    }

    fn text(&mut self, text: Option<ByteArray>) {
        self.levels.push(i16::from(text.is_some()));
        if let (Values::Texts(texts), Some(text)) = (&mut self.values, text) {
            texts.push(text);
        }
    }
}

impl Values {
    fn clear(&mut self) {
        match self {
            Self::Numbers(numbers) => numbers.clear(),
            Self::Flags(flags) => flags.clear(),
            Self::Texts(texts) => texts.clear(),
        }
    }
}

fn write<T: DataType>(
    group: &mut SerializedRowGroupWriter<'_, Vec<u8>>,
    values: &[T::T],
    levels: Option<&Vec<i16>>,
) -> Result<()> {
    let missing = || ParquetError::General("the schema has fewer columns than there are".to_owned());
    let mut column = group.next_column()?.ok_or_else(missing)?;
    column.typed::<T>().write_batch(values, levels.map(Vec::as_slice), None)?;
    column.close()
}

fn time_field() -> Result<Type> {
    Type::primitive_type_builder("time", Physical::INT64)
        .with_repetition(Repetition::REQUIRED)
        .with_logical_type(Some(LogicalType::timestamp(true, TimeUnit::MICROS)))
        .build()
}

/// Adds a column of a type; values of a signal whose type nobody has declared are written as texts.
fn add(fields: &mut Vec<Arc<Type>>, cells: &mut Vec<Cells>, name: &str, of: Option<ValueType>) -> Result<()> {
    let (physical, values) = match of {
        Some(ValueType::Number) => (Physical::DOUBLE, Values::Numbers(Vec::new())),
        Some(ValueType::Flag) => (Physical::BOOLEAN, Values::Flags(Vec::new())),
        Some(ValueType::Text | ValueType::Position) | None => (Physical::BYTE_ARRAY, Values::Texts(Vec::new())),
    };
    let mut field = Type::primitive_type_builder(name, physical).with_repetition(Repetition::OPTIONAL);
    if physical == Physical::BYTE_ARRAY {
        field = field.with_logical_type(Some(LogicalType::String)).with_converted_type(ConvertedType::UTF8);
    }
    fields.push(Arc::new(field.build()?));
    cells.push(Cells { levels: Vec::new(), values });
    Ok(())
}

//! The formats of an export, written row by row.

use super::column::Column;
use super::rows::Given;
use crate::routes::zoned_times::ZonedTimes;
use lantern_core::fix::{Fix, FixPart};
use lantern_core::quality::Quality;
use lantern_core::{Moment, Value, ValueType, senml};
use rocket::http::ContentType;
use serde::Serialize;
use std::borrow::Cow;
use std::io::Write;

/// How an export is written.
pub(super) struct Format {
    shape: Shape,
    times: Box<ZonedTimes>,
    /// Whether the quality of each value is written too.
    has_quality: bool,
    /// Whether a record has been written.
    has_records: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Shape {
    /// RFC 4180, a row for each time and a column for each signal.
    Csv,
    /// RFC 4180, a row for each reading.
    CsvLong,
    /// A list of readings (RFC 8259).
    Json,
    /// A reading in each line, each by itself JSON.
    JsonLines,
    /// A SenML pack in JSON (RFC 8428).
    SenmlJson,
    /// A SenML pack in CBOR.
    SenmlCbor,
}

impl Format {
    /// From the name in a request; `None` if there is no such format.
    pub(super) fn from_name(name: &str, times: ZonedTimes, has_quality: bool) -> Option<Self> {
        let shape = match name {
            "csv" => Shape::Csv,
            "csv-long" => Shape::CsvLong,
            "json" => Shape::Json,
            "json-lines" => Shape::JsonLines,
            "senml" => Shape::SenmlJson,
            "senml-cbor" => Shape::SenmlCbor,
            _ => return None,
        };
        Some(Self { shape, times: Box::new(times), has_quality, has_records: false })
    }

    /// Whether its records have room for a quality: SenML's have not.
    pub(super) const fn can_have_quality(&self) -> bool {
        !matches!(self.shape, Shape::SenmlJson | Shape::SenmlCbor)
    }

    /// What to call it.
    pub(super) fn content_type(&self) -> ContentType {
        match self.shape {
            Shape::Csv | Shape::CsvLong => ContentType::CSV,
            Shape::Json => ContentType::JSON,
            Shape::JsonLines => ContentType::new("application", "jsonl"),
            Shape::SenmlJson => ContentType::new("application", "senml+json"),
            Shape::SenmlCbor => ContentType::new("application", "senml+cbor"),
        }
    }

    /// The ending of its files.
    pub(super) const fn ending(&self) -> &'static str {
        match self.shape {
            Shape::Csv | Shape::CsvLong => "csv",
            Shape::Json => "json",
            Shape::JsonLines => "jsonl",
            // The endings that RFC 8428 registers.
            Shape::SenmlJson => "senml",
            Shape::SenmlCbor => "senmlc",
        }
    }

    /// Writes what stands before the rows.
    pub(super) fn begin(&self, buffer: &mut Vec<u8>, columns: &[Column]) {
        match self.shape {
            Shape::Csv => {
                let mut line = vec![self.times.heading()];
                for column in columns {
                    line.extend(headings(column));
                    if self.has_quality {
                        line.push(format!("{} quality", column.name));
                    }
                }
                write_row(buffer, &line);
            }
            Shape::CsvLong => {
                let mut names = vec![self.times.heading()];
                names.extend(["signal", "value", "unit", "quality", "cause"].map(str::to_owned));
                names.truncate(if self.has_quality { 6 } else { 4 });
                write_row(buffer, &names);
            }
            Shape::JsonLines => {}
            Shape::Json | Shape::SenmlJson => buffer.push(b'['),
            // An array of indefinite length (RFC 8949, section 3.2.2).
            Shape::SenmlCbor => buffer.push(0x9f),
        }
    }

    /// Writes the values of one time.
    pub(super) fn row(&mut self, buffer: &mut Vec<u8>, columns: &[Column], at: Moment, values: &mut [Option<Given>]) {
        if self.shape == Shape::Csv {
            self.wide_row(buffer, columns, at, values);
            return;
        }
        for (column, given) in columns.iter().zip(values) {
            let Some(given) = given.take() else { continue };
            match self.shape {
                Shape::SenmlCbor => {
                    buffer.extend(senml::to_cbor(&column.name, column.unit.as_deref(), at, &given.value));
                }
                Shape::SenmlJson => {
                    self.separate(buffer);
                    let record = senml::to_json(&column.name, column.unit.as_deref(), at, &given.value);
                    buffer.extend_from_slice(record.as_bytes());
                }
                Shape::Json => {
                    self.separate(buffer);
                    self.write_json(buffer, column, at, &given);
                }
                Shape::JsonLines => {
                    self.write_json(buffer, column, at, &given);
                    buffer.push(b'\n');
                }
                Shape::Csv | Shape::CsvLong => self.long_row(buffer, column, at, &given),
            }
        }
    }

    fn separate(&mut self, buffer: &mut Vec<u8>) {
        if std::mem::replace(&mut self.has_records, true) {
            buffer.extend_from_slice(b",\n");
        }
    }

    fn wide_row(&mut self, buffer: &mut Vec<u8>, columns: &[Column], at: Moment, values: &[Option<Given>]) {
        self.times.write(buffer, at);
        for (column, given) in columns.iter().zip(values) {
            let value = given.as_ref().map(|given| &given.value);
            if column.value_type == Some(ValueType::Position) {
                write_position(buffer, value.and_then(Value::as_fix));
            } else {
                buffer.push(b',');
                write_value(buffer, value);
            }
            if self.has_quality {
                buffer.push(b',');
                buffer.extend_from_slice(given.as_ref().map_or("", |given| quality(given.quality).0).as_bytes());
            }
        }
        buffer.extend_from_slice(b"\r\n");
    }

    fn long_row(&mut self, buffer: &mut Vec<u8>, column: &Column, at: Moment, given: &Given) {
        self.times.write(buffer, at);
        buffer.push(b',');
        write_text(buffer, &column.name);
        buffer.push(b',');
        match &given.value {
            // Its numbers are one cell here: a row is one reading.
            Value::Position(fix) => write_text(buffer, &fix.to_string()),
            value => write_value(buffer, Some(value)),
        }
        buffer.push(b',');
        write_text(buffer, column.unit.as_deref().unwrap_or_default());
        if self.has_quality {
            let (word, cause) = quality(given.quality);
            // Words of ours need no quotes.
            buffer.extend_from_slice(format!(",{word},{cause}").as_bytes());
        }
        buffer.extend_from_slice(b"\r\n");
    }

    fn write_json(&mut self, buffer: &mut Vec<u8>, column: &Column, at: Moment, given: &Given) {
        let mut time = Vec::with_capacity(40);
        self.times.write(&mut time, at);
        let (word, cause) = quality(given.quality);
        let record = Record {
            at: String::from_utf8_lossy(&time).into_owned(),
            signal: &column.name,
            value: &given.value,
            unit: column.unit.as_deref(),
            quality: self.has_quality.then_some(word),
            cause: Some(cause).filter(|cause| self.has_quality && !cause.is_empty()),
        };
        // Writing into memory does not fail, and all of it can be JSON.
        let _ = serde_json::to_writer(buffer, &record);
    }

    /// Writes what stands behind the rows.
    pub(super) fn end(&self, buffer: &mut Vec<u8>) {
        match self.shape {
            Shape::Csv | Shape::CsvLong | Shape::JsonLines => {}
            Shape::Json | Shape::SenmlJson => buffer.push(b']'),
            Shape::SenmlCbor => buffer.push(0xff),
        }
    }

    /// Writes that the export is not whole: a pack is left open, so that nobody
    /// can take it for a whole one.
    pub(super) fn broken_off(&self, buffer: &mut Vec<u8>) {
        match self.shape {
            Shape::Csv | Shape::CsvLong => buffer.extend_from_slice(b"# broken off: the database failed\r\n"),
            Shape::JsonLines => buffer.extend_from_slice(b"{\"broken_off\":\"the database failed\"}\n"),
            Shape::Json | Shape::SenmlJson | Shape::SenmlCbor => {}
        }
    }
}

/// A reading as JSON.
#[derive(Serialize)]
struct Record<'a> {
    at: String,
    signal: &'a str,
    value: &'a Value,
    #[serde(skip_serializing_if = "Option::is_none")]
    unit: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    quality: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    cause: Option<&'a str>,
}

/// A quality in a word, and its cause.
pub(super) const fn quality(quality: Quality) -> (&'static str, &'static str) {
    match quality {
        Quality::Good => ("good", ""),
        Quality::Suspect(cause) => ("suspect", cause.as_str()),
        Quality::Rejected(cause) => ("rejected", cause.as_str()),
    }
}

/// What stands above the columns of a signal: a position has one for each of its numbers.
fn headings(column: &Column) -> Vec<String> {
    let heading = |name: &str, unit: Option<&str>| match unit {
        Some(unit) => format!("{name} ({unit})"),
        None => name.to_owned(),
    };
    if column.value_type != Some(ValueType::Position) {
        return vec![heading(&column.name, column.unit.as_deref())];
    }
    let of_part = |part: FixPart| heading(&format!("{}.{}", column.name, part.as_str()), Some(part.unit()));
    FixPart::ALL.into_iter().map(of_part).collect()
}

fn write_position(buffer: &mut Vec<u8>, fix: Option<&Fix>) {
    for part in FixPart::ALL {
        buffer.push(b',');
        if let Some(number) = fix.and_then(|fix| fix.part(part)) {
            // Writing into memory does not fail.
            let _ = write!(buffer, "{number}");
        }
    }
}

fn write_value(buffer: &mut Vec<u8>, value: Option<&Value>) {
    match value {
        None => {}
        Some(Value::Number(number)) => {
            // Writing into memory does not fail.
            let _ = write!(buffer, "{number}");
        }
        // Only where the type of its signal was changed since.
        Some(Value::Position(fix)) => write_text(buffer, &fix.to_string()),
        Some(Value::Flag(flag)) => buffer.push(if *flag { b'1' } else { b'0' }),
        Some(Value::Text(text)) => write_text(buffer, &harmless(text)),
    }
}

/// A text that no spreadsheet takes for a formula and runs.
pub(in crate::routes) fn harmless(text: &str) -> Cow<'_, str> {
    if text.starts_with(['=', '+', '-', '@', '\t', '\r']) {
        Cow::Owned(format!("'{text}"))
    } else {
        Cow::Borrowed(text)
    }
}

/// A row of CSV (RFC 4180).
pub(in crate::routes) fn write_row(buffer: &mut Vec<u8>, cells: &[String]) {
    for (i, cell) in cells.iter().enumerate() {
        if i > 0 {
            buffer.push(b',');
        }
        write_text(buffer, cell);
    }
    buffer.extend_from_slice(b"\r\n");
}

fn write_text(buffer: &mut Vec<u8>, cell: &str) {
    if cell.contains([',', '"', '\n', '\r']) {
        buffer.push(b'"');
        buffer.extend_from_slice(cell.replace('"', "\"\"").as_bytes());
        buffer.push(b'"');
    } else {
        buffer.extend_from_slice(cell.as_bytes());
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cells_are_quoted_as_rfc_4180_says() {
        let mut buffer = Vec::new();
        write_row(&mut buffer, &["a".into(), "b,c".into(), "say \"hi\"".into(), String::new()]);
        assert_eq!(String::from_utf8(buffer).unwrap(), "a,\"b,c\",\"say \"\"hi\"\"\",\r\n");
    }

    #[test]
    fn texts_cannot_become_formulas() {
        let mut buffer = Vec::new();
        for value in [Value::Text("=1+1".into()), Value::Number(-1.5), Value::Text("=a,b".into())] {
            write_value(&mut buffer, Some(&value));
            buffer.push(b' ');
        }
        assert_eq!(String::from_utf8(buffer).unwrap(), "'=1+1 -1.5 \"'=a,b\" ");
    }
}

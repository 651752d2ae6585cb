//! The formats of an export, written row by row.

use super::listed::Listed;
use super::zoned_times::ZonedTimes;
use jiff::tz::TimeZone;
use lantern_core::fix::{Fix, FixPart};
use lantern_core::{Moment, Value, ValueType, senml};
use rocket::http::ContentType;
use std::io::Write;

/// How an export is written.
pub(super) enum Format {
    /// RFC 4180, times in a zone.
    Csv(Box<ZonedTimes>),
    /// A SenML pack in JSON (RFC 8428).
    SenmlJson {
        /// Whether a record has been written.
        has_records: bool,
    },
    /// A SenML pack in CBOR.
    SenmlCbor,
}

impl Format {
    /// From the name in a request; `None` if there is no such format.
    pub(super) fn from_name(name: &str, zone: TimeZone) -> Option<Self> {
        match name {
            "csv" => Some(Self::Csv(Box::new(ZonedTimes::new(zone)))),
            "senml" => Some(Self::SenmlJson { has_records: false }),
            "senml-cbor" => Some(Self::SenmlCbor),
            _ => None,
        }
    }

    /// What to call it.
    pub(super) fn content_type(&self) -> ContentType {
        match self {
            Self::Csv(_) => ContentType::CSV,
            Self::SenmlJson { .. } => ContentType::new("application", "senml+json"),
            Self::SenmlCbor => ContentType::new("application", "senml+cbor"),
        }
    }

    /// The ending of its files.
    pub(super) const fn ending(&self) -> &'static str {
        match self {
            Self::Csv(_) => "csv",
            // The endings that RFC 8428 registers.
            Self::SenmlJson { .. } => "senml",
            Self::SenmlCbor => "senmlc",
        }
    }

    /// Writes what stands before the rows.
    pub(super) fn begin(&self, buffer: &mut Vec<u8>, columns: &[Listed]) {
        match self {
            Self::Csv(_) => {
                let mut line = vec!["time".to_owned()];
                line.extend(columns.iter().flat_map(headings));
                write_row(buffer, &line);
            }
            Self::SenmlJson { .. } => buffer.push(b'['),
            // An array of indefinite length (RFC 8949, section 3.2.2).
            Self::SenmlCbor => buffer.push(0x9f),
        }
    }

    /// Writes the values of one time.
    pub(super) fn row(&mut self, buffer: &mut Vec<u8>, columns: &[Listed], at: Moment, values: &mut [Option<Value>]) {
        if let Self::Csv(times) = self {
            times.write(buffer, at);
            for (column, value) in columns.iter().zip(values) {
                if column.signal.value_type == Some(ValueType::Position) {
                    write_position(buffer, value.as_ref().and_then(Value::as_fix));
                } else {
                    buffer.push(b',');
                    write_value(buffer, value.as_ref());
                }
            }
            buffer.extend_from_slice(b"\r\n");
            return;
        }
        for (column, value) in columns.iter().zip(values) {
            let Some(value) = value.take() else { continue };
            match self {
                Self::SenmlJson { has_records } => {
                    if std::mem::replace(has_records, true) {
                        buffer.extend_from_slice(b",\n");
                    }
                    let record = senml::to_json(&column.path, column.unit.as_deref(), at, &value);
                    buffer.extend_from_slice(record.as_bytes());
                }
                _ => buffer.extend(senml::to_cbor(&column.path, column.unit.as_deref(), at, &value)),
            }
        }
    }

    /// Writes what stands behind the rows.
    pub(super) fn end(&self, buffer: &mut Vec<u8>) {
        match self {
            Self::Csv(_) => {}
            Self::SenmlJson { .. } => buffer.push(b']'),
            Self::SenmlCbor => buffer.push(0xff),
        }
    }

    /// Writes that the export is not whole: a pack is left open, so that nobody
    /// can take it for a whole one.
    pub(super) fn broken_off(&self, buffer: &mut Vec<u8>) {
        if matches!(self, Self::Csv(_)) {
            buffer.extend_from_slice(b"# broken off: the database failed\r\n");
        }
    }
}

/// What stands above the columns of a signal: a position has one for each of its numbers.
fn headings(column: &Listed) -> Vec<String> {
    let heading = |name: &str, unit: Option<&str>| match unit {
        Some(unit) => format!("{name} ({unit})"),
        None => name.to_owned(),
    };
    if column.signal.value_type != Some(ValueType::Position) {
        return vec![heading(&column.path, column.unit.as_deref())];
    }
    let of_part = |part: FixPart| heading(&format!("{}.{}", column.path, part.as_str()), Some(part.unit()));
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
        // A spreadsheet would take such a text for a formula and run it.
        Some(Value::Text(text)) if text.starts_with(['=', '+', '-', '@', '\t', '\r']) => {
            write_text(buffer, &format!("'{text}"));
        }
        Some(Value::Text(text)) => write_text(buffer, text),
    }
}

fn write_row(buffer: &mut Vec<u8>, cells: &[String]) {
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

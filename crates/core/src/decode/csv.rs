//! CSV (RFC 4180): names in the first row, a reading in each cell below.

use super::record::Record;
use super::{Decoded, Item, Times, pairs::raw};
use crate::{Refusal, RefusalCode};
use std::borrow::Cow;

/// What the column of times may be called; without one the time of arrival
/// holds, or rows are evenly spaced where the request says how far apart.
const TIME_COLUMNS: [&str; 3] = ["at", "time", "ago"];
/// What may stand between cells; the one most frequent in the first row does.
const SEPARATORS: [u8; 3] = *b",;\t";

/// Reads a table: its first row holds the names, one of them maybe `at` or
/// `time` (or `ago`, seconds); each row below holds values of one time. An empty cell is no value.
/// A name may have its unit behind it, as `temp (°F)`.
/// Cells are separated by comma, semicolon or tab.
///
/// # Errors
/// A [`Refusal`] of the whole request: not text, no names in the first row, too
/// many readings, or no value in it. A row of another length or with a bad time
/// is refused by itself.
pub fn csv(body: &[u8], times: &Times) -> Result<Decoded<'static>, Refusal> {
    let text =
        std::str::from_utf8(body).map_err(|_| Refusal::whole(RefusalCode::NoHeader, "The table is not UTF-8 text."))?;
    // Spreadsheets put a mark before the first name.
    let text = text.trim_start_matches('\u{feff}');
    let first_line = text.lines().next().unwrap_or_default();
    let count = |separator: &u8| first_line.bytes().filter(|b| b == separator).count();
    let separator = SEPARATORS.into_iter().rev().max_by_key(count).unwrap_or(b',');
    let mut reader = ::csv::ReaderBuilder::new()
        .delimiter(separator)
        .trim(::csv::Trim::All)
        .flexible(true)
        .from_reader(text.as_bytes());
    let names = header(&mut reader)?;
    let time_column = names.iter().position(|name| TIME_COLUMNS.contains(&name.as_str()));
    let mut decoded = Decoded::default();
    let mut ends = Vec::new();
    for (number, row) in reader.into_records().enumerate() {
        let row = row.map_err(|_| Refusal::whole(RefusalCode::BadRow, "The table cannot be read."))?;
        let number = number + 2;
        if row.len() != names.len() {
            let detail = format!("Row {number} has {} cells, the first row has {}.", row.len(), names.len());
            decoded.refuse(Refusal::whole(RefusalCode::BadRow, detail))?;
            continue;
        }
        take_row(&mut decoded, &names, time_column, &row, times)?;
        ends.push(decoded.items.len());
    }
    if let (Some(every_s), None) = (times.every_s, time_column) {
        space_out(&mut decoded, &ends, every_s, times);
    }
    decoded.finish()
}

fn header(reader: &mut ::csv::Reader<&[u8]>) -> Result<Vec<String>, Refusal> {
    let missing = |detail: &str| Refusal::whole(RefusalCode::NoHeader, detail);
    let names = reader.headers().map_err(|_| missing("The first row cannot be read."))?;
    if names.iter().all(|name| name.is_empty() || name.parse::<f64>().is_ok()) {
        return Err(missing("The first row holds no names."));
    }
    Ok(names.iter().map(str::to_owned).collect())
}

fn take_row(
    decoded: &mut Decoded<'static>,
    names: &[String],
    time_column: Option<usize>,
    row: &::csv::StringRecord,
    times: &Times,
) -> Result<(), Refusal> {
    let mut record = Record::begin(decoded);
    for (place, (name, cell)) in names.iter().zip(row).enumerate() {
        if cell.is_empty() {
            continue;
        }
        if Some(place) == time_column {
            record.time(if name == "ago" { "ago" } else { "at" }, cell, times, decoded);
        } else {
            let (name, unit) = name_and_unit(name);
            let value = raw(Cow::Owned(cell.to_owned()));
            let unit = unit.map(|unit| Cow::Owned(unit.to_owned()));
            decoded.push(Item { unit, ..Item::new(name.to_owned(), value) })?;
        }
    }
    record.close(times, decoded)
}

/// A heading such as `temp (°F)` as name and unit.
fn name_and_unit(heading: &str) -> (&str, Option<&str>) {
    let parts = heading.strip_suffix(')').and_then(|rest| rest.split_once('('));
    parts.map_or((heading, None), |(name, unit)| (name.trim_end(), Some(unit.trim())))
}

/// Rows of a waveform: each is a sample later than the one before.
fn space_out(decoded: &mut Decoded<'_>, ends: &[usize], every_s: f64, times: &Times) {
    let mut first = 0;
    for (index, &end) in ends.iter().enumerate() {
        let at = times.sample(None, every_s, index, ends.len());
        decoded.items[first..end].iter_mut().for_each(|item| item.at = Some(at));
        first = end;
    }
    decoded.samples = decoded.items.len();
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Moment;
    use crate::decode::Raw;
    use jiff::tz::TimeZone;
    use proptest::prelude::*;

    fn times() -> Times {
        Times::new(Moment::parse("2026-05-01T12:00:00Z").unwrap(), TimeZone::UTC)
    }

    fn csv(body: &[u8]) -> Result<Decoded<'static>, Refusal> {
        super::csv(body, &times())
    }

    fn seen(body: &str) -> Vec<(String, Option<String>, Raw<'static>)> {
        let items = csv(body.as_bytes()).unwrap().items;
        items.into_iter().map(|i| (i.name.into_owned(), i.at.map(|m| m.to_string()), i.value)).collect()
    }

    #[test]
    fn rows_have_times_and_cells_have_names() {
        let expected = [
            ("temp".to_owned(), Some("2026-05-01T12:00:00Z".to_owned()), Raw::Number(21.4)),
            ("mode".to_owned(), Some("2026-05-01T12:00:00Z".to_owned()), Raw::Text("a, b".into())),
            ("temp".to_owned(), Some("2026-05-01T12:00:30Z".to_owned()), Raw::Number(-3.0)),
        ];
        for body in [
            "at,temp,mode\n2026-05-01T12:00:00Z,21.4,\"a, b\"\n1777636830,-3,\n",
            "\u{feff}time;temp;mode\r\n2026-05-01T12:00:00Z; 21.4 ;\"a, b\"\r\n1777636830;-3;\r\n",
            "temp\tmode\tat\n21.4\ta, b\t2026-05-01T12:00:00Z\n-3\t\t1777636830",
        ] {
            assert_eq!(seen(body), expected, "{body}");
        }
        assert_eq!(seen("temp\n21.4"), [("temp".to_owned(), None, Raw::Number(21.4))]);
    }

    #[test]
    fn rows_without_times_may_be_evenly_spaced() {
        let mut times = times();
        times.every_s = Some(0.5);
        let decoded = super::csv(b"accel,strain\n1,10\n2,\n3,30\n", &times).unwrap();
        let seen: Vec<_> = decoded.items.iter().map(|i| i.at.unwrap().seconds_since(times.now)).collect();
        assert_eq!(seen, [-1.0, -1.0, -0.5, 0.0, 0.0]);
        assert_eq!(decoded.samples, 5);
    }

    #[test]
    fn a_bad_row_spoils_only_itself() {
        let decoded = csv(b"at,temp\n1777636800,1\n1777636801\nnoon,2\n1777636803,3\n").unwrap();
        assert_eq!(decoded.items.len(), 2);
        let refused: Vec<_> = decoded.refused.iter().map(|r| (r.code, r.detail.as_str())).collect();
        assert_eq!(refused[0], (RefusalCode::BadRow, "Row 3 has 1 cells, the first row has 2."));
        assert_eq!(refused[1].0, RefusalCode::BadTime);
    }

    #[test]
    fn what_is_no_table_is_refused() {
        for (body, code) in [
            (&b"1,2\n3,4\n"[..], RefusalCode::NoHeader),
            (b"", RefusalCode::NoHeader),
            (b"temp,\xff\n1,2", RefusalCode::NoHeader),
            (b"temp,hum\n", RefusalCode::NoValues),
            (b"temp,hum\n,\n", RefusalCode::NoValues),
        ] {
            assert_eq!(csv(body).unwrap_err().code, code, "{}", String::from_utf8_lossy(body));
        }
        let many = format!("a\n{}", "1\n".repeat(10_001));
        assert_eq!(csv(many.as_bytes()).unwrap_err().code, RefusalCode::TooManyReadings);
        let broken = format!("a,b\n{}", "1\n".repeat(10_001));
        assert_eq!(csv(broken.as_bytes()).unwrap_err().code, RefusalCode::TooManyReadings, "refusals are bounded too");
    }

    proptest! {
        #[test]
        fn any_bytes_decode_or_are_refused(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
            let _ = csv(&bytes);
        }

        #[test]
        fn any_table_like_text_decodes_or_is_refused(text in "[a-c0-9,;\"\n\t .-]{0,80}") {
            let _ = csv(text.as_bytes());
        }
    }
}

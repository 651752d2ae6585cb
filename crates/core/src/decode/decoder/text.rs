//! Lines: bare values, lists and pairs.

use super::super::record::Record;
use super::super::{Decoded, Times, short};
use super::{Field, Form};
use crate::{Refusal, RefusalCode};

/// Reads all lines of a text, each a record; empty lines are none.
pub(super) fn run(form: &Form, text: &str, times: &Times, decoded: &mut Decoded<'static>) -> Result<(), Refusal> {
    for (index, line) in text.lines().enumerate() {
        if !line.trim().is_empty() {
            one(form, line, &format!("Line {}", index + 1), times, decoded)?;
        }
    }
    Ok(())
}

/// Reads one message; `place` says in refusals where it stood.
pub(super) fn one(
    form: &Form,
    line: &str,
    place: &str,
    times: &Times,
    decoded: &mut Decoded<'static>,
) -> Result<(), Refusal> {
    let mut record = Record::begin(decoded);
    match form {
        Form::Bare { field } => field.take(line, &mut record, times, decoded)?,
        Form::List { separator, fields } => {
            let parts = split(line, separator.as_deref(), &[',', ';', '\t']);
            if parts.len() != fields.len() {
                let detail = format!(
                    "{place} has {} values, the decoder lists {}: `{}`.",
                    parts.len(),
                    fields.len(),
                    short(line.trim())
                );
                return decoded.refuse(Refusal::whole(RefusalCode::DoesNotFit, detail));
            }
            for (field, part) in fields.iter().zip(parts) {
                field.take(part, &mut record, times, decoded)?;
            }
        }
        Form::Pairs { separator, equals, fields } => {
            for part in split(line, separator.as_deref(), &[',', ';', '&', '\t']) {
                let pair = match equals {
                    Some(equals) => part.split_once(equals.as_str()),
                    None => part.split_once('=').or_else(|| part.split_once(':')),
                };
                let Some((name, value)) = pair else {
                    if !part.trim().is_empty() {
                        let detail = format!("{place} has `{}` in it, which is no pair.", short(part.trim()));
                        decoded.refuse(Refusal::whole(RefusalCode::DoesNotFit, detail))?;
                    }
                    continue;
                };
                let name = name.trim();
                match fields.get(name) {
                    Some(field) => field.take(value, &mut record, times, decoded)?,
                    None => Field::Name(name.to_owned()).take(value, &mut record, times, decoded)?,
                }
            }
        }
        // The check of a form lets nothing else stand here.
        Form::Frames { .. } | Form::Json { .. } | Form::Packed { .. } => {}
    }
    record.close(times, decoded)
}

/// Splits by the separator that was declared, else by the first of the usual
/// ones that occurs, else at spaces.
fn split<'l>(line: &'l str, separator: Option<&str>, usual: &[char]) -> Vec<&'l str> {
    if let Some(separator) = separator {
        return line.split(separator).collect();
    }
    match usual.iter().find(|c| line.contains(**c)) {
        Some(c) => line.trim().split(*c).collect(),
        None => line.split_whitespace().collect(),
    }
}

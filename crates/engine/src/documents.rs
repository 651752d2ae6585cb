//! Documents that the store keeps as text: decoders, meanings, kinds, commands, lines of
//! the contact log, reports.
//!
//! A document is kept with the number of its form: `{"form":1,"document":…}`. Text without
//! such a number is of form 1, as the first release wrote it. What cannot be read is
//! [`Damaged`]: it is said to the owner, and never taken for something else.

use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use serde_json::value::RawValue;

/// A type of document.
pub trait Document: Serialize + DeserializeOwned {
    /// What people call it, such as `decoder`.
    const NAME: &'static str;
    /// The number of the form that is written. It rises when older services could not read
    /// what is written now; forms before it have to be read still.
    const FORM: u32 = 1;
}

/// A document that is kept and cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the {what} that is kept cannot be read: {why}")]
pub struct Damaged {
    /// What it is, such as `decoder`.
    pub what: &'static str,
    /// What is wrong with it.
    pub why: String,
}

/// The text around a document.
#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Envelope<D> {
    form: u32,
    document: D,
}

/// Reads a document.
///
/// # Errors
/// [`Damaged`] if it is of a later form than this service knows, or does not have its own.
pub fn read<D: Document>(text: &str) -> Result<D, Damaged> {
    let damaged = |why: String| Damaged { what: D::NAME, why };
    let document = match serde_json::from_str::<Envelope<&RawValue>>(text) {
        Ok(envelope) if envelope.form <= D::FORM => envelope.document.get(),
        Ok(envelope) => {
            return Err(damaged(format!("it is of form {}, and this service knows {}", envelope.form, D::FORM)));
        }
        Err(_) => text,
    };
    serde_json::from_str(document).map_err(|error| damaged(error.to_string()))
}

/// Reads a document that may be absent.
///
/// # Errors
/// As [`read`].
pub fn read_optional<D: Document>(text: Option<&str>) -> Result<Option<D>, Damaged> {
    text.map(read).transpose()
}

/// Writes a document.
///
/// # Errors
/// [`Damaged`] if it has no JSON form, such as a map whose keys are no texts.
pub fn write<D: Document>(document: &D) -> Result<String, Damaged> {
    let envelope = Envelope { form: D::FORM, document };
    serde_json::to_string(&envelope).map_err(|error| Damaged { what: D::NAME, why: error.to_string() })
}

impl Document for lantern_core::watch::Watch {
    const NAME: &'static str = "watch";
}

impl Document for lantern_core::watch::Memory {
    const NAME: &'static str = "memory of a watch";
}

impl Document for lantern_core::alarm::life::State {
    const NAME: &'static str = "state of an alarm";
}

impl Document for lantern_core::Value {
    const NAME: &'static str = "value";
}

impl Document for lantern_core::meaning::Meaning {
    const NAME: &'static str = "meaning";
}

impl Document for lantern_core::decode::decoder::Form {
    const NAME: &'static str = "decoder";
}

impl Document for lantern_api::KindDescription {
    const NAME: &'static str = "description of the kind";
}

impl Document for Vec<lantern_api::CommandDeclaration> {
    const NAME: &'static str = "list of commands";
}

impl Document for Vec<String> {
    const NAME: &'static str = "list of topics";
}

impl Document for lantern_api::ContactDetails {
    const NAME: &'static str = "line of the contact log";
}

impl Document for lantern_api::Commissioning {
    const NAME: &'static str = "report of the commissioning";
}

impl Document for lantern_core::meaning::Memory {
    const NAME: &'static str = "memory of the conversion";
}

impl Document for std::collections::BTreeMap<String, lantern_core::Value> {
    const NAME: &'static str = "list of arguments";
}

#[cfg(test)]
mod tests {
    use super::*;

    #[derive(Debug, PartialEq, Serialize, Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Plan {
        form: Option<u8>,
        name: String,
    }

    impl Document for Plan {
        const NAME: &'static str = "plan";
        const FORM: u32 = 2;
    }

    fn plan(form: Option<u8>) -> Plan {
        Plan { form, name: "tower".to_owned() }
    }

    #[test]
    fn what_is_written_is_read_back() {
        for plan in [plan(None), plan(Some(9))] {
            let text = write(&plan).unwrap();
            assert!(text.starts_with(r#"{"form":2,"document":{"#), "{text}");
            assert_eq!(read::<Plan>(&text), Ok(plan));
        }
    }

    #[test]
    fn text_without_a_number_is_of_the_first_form() {
        assert_eq!(read(r#"{"form":3,"name":"tower"}"#), Ok(plan(Some(3))));
        assert_eq!(read::<Vec<String>>(r#"["a/b"]"#), Ok(vec!["a/b".to_owned()]));
        assert_eq!(read_optional::<Plan>(None), Ok(None));
    }

    #[test]
    fn what_cannot_be_read_is_damaged_and_says_why() {
        for (text, why) in [
            (r#"{"form":3,"document":{"form":null,"name":"x"}}"#, "form 3, and this service knows 2"),
            (r#"{"form":2,"document":{"name":1}}"#, "expected a string"),
            (r#"{"name":1}"#, "expected a string"),
            ("", "EOF"),
            ("nonsense", "expected"),
        ] {
            let damaged = read::<Plan>(text).unwrap_err();
            assert!(damaged.why.contains(why), "{text}: {damaged}");
            assert!(damaged.to_string().starts_with("the plan that is kept cannot be read"));
        }
    }
}

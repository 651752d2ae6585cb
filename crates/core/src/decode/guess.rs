//! What a payload is when its sender does not say, or says what cannot be.

/// A way to write readings that needs no decoder.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Dialect {
    /// An object of `name: value`, or an array of them.
    Json,
    /// The same in CBOR.
    Cbor,
    /// A SenML pack in JSON.
    SenmlJson,
    /// A SenML pack in CBOR.
    SenmlCbor,
    /// A table.
    Csv,
    /// `name=value&name=value`.
    Form,
    /// One number and nothing else.
    Bare,
}

impl Dialect {
    /// What it is called in a sentence.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Json => "JSON",
            Self::Cbor => "CBOR",
            Self::SenmlJson => "SenML JSON",
            Self::SenmlCbor => "SenML CBOR",
            Self::Csv => "CSV",
            Self::Form => "a form",
            Self::Bare => "a bare number",
        }
    }
}

/// Says what a body is, where only one reading of it makes sense.
#[must_use]
pub fn guess(body: &[u8]) -> Option<Dialect> {
    let first = *body.first()?;
    if matches!(first, 0xa1..=0xbf) && std::str::from_utf8(body).is_err() {
        return Some(Dialect::Cbor);
    }
    if matches!(first, 0x80..=0x9f) {
        // No text begins so. SenML has numbers for keys, and nothing else does.
        let has_number_keys =
            body.get(usize::from(first == 0x98) + 2).is_some_and(|key| matches!(key, 0x00..=0x08 | 0x20..=0x25));
        return Some(if has_number_keys { Dialect::SenmlCbor } else { Dialect::Cbor });
    }
    let text = std::str::from_utf8(body).ok()?.trim_start_matches('\u{feff}').trim();
    match text.as_bytes().first()? {
        b'{' => return Some(Dialect::Json),
        b'[' => return Some(if looks_like_senml(text) { Dialect::SenmlJson } else { Dialect::Json }),
        _ => {}
    }
    if text.parse::<f64>().is_ok_and(f64::is_finite) {
        return Some(Dialect::Bare);
    }
    let mut lines = text.lines();
    let header = lines.next()?;
    let is_name = |cell: &str| crate::code::check_signal(cell.trim().trim_matches('"')).is_ok();
    if let Some(second) = lines.next() {
        let separated = |line: &str, c: char| line.split(c).count();
        let fits = |c: char| header.split(c).all(is_name) && separated(header, c) == separated(second, c);
        return [',', ';', '\t'].into_iter().any(fits).then_some(Dialect::Csv);
    }
    let is_pair = |pair: &str| pair.split_once('=').is_some_and(|(name, _)| is_name(name));
    header.split('&').all(is_pair).then_some(Dialect::Form)
}

/// An array whose first object has a SenML value label and a name, and none but
/// labels of SenML (RFC 8428, section 4).
fn looks_like_senml(text: &str) -> bool {
    const LABELS: [&str; 17] =
        ["bn", "bt", "bu", "bv", "bs", "bver", "n", "u", "v", "vs", "vb", "vd", "s", "t", "ut", "mid", "mac"];
    let mut values = serde_json::Deserializer::from_str(text[1..].trim_start()).into_iter::<serde_json::Value>();
    let Some(Ok(serde_json::Value::Object(first))) = values.next() else { return false };
    let has = |labels: &[&str]| labels.iter().any(|label| first.contains_key(*label));
    let is_text = |label: &str| first.get(label).is_some_and(serde_json::Value::is_string);
    (is_text("n") || is_text("bn"))
        && has(&["v", "vs", "vb", "vd", "s", "bv", "bs", "bt", "bu", "bver"])
        && first.keys().all(|key| LABELS.contains(&key.as_str()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn recognises_what_is_unambiguous() {
        for (body, expected) in [
            (&b"{\"temp\": 1}"[..], Some(Dialect::Json)),
            (b" [{\"temp\": 1}]", Some(Dialect::Json)),
            (b"[{\"n\": \"temp\", \"v\": 1}]", Some(Dialect::SenmlJson)),
            (b"[{\"bn\": \"shed:\", \"bt\": 1}, {\"n\": \"temp\", \"v\": 1}]", Some(Dialect::SenmlJson)),
            (b"[{\"n\": 5, \"v\": 1}]", Some(Dialect::Json)),
            (b"[{\"n\": \"temp\", \"v\": 1, \"door\": true}]", Some(Dialect::Json)),
            (b"temp=21.4&hum=55", Some(Dialect::Form)),
            (b"at,temp\n1777636800,21.4", Some(Dialect::Csv)),
            (b"\xef\xbb\xbfat;temp\r\n1777636800;21,4\r\n", Some(Dialect::Csv)),
            (b"21.4\n", Some(Dialect::Bare)),
            (b"\xa1\x64temp\xf9\x4d\x60", Some(Dialect::Cbor)),
            (b"\x81\xa2\x00\x64temp\x02\x15", Some(Dialect::SenmlCbor)),
            (b"\x81\xa1\x64temp\x15", Some(Dialect::Cbor)),
            (b"21.4,55", None),
            (b"T:21.4 H:55", None),
            (b"<T21.4>", None),
            (b"", None),
            (b"   ", None),
            (b"\xff\xfe", None),
        ] {
            assert_eq!(guess(body), expected, "{}", String::from_utf8_lossy(body));
        }
    }
}

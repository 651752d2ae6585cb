//! What somebody meant who mistyped a name.

/// The known name that is most like a written one; nothing if none is like enough, or it
/// is known as it is.
///
/// Letters in capitals and the signs between words make no difference. Otherwise one
/// letter in three may be wrong, missing, too many or exchanged with its neighbour
/// (optimal string alignment).
#[must_use]
pub fn nearest<'a>(written: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let plain = plain(written);
    if plain.is_empty() {
        return None;
    }
    let allowed = plain.chars().count() / 3;
    let mut best: Option<(usize, &str)> = None;
    for name in known {
        if name == written {
            return None;
        }
        let wrong = strsim::osa_distance(&plain, &self::plain(name));
        if wrong <= allowed && best.is_none_or(|(least, _)| wrong < least) {
            best = Some((wrong, name));
        }
    }
    best.map(|(_, name)| name)
}

fn plain(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

#[cfg(test)]
mod tests {
    use super::nearest;

    #[test]
    fn a_mistyped_name_finds_what_was_meant() {
        for (written, known, expected) in [
            ("inn", &["in", "do", "api"][..], Some("in")),
            ("levle", &["level", "temp"], Some("level")),
            ("Temp_1", &["temp-1", "temp-2"], Some("temp-1")),
            ("humidty", &["hum", "humidity"], Some("humidity")),
            ("temp", &["temp", "temp-2"], None),
            ("pressure", &["level", "temp"], None),
            ("ab", &["cd", "ac"], None),
            ("", &["level"], None),
            ("?", &["level"], None),
        ] {
            assert_eq!(nearest(written, known.iter().copied()), expected, "{written}");
        }
    }
}

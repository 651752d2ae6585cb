//! What a watch looks for, in words.

use super::written::{Direction, When};
use crate::duration::duration;

impl When {
    /// What is wrong, to stand after the name of what it is on: `above 8 °C`. `symbol` is how the unit of the
    /// limits is shown.
    #[must_use]
    pub fn in_words(&self, symbol: Option<&str>) -> String {
        let with = |number: &f64, unit: &Option<String>| {
            format!("{number} {}", symbol.or(unit.as_deref()).unwrap_or_default()).trim().to_owned()
        };
        match self {
            Self::Above { limit, unit } => format!("above {}", with(limit, unit)),
            Self::Below { limit, unit } => format!("below {}", with(limit, unit)),
            Self::Outside { low, high, unit } => format!("outside {low} to {}", with(high, unit)),
            Self::Changing { by, within_s, direction, unit } => {
                let how = match direction {
                    Direction::Rises => "rising by",
                    Direction::Falls => "falling by",
                    Direction::Either => "changing by",
                };
                format!("{how} {} within {}", with(by, unit), duration(*within_s))
            }
            Self::Steady { for_s, .. } => format!("not changing for {}", duration(*for_s)),
            Self::Flag { value } => value.to_string(),
            Self::Text { equals } => format!("`{equals}`"),
            Self::Inside { .. } => "inside an area".to_owned(),
            Self::OutsideOf { .. } => "outside an area".to_owned(),
            Self::Farther { than_m, .. } => format!("further than {than_m} m from a place"),
            Self::Doubtful {} => "readings are not good".to_owned(),
            Self::Late {} => "late or silent".to_owned(),
            Self::Silent {} => "silent".to_owned(),
            Self::Losses { above } => format!("more than {} % of a day's messages lost", above * 100.0),
            Self::Disk { days } => format!("the disk is full within {days} days"),
            Self::Clock {} => "the clock is not to be trusted".to_owned(),
            Self::Pressed {} => "somebody presses its button".to_owned(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn limits_stand_with_their_unit_as_it_is_shown() {
        let when: When = serde_json::from_str(r#"{"is": "above", "limit": 8, "unit": "Cel"}"#).unwrap();
        assert_eq!(when.in_words(Some("°C")), "above 8 °C");
        assert_eq!(when.in_words(None), "above 8 Cel");
        let when: When =
            serde_json::from_str(r#"{"is": "changing", "by": 2, "within_s": 600, "direction": "falls"}"#).unwrap();
        assert_eq!(when.in_words(None), "falling by 2 within 10 min");
    }

    #[test]
    fn every_condition_goes_on_after_the_word_when() {
        for (when, words) in [
            (r#"{"is": "flag", "value": true}"#, "true"),
            (r#"{"is": "text", "equals": "ajar"}"#, "`ajar`"),
            (r#"{"is": "outside", "low": -1, "high": 1, "unit": "m"}"#, "outside -1 to 1 m"),
            (r#"{"is": "steady", "for_s": 3600}"#, "not changing for 60 min"),
            (r#"{"is": "late"}"#, "late or silent"),
            (r#"{"is": "pressed"}"#, "somebody presses its button"),
        ] {
            let when: When = serde_json::from_str(when).unwrap();
            assert_eq!(when.in_words(None), words);
        }
    }
}

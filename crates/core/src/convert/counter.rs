//! Counters that begin again.

/// What a count says beside the one before.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Counted {
    /// So many more.
    More(f64),
    /// So many more, past the end of the counter.
    Rollover(f64),
    /// The counter was set to zero and has counted so many since.
    Reset(f64),
}

impl Counted {
    pub(super) const fn count(self) -> f64 {
        match self {
            Self::More(count) | Self::Rollover(count) | Self::Reset(count) => count,
        }
    }
}

/// How much a counter has counted from one reading to the next. It begins again at
/// `modulus`, and cannot count more than `most` in between; what looks like more is
/// a reset.
pub(super) fn counted(before: f64, now: f64, modulus: Option<f64>, most: Option<f64>) -> Counted {
    let is_possible = |count: f64| most.is_none_or(|most| count <= most);
    if now >= before {
        let more = now - before;
        return if is_possible(more) { Counted::More(more) } else { Counted::Reset(now) };
    }
    match modulus.map(|modulus| now + modulus - before) {
        Some(over) if is_possible(over) => Counted::Rollover(over),
        _ => Counted::Reset(now),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::physics::tables::rows;

    #[test]
    fn counts_are_those_of_the_table() {
        let mut before = None;
        let mut case = String::new();
        for row in rows("counter_delta", 115) {
            if row.text("case") != case {
                before = None;
                row.text("case").clone_into(&mut case);
            }
            let now = row.number("raw_count");
            let optional = |column: &str| row.has(column).then(|| row.number(column));
            let found = before.map(|before| counted(before, now, optional("modulus"), optional("max_plausible_delta")));
            let expected = match row.text("event") {
                "first" => None,
                "normal" => Some(Counted::More(row.number("delta"))),
                "rollover" => Some(Counted::Rollover(row.number("delta"))),
                _ => Some(Counted::Reset(row.number("delta"))),
            };
            assert_eq!(found, expected, "{case} at {}", row.text("time"));
            before = Some(now);
        }
    }
}

//! Fuzzing of everything that reads bytes, a sender's or what people write: seeds are broken in many
//! ways, and whatever comes of them must be a value within limits or a refusal.
//!
//! A short run is among the tests; `cargo xtask fuzz` makes a long one.

mod meaning;
mod mqtt;
mod mutate;
mod series;
mod targets;

pub use targets::{TARGETS, Target};

use rand::SeedableRng;
use rand::rngs::StdRng;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::time::{Duration, Instant};

/// The largest input that is tried, in bytes.
const MAX_INPUT: usize = 4_096;
/// Inputs kept to be broken further.
const MAX_CORPUS: usize = 2_000;

/// An input on which a target failed.
#[derive(Debug)]
pub struct Failure {
    /// The target.
    pub target: &'static str,
    /// The input, to be tried again.
    pub input: Vec<u8>,
}

/// When a run ends.
#[derive(Debug, Clone, Copy)]
pub enum Until {
    /// After so many inputs.
    Count(u64),
    /// After so much time.
    Time(Duration),
}

/// Fuzzes one target; gives back how many inputs were tried.
///
/// # Errors
/// The first input on which the target panicked.
pub fn run(target: &Target, seed: u64, until: Until) -> Result<u64, Failure> {
    let mut random = StdRng::seed_from_u64(seed);
    let mut corpus: Vec<Vec<u8>> = (target.seeds)();
    // What an input comes to tells one from another: those that come to something
    // new are worth breaking further.
    let mut seen = std::collections::HashSet::new();
    let started = Instant::now();
    let mut tried = 0;
    loop {
        let is_over = match until {
            Until::Count(count) => tried >= count,
            Until::Time(time) => tried % 256 == 0 && started.elapsed() >= time,
        };
        if is_over {
            return Ok(tried);
        }
        let mut input = mutate::input(&corpus, &mut random);
        input.truncate(MAX_INPUT);
        match catch_unwind(AssertUnwindSafe(|| (target.run)(&input))) {
            Ok(outcome) => {
                if seen.insert(outcome) && corpus.len() < MAX_CORPUS {
                    corpus.push(input);
                }
            }
            Err(_) => return Err(Failure { target: target.name, input }),
        }
        tried += 1;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_short_run_of_every_target_finds_nothing() {
        for target in TARGETS {
            let tried = run(target, 1, Until::Count(20_000)).unwrap_or_else(|failure| {
                panic!("{} fails on {:?}", failure.target, String::from_utf8_lossy(&failure.input))
            });
            assert_eq!(tried, 20_000);
        }
    }

    #[test]
    fn a_target_that_panics_is_found() {
        let bad = Target {
            name: "bad",
            seeds: || vec![b"{\"a\": 1}".to_vec()],
            run: |input| {
                assert!(!input.ends_with(b"}}"), "two braces at the end");
                input.len() as u64
            },
        };
        let failure = run(&bad, 1, Until::Count(1_000_000)).unwrap_err();
        assert!(failure.input.ends_with(b"}}"));
    }
}

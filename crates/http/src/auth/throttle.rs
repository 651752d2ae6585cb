//! Slowing down attempts to get in.

use lantern_core::Moment;
use lantern_core::places::network;
use sha2::{Digest, Sha256};
use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Mutex, PoisonError};

/// Failures that cost nothing yet.
const FREE: u32 = 3;
/// The longest wait of one caller, in seconds.
const LONGEST_S: f64 = 300.0;
/// Callers, and names, remembered.
const MOST: usize = 10_000;
/// Wrong attempts at one name from anywhere that cost nothing, and the seconds after which one is forgotten.
const NAME_FREE: f64 = 50.0;
const NAME_FORGOTTEN_S: f64 = 60.0;

/// Who tries to get in: an address, and the name it tries. Both count, so that behind a proxy, where all
/// have one address, nobody locks the others out. Names are kept as hashes: they are as long as somebody likes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) struct Caller {
    network: IpAddr,
    name: u64,
}

impl Caller {
    /// Someone at an address who tries a name.
    pub(crate) fn new(address: IpAddr, name: &str) -> Self {
        let digest: [u8; 32] = Sha256::digest(name.trim().to_lowercase().as_bytes()).into();
        let [a, b, c, d, e, f, g, h, ..] = digest;
        Self { network: network(address), name: u64::from_le_bytes([a, b, c, d, e, f, g, h]) }
    }
}

/// Attempts of one caller that failed, or whose outcome is not known yet.
struct Attempts {
    count: u32,
    allowed_at: Moment,
}

/// Failures at one name, which are forgotten by and by.
struct NameFailures {
    count: f64,
    at: Moment,
}

#[derive(Default)]
struct State {
    callers: HashMap<Caller, Attempts>,
    names: HashMap<u64, NameFailures>,
    /// Who got in with a name lately: they are not kept out by others who guess at it.
    welcome: HashMap<Caller, Moment>,
}

/// Makes each caller wait longer after each failure: 1 s after the fourth, then doubled, to five minutes.
/// An attempt counts as a failure until it has succeeded, so that many at once get no further than
/// one after the other.
#[derive(Default)]
pub(crate) struct Throttle(Mutex<State>);

impl Throttle {
    /// Takes a turn.
    ///
    /// # Errors
    /// The seconds the caller must still wait.
    pub(crate) fn attempt(&self, caller: Caller, now: Moment) -> Result<(), u64> {
        let mut state = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let state = &mut *state;
        let wait = state.callers.get(&caller).map_or(0.0, |attempts| attempts.allowed_at.seconds_since(now));
        if wait > 0.0 {
            return Err(wait.ceil() as u64);
        }
        let name_wait = name_wait(state, caller, now);
        if name_wait > 0.0 {
            return Err(name_wait.ceil() as u64);
        }
        make_room(&mut state.callers, |attempts| attempts.allowed_at.plus_seconds(LONGEST_S) > now);
        make_room(&mut state.names, |failures| left(failures, now) > 0.0);
        let attempts = state.callers.entry(caller).or_insert(Attempts { count: 0, allowed_at: now });
        attempts.count = attempts.count.saturating_add(1);
        let over = attempts.count.saturating_sub(FREE);
        let wait = if over == 0 { 0.0 } else { f64::from(2u32.pow((over - 1).min(10))).min(LONGEST_S) };
        attempts.allowed_at = now.plus_seconds(wait);
        let failures = state.names.entry(caller.name).or_insert(NameFailures { count: 0.0, at: now });
        *failures = NameFailures { count: left(failures, now) + 1.0, at: now };
        Ok(())
    }

    /// Forgets one attempt that was no failure, though nobody got in by it.
    pub(crate) fn pardon(&self, caller: Caller) {
        let mut state = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(attempts) = state.callers.get_mut(&caller) {
            attempts.count = attempts.count.saturating_sub(1);
        }
        if let Some(failures) = state.names.get_mut(&caller.name) {
            failures.count = (failures.count - 1.0).max(0.0);
        }
    }

    /// Forgets the attempts of a caller that got in.
    pub(crate) fn succeeded(&self, caller: Caller, now: Moment) {
        let mut state = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        state.callers.remove(&caller);
        if let Some(failures) = state.names.get_mut(&caller.name) {
            failures.count = (failures.count - 1.0).max(0.0);
        }
        make_room(&mut state.welcome, |since| since.plus_seconds(30.0 * 86_400.0) > now);
        state.welcome.insert(caller, now);
    }
}

/// Failures at a name that are not forgotten yet.
fn left(failures: &NameFailures, now: Moment) -> f64 {
    (failures.count - now.seconds_since(failures.at).max(0.0) / NAME_FORGOTTEN_S).max(0.0)
}

/// Seconds until a name may be tried again by someone who did not get in with it lately.
fn name_wait(state: &State, caller: Caller, now: Moment) -> f64 {
    if state.welcome.contains_key(&caller) {
        return 0.0;
    }
    let left = state.names.get(&caller.name).map_or(0.0, |failures| left(failures, now));
    (left + 1.0 - NAME_FREE).max(0.0) * NAME_FORGOTTEN_S
}

/// Keeps a map small: what matters no more goes first, and then, in an attack on memory, everything.
fn make_room<K: Eq + std::hash::Hash, V>(map: &mut HashMap<K, V>, matters: impl Fn(&V) -> bool) {
    if map.len() >= MOST {
        map.retain(|_, value| matters(value));
    }
    if map.len() >= MOST {
        map.clear();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(seconds: f64) -> Moment {
        Moment::from_epoch(1_777_636_800.0 + seconds).unwrap()
    }

    fn ann(address: [u8; 4]) -> Caller {
        Caller::new(IpAddr::from(address), "Ann")
    }

    #[test]
    fn waits_grow_and_end_with_success() {
        let throttle = Throttle::default();
        let caller = ann([127, 0, 0, 1]);
        let (mut now, mut waits) = (0.0, Vec::new());
        for _ in 0..14 {
            assert_eq!(throttle.attempt(caller, at(now)), Ok(()));
            let allowed_at = throttle.0.lock().unwrap().callers[&caller].allowed_at;
            let wait = allowed_at.seconds_since(at(now));
            if wait > 0.0 {
                assert_eq!(throttle.attempt(caller, at(now)), Err(wait as u64));
            }
            waits.push(wait);
            now += wait;
        }
        assert_eq!(waits, [0.0, 0.0, 0.0, 1.0, 2.0, 4.0, 8.0, 16.0, 32.0, 64.0, 128.0, 256.0, 300.0, 300.0]);
        throttle.succeeded(caller, at(now));
        assert_eq!(throttle.attempt(caller, at(now)), Ok(()));
    }

    #[test]
    fn many_at_once_get_no_further_than_one_after_the_other() {
        let throttle = Throttle::default();
        let judged = (0..200).filter(|_| throttle.attempt(ann([192, 0, 2, 7]), at(0.0)).is_ok()).count();
        assert_eq!(judged, 4);
    }

    #[test]
    fn a_network_counts_as_one_and_others_are_not_locked_out() {
        let throttle = Throttle::default();
        let v6 = |text: &str| Caller::new(text.parse().unwrap(), "ann");
        for host in 1..=4 {
            throttle.attempt(v6(&format!("2001:db8:1:2::{host}")), at(0.0)).unwrap();
        }
        assert_eq!(throttle.attempt(v6("2001:db8:1:2:a:b:c:d"), at(0.0)), Err(1));
        assert_eq!(throttle.attempt(v6("2001:db8:1:3::1"), at(0.0)), Ok(()));
        assert_eq!(throttle.attempt(Caller::new("2001:db8:1:2::1".parse().unwrap(), "bob"), at(0.0)), Ok(()));
        let mapped = Caller::new("::ffff:192.0.2.7".parse().unwrap(), "ann ");
        assert_eq!(mapped, ann([192, 0, 2, 7]), "the same machine, and the same name");
    }

    #[test]
    fn guessing_at_a_name_from_everywhere_is_slowed_but_its_owner_gets_in() {
        let throttle = Throttle::default();
        let home = ann([198, 51, 100, 1]);
        throttle.attempt(home, at(0.0)).unwrap();
        throttle.succeeded(home, at(0.0));
        let judged = (0..200).filter(|host| throttle.attempt(ann([203, 0, 113, *host]), at(0.0)).is_ok()).count();
        assert_eq!(judged, NAME_FREE as usize);
        assert_eq!(throttle.attempt(home, at(0.0)), Ok(()));
        assert_eq!(
            throttle.attempt(ann([203, 0, 113, 250]), at(0.0)),
            Err(120),
            "a newcomer waits for two to be forgotten"
        );
        assert_eq!(throttle.attempt(ann([203, 0, 113, 250]), at(130.0)), Ok(()));
    }
}

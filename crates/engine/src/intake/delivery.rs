//! What a sender hands over, freed from its protocol.

use super::Said;
use crate::problem::{Class, Problem};
use crate::secret;
use lantern_core::decode;

/// How a sender proves whose key it has.
#[derive(Clone, Copy)]
pub enum Credential<'a> {
    /// The key itself.
    Secret(&'a str),
    /// Its hash: the key was checked before.
    Hash([u8; 32]),
}

/// Shows no secret.
impl std::fmt::Debug for Credential<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Self::Secret(_) => "Secret(…)",
            Self::Hash(_) => "Hash(…)",
        })
    }
}

impl Credential<'_> {
    /// Whether it has the form of a key.
    #[must_use]
    pub fn can_be_one(self) -> bool {
        match self {
            Self::Secret(secret) => secret::looks_like_key(secret),
            Self::Hash(_) => true,
        }
    }

    /// What the key is looked up by.
    #[must_use]
    pub fn hash(self) -> [u8; 32] {
        match self {
            Self::Secret(secret) => secret::hash(secret),
            Self::Hash(hash) => hash,
        }
    }
}

/// What an address says of the payload beside it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Target {
    /// The device it is of, by its code or by what its sender calls it.
    pub device: Option<String>,
    /// The signal that the payload is a value of.
    pub signal: Option<String>,
    /// The time of its values.
    pub at: Option<String>,
}

/// What a sender handed over, freed from its protocol.
pub struct Delivery<'a> {
    /// The key it was sent with.
    pub credential: Result<Credential<'a>, Problem>,
    /// What its address says.
    pub target: Target,
    /// The topic it was published on.
    pub topic: Option<&'a str>,
    /// It is meant for others first: what cannot be read is no refusal.
    pub is_aside: bool,
    /// How many seconds its sender can be kept waiting for its allowance.
    pub patience_s: u64,
    /// The payload, or why there is none.
    pub body: Result<Body, Problem>,
    /// What the sender calls the payload.
    pub said: Said,
    /// The query of the address: values given beside the payload or instead of it.
    pub query: &'a str,
    /// How it came, such as `HTTP POST`.
    pub protocol: &'static str,
    /// From where.
    pub from: String,
}

/// A payload that has been read and unpacked.
#[derive(Default)]
pub struct Body {
    /// The bytes.
    pub bytes: Vec<u8>,
    /// Bytes as they came.
    pub sent: usize,
    /// What was noticed when it was unpacked.
    pub remark: Option<decode::Remark>,
}

impl Delivery<'_> {
    /// A delivery without a key.
    #[must_use]
    pub fn no_key() -> Problem {
        Problem::new(
            Class::NotKnown,
            "no-key",
            "No key",
            "The request carries no key.",
            "Send the device's key as `Authorization: Bearer KEY`, or in the address: /in/KEY.",
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_secret_is_not_shown() {
        let shown = format!("{:?} {:?}", Credential::Secret("0123abc"), Credential::Hash([7; 32]));
        assert_eq!(shown, "Secret(…) Hash(…)");
    }
}

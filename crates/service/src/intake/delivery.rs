//! What a sender hands over, freed from its protocol.

use super::Said;
use crate::problem::Problem;
use lantern_core::decode;

/// How a sender proves whose key it has.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Credential<'a> {
    /// The key itself.
    Secret(&'a str),
    /// Its hash: the key was checked before.
    Hash([u8; 32]),
}

impl Credential<'_> {
    /// What the key is looked up by.
    pub(crate) fn hash(self) -> [u8; 32] {
        match self {
            Self::Secret(secret) => crate::auth::hash(secret),
            Self::Hash(hash) => hash,
        }
    }
}

/// What an address says of the payload beside it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Target {
    /// The device it is of, by its code or by what its sender calls it.
    pub(crate) device: Option<String>,
    /// The signal that the payload is a value of.
    pub(crate) signal: Option<String>,
    /// The time of its values.
    pub(crate) at: Option<String>,
}

/// What a sender handed over, freed from its protocol.
pub(crate) struct Delivery<'a> {
    /// The key it was sent with.
    pub(crate) credential: Result<Credential<'a>, Problem>,
    /// What its address says.
    pub(crate) target: Target,
    /// The topic it was published on.
    pub(crate) topic: Option<&'a str>,
    /// It is meant for others first: what cannot be read is no refusal.
    pub(crate) is_aside: bool,
    /// How many seconds its sender can be kept waiting for its allowance.
    pub(crate) patience_s: u64,
    /// The payload, or why there is none.
    pub(crate) body: Result<Body, Problem>,
    /// What the sender calls the payload.
    pub(crate) said: Said,
    /// The query of the address: values given beside the payload or instead of it.
    pub(crate) query: &'a str,
    /// How it came, such as `HTTP POST`.
    pub(crate) protocol: &'static str,
    /// From where.
    pub(crate) from: String,
}

/// A payload that has been read and unpacked.
#[derive(Default)]
pub(crate) struct Body {
    pub(crate) bytes: Vec<u8>,
    /// Bytes as they came.
    pub(crate) sent: usize,
    /// What was noticed when it was unpacked.
    pub(crate) remark: Option<decode::Remark>,
}

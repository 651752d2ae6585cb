//! A message on its way to a session.

use super::parcel::Parcel;
use crate::message::{Message, QoS};
use std::sync::Arc;

/// A message for a session.
#[derive(Debug, Clone)]
pub(super) struct Queued {
    /// Counts the session's messages, so that they keep their order.
    pub(super) number: u64,
    pub(super) parcel: Arc<Parcel>,
    pub(super) qos: QoS,
    pub(super) retain: bool,
    pub(super) subscriptions: Vec<u32>,
}

impl Queued {
    pub(super) fn message(&self) -> &Arc<Message> {
        &self.parcel.message
    }

    /// About how many bytes it takes.
    pub(super) fn weight(&self) -> usize {
        self.parcel.message.weight()
    }
}

/// How far the delivery of a message is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Phase {
    /// Not sent on this connection yet.
    Unsent {
        /// It was on an earlier one.
        dup: bool,
    },
    /// PUBLISH was sent.
    Sent,
    /// QoS 2: PUBREL was sent, or is to be.
    Released,
}

/// A message that has a packet identifier.
#[derive(Debug, Clone)]
pub(super) struct Flight {
    pub(super) queued: Queued,
    pub(super) packet: u16,
    pub(super) phase: Phase,
    /// Whether what has been noted of it is durable, or need not be.
    pub(super) is_durable: bool,
}

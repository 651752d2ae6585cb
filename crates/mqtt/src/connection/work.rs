//! What a connection asks of whoever runs it, and what it is told in return.

use crate::broker::Ticket;
use crate::codec::{Outgoing, Reason, Subscription};
use crate::host::Refused;
use crate::message::{Message, QoS};
use lantern_core::Moment;
use lantern_core::state::StateChange;
use std::sync::Arc;

/// What takes time: it waits for storage or for the host. All works of a connection may run
/// at the same time, but what they come to is handed back in the order in which they were
/// asked for, so that answers have the order the standard demands.
#[derive(Debug)]
pub enum Work {
    /// Take a message in.
    Take {
        /// Its packet identifier; 0 for QoS 0.
        packet: u16,
        /// The message.
        message: Arc<Message>,
        /// When it came.
        arrived: Moment,
        /// To be kept together with it.
        receipt: Option<StateChange>,
    },
    /// Make durable that a packet identifier was let go.
    Release {
        /// The identifier.
        packet: u16,
        /// Whether it was known.
        is_known: bool,
        /// To be kept.
        change: Option<StateChange>,
    },
    /// Make changes durable, whose tickets are redeemed then.
    Note(Vec<StateChange>, Vec<Ticket>),
    /// Ask the host for subscriptions, make them, and send what stands on their topics.
    Subscribe(u16, Vec<(String, Subscription)>),
    /// Make durable that subscriptions have ended, and answer.
    Unsubscribe(u16, Vec<Reason>, Vec<StateChange>),
    /// Nothing is to be done, but its turn has to be waited for.
    Ready(Done),
}

/// What a work came to.
#[derive(Debug)]
pub enum Done {
    /// A message was taken or refused.
    Taken {
        /// Its quality of service.
        qos: QoS,
        /// Its packet identifier.
        packet: u16,
        /// What it promises, or why it was refused.
        result: Result<Vec<Ticket>, Refused>,
    },
    /// A message of QoS 2 had been taken before.
    Again(u16),
    /// A packet identifier was let go.
    Released {
        /// The identifier.
        packet: u16,
        /// Whether it was known.
        is_known: bool,
        /// Whether that could be made durable.
        is_durable: bool,
    },
    /// Something was noted.
    Noted(Vec<Ticket>),
    /// Packets to be sent, and what they promise.
    Answered(Vec<Outgoing>, Vec<Ticket>),
}

/// What a connection asks for.
#[derive(Debug)]
pub enum Action {
    /// Begin a work; hand what it comes to back in its turn.
    Begin(Work),
    /// Tell the host that its message with this token was delivered.
    Delivered(i64),
}

//! What the broker has for connections.

use super::Link;
use crate::codec::{Outgoing, Reason};
use std::collections::VecDeque;

/// What a connection is to do.
#[derive(Debug)]
pub enum Output {
    /// To write a packet.
    Send(Outgoing),
    /// To end, once everything before it was written.
    Close(Reason, String),
}

/// Outputs in the order in which they came about, until they are polled.
#[derive(Debug, Default)]
pub(super) struct Outputs(VecDeque<(Link, Output)>);

impl Outputs {
    pub(super) fn send(&mut self, link: Link, packet: Outgoing) {
        self.0.push_back((link, Output::Send(packet)));
    }

    pub(super) fn close(&mut self, link: Link, reason: Reason, text: &str) {
        self.0.push_back((link, Output::Close(reason, text.to_owned())));
    }

    pub(super) fn next(&mut self) -> Option<(Link, Output)> {
        self.0.pop_front()
    }
}

//! What waits to be written to one connection.

use crate::codec::{Outgoing, Reason};
use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};
use tokio::sync::Notify;

/// Messages of QoS 0 that may wait for a slow reader; more are dropped, as the
/// standard permits.
const MAX_PACKETS: usize = 2_000;
/// Bytes of messages of QoS 0 that may wait.
const MAX_BYTES: usize = 4 << 20;

/// Packets on their way to a client. The broker puts them in, the connection's
/// task takes them out.
#[derive(Debug, Default)]
pub struct Outbox {
    inner: Mutex<Inner>,
    signal: Notify,
}

#[derive(Debug, Default)]
struct Inner {
    packets: VecDeque<Outgoing>,
    /// Bytes of the messages in it.
    weight: usize,
    closing: Option<(Reason, String)>,
    dropped: u64,
}

fn weight(packet: &Outgoing) -> usize {
    match packet {
        Outgoing::Publish { message, .. } => message.weight(),
        _ => 0,
    }
}

impl Outbox {
    /// Puts a packet in.
    pub fn push(&self, packet: Outgoing) {
        let mut inner = self.lock();
        inner.weight += weight(&packet);
        inner.packets.push_back(packet);
        drop(inner);
        self.signal.notify_one();
    }

    /// Puts a message of QoS 0 in, or drops it if too much waits already.
    pub(crate) fn push_droppable(&self, packet: Outgoing) {
        let mut inner = self.lock();
        if inner.packets.len() >= MAX_PACKETS || inner.weight >= MAX_BYTES {
            inner.dropped += 1;
            return;
        }
        inner.weight += weight(&packet);
        inner.packets.push_back(packet);
        drop(inner);
        self.signal.notify_one();
    }

    /// Asks the connection to end, after what is in already.
    pub fn close(&self, reason: Reason, text: impl Into<String>) {
        self.lock().closing.get_or_insert((reason, text.into()));
        self.signal.notify_one();
    }

    /// Takes some of what waits.
    pub fn take(&self, most: usize) -> Vec<Outgoing> {
        let mut inner = self.lock();
        let count = inner.packets.len().min(most);
        let taken: Vec<Outgoing> = inner.packets.drain(..count).collect();
        inner.weight -= taken.iter().map(weight).sum::<usize>();
        taken
    }

    /// How many packets wait.
    #[must_use]
    pub fn len(&self) -> usize {
        self.lock().packets.len()
    }

    /// Whether nothing waits.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Why the connection is to end, once all before it was taken.
    #[must_use]
    pub fn closing(&self) -> Option<(Reason, String)> {
        let inner = self.lock();
        inner.closing.clone().filter(|_| inner.packets.is_empty())
    }

    /// Messages of QoS 0 that were dropped.
    #[must_use]
    pub fn dropped(&self) -> u64 {
        self.lock().dropped
    }

    /// Waits until something was put in.
    pub async fn changed(&self) {
        self.signal.notified().await;
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, Inner> {
        self.inner.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::message::{Message, QoS};
    use std::sync::Arc;

    #[test]
    fn a_slow_reader_costs_bounded_memory() {
        let outbox = Outbox::default();
        let message = Arc::new(Message::own("a", vec![0_u8; 100_000]));
        for _ in 0..1_000 {
            outbox.push_droppable(Outgoing::Publish {
                message: message.clone(),
                dup: false,
                qos: QoS::AtMostOnce,
                retain: false,
                id: None,
                subscriptions: Vec::new(),
            });
        }
        assert!(outbox.len() <= MAX_BYTES / 100_000 + 1, "{}", outbox.len());
        assert_eq!(outbox.len() as u64 + outbox.dropped(), 1_000);
        outbox.close(Reason::ServerShuttingDown, "");
        assert_eq!(outbox.closing(), None, "not before what waits");
        outbox.take(1_000);
        assert!(outbox.closing().is_some());
    }
}

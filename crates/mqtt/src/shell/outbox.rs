//! What waits to be written to one connection.

use crate::broker::Output;
use crate::codec::{Outgoing, Reason};
use crate::message::QoS;
use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};
use tokio::sync::Notify;

/// Messages of QoS 0 that may wait for a slow reader; more are dropped, as the
/// standard permits.
const MAX_PACKETS: usize = 2_000;
/// Bytes of messages of QoS 0 that may wait.
const MAX_BYTES: usize = 4 << 20;

/// Packets on their way to a client. The connection's task
/// takes them out.
#[derive(Debug, Default)]
pub(super) struct Outbox {
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

impl Inner {
    fn is_full(&self) -> bool {
        self.packets.len() >= MAX_PACKETS || self.weight >= MAX_BYTES
    }
}

fn is_droppable(packet: &Outgoing) -> bool {
    matches!(packet, Outgoing::Publish { qos: QoS::AtMostOnce, .. })
}

fn weight(packet: &Outgoing) -> usize {
    match packet {
        Outgoing::Publish { message, .. } => message.weight(),
        _ => 0,
    }
}

impl Outbox {
    /// Takes what the broker has for the connection. A message of QoS 0 is dropped if too
    /// much waits already.
    pub(super) fn put(&self, output: Output) {
        let mut inner = self.lock();
        match output {
            Output::Send(packet) if is_droppable(&packet) && inner.is_full() => {
                inner.dropped += 1;
                return;
            }
            Output::Send(packet) => {
                inner.weight += weight(&packet);
                inner.packets.push_back(packet);
            }
            Output::Close(reason, text) => {
                inner.closing.get_or_insert((reason, text));
            }
        }
        drop(inner);
        self.signal.notify_one();
    }

    /// Takes some of what waits.
    pub(super) fn take(&self, most: usize) -> Vec<Outgoing> {
        let mut inner = self.lock();
        let count = inner.packets.len().min(most);
        let taken: Vec<Outgoing> = inner.packets.drain(..count).collect();
        inner.weight -= taken.iter().map(weight).sum::<usize>();
        taken
    }

    /// How many packets wait.
    pub(super) fn len(&self) -> usize {
        self.lock().packets.len()
    }

    /// Why the connection is to end, once all before it was taken.
    pub(super) fn closing(&self) -> Option<(Reason, String)> {
        let inner = self.lock();
        inner.closing.clone().filter(|_| inner.packets.is_empty())
    }

    /// Waits until something was put in.
    pub(super) async fn changed(&self) {
        self.signal.notified().await;
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, Inner> {
        self.inner.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::message::Message;
    use std::sync::Arc;

    #[test]
    fn a_slow_reader_costs_bounded_memory() {
        let outbox = Outbox::default();
        let message = Arc::new(Message::own("a", vec![0_u8; 100_000]));
        for _ in 0..1_000 {
            outbox.put(Output::Send(Outgoing::Publish {
                message: message.clone(),
                dup: false,
                qos: QoS::AtMostOnce,
                retain: false,
                id: None,
                subscriptions: Vec::new(),
            }));
        }
        assert!(outbox.len() <= MAX_BYTES / 100_000 + 1, "{}", outbox.len());
        assert_eq!(outbox.len() as u64 + outbox.lock().dropped, 1_000);
        outbox.put(Output::Close(Reason::ServerShuttingDown, String::new()));
        assert_eq!(outbox.closing(), None, "not before what waits");
        outbox.take(1_000);
        assert!(outbox.closing().is_some());
    }
}

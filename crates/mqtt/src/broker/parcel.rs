//! Messages that wait for sessions, each in memory and on disk once, however many it
//! waits for, and how much of them there may be.

use crate::message::Message;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Bytes of messages that may wait for all sessions of a site.
const SITE_BYTES: usize = 256 << 20;
/// Bytes of messages that may wait for all sessions of one holder.
const HOLDER_BYTES: usize = 64 << 20;

/// Bytes of the messages that wait at a site.
#[derive(Debug, Clone, Default)]
pub(super) struct Load(Arc<AtomicUsize>);

/// A message, counted in the load of its site for as long as it waits for any session.
#[derive(Debug)]
pub(super) struct Parcel {
    pub(super) message: Arc<Message>,
    /// The number under which the message is kept on its own; without one it is kept with the
    /// only session it waits for.
    pub(super) body: Option<u64>,
    load: Load,
}

impl Load {
    pub(super) fn parcel(&self, message: Arc<Message>, body: Option<u64>) -> Arc<Parcel> {
        self.0.fetch_add(message.weight(), Ordering::Relaxed);
        Arc::new(Parcel { message, body, load: self.clone() })
    }
}

impl Parcel {
    /// Whether more waits at the site than may.
    pub(super) fn is_over(&self) -> bool {
        self.load.0.load(Ordering::Relaxed) > SITE_BYTES
    }
}

impl Drop for Parcel {
    fn drop(&mut self) {
        self.load.0.fetch_sub(self.message.weight(), Ordering::Relaxed);
    }
}

/// What one holder's sessions at a site share. Each of them has it, so that its count of
/// references is the number of these sessions.
#[derive(Debug, Default)]
pub(super) struct Holding;

impl Holding {
    /// The sessions of the holder.
    pub(super) fn sessions(self: &Arc<Self>) -> usize {
        Arc::strong_count(self)
    }

    /// Bytes that may wait for each of them.
    pub(super) fn share(self: &Arc<Self>) -> usize {
        HOLDER_BYTES / self.sessions()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_message_counts_once_and_until_nothing_holds_it() {
        let load = Load::default();
        let message = Arc::new(Message::own("a", vec![0_u8; SITE_BYTES / 2]));
        let first = load.parcel(message.clone(), None);
        let copies = vec![first.clone(); 100];
        assert!(!first.is_over());
        let second = load.parcel(message, None);
        assert!(second.is_over() && first.is_over());
        drop((first, copies));
        assert!(!second.is_over());
        drop(second);
        assert_eq!(load.0.load(Ordering::Relaxed), 0);
    }

    #[test]
    fn sessions_of_a_holder_share() {
        let one = Arc::new(Holding);
        assert_eq!(one.share(), HOLDER_BYTES);
        let sessions = vec![one.clone(); 63];
        assert_eq!(one.share(), HOLDER_BYTES / 64);
        drop(sessions);
        assert_eq!(one.share(), HOLDER_BYTES);
    }
}

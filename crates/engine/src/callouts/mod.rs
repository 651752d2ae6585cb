//! Calling people: rosters at work, messages that go out, and what is answered to them. See decision 26.
//!
//! | file | holds |
//! |---|---|
//! | `sender` | what has to be able to send, and what it answers |
//! | `calling` | alarms in the hands of rosters become messages |
//! | `deciding` | what is to be done for the callings of one roster |
//! | `message` | the words of a message |
//! | `sending` | the outbox: each message is sent at most once |
//! | `answering` | alarms acknowledged by an address or a text message |
//! | `rosters` | making, changing, testing and removing rosters |
//! | `shown` | rosters and messages as they are shown |
//! | `sign_of_life` | a signal to an address of choice for as long as all is well |

mod answering;
mod calling;
mod deciding;
mod message;
mod rosters;
mod sender;
mod sending;
mod shown;
mod sign_of_life;

pub use sender::{Answer, Outgoing, Post, Replies, Sender, SignOfLife};
pub use shown::callout as shown_callout;

use crate::alarms::Alarms;
use crate::now::Now;
use crate::plans::Plans;
use crate::publish::Publisher;
use lantern_core::callout::Way;
use lantern_store::{Store, StoreError, with_sources};
use sending::Unwritten;
use std::sync::{Arc, OnceLock};
use std::time::Duration;

/// How often callings and the outbox are looked at.
const TICK: Duration = Duration::from_secs(1);

/// Calls people.
pub struct Callouts {
    pub(crate) store: Arc<Store>,
    pub(crate) plans: Arc<Plans>,
    pub(crate) now: Arc<Now>,
    pub(crate) alarms: Arc<Alarms>,
    pub(crate) publisher: Arc<Publisher>,
    pub(crate) post: OnceLock<Post>,
    pub(crate) unwritten: Unwritten,
}

impl Callouts {
    /// From now on there is somebody who sends. There is one at most: a second is not taken.
    pub fn open(&self, post: Post) {
        let _ = self.post.set(post);
    }

    /// Whether messages can go that way.
    #[must_use]
    pub fn can_send(&self, way: Way) -> bool {
        way == Way::Topic || self.post.get().is_some_and(|post| post.sender.can_send(way))
    }

    /// Calls and sends, for ever.
    pub(crate) async fn run(&self) {
        while let Err(error) = self.recover().await {
            tracing::error!(error = %with_sources(&error), "messages to people could not be read; trying again");
            tokio::time::sleep(Duration::from_secs(5)).await;
        }
        // A mail server that is slow must not hold up text messages.
        let sending = futures::future::join_all(Way::ALL.map(|way| self.send_for_ever(way)));
        futures::future::join3(self.call_for_ever(), sending, self.show_life()).await;
    }

    async fn call_for_ever(&self) {
        loop {
            tokio::time::sleep(TICK).await;
            warn("people were not called yet", self.call().await);
        }
    }

    async fn send_for_ever(&self, way: Way) {
        loop {
            tokio::time::sleep(TICK).await;
            warn("messages were not sent yet", self.send(way).await);
        }
    }
}

fn warn(what: &str, result: Result<(), StoreError>) {
    if let Err(error) = result {
        tracing::warn!(error = %with_sources(&error), "{what}");
    }
}

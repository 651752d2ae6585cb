//! What has to be able to send, and what it answers.

use futures::future::BoxFuture;
use lantern_core::Moment;
use lantern_core::callout::{AttemptOutcome, Way};
use std::sync::Arc;

/// A message on its way out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Outgoing {
    /// The number of the message, by which a receiver knows one that comes again.
    pub id: i64,
    /// How it is carried.
    pub way: Way,
    /// Where it goes.
    pub address: String,
    /// Its subject.
    pub subject: String,
    /// Its words; JSON for webhooks.
    pub text: String,
    /// When it was made.
    pub made_at: Moment,
    /// What a webhook is signed with, and the code of the roster whose key that is.
    pub signed: Option<(String, String)>,
}

/// How an attempt ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Answer {
    /// How.
    pub outcome: AttemptOutcome,
    /// The conversation with the server, for people.
    pub said: String,
}

impl Answer {
    /// An attempt that ended so.
    #[must_use]
    pub fn new(outcome: AttemptOutcome, said: impl Into<String>) -> Self {
        Self { outcome, said: said.into() }
    }
}

/// Sends messages. It waits for a server for so long and no longer.
pub trait Sender: Send + Sync {
    /// Whether messages can go that way.
    fn can_send(&self, way: Way) -> bool;

    /// Sends a message.
    fn send<'a>(&'a self, message: &'a Outgoing) -> BoxFuture<'a, Answer>;

    /// Asks an address for an answer, and says whether it was a good one.
    fn knock<'a>(&'a self, address: &'a str) -> BoxFuture<'a, Result<(), String>>;
}

/// A signal to an address of choice, so that somebody notices when the service itself is gone.
#[derive(Debug, Clone, PartialEq)]
pub struct SignOfLife {
    /// Where it goes.
    pub address: String,
    /// How often, in seconds.
    pub every_s: f64,
}

/// What the service is given to send with.
pub struct Post {
    /// Who sends.
    pub sender: Arc<dyn Sender>,
    /// Where people reach the service, such as `https://lantern.example`; empty if nobody said.
    pub public_url: String,
    /// The signal that all is well, if there is to be one.
    pub sign_of_life: Option<SignOfLife>,
    /// How the gateway hands text messages over that come back, if it does.
    pub replies: Option<Replies>,
}

/// How a gateway hands text messages over that people send back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Replies {
    /// What stands at the end of the address, so that nobody else hands anything over.
    pub key: String,
    /// The name under which the number stands that a message came from.
    pub from: String,
    /// The name under which its words stand.
    pub text: String,
}

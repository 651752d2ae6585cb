//! What came, and how the stand-ins behave.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::{Mutex, MutexGuard, PoisonError};

/// Messages that are kept; the oldest go first.
const MOST: usize = 1_000;

/// How a stand-in behaves.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(super) enum Manner {
    /// It takes what comes.
    #[default]
    Well,
    /// It refuses for now.
    Busy,
    /// It refuses for good.
    Refuse,
    /// It takes it, and closes the connection without a word.
    Drop,
    /// It takes it, and answers something nobody can make sense of.
    Garbage,
    /// It takes it, and answers never.
    Hang,
}

/// One message.
#[derive(Debug, Clone, Serialize)]
pub(super) struct Message {
    /// `mail`, `text`, `hook` or `alive`.
    pub(super) sort: &'static str,
    /// To whom.
    pub(super) to: String,
    /// As it came.
    pub(super) body: String,
    /// Headers of a request.
    pub(super) headers: BTreeMap<String, String>,
}

/// What came.
#[derive(Default)]
pub(super) struct Kept(Mutex<Inner>);

#[derive(Default)]
struct Inner {
    messages: Vec<Message>,
    manners: BTreeMap<String, Manner>,
}

impl Kept {
    fn inner(&self) -> MutexGuard<'_, Inner> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// How a sort of message is treated.
    pub(super) fn manner(&self, sort: &str) -> Manner {
        self.inner().manners.get(sort).copied().unwrap_or_default()
    }

    /// How sorts of messages are treated from now on.
    pub(super) fn behave(&self, manners: BTreeMap<String, Manner>) {
        self.inner().manners.extend(manners);
    }

    pub(super) fn keep(&self, message: Message) {
        let mut inner = self.inner();
        if inner.messages.len() >= MOST {
            inner.messages.remove(0);
        }
        inner.messages.push(message);
    }

    /// All of it, as JSON.
    pub(super) fn shown(&self) -> String {
        serde_json::to_string(&self.inner().messages).unwrap_or_default()
    }
}

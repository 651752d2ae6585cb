//! The outbox: each message is sent at most once, unless its receiver knows repeats.

use super::{Answer, Callouts, Outgoing};
use crate::clock;
use futures::StreamExt;
use lantern_core::Moment;
use lantern_core::callout::{Address, AttemptOutcome, CalloutSort, CalloutState, Way, retry_after_s};
use lantern_store::{AttemptEnd, CalloutRow, StoreError, with_sources};
use std::sync::{Mutex, PoisonError};

/// Messages of one way that are sent at the same time.
const AT_ONCE: usize = 4;
/// Messages taken out of the outbox in one go.
const PAGE: u32 = 32;
/// Characters that are kept of what a server said.
const MOST_SAID: usize = 4_000;

/// How attempts ended that is not written yet: the message, how, and when.
#[derive(Default)]
pub(crate) struct Unwritten(Mutex<Vec<End>>);

type End = (i64, AttemptEnd, Moment);

impl Unwritten {
    fn add(&self, end: End) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).push(end);
    }

    fn take(&self) -> Option<End> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).pop()
    }
}

impl Callouts {
    /// Looks after messages whose sending was cut off when the service ended.
    pub async fn recover(&self) -> Result<(), StoreError> {
        let now = clock::now();
        for callout in self.store.callouts_being_sent().await? {
            let is_repeated = callout.way.is_some_and(Way::knows_repeats);
            let end = AttemptEnd {
                outcome: AttemptOutcome::Uncertain,
                said: "The service ended while it was sending: the message may have been sent.".to_owned(),
                state: if is_repeated { CalloutState::Waiting } else { CalloutState::Uncertain },
                next_at: is_repeated.then_some(now),
            };
            self.store.end_callout(callout.id, &end, now).await?;
        }
        Ok(())
    }

    /// Sends what is to go one way now.
    pub async fn send(&self, way: Way) -> Result<(), StoreError> {
        self.write_ends().await?;
        let due = self.store.callouts_to_send(way, clock::now(), PAGE).await?;
        let mut sending = futures::stream::iter(due).map(|callout| self.send_one(callout)).buffer_unordered(AT_ONCE);
        let mut result = Ok(());
        while let Some(sent) = sending.next().await {
            result = result.and(sent);
        }
        result
    }

    /// Sends a message that waits, if somebody still needs it.
    pub(super) async fn send_one(&self, callout: CalloutRow) -> Result<(), StoreError> {
        if !self.store.begin_callout(callout.id, clock::now()).await? {
            return Ok(());
        }
        let Answer { outcome, said } = self.hand_over(&callout).await.unwrap_or_else(|error| {
            let said = format!("The database could not be read: {}.", with_sources(&error));
            Answer::new(AttemptOutcome::Later, said)
        });
        let now = clock::now();
        let (state, next_at) = after(outcome, &callout, now);
        let said = said.chars().take(MOST_SAID).collect();
        self.unwritten.add((callout.id, AttemptEnd { outcome, said, state, next_at }, now));
        self.write_ends().await
    }

    /// Writes how attempts ended. What cannot be written now is written later: a message must not be left
    /// as one that is being sent.
    async fn write_ends(&self) -> Result<(), StoreError> {
        while let Some((callout, end, at)) = self.unwritten.take() {
            if let Err(error) = self.store.end_callout(callout, &end, at).await {
                self.unwritten.add((callout, end, at));
                return Err(error);
            }
        }
        Ok(())
    }

    async fn hand_over(&self, callout: &CalloutRow) -> Result<Answer, StoreError> {
        let Some(way) = callout.way else {
            return Ok(Answer::new(AttemptOutcome::Refused, "The way it is carried is not known to this service."));
        };
        if let Ok(Address::Topic(topic)) = callout.address.parse() {
            self.publisher.callout(callout.site, &topic, &callout.text).await;
            return Ok(Answer::new(AttemptOutcome::Sent, "Published to whoever has subscribed."));
        }
        let Some(post) = self.post.get().filter(|post| post.sender.can_send(way)) else {
            let said = format!("Nothing is set up that sends by {}: see the settings of the service.", way.as_str());
            return Ok(Answer::new(AttemptOutcome::Refused, said));
        };
        let signed = match (way, self.store.roster(callout.site, &callout.roster).await) {
            (Way::Webhook, Ok(roster)) => Some((roster.signing_key, roster.code)),
            (Way::Webhook, Err(StoreError::NotFound)) => {
                return Ok(Answer::new(
                    AttemptOutcome::Refused,
                    "Its roster is gone, and with it the key that signs it.",
                ));
            }
            (_, Err(StoreError::NotFound)) | (_, Ok(_)) => None,
            (_, Err(error)) => return Err(error),
        };
        let outgoing = Outgoing {
            id: callout.id,
            way,
            address: callout.address.clone(),
            subject: callout.subject.clone(),
            text: callout.text.clone(),
            made_at: callout.made_at,
            signed,
        };
        Ok(post.sender.send(&outgoing).await)
    }
}

/// How far a message is after an attempt, and when it is tried again.
fn after(outcome: AttemptOutcome, callout: &CalloutRow, now: Moment) -> (CalloutState, Option<Moment>) {
    let is_repeated = callout.way.is_some_and(Way::knows_repeats);
    match outcome {
        AttemptOutcome::Sent => (CalloutState::Sent, None),
        AttemptOutcome::Refused => (CalloutState::Failed, None),
        // Whoever tests wants to know now.
        AttemptOutcome::Later | AttemptOutcome::Uncertain if callout.sort == CalloutSort::Test => {
            (CalloutState::Failed, None)
        }
        AttemptOutcome::Uncertain if !is_repeated => (CalloutState::Uncertain, None),
        AttemptOutcome::Later | AttemptOutcome::Uncertain => match retry_after_s(callout.attempts + 1) {
            Some(pause_s) => (CalloutState::Waiting, Some(now.plus_seconds(pause_s))),
            None => (CalloutState::Failed, None),
        },
    }
}

//! What people answer to an alarm.

use super::Alarms;
use super::judging::unshelve;
use super::points::{MOST_SHELVED_S, Point};
use crate::clock;
use crate::problem::{Class, Problem};
use lantern_core::alarm::life::{Event, Reason, State, Step};
use lantern_store::{AlarmDeed, AlarmRow, AlarmStep, Site, StoreError};

/// What somebody answers.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Answer {
    /// They know.
    Acknowledge,
    /// Not for so many seconds.
    Shelve(f64),
    /// Again from now on.
    Unshelve,
    /// Somebody works on it: not until it is put back.
    TakeOut,
    /// Nobody works on it any more.
    PutBack,
}

impl Answer {
    /// What it is called among the steps of an alarm.
    const fn word(self) -> &'static str {
        match self {
            Self::Acknowledge => "acknowledged",
            Self::Shelve(_) => "shelved",
            Self::Unshelve => "unshelved",
            Self::TakeOut => "out_of_service",
            Self::PutBack => "in_service",
        }
    }
}

impl Alarms {
    /// Takes an answer to an alarm.
    ///
    /// # Errors
    /// A [`Problem`]: there is no such alarm, or it is one that this does not fit (`not-so`).
    pub async fn answer(
        &self,
        site: &Site,
        id: i64,
        answer: Answer,
        who: &str,
        note: &str,
    ) -> Result<(AlarmRow, Vec<AlarmStep>), Problem> {
        let missing = |error: StoreError| Problem::missing(error, "alarm", &id.to_string());
        let (alarm, _) = self.store.alarm(site.id, id).await.map_err(missing)?;
        {
            let _writing = self.writing.lock().await;
            {
                let mut points = self.points();
                let point = points.get_mut(alarm.point).filter(|point| point.bound.site == site.id);
                let point = point.ok_or_else(|| not_so("Its watch is not there any more."))?;
                // A point without an alarm that goes on has still its last one to be told of.
                if point.alarm.is_some_and(|open| open != id) {
                    return Err(not_so("It is over, and there is a newer alarm of the same."));
                }
                apply(point, answer, who, note)?;
            }
            self.write().await?;
        }
        self.store.alarm(site.id, id).await.map_err(missing)
    }
}

fn apply(point: &mut Point, answer: Answer, who: &str, note: &str) -> Result<(), Problem> {
    match answer {
        Answer::Acknowledge => {
            let (state, step) = point.state.after(Event::Acknowledge);
            if step != Step::Acknowledged {
                return Err(not_so(why_not_acknowledged(point.state)));
            }
            point.state = state;
            point.note(answer.word(), Some(who), note);
            point.deeds.push(AlarmDeed::Acknowledge(who.to_owned()));
        }
        Answer::Shelve(seconds) => {
            if !(60.0..=MOST_SHELVED_S).contains(&seconds) {
                return Err(Problem::invalid("minutes", "from 1 minute to 30 days"));
            }
            if note.trim().is_empty() {
                return Err(Problem::invalid("note", "say why it is shelved"));
            }
            point.shelved_until = Some(clock::now().plus_seconds(seconds));
            point.shelf_ends = Some(clock::steady().plus_seconds(seconds));
            point.note(answer.word(), Some(who), note);
            point.set(Reason::Shelved, true);
        }
        Answer::Unshelve if point.state.reasons().shelved => unshelve(point),
        Answer::Unshelve => return Err(not_so("It is not shelved.")),
        Answer::TakeOut | Answer::PutBack => {
            let is_out = answer == Answer::TakeOut;
            if point.state.reasons().out_of_service == is_out {
                return Err(not_so(if is_out { "It is out of service already." } else { "It is in service." }));
            }
            point.note(answer.word(), Some(who), note);
            point.set(Reason::OutOfService, is_out);
        }
    }
    point.is_dirty = true;
    Ok(())
}

const fn why_not_acknowledged(state: State) -> &'static str {
    match state {
        State::Normal => "It is over, and needs no answer.",
        State::Acknowledged => "Somebody has acknowledged it already.",
        State::Suppressed { .. } => "It is shelved, covered or out of service: nobody is called for it.",
        State::Unacknowledged | State::Returned => "It cannot be acknowledged now.",
    }
}

pub(super) fn not_so(why: &str) -> Problem {
    Problem::new(Class::Conflict, "not-so", "That does not fit how it is", why, "Look at the alarm as it is now.")
}

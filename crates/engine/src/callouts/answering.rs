//! Alarms acknowledged by an address or a text message.

use super::Callouts;
use crate::alarms::{Answer, shown_alarm};
use crate::clock;
use crate::problem::{Class, Problem};
use crate::secret;
use lantern_api as api;
use lantern_core::callout::Address;
use lantern_store::{AlarmRow, CalloutRow, StoreError};
use std::collections::HashMap;

/// Alarms of one message that are shown.
const MOST_SHOWN: u32 = 100;
/// Alarms of one message that are acknowledged with it.
const MOST_ACKNOWLEDGED: u32 = 10_000;
/// How far back a reply counts, in seconds.
const REPLY_S: f64 = 86_400.0;

impl Callouts {
    /// What somebody is called for, by the secret of their address.
    ///
    /// # Errors
    /// A [`Problem`]: the address is wrong, used, or too old.
    pub async fn called_for(&self, secret: &str) -> Result<api::CalledFor, Problem> {
        let found = self.store.callout_by_link(&secret::hash(secret), clock::now()).await.map_err(no_link)?;
        self.shown_call(&found).await
    }

    /// Acknowledges what somebody is called for. Their address is used up by that.
    ///
    /// # Errors
    /// As [`Callouts::called_for`].
    pub async fn acknowledge(&self, secret: &str) -> Result<api::CalledFor, Problem> {
        let found = self.store.spend_callout_link(&secret::hash(secret), clock::now()).await.map_err(no_link)?;
        for alarm in self.store.alarms_of_callout(found.id, MOST_ACKNOWLEDGED).await? {
            self.acknowledge_one(&found, alarm, "by the address in the message").await?;
        }
        self.shown_call(&found).await
    }

    /// Takes a text message that came back, as the gateway hands it over: `ok` acknowledges all its sender was
    /// called for within a day, `ok 12` one alarm. Gives the alarms that were acknowledged.
    ///
    /// # Errors
    /// A [`Problem`]: the key is not the gateway's, or the message says something else.
    pub async fn reply(&self, key: &str, fields: &HashMap<String, String>) -> Result<Vec<i64>, Problem> {
        let replies = self.post.get().and_then(|post| post.replies.as_ref());
        let replies =
            replies.filter(|replies| secret::hash(&replies.key) == secret::hash(key)).ok_or_else(no_gateway)?;
        let field = |name: &str| fields.get(name).ok_or_else(|| Problem::invalid(name, "it is missing"));
        let Ok(Address::Text(number)) = field(&replies.from)?.parse() else {
            return Err(Problem::invalid(
                &replies.from,
                "a telephone number with its country, such as +44 20 7946 0000",
            ));
        };
        let wanted = understood(field(&replies.text)?)
            .ok_or_else(|| Problem::invalid(&replies.text, "it is `ok`, or `ok` and the number of an alarm"))?;
        let mut acknowledged = Vec::new();
        for call in self.store.calls_to_number(&number, clock::now().plus_seconds(-REPLY_S)).await? {
            for alarm in self.store.alarms_of_callout(call.id, MOST_ACKNOWLEDGED).await? {
                let is_wanted = wanted.is_none_or(|wanted| wanted == alarm);
                if is_wanted && self.acknowledge_one(&call, alarm, "by text message").await? {
                    acknowledged.push(alarm);
                }
            }
        }
        Ok(acknowledged)
    }

    /// Says whether it was waited for.
    async fn acknowledge_one(&self, call: &CalloutRow, alarm: i64, how: &str) -> Result<bool, Problem> {
        let Ok(site) = self.store.site_by_id(call.site).await else { return Ok(false) };
        match self.alarms.answer(&site, alarm, Answer::Acknowledge, &call.callee, how).await {
            Ok(_) => Ok(true),
            // Somebody was quicker, or it is gone with its device.
            Err(problem) if matches!(problem.class, Class::Conflict | Class::Missing) => Ok(false),
            Err(problem) => Err(problem),
        }
    }

    async fn shown_call(&self, call: &CalloutRow) -> Result<api::CalledFor, Problem> {
        let site = self.store.site_by_id(call.site).await.map_err(no_link)?;
        let mut alarms: Vec<AlarmRow> = Vec::new();
        for id in self.store.alarms_of_callout(call.id, MOST_SHOWN).await? {
            match self.store.alarm(site.id, id).await {
                Ok((alarm, _)) => alarms.push(alarm),
                Err(StoreError::NotFound) => {}
                Err(error) => return Err(error.into()),
            }
        }
        Ok(api::CalledFor {
            callee: call.callee.clone(),
            site: site.name,
            zone: site.zone,
            alarms: alarms.into_iter().map(shown_alarm).collect(),
        })
    }
}

/// Which alarm a reply acknowledges, or all; none if it says something else.
fn understood(text: &str) -> Option<Option<i64>> {
    let mut words = text.split_whitespace();
    let is_ok =
        words.next().is_some_and(|word| word.trim_matches(|c: char| !c.is_alphanumeric()).eq_ignore_ascii_case("ok"));
    match (is_ok, words.next()) {
        (true, None) => Some(None),
        (true, Some(number)) => number.trim_start_matches('#').parse().ok().map(Some),
        (false, _) => None,
    }
}

fn no_gateway() -> Problem {
    Problem::new(
        Class::Missing,
        "no-gateway",
        "No gateway is known here",
        "The address does not end in the key that is set for replies, or none is set.",
        "Compare it with `text_reply_key` in the settings of the service.",
    )
}

fn no_link(error: StoreError) -> Problem {
    match error {
        StoreError::NotFound => Problem::new(
            Class::Missing,
            "no-such-call",
            "This address acknowledges nothing",
            "It was used already, or it is older than a day.",
            "Log in, and look at the alarms.",
        ),
        other => other.into(),
    }
}

#[cfg(test)]
mod tests {
    use super::understood;

    #[test]
    fn a_reply_is_ok_or_ok_and_a_number() {
        let cases = [
            ("OK", Some(None)),
            (" ok. ", Some(None)),
            ("Ok 12", Some(Some(12))),
            ("ok #12 thanks", Some(Some(12))),
            ("ok twelve", None),
            ("no", None),
            ("", None),
        ];
        for (text, expected) in cases {
            assert_eq!(understood(text), expected, "{text:?}");
        }
    }
}

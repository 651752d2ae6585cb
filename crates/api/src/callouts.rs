//! Rosters, and the messages that call people.

use crate::Alarm;
use lantern_core::callout::{AttemptOutcome, CalloutSort, CalloutState, Roster, Way};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A roster that is to be made.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewRoster {
    /// Its code; made of its name, if absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub code: Option<String>,
    /// What it says.
    pub roster: Roster,
}

/// A roster of a site.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SiteRoster {
    /// Its code.
    pub code: String,
    /// What it says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub roster: Option<Roster>,
    /// Why it cannot be read, if it cannot: then nobody is called by it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub damaged: Option<String>,
    /// Who is called now, in this order.
    pub on_duty: Vec<String>,
    /// What would keep somebody from being called: a name nobody has, a person without addresses, a way that
    /// is not set up.
    pub troubles: Vec<String>,
    /// Who made it.
    pub made_by: String,
    /// When.
    pub made_at: String,
    /// Who changed it last.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub changed_by: Option<String>,
    /// When.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub changed_at: Option<String>,
}

/// What the webhooks of a roster are signed with.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct SigningKey {
    /// The key of HMAC-SHA-256, its characters as bytes.
    pub signing_key: String,
}

/// Who is to get a message by which a roster is tested.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TestCallout {
    /// A person's name or an address.
    pub to: String,
}

/// A message that calls somebody.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Callout {
    /// Its number.
    pub id: i64,
    /// The code of the roster.
    pub roster: String,
    /// Whom the roster names: a person or an address.
    pub callee: String,
    /// How it is carried; absent if nobody knew how.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub way: Option<Way>,
    /// Where it goes.
    pub address: String,
    /// What it is about.
    pub sort: CalloutSort,
    /// Its subject.
    pub subject: String,
    /// How far it is.
    pub state: CalloutState,
    /// How often it was tried.
    pub attempts: u32,
    /// When it was made.
    pub made_at: String,
    /// When it is tried next.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub next_at: Option<String>,
    /// When it was sent or given up.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ended_at: Option<String>,
}

/// An attempt to send a message.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct CalloutAttempt {
    /// When it began.
    pub began_at: String,
    /// When it ended.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ended_at: Option<String>,
    /// How; not yet, while it goes on.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub outcome: Option<AttemptOutcome>,
    /// The conversation with the server.
    pub said: String,
}

/// A message with its words, the attempts to send it and the alarms it is about.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct CalloutHistory {
    /// The message.
    pub callout: Callout,
    /// Its words.
    pub text: String,
    /// The attempts.
    pub attempts: Vec<CalloutAttempt>,
    /// The numbers of the alarms, the first 100.
    pub alarms: Vec<i64>,
}

/// The secret of an address that acknowledges alarms.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CallSecret {
    /// What stands behind `#` in the address.
    pub secret: String,
}

/// What somebody is called for.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct CalledFor {
    /// Who was called.
    pub callee: String,
    /// What the site is called.
    pub site: String,
    /// The zone of the site.
    pub zone: String,
    /// The alarms, the first 100.
    pub alarms: Vec<Alarm>,
}

/// A text message that came back through the gateway.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TextReply {
    /// The number it came from.
    pub from: String,
    /// Its words: `ok`, or `ok 12` for one alarm.
    pub text: String,
}

/// What came of a reply.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct TextReplyTaken {
    /// The alarms it acknowledged.
    pub acknowledged: Vec<i64>,
}

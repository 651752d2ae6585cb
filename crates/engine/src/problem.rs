//! What the service answers when it does not do as it was asked.

use crate::documents::Damaged;
use lantern_api::RefusedValue;
use lantern_core::{Refusal, RefusalCode};
use lantern_store::{RecordError, StoreError, with_sources};
use std::borrow::Cow;
use std::ops::{Deref, DerefMut};

/// What kind of problem it is. Each protocol maps it to its own words once: HTTP to a
/// status, MQTT to a reason code.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Class {
    /// The bytes are not what they are said to be.
    Malformed,
    /// Nobody knows who asks.
    NotKnown,
    /// Who asks may not do this.
    NotAllowed,
    /// There is no such thing.
    Missing,
    /// The request did not arrive in time.
    Slow,
    /// It cannot be done in the state things are in.
    Conflict,
    /// It is more than can be taken at once.
    TooLarge,
    /// It is in no form that can be read.
    Unreadable,
    /// It can be read, but not be so.
    Invalid,
    /// It is over an allowance; later it is not.
    TooSoon,
    /// It is more than the whole of an allowance.
    OverAllowance,
    /// The service failed at it.
    Failed,
    /// The service cannot do it now.
    Unavailable,
}

impl Class {
    /// Every class.
    pub const ALL: [Self; 13] = [
        Self::Malformed,
        Self::NotKnown,
        Self::NotAllowed,
        Self::Missing,
        Self::Slow,
        Self::Conflict,
        Self::TooLarge,
        Self::Unreadable,
        Self::Invalid,
        Self::TooSoon,
        Self::OverAllowance,
        Self::Failed,
        Self::Unavailable,
    ];

    /// Whether just the payload is wrong: nothing about its sender or the service is.
    #[must_use]
    pub const fn is_of_payload(self) -> bool {
        matches!(self, Self::Malformed | Self::TooLarge | Self::Unreadable | Self::Invalid)
    }

    /// Whether the sender's key does not open this.
    #[must_use]
    pub const fn is_of_key(self) -> bool {
        matches!(self, Self::NotKnown | Self::NotAllowed)
    }
}

/// What went wrong with a request, what it means and what to do. Boxed, because
/// it is the rare case of every result that carries it.
#[derive(Debug, Clone)]
pub struct Problem(Box<Parts>);

/// What a [`Problem`] says.
#[derive(Debug, Clone)]
pub struct Parts {
    /// What kind of problem it is.
    pub class: Class,
    /// A stable code, such as `unknown-key`.
    pub code: &'static str,
    /// A few words, always the same for one code.
    pub title: &'static str,
    /// What happened this time, in a sentence.
    pub detail: String,
    /// What to do, in a sentence.
    pub remedy: Cow<'static, str>,
    /// The values of a delivery that were refused.
    pub refused: Vec<RefusedValue>,
    /// Seconds after which to try again, if trying again helps.
    pub retry_after: Option<u64>,
    /// What is left of an allowance.
    pub left: Option<u64>,
}

impl std::fmt::Display for Problem {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}: {}", self.code, self.detail)
    }
}

impl std::error::Error for Problem {}

impl Problem {
    /// The same problem, told in other words.
    #[must_use]
    pub fn with_detail(mut self, detail: String) -> Self {
        self.0.detail = detail;
        self
    }

    /// A problem in words.
    pub fn new(
        class: Class,
        code: &'static str,
        title: &'static str,
        detail: impl Into<String>,
        remedy: impl Into<Cow<'static, str>>,
    ) -> Self {
        Self(Box::new(Parts {
            class,
            code,
            title,
            detail: detail.into(),
            remedy: remedy.into(),
            refused: Vec::new(),
            retry_after: None,
            left: None,
        }))
    }

    /// A store error where a row was looked up by its code.
    #[must_use]
    pub fn missing(error: StoreError, what: &'static str, code: &str) -> Self {
        match error {
            StoreError::NotFound => Self::new(
                Class::Missing,
                "not-found",
                "Not found",
                format!("There is no {what} `{code}` here."),
                "Check the spelling, or list what there is.",
            ),
            other => other.into(),
        }
    }

    /// A store error where something was to be made under a code.
    #[must_use]
    pub fn taken(error: StoreError, what: &'static str, code: &str) -> Self {
        match error {
            StoreError::Taken => Self::new(
                Class::Conflict,
                "taken",
                "Already taken",
                format!("There is a {what} `{code}` already."),
                "Choose another code, or edit the one there is.",
            ),
            other => other.into(),
        }
    }

    /// A field of a request that cannot be so.
    pub fn invalid(field: &str, detail: impl std::fmt::Display) -> Self {
        Self::new(
            Class::Invalid,
            "invalid",
            "A value cannot be so",
            format!("`{field}`: {detail}."),
            "Change it and send the request again.",
        )
    }

    /// A person or key that may not do this.
    pub fn not_allowed(detail: impl Into<String>) -> Self {
        Self::new(Class::NotAllowed, "not-allowed", "Not allowed", detail, "Ask an owner.")
    }

    /// A key that is good, but not for this.
    pub fn not_granted(detail: impl Into<String>, remedy: &'static str) -> Self {
        Self::new(Class::NotAllowed, "not-granted", "Not granted", detail, remedy)
    }

    /// More is waiting to be written than fits.
    #[must_use]
    pub fn busy() -> Self {
        let mut problem = Self::new(
            Class::Unavailable,
            "busy",
            "Too much at once",
            "More readings are waiting to be written than fit; nothing of this request was kept.",
            "Send it again after a second.",
        );
        problem.retry_after = Some(1);
        problem
    }

    /// There is no room left.
    #[must_use]
    pub fn full() -> Self {
        let mut problem = Self::new(
            Class::Unavailable,
            "disk-full",
            "No room left",
            "The disk, or the part of it the service may use, is full; nothing of this request was kept.",
            "Send it again later: it is taken as soon as there is room. Whoever runs the service can free some, keep less (retention), or raise disk_budget.",
        );
        problem.retry_after = Some(60);
        problem
    }

    /// The database failed.
    #[must_use]
    pub fn storage() -> Self {
        let mut problem = Self::new(
            Class::Unavailable,
            "storage-failed",
            "The database did not take it",
            "The database could not be read or written; nothing of this request was kept.",
            "Send it again later; the service's log says what is wrong, often a full disk.",
        );
        problem.retry_after = Some(30);
        problem
    }

    /// The same as one refused value, for an answer or a log that lists those.
    #[must_use]
    pub fn as_refused_value(&self) -> RefusedValue {
        RefusedValue {
            name: String::new(),
            code: self.code.to_owned(),
            detail: self.detail.clone(),
            remedy: self.remedy.clone().into_owned(),
        }
    }
}

impl Deref for Problem {
    type Target = Parts;

    fn deref(&self) -> &Parts {
        &self.0
    }
}

impl DerefMut for Problem {
    fn deref_mut(&mut self) -> &mut Parts {
        &mut self.0
    }
}

impl From<StoreError> for Problem {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::NotFound => {
                Self::new(Class::Missing, "not-found", "Not found", "It is not there any more.", "List what there is.")
            }
            StoreError::Taken => Self::new(
                Class::Conflict,
                "taken",
                "Already taken",
                "There is one of that name already.",
                "Choose another name.",
            ),
            StoreError::Recorder(error) => error.into(),
            other => {
                tracing::error!(error = %with_sources(&other), "the database failed");
                Self::storage()
            }
        }
    }
}

impl From<RecordError> for Problem {
    fn from(error: RecordError) -> Self {
        match error {
            RecordError::Busy => Self::busy(),
            RecordError::Full => Self::full(),
            RecordError::Stopping => Self::storage(),
            RecordError::Failed(_) => {
                tracing::error!(error = %with_sources(&error), "readings could not be recorded");
                Self::storage()
            }
        }
    }
}

/// A refusal that concerns the whole delivery.
impl From<Refusal> for Problem {
    fn from(refusal: Refusal) -> Self {
        let class = match refusal.code {
            RefusalCode::TooManyReadings => Class::TooLarge,
            RefusalCode::MalformedJson | RefusalCode::MalformedCbor => Class::Malformed,
            RefusalCode::UnknownPayload => Class::Unreadable,
            RefusalCode::NotCarried => Class::NotAllowed,
            RefusalCode::DecoderDamaged => Class::Conflict,
            _ => Class::Invalid,
        };
        Self::new(class, refusal.code.as_str(), "Not taken", refusal.detail, refusal.code.remedy())
    }
}

impl From<Damaged> for Problem {
    fn from(damaged: Damaged) -> Self {
        Self::new(
            Class::Conflict,
            "damaged",
            "What is kept is damaged",
            format!("{}{}.", damaged.to_string()[..1].to_uppercase(), &damaged.to_string()[1..]),
            "Set it again as it should be; what is kept is replaced by that.",
        )
    }
}

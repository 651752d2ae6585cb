//! Refusals: what was not taken, why, and what to change.

/// The stable word for a reason to refuse. It never changes its meaning.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum RefusalCode {
    /// The body is empty or has no values.
    NoValues,
    /// The body is not JSON.
    MalformedJson,
    /// The body is JSON, but neither an object nor an array of objects.
    NotAnObject,
    /// Objects inside objects deeper than the limit.
    TooDeep,
    /// More readings in one request than the limit.
    TooManyReadings,
    /// A name that cannot be a signal's.
    BadName,
    /// A number outside the range of a 64-bit float.
    NumberTooLarge,
    /// A value of another type than the signal's.
    WrongType,
    /// A text value over the limit.
    TextTooLong,
    /// A time that cannot be read.
    BadTime,
    /// A time too far ahead of the service's clock.
    TimeInFuture,
    /// Too many undeclared names are waiting on this device already.
    TooManyArrivals,
    /// A table without names in its first row.
    NoHeader,
    /// A row of a table with another number of cells than the first.
    BadRow,
    /// A time over twenty years ago, as unset clocks have it.
    TimeTooOld,
    /// An array of samples without the time between them.
    NoInterval,
    /// A value in another unit than its signal's.
    UnitMismatch,
    /// The body is not CBOR.
    MalformedCbor,
    /// A SenML pack that breaks a rule of RFC 8428.
    BadSenml,
    /// A payload, or a part of it, that is not as the device's decoder says.
    DoesNotFit,
    /// A payload that is of no known dialect, for a device without a decoder.
    UnknownPayload,
    /// A payload that speaks for a device its sender does not carry.
    NotCarried,
    /// Too many undeclared devices are waiting on this site already.
    TooManyDevices,
    /// A value for a signal that a formula works out.
    Derived,
    /// The device's decoder, as it is kept, cannot be read.
    DecoderDamaged,
    /// A part of a position without the others of its time.
    HalfPosition,
}

impl RefusalCode {
    /// Every code, for tables and tests.
    pub const ALL: [Self; 26] = [
        Self::NoValues,
        Self::MalformedJson,
        Self::NotAnObject,
        Self::TooDeep,
        Self::TooManyReadings,
        Self::BadName,
        Self::NumberTooLarge,
        Self::WrongType,
        Self::TextTooLong,
        Self::BadTime,
        Self::TimeInFuture,
        Self::TooManyArrivals,
        Self::NoHeader,
        Self::BadRow,
        Self::TimeTooOld,
        Self::NoInterval,
        Self::UnitMismatch,
        Self::MalformedCbor,
        Self::BadSenml,
        Self::DoesNotFit,
        Self::UnknownPayload,
        Self::NotCarried,
        Self::TooManyDevices,
        Self::Derived,
        Self::DecoderDamaged,
        Self::HalfPosition,
    ];

    /// The word itself, as it stands in answers.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::NoValues => "no-values",
            Self::MalformedJson => "malformed-json",
            Self::NotAnObject => "not-an-object",
            Self::TooDeep => "too-deep",
            Self::TooManyReadings => "too-many-readings",
            Self::BadName => "bad-name",
            Self::NumberTooLarge => "number-too-large",
            Self::WrongType => "wrong-type",
            Self::TextTooLong => "text-too-long",
            Self::BadTime => "bad-time",
            Self::TimeInFuture => "time-in-future",
            Self::TooManyArrivals => "too-many-arrivals",
            Self::NoHeader => "no-header",
            Self::BadRow => "bad-row",
            Self::TimeTooOld => "time-too-old",
            Self::NoInterval => "no-interval",
            Self::UnitMismatch => "unit-mismatch",
            Self::MalformedCbor => "malformed-cbor",
            Self::BadSenml => "bad-senml",
            Self::DoesNotFit => "does-not-fit",
            Self::UnknownPayload => "unknown-payload",
            Self::NotCarried => "not-carried",
            Self::TooManyDevices => "too-many-devices",
            Self::Derived => "derived",
            Self::DecoderDamaged => "decoder-damaged",
            Self::HalfPosition => "half-position",
        }
    }

    /// What the sender's owner should change.
    #[must_use]
    pub const fn remedy(self) -> &'static str {
        match self {
            Self::NoValues => "Send at least one value, for example {\"temp\": 21.4}.",
            Self::MalformedJson => "Mend the JSON at the place given; nothing of this request was kept.",
            Self::NotAnObject => "Send an object such as {\"temp\": 21.4}, or an array of such objects.",
            Self::TooDeep => "Flatten the objects; 8 levels are read.",
            Self::TooManyReadings => "Send at most 10,000 readings in one request; split this one.",
            Self::BadName => "Use letters, digits, - _ and . in names, 64 at most.",
            Self::NumberTooLarge => "Send numbers between -1.79e308 and 1.79e308.",
            Self::WrongType => "Send the type the signal has, or change the signal's type.",
            Self::TextTooLong => "Send texts of at most 1,024 bytes.",
            Self::BadTime => {
                "Write the time as 2026-05-01T12:00:00Z or as seconds since 1970, as local time without Z, or leave it out."
            }
            Self::TimeInFuture => "Set the sender's clock, or leave the time out to use the time of arrival.",
            Self::NoHeader => "Put the names into the first row, for example at,temp,hum.",
            Self::BadRow => "Give each row as many cells as the first; leave a cell empty where there is no value.",
            Self::TimeTooOld => "Set the sender's clock, or leave the time out to use the time of arrival.",
            Self::NoInterval => "Send `every` beside the array: the seconds between its values, such as 0.004.",
            Self::UnitMismatch => "Send it in a unit of the same kind as the signal's, or change the signal's unit.",
            Self::MalformedCbor => "Mend the CBOR at the place given; nothing of this request was kept.",
            Self::BadSenml => "Mend the record named; nothing of this pack was kept.",
            Self::DoesNotFit => "Try the payload out against the decoder, and mend one of them.",
            Self::UnknownPayload => {
                "Send JSON such as {\"temp\": 21.4}, say what it is with Content-Type, or give the device a decoder."
            }
            Self::NotCarried => {
                "Say on that device that this one carries it, or what its sender calls it; or send with its own key."
            }
            Self::TooManyDevices => "Claim or remove the devices that wait, and stop sending new names.",
            Self::DecoderDamaged => "Set the decoder of the device again; until then its payloads cannot be read.",
            Self::Derived => "Leave it out of what is sent, or take the formula away from its signal.",
            Self::HalfPosition => "Send latitude and longitude in one object, or at one time.",
            Self::TooManyArrivals => "Declare the names that are meant, and stop sending new ones.",
        }
    }
}

/// One thing that was not taken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Refusal {
    /// Why.
    pub code: RefusalCode,
    /// The value it is about; `None` when it is the whole request.
    pub name: Option<String>,
    /// What happened, as a sentence.
    pub detail: String,
}

impl Refusal {
    /// A refusal of the whole request.
    pub fn whole(code: RefusalCode, detail: impl Into<String>) -> Self {
        Self { code, name: None, detail: detail.into() }
    }

    /// A refusal of one value.
    pub fn of(code: RefusalCode, name: &str, detail: impl Into<String>) -> Self {
        // A name can be as long as the body: enough of it to be recognised will do.
        Self { code, name: Some(name.chars().take(80).collect()), detail: detail.into() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::HashSet;

    #[test]
    fn codes_are_distinct_and_remedies_are_sentences() {
        let words: HashSet<_> = RefusalCode::ALL.iter().map(|c| c.as_str()).collect();
        assert_eq!(words.len(), RefusalCode::ALL.len());
        for code in RefusalCode::ALL {
            assert!(code.remedy().ends_with('.'), "{}", code.as_str());
        }
    }

    #[test]
    fn a_name_is_cut_before_it_is_echoed() {
        let refusal = Refusal::of(RefusalCode::BadName, &"x".repeat(1000), "");
        assert_eq!(refusal.name.map(|n| n.len()), Some(80));
    }
}

//! Why nothing is seen of a device or a signal: the way of a reading, walked from its
//! beginning to the first thing that is wrong.

use crate::attention;
use crate::link::LinkCounts;
use crate::nearest::nearest;
use crate::quality::{Cause, Quality};
use crate::{DeviceState, Moment, clock_offset, duration};
use serde::{Deserialize, Serialize};

/// The parts of a reading's way, in order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Stage {
    /// The device is declared.
    Declared,
    /// It has a key that may send.
    Key,
    /// Something comes, at the right address and with its key.
    Contact,
    /// What comes can be read.
    Payload,
    /// The names it sends are declared.
    Name,
    /// Its clock is right.
    Clock,
    /// It goes on sending.
    Time,
    /// Its readings are still kept.
    Kept,
    /// Its values can be believed.
    Quality,
    /// Its messages come through.
    Losses,
    /// It counts: it is not in trial.
    Live,
}

impl Stage {
    /// All of them, in order.
    pub const ALL: [Self; 11] = [
        Self::Declared,
        Self::Key,
        Self::Contact,
        Self::Payload,
        Self::Name,
        Self::Clock,
        Self::Time,
        Self::Kept,
        Self::Quality,
        Self::Losses,
        Self::Live,
    ];
}

/// An attempt that was refused.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Attempt {
    /// When.
    pub at: Moment,
    /// The address it came from.
    pub from: String,
    /// The stable code of the refusal.
    pub code: String,
    /// What was wrong.
    pub detail: String,
    /// What to do.
    pub remedy: String,
}

/// Keys of a device.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Keys {
    /// Those there are or were.
    pub all: usize,
    /// Those that may send now.
    pub usable: usize,
}

/// What is known of one signal.
#[derive(Debug, Clone, PartialEq)]
pub struct SignalEvidence {
    /// Its code.
    pub code: String,
    /// Its newest reading, whatever its quality.
    pub last: Option<(Moment, Quality)>,
    /// The newest of which a summary alone is kept, if there is no reading any more.
    pub forgotten: Option<Moment>,
    /// After how many seconds of silence something is wrong with it.
    pub silent_after_s: f64,
}

/// What is known of a device, and of the signal that was asked about.
#[derive(Debug, Clone, PartialEq)]
pub struct Evidence {
    /// Now.
    pub now: Moment,
    /// Whether somebody declared it, and whether it counts.
    pub state: DeviceState,
    /// After how many seconds of silence something is wrong.
    pub silent_after_s: f64,
    /// Its keys.
    pub keys: Keys,
    /// When it was last heard with a key of its own.
    pub heard: Option<Moment>,
    /// The newest contact of its own, if all of it was refused.
    pub refused: Option<Attempt>,
    /// The newest value of the signal that was refused.
    pub refused_value: Option<Attempt>,
    /// The newest attempt from the same address that could not be told whose it was; of a
    /// device that was never heard, from anywhere.
    pub stray: Option<Attempt>,
    /// Names it sends that nobody has declared.
    pub waiting: Vec<String>,
    /// The codes of its signals.
    pub declared: Vec<String>,
    /// How its messages came through in the last day.
    pub day: LinkCounts,
    /// The address in its recipes, if that leads every machine to itself.
    pub own_address: Option<String>,
    /// How far its clock is behind, in seconds.
    pub clock_offset_s: Option<f64>,
    /// The signal.
    pub signal: Option<SignalEvidence>,
}

/// What mends it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case", tag = "action")]
pub enum Mend {
    /// Nothing has to be.
    Nothing,
    /// Declare the device that waits.
    Declare,
    /// Issue a key for it.
    IssueKey,
    /// Send to the right address with its key, as the recipes say.
    Send,
    /// Look at what came, in the contact log.
    SeeContacts,
    /// Take what waits under a name as a signal.
    Claim {
        /// The name that waits.
        name: String,
        /// The signal that it most likely is.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        into: Option<String>,
    },
    /// Set the clock of the sender, or send no times.
    SetClock,
    /// Look at the limits and the conversion of the signal.
    SeeMeaning,
    /// Look at how long its readings are kept.
    SeeRetention,
    /// Go through its commissioning.
    Commission,
}

/// The first thing that is wrong, or that nothing is.
#[derive(Debug, Clone, PartialEq)]
pub struct Finding {
    /// Where on the way; `None` if nothing is wrong.
    pub stage: Option<Stage>,
    /// A stable code.
    pub code: String,
    /// What was seen.
    pub what: String,
    /// What it means.
    pub means: String,
    /// What mends it.
    pub mend: Mend,
}

/// Walks the way.
#[must_use]
pub fn first_wrong(evidence: &Evidence) -> Finding {
    declared(evidence)
        .or_else(|| key(evidence))
        .or_else(|| contact(evidence))
        .or_else(|| payload(evidence))
        .or_else(|| name(evidence))
        // By a wrong clock, what came just now lies long ago.
        .or_else(|| clock(evidence))
        .or_else(|| time(evidence))
        .or_else(|| kept(evidence))
        .or_else(|| quality(evidence))
        .or_else(|| losses(evidence))
        .or_else(|| live(evidence))
        .unwrap_or_else(|| well(evidence))
}

fn finding(stage: Stage, code: &str, what: String, means: &str, mend: Mend) -> Option<Finding> {
    Some(Finding { stage: Some(stage), code: code.to_owned(), what, means: means.to_owned(), mend })
}

fn declared(evidence: &Evidence) -> Option<Finding> {
    if evidence.state != DeviceState::Waiting {
        return None;
    }
    let means =
        "It came by the key of its site or through another device. What it sends is kept, but belongs to no signal.";
    finding(Stage::Declared, "waiting", "Nobody has declared this device.".to_owned(), means, Mend::Declare)
}

fn key(evidence: &Evidence) -> Option<Finding> {
    // What was heard came with some key, or through another device.
    if evidence.keys.usable > 0 || (evidence.keys.all == 0 && evidence.heard.is_some()) {
        return None;
    }
    let (code, what) = match evidence.keys.all {
        0 => ("no-key", "It has no key."),
        _ => ("no-usable-key", "None of its keys may send: they are revoked, have ended, or were not granted it."),
    };
    finding(Stage::Key, code, what.to_owned(), "Nothing it sends can be told to be its own.", Mend::IssueKey)
}

fn contact(evidence: &Evidence) -> Option<Finding> {
    if evidence.heard.is_some_and(|heard| is_fresh(evidence, heard)) {
        return None;
    }
    // Its key at a wrong address, or somebody unknown from where it was before.
    let tried = evidence.refused.iter().chain(&evidence.stray).max_by_key(|attempt| attempt.at);
    if let Some(stray) = tried.filter(|attempt| evidence.heard.is_none_or(|heard| heard < attempt.at)) {
        let what = format!("{} before now, {} tried: {}", age(evidence, stray.at), stray.from, stray.detail);
        let means = format!("Most likely that is this device. {}", stray.remedy);
        return finding(Stage::Contact, &stray.code, what, &means, Mend::Send);
    }
    match evidence.heard {
        None => {
            let what = "Nothing has ever come from it.".to_owned();
            if let Some(address) = &evidence.own_address {
                let means = format!(
                    "Its recipes say {address}, which leads each machine to itself: from the field it has to be an \
                     address of this machine."
                );
                return finding(Stage::Contact, "address-leads-nowhere", what, &means, Mend::Send);
            }
            let means =
                "Its messages do not get here. Check its network, and that it sends to the address in the recipes.";
            finding(Stage::Contact, "never-heard", what, means, Mend::Send)
        }
        Some(heard) => {
            let what = format!("It was last heard {} ago.", age(evidence, heard));
            let means = "It worked before. Check its supply, its network and where its messages are carried.";
            finding(Stage::Contact, "silent", what, means, Mend::SeeContacts)
        }
    }
}

fn payload(evidence: &Evidence) -> Option<Finding> {
    let refused = evidence.refused.as_ref().or(evidence.refused_value.as_ref())?;
    let what = format!("What came {} ago was refused: {}", age(evidence, refused.at), refused.detail);
    finding(Stage::Payload, &refused.code, what, &refused.remedy, Mend::SeeContacts)
}

fn name(evidence: &Evidence) -> Option<Finding> {
    let missing = |name: &str, into: Option<&str>| {
        let claim = Mend::Claim { name: name.to_owned(), into: into.map(str::to_owned) };
        let what = match into {
            Some(into) => format!("It sends `{name}`, which is spelled nearly like `{into}`."),
            None => format!("It sends `{name}`, which nobody has declared."),
        };
        let means = "What it sends under this name is kept and waits; claimed, it becomes the signal's, with its past.";
        finding(Stage::Name, if into.is_some() { "name-nearly-right" } else { "name-waits" }, what, means, claim)
    };
    let Some(signal) = &evidence.signal else {
        // Of the device as a whole, only what looks like a slip is wrong.
        return evidence.waiting.iter().find_map(|waiting| {
            let into = nearest(waiting, evidence.declared.iter().map(String::as_str))?;
            missing(waiting, Some(into))
        });
    };
    if signal.last.is_some_and(|(at, _)| is_fresh_of(evidence, signal, at)) {
        return None;
    }
    let like = evidence.waiting.iter().find(|waiting| nearest(waiting, [signal.code.as_str()]).is_some());
    if let Some(like) = like {
        return missing(like, Some(&signal.code));
    }
    if signal.last.is_some() || signal.forgotten.is_some() {
        return None;
    }
    if let Some(waiting) = evidence.waiting.first() {
        return missing(waiting, None);
    }
    let what = format!("It sends, but never anything under the name `{}`.", signal.code);
    finding(Stage::Name, "never-sent", what, "Check what the sender calls this value.", Mend::SeeContacts)
}

fn time(evidence: &Evidence) -> Option<Finding> {
    let signal = evidence.signal.as_ref()?;
    let (at, _) = signal.last?;
    if is_fresh_of(evidence, signal, at) {
        return None;
    }
    let what = format!("The device sends, but this signal came last {} ago.", age(evidence, at));
    let means = "The sensor behind it may be off or unplugged, its name may have changed, or its times may be wrong.";
    finding(Stage::Time, "no-longer-sent", what, means, Mend::SeeContacts)
}

fn clock(evidence: &Evidence) -> Option<Finding> {
    let offset = evidence.clock_offset_s.filter(|offset| offset.abs() > clock_offset::WORTH_SAYING_S)?;
    let what = format!("Its clock is {}.", clock_offset::told(offset));
    finding(Stage::Clock, "wrong-clock", what, "Its readings lie at the wrong time.", Mend::SetClock)
}

fn kept(evidence: &Evidence) -> Option<Finding> {
    let signal = evidence.signal.as_ref().filter(|signal| signal.last.is_none())?;
    let what = format!("Its newest reading was of {} ago, and is not kept any more.", age(evidence, signal.forgotten?));
    let means = "Summaries of it are there still: look at a longer time. Or keep readings for longer.";
    finding(Stage::Kept, "no-longer-kept", what, means, Mend::SeeRetention)
}

fn losses(evidence: &Evidence) -> Option<Finding> {
    let text = attention::losses(evidence.day)?;
    let means = "The radio is too weak at its place, is disturbed, or two send at once: another place or another \
                 antenna, or a longer interval.";
    finding(Stage::Losses, "losses", format!("It {text}."), means, Mend::SeeContacts)
}

fn quality(evidence: &Evidence) -> Option<Finding> {
    let (_, quality) = evidence.signal.as_ref()?.last?;
    let (code, cause, means) = match quality {
        Quality::Good => return None,
        Quality::Suspect(cause) => ("suspect", cause, "Charts and means leave it out until it is good again."),
        Quality::Rejected(cause) => ("rejected", cause, "It is kept as it was sent, and counts nowhere."),
    };
    let what = format!("Its newest value is {code}: {}.", words(cause));
    let mend = if cause == Cause::Type { Mend::SeeContacts } else { Mend::SeeMeaning };
    finding(Stage::Quality, code, what, means, mend)
}

fn live(evidence: &Evidence) -> Option<Finding> {
    if evidence.state != DeviceState::Trial {
        return None;
    }
    let means = "Its readings come and are marked as trial. They go when it goes live, unless they are to be kept.";
    finding(Stage::Live, "in-trial", "The device is in trial.".to_owned(), means, Mend::Commission)
}

fn well(evidence: &Evidence) -> Finding {
    let last = evidence.signal.as_ref().and_then(|signal| signal.last).map(|(at, _)| at).or(evidence.heard);
    let what = match last {
        Some(at) => format!("Nothing is wrong: the newest is {} old.", age(evidence, at)),
        None => "Nothing is wrong.".to_owned(),
    };
    let means =
        "If you miss something, look at a longer time, or at all readings and not the good ones alone.".to_owned();
    Finding { stage: None, code: "well".to_owned(), what, means, mend: Mend::Nothing }
}

fn is_fresh(evidence: &Evidence, at: Moment) -> bool {
    evidence.now.seconds_since(at) <= evidence.silent_after_s
}

/// As [`is_fresh`], of a signal, which may have an interval of its own.
fn is_fresh_of(evidence: &Evidence, signal: &SignalEvidence, at: Moment) -> bool {
    evidence.now.seconds_since(at) <= signal.silent_after_s
}

fn age(evidence: &Evidence, at: Moment) -> String {
    duration(evidence.now.seconds_since(at).max(0.0))
}

const fn words(cause: Cause) -> &'static str {
    match cause {
        Cause::Range => "outside of what is possible or expected",
        Cause::Jump => "it changed faster than it can",
        Cause::Frozen => "it has been the same for too long",
        Cause::Outlier => "far from the values around it",
        Cause::Marker => "the sensor's own mark for no value",
        Cause::Position => "an impossible position",
        Cause::Dependent => "another signal says that it does not count now",
        Cause::Time => "an impossible time",
        Cause::Conversion => "it could not be converted",
        Cause::Type => "a text was sent where a number belongs",
    }
}

#[cfg(test)]
mod tests;

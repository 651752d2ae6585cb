use crate::{CommandDeclaration, DecimalMark, NewSignal, Position};
use lantern_core::decode::decoder::Form as Decoder;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A make of device, described once.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct KindDescription {
    /// `a-z`, `0-9`, `-`; made from the name if absent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(pattern = "^[a-z0-9-]{1,64}$")]
    pub code: Option<String>,
    /// Its name for people.
    #[schema(min_length = 1, max_length = 120)]
    pub name: String,
    /// Free text.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    #[schema(max_length = 4_000)]
    pub note: String,
    /// How often such a device is expected to report, in seconds (default 60).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(minimum = 0.01, maximum = 31_622_400.0)]
    pub interval_s: Option<f64>,
    /// Late after so many intervals (default 2).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(minimum = 1.0, maximum = 10_000.0)]
    pub late_after: Option<f64>,
    /// Silent after so many intervals (default 5).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(exclusive_minimum = 1.0, maximum = 100_000.0)]
    pub silent_after: Option<f64>,
    /// How its payloads are read.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(value_type = Option<Decoder>)]
    pub decoder: Option<serde_json::Value>,
    /// Its signals, at most 200.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    #[schema(max_items = 200)]
    pub signals: Vec<NewSignal>,
    /// Commands it understands, at most 50.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    #[schema(max_items = 50)]
    pub commands: Vec<CommandDeclaration>,
}

/// A kind as its newest revision has it.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Kind {
    /// Its code, unique in the site.
    pub code: String,
    /// How many devices follow any revision of it.
    pub devices: u32,
    /// Its newest revision.
    #[serde(flatten)]
    pub newest: Revision,
}

/// One state of a kind.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Revision {
    /// From 1.
    pub revision: u32,
    /// Who made it.
    pub made_by: String,
    /// When.
    pub made_at: String,
    /// The description.
    pub description: KindDescription,
    /// What is wrong with it, if it is kept and cannot be read: only its code stands above.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub damaged: Option<String>,
}

/// A device that follows a kind.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Follower {
    /// The device's code.
    pub device: String,
    /// Its name for people.
    pub name: String,
    /// The revision it follows.
    pub revision: u32,
}

/// Which devices are to follow which revision.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Move {
    /// Codes of devices; all that follow another revision if absent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub devices: Option<Vec<String>>,
    /// The revision; the newest if absent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub revision: Option<u32>,
    /// Only say what would change.
    #[serde(default)]
    pub dry_run: bool,
}

/// One thing that is, or would be, different.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Difference {
    /// What it is about, such as `devices/tower/signals/level/unit`.
    pub path: String,
    /// What it was; absent if it is new.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub from: Option<String>,
    /// What it becomes; absent if it is not in the document, and stays.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub to: Option<String>,
}

/// What a change of several things comes to.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
pub struct Differences {
    /// What changes, or would.
    pub differences: Vec<Difference>,
    /// What there is beside the document; it stays.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub beside: Vec<String>,
    /// Whether it was done.
    pub done: bool,
}

/// The set-up of a site as one document, without keys.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SiteDocument {
    /// `key-lantern-site/1`.
    pub format: String,
    /// The site itself.
    pub site: SiteSection,
    /// Its kinds.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub kinds: Vec<KindDescription>,
    /// Its devices.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub devices: Vec<DeviceSection>,
}

/// The site in its document.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SiteSection {
    /// Its name for people.
    #[schema(min_length = 1, max_length = 120)]
    pub name: String,
    /// IANA name of its time zone.
    pub zone: String,
    /// How numbers are written for its people.
    #[serde(skip_serializing_if = "DecimalMark::is_usual", default)]
    pub decimal_mark: DecimalMark,
    /// Where it is.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub position: Option<Position>,
}

/// A device in a site's document. What is absent is as its kind says, or as is
/// usual.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DeviceSection {
    /// Its code.
    #[schema(pattern = "^[a-z0-9-]{1,64}$")]
    pub code: String,
    /// Its name for people.
    #[schema(min_length = 1, max_length = 120)]
    pub name: String,
    /// Free text.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    #[schema(max_length = 4_000)]
    pub note: String,
    /// Where it stands, in words.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    #[schema(max_length = 120)]
    pub place: String,
    /// The kind it is of.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub kind: Option<String>,
    /// How often it is expected to report, in seconds.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(minimum = 0.01, maximum = 31_622_400.0)]
    pub interval_s: Option<f64>,
    /// Late after so many intervals.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(minimum = 1.0, maximum = 10_000.0)]
    pub late_after: Option<f64>,
    /// Silent after so many intervals.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(exclusive_minimum = 1.0, maximum = 100_000.0)]
    pub silent_after: Option<f64>,
    /// The device that carries its messages.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub carrier: Option<String>,
    /// What its sender calls it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(max_length = 200)]
    pub identity: Option<String>,
    /// Where it stands.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub position: Option<Position>,
    /// How its payloads are read.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(value_type = Option<Decoder>)]
    pub decoder: Option<serde_json::Value>,
    /// Its signals beside those of its kind.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    #[schema(max_items = 200)]
    pub signals: Vec<NewSignal>,
    /// Topics of its own: MQTT filters in which `{device}`, `{signal}` and `{at}` may
    /// stand for a level; at most 20.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    #[schema(max_items = 20)]
    pub topics: Vec<String>,
    /// Commands it understands beside those of its kind.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    #[schema(max_items = 50)]
    pub commands: Vec<CommandDeclaration>,
}

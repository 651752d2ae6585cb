use crate::{Access, DecimalMark, Position, present};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A place or project.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Site {
    /// Its code in addresses.
    pub code: String,
    /// Its name for people.
    pub name: String,
    /// IANA name of its time zone.
    pub zone: String,
    /// How numbers are written for its people.
    #[serde(default)]
    pub decimal_mark: DecimalMark,
    /// Where it is.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub position: Option<Position>,
    /// When it was made.
    pub created_at: String,
    /// How many undeclared names wait to be claimed.
    pub arrivals: u32,
    /// What the one who asks may do there.
    pub access: Access,
}

/// What a site is made from.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewSite {
    /// `a-z`, `0-9`, `-`; made from the name if absent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(pattern = "^[a-z0-9-]{1,64}$")]
    pub code: Option<String>,
    /// Its name for people.
    #[schema(min_length = 1, max_length = 120)]
    pub name: String,
    /// IANA name of its time zone.
    pub zone: String,
    /// Where it is.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub position: Option<Position>,
}

/// What to change of a site; what is absent stays.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SiteChange {
    /// Its name for people.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(min_length = 1, max_length = 120)]
    pub name: Option<String>,
    /// IANA name of its time zone.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub zone: Option<String>,
    /// How numbers are written for its people.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub decimal_mark: Option<DecimalMark>,
    /// Where it is; `null` takes it away.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<Position>)]
    pub position: Option<Option<Position>>,
}

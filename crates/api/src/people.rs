use crate::DecimalMark;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Whether the service has its first person.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct SetUpState {
    /// True until the first person is made with the one-time code.
    pub needed: bool,
}

/// Makes the first person, who is an administrator.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SetUp {
    /// The one-time code that the service printed at its start.
    pub code: String,
    /// The name to log in with.
    #[schema(min_length = 1, max_length = 80)]
    pub name: String,
    /// At least 10 characters.
    #[schema(min_length = 10, max_length = 256)]
    pub password: String,
    /// Ask for a token instead of a cookie.
    #[serde(default)]
    pub token: bool,
}

/// Logs a person in.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LogIn {
    /// The name; capitals do not matter.
    #[schema(max_length = 80)]
    pub name: String,
    /// The password.
    #[schema(max_length = 256)]
    pub password: String,
    /// The code of the second factor, or a recovery code, where the person has set one up.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub second: Option<String>,
    /// Ask for a token instead of a cookie.
    #[serde(default)]
    pub token: bool,
}

/// Who is logged in.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Session {
    /// The person's name.
    pub person: String,
    /// Whether they run the service and may do everything everywhere.
    pub is_administrator: bool,
    /// How numbers are written for them, where they differ from the site.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub decimal_mark: Option<DecimalMark>,
    /// The time zone they want to see, where it is not the site's.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub zone: Option<String>,
    /// When the session ends.
    pub expires_at: String,
    /// To be sent as `X-CSRF-Token` with every change; absent for tokens.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub csrf: Option<String>,
    /// The token, if one was asked for: shown this once.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub token: Option<String>,
}

use crate::{DecimalMark, Role, present};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What a person has here.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Account {
    /// The name they log in with.
    pub name: String,
    /// Whether they run the service and may do everything everywhere.
    pub is_administrator: bool,
    /// How numbers are written for them, where they differ from the site.
    pub decimal_mark: Option<DecimalMark>,
    /// The time zone they want to see, where it is not the site's.
    pub zone: Option<String>,
    /// Where they can be reached: mail addresses and telephone numbers.
    pub addresses: Vec<String>,
    /// Since when a second factor is asked for; absent if none is.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub second_factor_since: Option<String>,
    /// Recovery codes that are left.
    pub recovery_codes: u32,
    /// The sites where they have a role.
    pub sites: Vec<AccountSite>,
}

/// A site on which a person has a role.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct AccountSite {
    /// Its code.
    pub code: String,
    /// Its name.
    pub name: String,
    /// What they are there.
    pub role: Role,
}

/// What to change of one's account; what is absent stays.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct AccountChange {
    /// The name to log in with. Nobody else must have it, nor have had it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(min_length = 1, max_length = 80)]
    pub name: Option<String>,
    /// How numbers are written; `null`: as the site has it.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<DecimalMark>)]
    pub decimal_mark: Option<Option<DecimalMark>>,
    /// IANA name of a time zone; `null`: that of the site.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<String>)]
    pub zone: Option<Option<String>>,
    /// Where one can be reached: up to 8 mail addresses and telephone numbers.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(max_items = 8)]
    pub addresses: Option<Vec<String>>,
}

/// A new password for oneself. All other log-ins and tokens end.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewPassword {
    /// The one there is.
    #[schema(max_length = 256)]
    pub old: String,
    /// At least 10 characters, none of the commonest.
    #[schema(min_length = 10, max_length = 256)]
    pub new: String,
}

/// A log-in of a browser or a token.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct HeldSession {
    /// Its number.
    pub id: i64,
    /// `browser` or `token`.
    pub kind: String,
    /// The browser, or the name the token was given.
    pub name: String,
    /// The most it lets its person be.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub at_most: Option<Role>,
    /// The only site it opens.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub site: Option<String>,
    /// When it began.
    pub created_at: String,
    /// When it was last used, give or take a minute.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub last_used_at: Option<String>,
    /// The address it was last used from.
    pub last_from: String,
    /// When it ends.
    pub expires_at: String,
    /// Whether it is the one that asks.
    pub is_this: bool,
}

/// A token to make, for a program.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewToken {
    /// What it is for.
    #[schema(min_length = 1, max_length = 120)]
    pub name: String,
    /// The most it lets you be; absent: what you are.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub at_most: Option<Role>,
    /// The only site it opens; absent: all of yours.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub site: Option<String>,
    /// Days until it ends.
    #[schema(minimum = 1, maximum = 3650)]
    pub days: u32,
}

/// A token that was made.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct MadeToken {
    /// The token: shown this once.
    pub token: String,
    /// What is kept of it.
    pub session: HeldSession,
}

/// One's password, to prove that it is still the same person.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Proof {
    /// The password.
    #[schema(max_length = 256)]
    pub password: String,
}

/// A second factor that waits for its first code.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct SecondFactorOffer {
    /// The secret, to be typed into an app for one-time passwords (RFC 6238).
    pub secret: String,
    /// The same as an address, to be shown as a picture that the app reads.
    pub address: String,
}

/// A code of the second factor.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SecondFactorCode {
    /// Six digits.
    #[schema(max_length = 40)]
    pub code: String,
}

/// Codes that stand in for the second factor, once each.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct RecoveryCodes {
    /// The codes: shown this once.
    pub codes: Vec<String>,
}

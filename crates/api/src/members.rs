use crate::{AccountSite, Right, Role};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A person with a role on a site.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Member {
    /// Their name.
    pub name: String,
    /// What they are on the site.
    pub role: Role,
    /// Since when.
    pub since: String,
}

/// The role to give to a person.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct MemberChange {
    /// What they are to be on the site.
    pub role: Role,
}

/// A person of the service.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Person {
    /// Their name.
    pub name: String,
    /// Whether they run the service and may do everything everywhere.
    pub is_administrator: bool,
    /// Whether a second factor is asked for.
    pub has_second_factor: bool,
    /// When they came.
    pub created_at: String,
    /// The sites where they have a role.
    pub sites: Vec<AccountSite>,
}

/// What an administrator changes of a person; what is absent stays.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PersonChange {
    /// Whether they run the service.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub is_administrator: Option<bool>,
    /// `false` takes their second factor away, for one who has lost it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub has_second_factor: Option<bool>,
}

/// Somebody to invite to a site.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewInvitation {
    /// Who it is for, in your words.
    #[schema(min_length = 1, max_length = 120)]
    pub for_whom: String,
    /// What they are to be on the site.
    pub role: Role,
    /// Days until it ends.
    #[serde(default = "a_week")]
    #[schema(minimum = 1, maximum = 90)]
    pub days: u32,
}

/// Somebody to invite as administrator of the service.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewAdministrator {
    /// Who it is for, in your words.
    #[schema(min_length = 1, max_length = 120)]
    pub for_whom: String,
    /// Days until it ends.
    #[serde(default = "a_week")]
    #[schema(minimum = 1, maximum = 90)]
    pub days: u32,
}

const fn a_week() -> u32 {
    7
}

/// An invitation that has not been used.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Invitation {
    /// Its number.
    pub id: i64,
    /// Who it is for.
    pub for_whom: String,
    /// What they are to be on the site; absent if it is not to a site.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub role: Option<Role>,
    /// Whether it makes an administrator.
    pub is_administrator: bool,
    /// Who invites.
    pub invited_by: String,
    /// When it was made.
    pub created_at: String,
    /// When it ends.
    pub expires_at: String,
}

/// An invitation that was made, or a way to a new password.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct MadeInvitation {
    /// The one-time address: shown this once. What stands behind `#` is the secret.
    pub address: String,
    /// When it ends.
    pub expires_at: String,
    /// What is kept of it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub invitation: Option<Invitation>,
}

/// The secret of a one-time address.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct OneTime {
    /// What stands behind `#` in the address.
    #[schema(max_length = 64)]
    pub secret: String,
}

/// What a one-time address is for.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Invited {
    /// Who it is for.
    pub for_whom: String,
    /// The name of the site it is to.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub site: Option<String>,
    /// Its code.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub site_code: Option<String>,
    /// What one is to be there.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub role: Option<Role>,
    /// Whether it makes an administrator.
    pub is_administrator: bool,
    /// Whose password it sets; absent if it lets somebody in.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub person: Option<String>,
    /// Who invites.
    pub invited_by: String,
    /// When it ends.
    pub expires_at: String,
}

/// Uses a one-time address.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ComeIn {
    /// What stands behind `#` in the address.
    #[schema(max_length = 64)]
    pub secret: String,
    /// The name to log in with; absent for a new password.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(min_length = 1, max_length = 80)]
    pub name: Option<String>,
    /// At least 10 characters, none of the commonest.
    #[schema(min_length = 10, max_length = 256)]
    pub password: String,
    /// The code of the second factor, where a new password is for someone who has set one up.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub second: Option<String>,
    /// Ask for a token instead of a cookie.
    #[serde(default)]
    pub token: bool,
}

/// What a person may do on a site.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Access {
    /// Their role there, as far as their token lets them use it.
    pub role: Role,
    /// All they may do there.
    pub may: Vec<Right>,
}

//! Who may do what: roles of people on a site, and the rights that come with them.
//!
//! [`Right::least`] is the only table of it. The routes, the live stream and the console all ask
//! it, so that they cannot disagree.

use serde::{Deserialize, Serialize};

/// What a person is on a site. The later ones may do all that the earlier ones may.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Role {
    /// Looks, and changes nothing.
    Viewer,
    /// Does the daily work: sets devices up, enters readings, gives commands.
    Operator,
    /// Decides who gets in and what is lost.
    Owner,
}

impl Role {
    /// All roles, the least first.
    pub const ALL: [Self; 3] = [Self::Viewer, Self::Operator, Self::Owner];

    /// The word used in the API and the database.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Viewer => "viewer",
            Self::Operator => "operator",
            Self::Owner => "owner",
        }
    }
}

impl std::str::FromStr for Role {
    type Err = ();

    fn from_str(word: &str) -> Result<Self, ()> {
        Self::ALL.into_iter().find(|role| role.as_str() == word).ok_or(())
    }
}

/// The least that someone has to be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Least {
    /// Logged in.
    Person,
    /// On the site, in this role or a higher one.
    OnSite(Role),
    /// An administrator of the service.
    Administrator,
}

/// Something there is to do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Right {
    /// Look after oneself: own name, password, log-ins, the list of one's sites.
    Account,
    /// See what a site has: devices, readings, figures, notes, files of them.
    Look,
    /// Write notes and keep views.
    Note,
    /// Enter readings by hand.
    Enter,
    /// Acknowledge and shelve alarms.
    Answer,
    /// Give commands to devices, and withdraw them.
    Command,
    /// Set devices, signals, kinds and meanings up, and give devices their keys.
    SetUp,
    /// Read who changed what.
    Record,
    /// Remove what cannot be made again: devices, signals, readings; and say how long readings are kept.
    Remove,
    /// Change the site itself, its people and the keys that open all of it.
    Manage,
    /// Run the service: make sites, take backups, see strangers, name administrators.
    Run,
}

impl Right {
    /// All rights.
    pub const ALL: [Self; 11] = [
        Self::Account,
        Self::Look,
        Self::Note,
        Self::Enter,
        Self::Answer,
        Self::Command,
        Self::SetUp,
        Self::Record,
        Self::Remove,
        Self::Manage,
        Self::Run,
    ];

    /// The least that someone has to be to have it.
    #[must_use]
    pub const fn least(self) -> Least {
        match self {
            Self::Account => Least::Person,
            Self::Look => Least::OnSite(Role::Viewer),
            Self::Note | Self::Enter | Self::Answer | Self::Command | Self::SetUp | Self::Record => {
                Least::OnSite(Role::Operator)
            }
            Self::Remove | Self::Manage => Least::OnSite(Role::Owner),
            Self::Run => Least::Administrator,
        }
    }

    /// What it is, to complete "may not …".
    #[must_use]
    pub const fn words(self) -> &'static str {
        match self {
            Self::Account => "change their own account",
            Self::Look => "look at this site",
            Self::Note => "write notes or keep views",
            Self::Enter => "enter readings",
            Self::Answer => "answer alarms",
            Self::Command => "give commands",
            Self::SetUp => "set devices up",
            Self::Record => "read the record of changes",
            Self::Remove => "remove devices, signals or readings, or say how long readings are kept",
            Self::Manage => "change the site, its people or its keys",
            Self::Run => "run the service",
        }
    }
}

/// What someone is, where they ask for something.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Standing {
    /// Their role on the site they ask about; none if they have none, or if they ask about no site.
    pub role: Option<Role>,
    /// Whether they are an administrator of the service.
    pub is_administrator: bool,
    /// The most that the token they use lets them be; none if it does not hold them back.
    pub at_most: Option<Role>,
}

impl Standing {
    /// Whether they may do something.
    #[must_use]
    pub fn may(&self, right: Right) -> bool {
        match right.least() {
            Least::Person => true,
            Least::OnSite(least) => self.effective_role().is_some_and(|role| role >= least),
            Least::Administrator => self.is_administrator && self.at_most.is_none(),
        }
    }

    /// Their role on the site, as far as their token lets them use it.
    #[must_use]
    pub fn effective_role(&self) -> Option<Role> {
        let role = if self.is_administrator { Some(Role::Owner) } else { self.role }?;
        Some(self.at_most.map_or(role, |most| role.min(most)))
    }

    /// All they may do.
    pub fn rights(&self) -> impl Iterator<Item = Right> + '_ {
        Right::ALL.into_iter().filter(|right| self.may(*right))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const NOBODY: Standing = Standing { role: None, is_administrator: false, at_most: None };

    fn on_site(role: Role) -> Standing {
        Standing { role: Some(role), ..NOBODY }
    }

    /// The table cell by cell, as the guide prints it: nobody, viewer, operator, owner, administrator.
    #[test]
    fn each_right_has_its_least_role() {
        let table = [
            (Right::Account, "yyyyy"),
            (Right::Look, "-yyyy"),
            (Right::Note, "--yyy"),
            (Right::Enter, "--yyy"),
            (Right::Answer, "--yyy"),
            (Right::Command, "--yyy"),
            (Right::SetUp, "--yyy"),
            (Right::Record, "--yyy"),
            (Right::Remove, "---yy"),
            (Right::Manage, "---yy"),
            (Right::Run, "----y"),
        ];
        let administrator = Standing { is_administrator: true, ..NOBODY };
        let all = [NOBODY, on_site(Role::Viewer), on_site(Role::Operator), on_site(Role::Owner), administrator];
        assert_eq!(table.map(|(right, _)| right), Right::ALL);
        for (right, cells) in table {
            let got: String = all.iter().map(|standing| if standing.may(right) { 'y' } else { '-' }).collect();
            assert_eq!(got, cells, "{right:?}");
        }
    }

    #[test]
    fn a_token_holds_its_person_back_and_never_lifts_them() {
        for role in Role::ALL {
            for most in Role::ALL {
                let held = Standing { at_most: Some(most), ..on_site(role) };
                assert_eq!(held.effective_role(), Some(role.min(most)));
                for right in Right::ALL {
                    assert!(!held.may(right) || on_site(role).may(right), "{role:?} {most:?} {right:?}");
                }
            }
        }
        let administrator = Standing { is_administrator: true, at_most: Some(Role::Owner), ..NOBODY };
        assert!(administrator.may(Right::Manage) && !administrator.may(Right::Run));
        assert!(!Standing { at_most: Some(Role::Owner), ..NOBODY }.may(Right::Look), "a token makes nobody a member");
    }

    #[test]
    fn words_come_back() {
        for role in Role::ALL {
            assert_eq!(role.as_str().parse(), Ok(role));
        }
        assert_eq!("admin".parse::<Role>(), Err(()));
    }
}

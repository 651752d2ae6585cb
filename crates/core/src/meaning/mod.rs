//! What the values of a signal mean: how they come about and which can be
//! believed.
//!
//! A [`Meaning`] is the document a person writes: a conversion of what is sent, or
//! a formula over other signals, and a screen. [`Checked`] is what becomes of it
//! when everything in it fits together; applying that is arithmetic alone. What
//! other signals say is asked for through [`Others`].

mod checked;
mod derive;
mod error;
mod graph;
mod history;
mod others;
mod written;

pub use checked::{Checked, Need, Want, resolve};
pub use derive::{Derivation, resolution};
pub use error::MeaningError;
pub use graph::{Circle, SignalMeaning, SiteMeanings};
pub use history::History;
pub use others::{NoOthers, Others};
pub use written::{Converting, Meaning};

use crate::{convert, screen};
use serde::{Deserialize, Serialize};

/// What a signal's meaning remembers from value to value.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Memory {
    /// What the steps of its conversion remember.
    pub conversion: convert::Memory,
    /// What its screen remembers.
    pub screen: screen::Memory,
}

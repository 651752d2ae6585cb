//! What the values of a site's signals mean: conversions, formulas and screens at
//! work.
//!
//! [`site`] knows the meanings of a site and what depends on what; [`apply`] is
//! the part of the intake that converts and screens; [`derive`] works derived
//! signals out after their inputs have been recorded; [`rework`] makes histories
//! anew, as jobs ([`jobs`]).

mod apply;
mod checks;
mod context;
mod derive;
mod feed;
mod jobs;
mod memories;
mod rework;
mod site;
mod trial;

pub(crate) use apply::{Meant, apply, due};
pub(crate) use checks::{Meant as MeantSignal, check, invalid, parse, refuse_if_needed, refuse_unfit_change, set};
pub(crate) use derive::Deriver;
pub(crate) use jobs::Jobs;
pub(crate) use memories::Memories;
pub(crate) use site::{SignalMeaning, SiteMeanings};
pub(crate) use trial::{counts, dry_run, preview};

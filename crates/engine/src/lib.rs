//! What the service of Key Lantern does, without HTTP and without MQTT's wire types.
//!
//! A protocol hands in a [`Delivery`](intake::Delivery) and turns what comes of it into its
//! own answer:
//!
//! ```ignore
//! let engine = Engine::open(store, &Limits::default()).await?;
//! let answer = engine.intake.take(delivery).await?;      // durable when this returns
//! let device = engine.set_up.add_device(&site, new, "ann").await?;
//! ```
//!
//! The nouns: an [`Engine`] is all parts together; each part is a struct that holds only the
//! parts below it. A [`Problem`] is what is answered when something cannot be done, in a
//! [`Class`](problem::Class) that each protocol maps to its own codes. A
//! [`Change`](changes::Change) is a change of the set-up on its way to everything that
//! remembers the set-up.
//!
//! Floors; a part knows those on floors below its own, never one above:
//!
//! | floor | parts |
//! |---|---|
//! | 8 | [`Engine`], which wires the rest and keeps its tasks going |
//! | 7 | [`intake`], [`commissioning`], [`by_hand`], [`record`] |
//! | 6 | [`setting_up`] |
//! | 5 | [`meaning`], [`commands`] |
//! | 4 | [`changes`], [`now`] |
//! | 3 | digits, [`heard`], [`contacts`], [`links`], dummies, open commands, [`publish`] |
//! | 2 | [`live`] |
//! | 1 | [`plans`], [`latest`], traces, memories, allowances, [`keys`], [`shown`], [`people`] |
//! | 0 | [`problem`], [`documents`], [`definitions`], [`checks`], [`declared`], [`find`], [`secret`], [`recipes`], the clock |
//!
//! It does not know who may do what ([`lantern-http`] guards its routes), opens no socket,
//! and reads no settings.

pub mod alarms;
mod allowances;
pub mod beside;
pub mod by_hand;
pub mod callouts;
pub mod changes;
pub mod checks;
pub mod clock;
pub mod commands;
pub mod commissioning;
pub mod contacts;
pub mod coverage;
pub mod declared;
pub mod definitions;
mod digits;
pub mod documents;
mod dummies;
mod engine;
pub mod find;
pub mod health;
pub mod heard;
pub mod in_words;
pub mod intake;
pub mod keys;
pub mod lamps;
pub mod latest;
pub mod links;
pub mod live;
pub mod marks;
pub mod meaning;
mod memories;
pub mod notes;
pub mod now;
pub mod origin;
pub mod people;
pub mod plans;
pub mod problem;
pub mod publish;
pub mod recipes;
pub mod record;
pub mod secret;
pub mod setting_up;
mod shared;
pub mod shown;
mod tasks;
mod traces;
mod traffic;
mod trusted_clock;
pub mod views;
pub mod why;
pub mod window;

pub use allowances::Allowances;
pub use engine::{Engine, Limits};
pub use problem::Problem;
pub use tasks::Task;

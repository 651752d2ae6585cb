//! Setting up: kinds, devices made from them, and a site's set-up as one
//! document.
//!
//! A device's set-up has one form, the [`DeviceSection`]; making a device, moving
//! it to another revision of its kind and applying a document all say what it
//! should be, see how that differs from what it is, and make it so.

mod compare;
mod device;
mod document;
mod kind;

pub(crate) use device::{Wanted, add, describe};
pub(crate) use document::{apply, export};
pub(crate) use kind::{check as check_kind, move_devices, of_device, parse as parse_kind};

use lantern_api::DeviceSection;

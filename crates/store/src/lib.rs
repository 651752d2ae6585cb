//! Storage of Key Lantern in one SQLite file: the only place with SQL.
//!
//! [`Store::open`] locks the data directory, migrates the file and starts the
//! recorder, the task through which all readings are written in groups. Each
//! aggregate has its own file with its functions on [`Store`].
//!
//! Reads go through a pool of connections; writes through one connection, so
//! that they wait for each other in order instead of failing.

mod device;
mod error;
mod key;
mod open;
mod person;
mod reading;
mod recorder;
mod signal;
mod site;
mod summary;
mod sweep;
mod types;
mod value;

pub use device::{Device, DeviceChange, NewDevice};
pub use error::{OpenError, StoreError};
pub use key::{Key, KeyOwner};
pub use open::{DATABASE_FILE, Store};
pub use person::{Person, SessionKind};
pub use reading::{Extent, Order, Page};
pub use recorder::{RecordError, Recorded};
pub use signal::{NewSignal, Signal, SignalChange};
pub use site::{NewSite, Site, SiteChange};
pub use summary::Summary;
pub use types::Position;

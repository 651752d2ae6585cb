//! Storage of Key Lantern in one SQLite file: the only place with SQL.
//!
//! [`Store::open`] locks the data directory, migrates the file and starts the
//! recorder, the task through which all readings are written in groups. Each
//! aggregate has its own file with its functions on [`Store`].
//!
//! Reads go through a pool of connections; writes through one connection, so
//! that they wait for each other in order instead of failing.

mod alarm;
mod alarm_figures;
mod arrival;
mod backup;
mod bursts;
mod calling;
mod callout;
mod change_record;
mod check;
mod command;
mod contact;
mod counts;
mod device;
mod devices;
mod disk;
mod error;
mod figures;
mod hand;
mod invitation;
mod job;
mod join;
mod key;
mod kind;
mod link;
mod meaning;
mod member;
mod note;
mod open;
mod order;
mod person;
mod presence;
mod reading;
mod record;
mod recorder;
mod removed;
mod retention;
mod rework;
mod roster;
mod schema;
mod series;
mod session;
mod signal;
mod site;
mod state;
mod state_changes;
mod summary;
mod sweep;
mod traffic;
mod trial;
mod trusted_time;
mod types;
#[cfg(test)]
mod upgrades;
mod value;
mod view;
mod watch;
mod workload;

pub use alarm::{AlarmDeed, AlarmFilter, AlarmRow, AlarmStep, NewAlarm, PointChange};
pub use alarm_figures::{AlarmExtent, AlarmPlace, Counted as CountedAlarm};
pub use arrival::{Moved, NewArrival, OtherName};
pub use backup::{RestoreError, check_directory, restore};
pub use calling::{Calling, CallingChange, NewCallout};
pub use callout::{AttemptEnd, AttemptRow, CalloutFilter, CalloutRow};
pub use change_record::{NewRecord, Record, RecordFilter};
pub use check::{Checked, Finding};
pub use command::{Command, NewCommand};
pub use contact::{CONTACT_DAYS, CONTACTS_KEPT, Caller, Contact, NewContact};
pub use device::{Device, DeviceChange, NewDevice};
pub use error::{Cause, OpenError, RecordError, StoreError, with_sources};
pub use hand::HandReading;
pub use invitation::{Invitation, NewInvitation};
pub use job::{Job, Outcome};
pub use join::{JoinedReadings, PartSource};
pub use key::{Grants, Key, KeyOwner, KeyUse, Lineage, NewKey};
pub use kind::{Kind, KindId, Revision};
pub use link::LinkHour;
pub use meaning::{DueSpan, MeaningVersion};
pub use member::{Joined, Member};
pub use note::{NewNote, Note, NoteFilter, Topic};
pub use open::{DATABASE_FILE, Store};
pub use order::Order;
pub use person::{Person, PersonChange, SecondFactor};
pub use presence::PresenceChange;
pub use reading::{Extent, Gap, Page, Scan};
pub use recorder::Pending;
pub use removed::Removed;
pub use retention::{Forgotten, Keeper};
pub use rework::Rework;
pub use roster::{RosterId, RosterRow};
pub use series::Limits;
pub use series::group::Recorded;
pub use series::room::DiskUse;
pub use session::{Holder, NewSession, Session, SessionKind};
pub use signal::{NewSignal, Signal, SignalChange};
pub use site::{NewSite, Site, SiteChange};
pub use traffic::{TrafficCounts, TrafficHour};
pub use trial::{DummyTest, KeptReport};
pub use view::View;
pub use watch::{PointId, PointRow, WatchId, WatchRow};
pub use workload::Workload;

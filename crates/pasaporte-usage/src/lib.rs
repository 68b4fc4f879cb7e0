//! From logs to what was used: a digest of logs is a file of the estate, beside the others.
//!
//! Data flows one way: an [`Input`] gives batches of lines of whatever was compressed; a [`Format`] makes
//! [`Event`]s of them, which borrow from the lines; [`Places`] finds what of the estate an event is about, and
//! [`Secrets`] which key a value is, without keeping it; the [`Ledger`] adds up what is alike, so that memory goes with
//! distinct rows and not with lines; and [`write`] gives the rows in order, so that the same logs give the same bytes.

mod adding;
mod clients;
mod coverage;
mod digest;
mod event;
mod format;
mod input;
mod ledger;
mod met;
mod notes;
mod part;
mod places;
mod recent;
mod resolving;
mod secrets;
mod time;
mod told;
mod written;

pub use coverage::Covers;
pub use digest::{Digest, digest};
pub use event::{Credential, Event, In};
pub use format::{Format, recognise};
pub use input::{Collected, Input, InputError};
pub use ledger::{Ledger, Row, Showed};
pub use part::Wanted;
pub use places::Places;
pub use secrets::Secrets;
pub use told::{BadLine, FileTold, Told, Unplaced};
pub use written::write;

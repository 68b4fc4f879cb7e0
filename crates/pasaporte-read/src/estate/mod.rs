//! The estate format, version 1: YAML, JSON or NDJSON into the model, strictly and with every
//! mistake reported (docs/estate-format.md).

mod attached;
mod choices;
mod conditions;
mod convert;
mod document;
mod entries;
mod faults;
mod header;
mod lines;
mod load;
mod observed;
mod reader;
mod statements;
mod url;
mod values;

pub use document::Document;
pub use document::KINDS;
pub use load::{Beside, check, load};
pub use values::{Word, parse_moment};

pub(crate) use url::is_plain_address;
pub(crate) use values::{is_id, names_a_kind};

/// The version of the format that this program reads and writes.
pub const VERSION: u64 = 1;

//! Collecting estates from platforms: over HTTP, or from answers that were saved.
//!
//! What to ask, and what the answers mean, is an *adapter*: a manifest and jq programs, data and not code. Nothing
//! here judges, and nothing of a platform is changed: every request reads. Knocking at endpoints (`knock.rs`) collects too: what
//! came back from one request without a credential.

mod adapter;
mod address;
mod check;
mod collect;
mod entity;
mod exports;
mod failure;
mod given;
mod http;
mod journal;
mod json;
mod knock;
mod lock;
mod log;
mod manifest;
mod page;
mod program;
mod run;
mod saved;
mod sealed;
mod shipped;
mod source;
mod stack;
mod told;
mod tried;

pub use adapter::Adapter;
pub use check::{Check, check, check_live};
pub use collect::Collecting;
pub use exports::Exports;
pub use http::Reaching;
pub use knock::{Door, Knocked, knock};
pub use log::{Log, Range, ReadAs};
pub use shipped::names as shipped_adapters;
pub use source::{Secret, Source};
pub use told::{Place, Progress, Told};
pub use tried::Tried;

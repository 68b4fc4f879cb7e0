//! Large made-up estates of Marivela Ferries, and a typed reader to compare loading with.
//!
//! [`contract`] writes an API contract of any size. [`generate`] streams an estate of any size; [`typed`] is what a
//! program that only parses would read it into, the yardstick that times are told as ratios of. [`wildcards()`] writes a
//! small estate whose patterns lie across each other.

mod contract;
mod generate;
pub mod typed;
mod wildcards;

pub use contract::contract;
pub use generate::generate;
pub use wildcards::{Lines, wildcards};

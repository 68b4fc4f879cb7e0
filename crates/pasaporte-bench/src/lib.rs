//! Large made-up estates of Marivela Ferries, and a typed reader to compare loading with.
//!
//! [`generate`] streams an estate of any size; [`typed`] is what a program that only parses would read
//! it into, the yardstick that times are told as ratios of.

mod generate;
pub mod typed;

pub use generate::generate;

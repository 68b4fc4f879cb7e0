//! What Pasaporte knows and how it decides: the estate, the access decision, and what is left in effect.
//!
//! Values in, values out. Nothing here reads a file, a clock or an environment, and nothing prints;
//! time is the estate's `as_of`. The rooms, in the order in which data flows through them:
//!
//! - [`estate`]: the model, one file a thing, and the [`Builder`](estate::Builder) that fills it;
//! - [`pattern`]: `*` and `?` patterns, and exact answers on sets of them;
//! - [`access`]: may P do A on R, with reasons;
//! - [`effect`]: what somebody may do once denies, ceilings and the other side have had their say;
//! - [`entry`]: who gets through to a function, in effect;
//! - [`diff`]: what opened and closed between two estates;
//! - [`reach`]: what a principal may do, right by right, and what it can become;
//! - [`usage`]: what was seen to happen, and over which time logs say so.

pub mod access;
pub mod diff;
pub mod effect;
pub mod entry;
pub mod estate;
pub mod paths;
pub mod pattern;
pub mod reach;
pub mod usage;

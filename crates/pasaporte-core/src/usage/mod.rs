//! What was seen to happen, asked about: over which time logs say something, who came in by which way, showing what,
//! and which rights were used (access-model §8).
//!
//! Nothing is unused by itself: it is unused in a [`Window`] that logs cover, and without one there is nothing to say.

mod callers;
mod held;
mod window;

pub use callers::{Callers, Sum};
pub use held::UsedOf;
pub use window::{Logged, Window, host_of};

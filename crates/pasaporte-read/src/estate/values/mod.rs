//! The small values that entries are made of.

mod moments;
mod names;
mod patterns;
mod texts;
mod words;

pub(crate) use moments::{Moment, Net};
pub(crate) use names::{
    MadeName, Member, Name, PrincipalName, SettingName, THING_KINDS, ThingName, is_id, names_a_kind,
    scope_kind,
};
pub(crate) use patterns::{ActionPattern, AnyPattern, ResourcePattern};
pub(crate) use texts::Text;
pub(crate) use texts::{text, written_as_text};
pub(crate) use words::Many;

pub use moments::parse_moment;
pub use words::Word;

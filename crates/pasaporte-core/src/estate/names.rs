//! Every distinct string of an estate, kept once.
//!
//! An estate repeats itself: most of a large file is the same few names again. A [`Name`] is the
//! position of a string in this table, so equal strings are equal numbers.

use indexmap::IndexSet;
use rustc_hash::FxBuildHasher;

/// An interned string. Only meaningful with the [`Names`] it came from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Name(u32);

/// The table of interned strings.
#[derive(Debug, Default)]
pub struct Names {
    texts: IndexSet<Box<str>, FxBuildHasher>,
}

impl Names {
    /// The name of `text`, new or known.
    pub fn intern(&mut self, text: &str) -> Name {
        if let Some(index) = self.texts.get_index_of(text) {
            return Name(index as u32);
        }
        Name(self.texts.insert_full(text.into()).0 as u32)
    }

    /// The name of `text` if the estate mentions it anywhere.
    pub fn find(&self, text: &str) -> Option<Name> {
        self.texts.get_index_of(text).map(|index| Name(index as u32))
    }

    /// The string behind a name.
    pub fn text(&self, name: Name) -> &str {
        &self.texts[name.0 as usize]
    }
}

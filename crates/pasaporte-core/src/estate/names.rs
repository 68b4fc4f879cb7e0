//! Every distinct string of an estate, kept once.
//!
//! An estate repeats itself: most of a large file is the same few names again. A [`Name`] is the
//! position of a string in this table, so equal strings are equal numbers. The strings stand in one text,
//! end to end, so that a name costs its letters and ten bytes.

use std::hash::{BuildHasher, Hasher};

use hashbrown::HashTable;
use rustc_hash::FxBuildHasher;

use super::ids::Position;

/// An interned string. Only meaningful with the [`Names`] it came from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Name(Position);

impl Name {
    pub(super) fn index(self) -> usize {
        self.0.index()
    }
}

/// The table of interned strings.
#[derive(Debug, Default)]
pub struct Names {
    text: String,
    /// Where each string ends, and the next begins.
    ends: Vec<u32>,
    by_text: HashTable<u32>,
}

fn hash(text: &str) -> u64 {
    let mut hasher = FxBuildHasher.build_hasher();
    hasher.write(text.as_bytes());
    hasher.finish()
}

fn at<'t>(text: &'t str, ends: &[u32], index: u32) -> &'t str {
    let index = index as usize;
    let start = if index == 0 { 0 } else { ends[index - 1] as usize };
    &text[start..ends[index] as usize]
}

/// About how many bytes of an estate there are to a new name.
const BYTES_A_NAME: u64 = 128;
/// Most names that room is made for ahead.
const MOST_AHEAD: u64 = 1 << 22;

impl Names {
    /// Makes room for the names of so many bytes of estate, so that the table need not grow step by step.
    pub(super) fn make_room(&mut self, bytes: u64) {
        let Self { text, ends, by_text } = self;
        let more = (bytes / BYTES_A_NAME).min(MOST_AHEAD) as usize;
        by_text.reserve(more, |&index| hash(at(text, ends, index)));
    }

    /// The name of `text`, new or known.
    pub fn intern(&mut self, text: &str) -> Name {
        let Self { text: all, ends, by_text } = self;
        let hashed = hash(text);
        if let Some(&index) = by_text.find(hashed, |&index| at(all, ends, index) == text) {
            return Name(Position::new(index as usize));
        }
        let index = ends.len();
        all.push_str(text);
        ends.push(u32::try_from(all.len()).expect("an estate has less than 4 GiB of distinct names"));
        by_text.insert_unique(hashed, index as u32, |&index| hash(at(all, ends, index)));
        Name(Position::new(index))
    }

    /// The name of `text` if the estate mentions it anywhere.
    pub fn find(&self, text: &str) -> Option<Name> {
        let found = self.by_text.find(hash(text), |&index| at(&self.text, &self.ends, index) == text);
        found.map(|&index| Name(Position::new(index as usize)))
    }

    /// The string behind a name.
    pub fn text(&self, name: Name) -> &str {
        at(&self.text, &self.ends, name.index() as u32)
    }
}

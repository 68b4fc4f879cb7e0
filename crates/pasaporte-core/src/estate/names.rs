//! Every distinct string of an estate, kept once.
//!
//! An estate repeats itself: most of a large file is the same few names again. A [`Name`] is the
//! place of a string in one text that holds them all, end to end, each behind its length; so equal strings are equal
//! numbers, a name costs its letters and six bytes, and to look one up touches no more than the table and the string.

use std::hash::{BuildHasher, Hasher};

use hashbrown::HashTable;
use hashbrown::hash_table::Entry;
use rustc_hash::FxBuildHasher;

use super::ids::Position;

/// An interned string. Only meaningful with the [`Names`] it came from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Name(Position);

/// The table of interned strings.
#[derive(Debug, Default)]
pub struct Names {
    text: String,
    by_text: HashTable<Name>,
}

fn hash(text: &str) -> u64 {
    let mut hasher = FxBuildHasher.build_hasher();
    hasher.write(text.as_bytes());
    hasher.finish()
}

/// Lengths from here on take more than one character: this one, and then `DIGITS` of seven bits.
const LONG: u8 = 0x7f;
const DIGITS: usize = 5;

/// Writes a string behind its length.
fn put(all: &mut String, text: &str) {
    match u8::try_from(text.len()) {
        Ok(short) if short < LONG => all.push(char::from(short)),
        _ => {
            all.push(char::from(LONG));
            all.extend((0..DIGITS).map(|digit| char::from((text.len() >> (7 * digit)) as u8 & 0x7f)));
        }
    }
    all.push_str(text);
}

/// The string behind a name.
fn at(all: &str, name: Name) -> &str {
    let place = name.0.index();
    let short = all.as_bytes()[place];
    let (start, length) = if short < LONG {
        (place + 1, usize::from(short))
    } else {
        let start = place + 1 + DIGITS;
        let digits = all.as_bytes()[place + 1..start].iter().rev();
        (start, digits.fold(0, |length, digit| (length << 7) + usize::from(*digit)))
    };
    &all[start..start + length]
}

/// About how many bytes of an estate there are to a new name.
const BYTES_A_NAME: u64 = 128;
/// Most names that room is made for ahead.
const MOST_AHEAD: u64 = 1 << 22;

impl Names {
    /// Makes room for the names of so many bytes of estate, so that the table need not grow step by step.
    pub(super) fn make_room(&mut self, bytes: u64) {
        let Self { text, by_text } = self;
        let more = (bytes / BYTES_A_NAME).min(MOST_AHEAD) as usize;
        by_text.reserve(more, |&name| hash(at(text, name)));
    }

    /// The name of `text`, new or known.
    pub fn intern(&mut self, text: &str) -> Name {
        let Self { text: all, by_text } = self;
        match by_text.entry(hash(text), |&name| at(all, name) == text, |&name| hash(at(all, name))) {
            Entry::Occupied(known) => *known.get(),
            Entry::Vacant(new) => {
                let name = Name(Position::new(all.len()));
                new.insert(name);
                put(all, text);
                name
            }
        }
    }

    /// The name of `text` if the estate mentions it anywhere.
    pub fn find(&self, text: &str) -> Option<Name> {
        self.by_text.find(hash(text), |&name| at(&self.text, name) == text).copied()
    }

    /// The string behind a name.
    pub fn text(&self, name: Name) -> &str {
        at(&self.text, name)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn strings_of_any_length_come_back() {
        let mut names = Names::default();
        let texts = [0, 1, 126, 127, 128, 300, 20_000, 1 << 21]
            .map(|length| "ñ".repeat(length / 2) + &"a".repeat(length % 2));
        let known = texts.each_ref().map(|text| names.intern(text));
        for (text, name) in texts.iter().zip(known) {
            assert_eq!(names.text(name), text);
            assert_eq!(names.intern(text), name);
            assert_eq!(names.find(text), Some(name));
        }
        assert_eq!(names.find("\u{1}a"), None, "a length is no part of a name");
    }
}

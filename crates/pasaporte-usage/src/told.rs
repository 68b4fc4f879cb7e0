//! What came of digesting, for whoever asked for it.

use std::collections::BTreeMap;

use crate::format::{Bad, Format};

/// A line that could not be used. Nothing of it is shown: it may hold anything.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct BadLine {
    /// Its number, from 1.
    pub line: u64,
    /// What is wrong with it.
    pub why: &'static str,
}

/// Lines of each kind of mistake that are kept.
const KEPT: usize = 3;

/// Lines that could not be used.
#[derive(Debug, Clone, Default)]
pub(crate) struct BadLines {
    pub(crate) count: u64,
    kept: BTreeMap<Bad, Vec<u64>>,
}

impl BadLines {
    pub(crate) fn add(&mut self, line: u64, bad: Bad) {
        self.count += 1;
        let kept = self.kept.entry(bad).or_default();
        kept.push(line);
        kept.sort_unstable();
        kept.truncate(KEPT);
    }

    pub(crate) fn merge(&mut self, other: Self) {
        self.count += other.count;
        for (bad, lines) in other.kept {
            let kept = self.kept.entry(bad).or_default();
            kept.extend(lines);
            kept.sort_unstable();
            kept.truncate(KEPT);
        }
    }

    pub(crate) fn told(&self) -> Vec<BadLine> {
        let each = self.kept.iter().flat_map(|(bad, lines)| lines.iter().map(|line| (*line, bad.words())));
        let mut all: Vec<BadLine> = each.map(|(line, why)| BadLine { line, why }).collect();
        all.sort();
        all
    }
}

/// What could not be attributed, and how often.
#[derive(Debug, Clone, Default)]
pub(crate) struct Unplacing {
    pub(crate) count: u64,
    by: BTreeMap<String, u64>,
}

/// Distinct things that are kept apart while counting what could not be attributed.
const APART: usize = 10_000;

impl Unplacing {
    pub(crate) fn add(&mut self, what: &str, count: u64) {
        self.count = self.count.saturating_add(count);
        if let Some(known) = self.by.get_mut(what) {
            *known = known.saturating_add(count);
        } else if self.by.len() < APART {
            self.by.insert(what.to_owned(), count);
        }
    }

    pub(crate) fn merge(&mut self, other: &Self) {
        self.count = self.count.saturating_add(other.count);
        for (what, count) in &other.by {
            let known = self.by.entry(what.clone()).or_default();
            *known = known.saturating_add(*count);
        }
    }

    /// The commonest.
    pub(crate) fn commonest(&self, most: usize) -> Vec<Unplaced> {
        let mut all: Vec<Unplaced> =
            self.by.iter().map(|(what, count)| Unplaced { what: what.clone(), count: *count }).collect();
        all.sort_by(|one, other| other.count.cmp(&one.count).then_with(|| one.what.cmp(&other.what)));
        all.truncate(most);
        all
    }
}

/// Something that the estate does not know.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unplaced {
    /// What: "host api.marivela.example".
    pub what: String,
    /// How often.
    pub count: u64,
}

/// What came of a log.
#[derive(Debug, Clone)]
pub struct FileTold {
    /// Its name.
    pub name: String,
    /// The format that it is in; none where that was not recognised.
    pub format: Option<Format>,
    /// Lines that were read.
    pub lines: u64,
    /// How many of them could not be used.
    pub bad: u64,
    /// The first of them, of each kind.
    pub bad_lines: Vec<BadLine>,
    /// Events that were there twice.
    pub twice: u64,
    /// Whether all of it was in another of these logs, and so counts once.
    pub repeated: bool,
    /// Why it broke off, if it did.
    pub broke_off: Option<String>,
}

/// What came of all.
#[derive(Debug, Clone, Default)]
pub struct Told {
    /// Each log.
    pub files: Vec<FileTold>,
    /// Events that were read.
    pub events: u64,
    /// How many of them are about nothing in the estate.
    pub unplaced: u64,
    /// The commonest of what the estate does not know.
    pub commonest: Vec<Unplaced>,
    /// Rows that came of the rest.
    pub rows: usize,
}

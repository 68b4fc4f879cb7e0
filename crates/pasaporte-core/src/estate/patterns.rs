//! Every distinct pattern of an estate, parsed once.

use rustc_hash::FxHashMap;

use super::{Id, Name, PatternId};
use crate::pattern::{BadPattern, Pattern};

/// The distinct patterns of an estate, by the names of their texts.
#[derive(Debug, Default)]
pub(super) struct Patterns {
    all: Vec<Pattern>,
    by_text: FxHashMap<Name, PatternId>,
}

impl Patterns {
    /// The pattern whose text has that name, new or known.
    pub(super) fn intern(&mut self, name: Name, text: &str) -> Result<PatternId, BadPattern> {
        if let Some(&known) = self.by_text.get(&name) {
            return Ok(known);
        }
        let id = PatternId::new(self.all.len());
        self.all.push(Pattern::parse(text)?);
        self.by_text.insert(name, id);
        Ok(id)
    }

    pub(super) fn get(&self, id: PatternId) -> &Pattern {
        &self.all[id.index()]
    }
}

//! Every distinct pattern of an estate, parsed once.

use indexmap::IndexMap;
use rustc_hash::FxBuildHasher;

use super::{Id, PatternId};
use crate::pattern::{BadPattern, Pattern};

/// The distinct patterns of an estate.
#[derive(Debug, Default)]
pub(super) struct Patterns {
    all: IndexMap<Box<str>, Pattern, FxBuildHasher>,
}

impl Patterns {
    pub(super) fn intern(&mut self, text: &str) -> Result<PatternId, BadPattern> {
        if let Some(index) = self.all.get_index_of(text) {
            return Ok(PatternId::new(index));
        }
        let pattern = Pattern::parse(text)?;
        Ok(PatternId::new(self.all.insert_full(text.into(), pattern).0))
    }

    pub(super) fn get(&self, id: PatternId) -> &Pattern {
        &self.all[id.index()]
    }
}

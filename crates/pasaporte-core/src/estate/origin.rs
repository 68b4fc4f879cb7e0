//! Where things were read.

use super::ids::Position;

/// A file (or request) that entries were read from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct FileId(pub(super) Position);

impl FileId {
    pub(super) fn index(self) -> usize {
        self.0.index()
    }
}

/// The place that an entry was read from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Origin {
    /// Which file.
    pub file: FileId,
    /// Line, from 1.
    pub line: u32,
    /// Column in characters, from 1.
    pub column: u32,
}

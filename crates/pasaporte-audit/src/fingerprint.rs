//! What stays the same while a weakness does.

use std::hash::Hasher;

use siphasher::sip::SipHasher24;

/// A hash of what makes a finding itself: its rule, its thing, and what tells it from others there.
/// No line, count or severity takes part, so it survives reordering and unrelated edits. Printed as sixteen
/// hexadecimal digits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Fingerprint(u64);

impl std::fmt::Display for Fingerprint {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{:016x}", self.0)
    }
}

impl Fingerprint {
    /// As a number.
    pub fn number(self) -> u64 {
        self.0
    }

    pub(crate) fn of(rule: &str, thing: &str, facets: &[String]) -> Self {
        let mut hash = SipHasher24::new();
        for part in [rule, thing].into_iter().chain(facets.iter().map(String::as_str)) {
            hash.write(&(part.len() as u64).to_le_bytes());
            hash.write(part.as_bytes());
        }
        Self(hash.finish())
    }
}

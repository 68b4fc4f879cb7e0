//! The seal: a secret of the team's own, under which values are hashed as they are read. Whoever has not got it cannot try
//! out values against fingerprints; whoever has finds the key of a value without keeping it.

use std::hash::Hasher;

use hmac::{Hmac, KeyInit, Mac};
use sha2::Sha256;
use siphasher::sip::SipHasher24;

/// A key of fingerprints.
#[derive(Clone)]
pub struct Seal(Vec<u8>);

impl std::fmt::Debug for Seal {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "the seal {}", self.id())
    }
}

/// The least bytes of a seal.
pub const LEAST: usize = 32;

impl Seal {
    /// A seal of random bytes; none where they are too few.
    pub fn new(bytes: Vec<u8>) -> Option<Self> {
        (bytes.len() >= LEAST).then_some(Self(bytes))
    }

    /// The keyed hash of a value: HMAC with SHA-256 (RFC 2104), as 64 hexadecimal digits.
    pub fn fingerprint(&self, value: &str) -> String {
        hexadecimal(&self.mac(value.as_bytes()))
    }

    /// What tells one seal from another, and says nothing of it.
    pub fn id(&self) -> String {
        hexadecimal(&self.mac(b"the seal itself")[..8])
    }

    /// What tells clients apart without saying who they are.
    pub fn clients(&self) -> Clients {
        let key = self.mac(b"clients");
        let half = |at: usize| key[at..at + 8].iter().fold(0, |all, byte| (all << 8) | u64::from(*byte));
        Clients { key: (half(0), half(8)) }
    }

    fn mac(&self, bytes: &[u8]) -> Vec<u8> {
        let mut mac = Hmac::<Sha256>::new_from_slice(&self.0).expect("a key of any length is one");
        mac.update(bytes);
        mac.finalize().into_bytes().to_vec()
    }
}

fn hexadecimal(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// Tells clients apart by a keyed hash (SipHash-2-4) of their addresses.
#[derive(Debug, Clone, Copy)]
pub struct Clients {
    key: (u64, u64),
}

impl Clients {
    /// A client's hash.
    pub fn hash(&self, address: &str) -> u32 {
        let mut hasher = SipHasher24::new_with_keys(self.key.0, self.key.1);
        hasher.write(address.as_bytes());
        hasher.finish() as u32
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// RFC 4231, test case 2, which has a text as its key and its data.
    #[test]
    fn fingerprints_are_hmac_with_sha_256() {
        assert_eq!(
            Seal(b"Jefe".to_vec()).fingerprint("what do ya want for nothing?"),
            "5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843"
        );
    }

    #[test]
    fn a_seal_is_not_shown() {
        let seal = Seal::new(vec![b'k'; LEAST]).unwrap();
        assert!(!format!("{seal:?}").contains("kkkk"));
        assert_ne!(seal.id(), Seal::new(vec![b'l'; LEAST]).unwrap().id());
        assert!(Seal::new(vec![0; LEAST - 1]).is_none());
    }
}

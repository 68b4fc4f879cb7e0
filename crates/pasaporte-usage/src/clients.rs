//! Addresses of clients: their hash under the seal, and from where they are, each worked out once while it comes again.

use pasaporte_core::estate::CameFrom;
use pasaporte_read::seal;

use crate::met::{Identity, Met};
use crate::places::Places;

/// What an address comes to: its hash, and from where it is.
pub(crate) type Client = (u32, CameFrom);

/// Addresses that are kept; then it is begun anew.
const KEPT: usize = 1 << 16;

pub(crate) struct Clients<'r, 'e> {
    hash: seal::Clients,
    places: &'r Places<'e>,
    keys: (u64, u64),
    /// Where an address that was met stands among all.
    met: Met,
    all: Vec<Client>,
}

impl<'r, 'e> Clients<'r, 'e> {
    pub(crate) fn new(hash: seal::Clients, places: &'r Places<'e>, keys: (u64, u64)) -> Self {
        Self { hash, places, keys, met: Met::default(), all: Vec::new() }
    }

    pub(crate) fn get(&mut self, address: &str) -> Client {
        let identity = Identity::of(self.keys, address.as_bytes());
        if let Some(met) = self.met.get(identity) {
            return self.all[met as usize];
        }
        if self.all.len() >= KEPT {
            self.met.clear();
            self.all.clear();
        }
        let client = (self.hash.hash(address), self.places.came_from(address));
        self.met.insert(identity, self.all.len() as u32);
        self.all.push(client);
        client
    }
}

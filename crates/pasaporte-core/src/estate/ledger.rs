//! The ledger: what was seen to happen, beside the estate and by its ids. Rows of one key are added up once all were
//! read, and a digest that was given twice counts once.

use rustc_hash::{FxHashMap, FxHashSet};

use super::observed::{Row, add_up, least_clients};
use super::{
    Call, Client, EndpointId, Estate, FileId, KeyId, List, Listed, LogCoverage, Name, Names, Origin,
    Principal, SharedLists, Showed, Sighting, Thing, Use,
};

/// What was seen to happen.
#[derive(Debug, Default)]
pub(super) struct Ledger {
    pub(super) uses: Vec<Use>,
    pub(super) calls: Vec<Call>,
    pub(super) sightings: Vec<Sighting>,
    pub(super) logs: Vec<LogCoverage>,
    pub(super) digests: Vec<Digest>,
    pub(super) overlaps: Vec<Overlap>,
    pub(super) seals: Vec<(Name, Origin)>,
    /// Places of uses, by what they were done to.
    uses_on: Vec<(Thing, u32)>,
    /// Places of calls, by the key that was shown.
    calls_with: Vec<(KeyId, u32)>,
}

/// Says that the rows of a file, from some line on, are a digest of these logs.
#[derive(Debug)]
pub(super) struct Digest {
    pub(super) logs: Box<[Name]>,
    pub(super) origin: Origin,
}

/// Two digests that are of the same logs, in all or in part.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Overlap {
    /// Where the one is.
    pub one: Origin,
    /// Where the other is.
    pub other: Origin,
    /// A log that is in both, the first by what it held.
    pub log: Name,
    /// Whether all of the other's logs are in the one, so that the other was left out; else what they share may be
    /// counted twice.
    pub left_out: bool,
}

impl Ledger {
    /// Leaves out what is there twice, and adds up the rest.
    pub(super) fn settle(&mut self, names: &Names, lists: &mut SharedLists) {
        self.leave_out_repeated(names);
        let mut union = |one: List<Client>, other: List<Client>| {
            if one == other || other.is_empty() {
                return one;
            }
            let all = Client::lists(lists);
            let both = least_clients(all.get(one), all.get(other));
            Client::lists_mut(lists).intern(&both)
        };
        add_up(&mut self.uses, &mut union);
        add_up(&mut self.calls, &mut union);
        add_up(&mut self.sightings, &mut union);
        self.logs.sort_by_key(|log| log.origin);
        let on = self.uses.iter().enumerate().filter_map(|(place, it)| Some((it.to?, place as u32)));
        self.uses_on = on.collect();
        self.uses_on.sort_unstable();
        let with = self.calls.iter().enumerate().filter_map(|(place, it)| match it.showed {
            Showed::Key(key) => Some((key, place as u32)),
            _ => None,
        });
        self.calls_with = with.collect();
        self.calls_with.sort_unstable();
    }

    /// Rows of digests all of whose logs are in another.
    fn leave_out_repeated(&mut self, names: &Names) {
        self.digests.sort_by_key(|digest| digest.origin);
        let sets: Vec<FxHashSet<Name>> =
            self.digests.iter().map(|digest| digest.logs.iter().copied().collect()).collect();
        let mut by_log: FxHashMap<Name, Vec<usize>> = FxHashMap::default();
        for (at, set) in sets.iter().enumerate() {
            for log in set {
                by_log.entry(*log).or_default().push(at);
            }
        }
        let shared = |one: usize, other: usize| {
            let both = sets[one].intersection(&sets[other]);
            both.min_by_key(|log| names.text(**log)).copied()
        };
        let mut out = vec![false; sets.len()];
        // The largest stays, and of equal ones the first.
        let mut order: Vec<usize> = (0..sets.len()).collect();
        order.sort_by_key(|at| (sets[*at].len(), std::cmp::Reverse(*at)));
        for at in order {
            let mut sharing: Vec<usize> = sets[at].iter().flat_map(|log| &by_log[log]).copied().collect();
            sharing.sort_unstable();
            sharing.dedup();
            sharing.retain(|other| *other != at && !out[*other]);
            if let Some(&holds) = sharing.iter().find(|other| sets[at].is_subset(&sets[**other])) {
                out[at] = true;
                let (one, other) = (self.digests[holds].origin, self.digests[at].origin);
                let log = shared(holds, at);
                self.overlaps.extend(log.map(|log| Overlap { one, other, log, left_out: true }));
            }
        }
        for (at, set) in sets.iter().enumerate().filter(|(at, _)| !out[*at]) {
            let mut sharing: Vec<usize> = set.iter().flat_map(|log| &by_log[log]).copied().collect();
            sharing.sort_unstable();
            sharing.dedup();
            for other in sharing.into_iter().filter(|other| *other > at && !out[*other]) {
                let log = shared(at, other);
                let (one, other) = (self.digests[at].origin, self.digests[other].origin);
                self.overlaps.extend(log.map(|log| Overlap { one, other, log, left_out: false }));
            }
        }
        if !out.contains(&true) {
            return;
        }
        let digests = &self.digests;
        let stays = |origin: Origin| {
            let of_file = |file: FileId| {
                digests.partition_point(move |it| (it.origin.file, it.origin.line) <= (file, origin.line))
            };
            match of_file(origin.file).checked_sub(1) {
                Some(at) if digests[at].origin.file == origin.file => !out[at],
                _ => true,
            }
        };
        keep(&mut self.uses, stays);
        keep(&mut self.calls, stays);
        keep(&mut self.sightings, stays);
        self.logs.retain(|log| stays(log.origin));
    }
}

fn keep<R: Row>(rows: &mut Vec<R>, stays: impl Fn(Origin) -> bool) {
    rows.retain_mut(|row| stays(*row.tally().1));
}

/// The part of a list that is in order whose keys are this one.
fn with_key<T, K: Ord + Copy>(all: &[T], wanted: K, key: impl Fn(&T) -> K) -> &[T] {
    let start = all.partition_point(|it| key(it) < wanted);
    let length = all[start..].partition_point(|it| key(it) == wanted);
    &all[start..start + length]
}

impl Estate {
    /// All uses that were seen.
    pub fn uses(&self) -> &[Use] {
        &self.ledger.uses
    }

    /// All calls that were seen.
    pub fn calls(&self) -> &[Call] {
        &self.ledger.calls
    }

    /// All keys and tokens that were seen where they should not be.
    pub fn sightings(&self) -> &[Sighting] {
        &self.ledger.sightings
    }

    /// What logs cover.
    pub fn logs(&self) -> &[LogCoverage] {
        &self.ledger.logs
    }

    /// Digests that are of the same logs.
    pub fn overlaps(&self) -> &[Overlap] {
        &self.ledger.overlaps
    }

    /// Under which seals the fingerprints of files were made, each with a file that says so.
    pub fn seals(&self) -> &[(Name, Origin)] {
        &self.ledger.seals
    }

    /// Whether anything at all was seen, or looked at.
    pub fn has_usage(&self) -> bool {
        let Self { ledger, .. } = self;
        !(ledger.uses.is_empty() && ledger.calls.is_empty() && ledger.logs.is_empty())
    }

    /// What somebody was seen to do.
    pub fn uses_by(&self, who: Principal) -> &[Use] {
        with_key(&self.ledger.uses, who, |it| it.who)
    }

    /// What was seen to be done to something.
    pub fn uses_on(&self, thing: Thing) -> impl Iterator<Item = &Use> {
        let places = with_key(&self.ledger.uses_on, thing, |it| it.0);
        places.iter().map(|(_, place)| &self.ledger.uses[*place as usize])
    }

    /// The calls of an endpoint.
    pub fn calls_at(&self, endpoint: EndpointId) -> &[Call] {
        with_key(&self.ledger.calls, endpoint, |it| it.endpoint)
    }

    /// The calls that showed a key.
    pub fn calls_with(&self, key: KeyId) -> impl Iterator<Item = &Call> {
        let places = with_key(&self.ledger.calls_with, key, |it| it.0);
        places.iter().map(|(_, place)| &self.ledger.calls[*place as usize])
    }
}

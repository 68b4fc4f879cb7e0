//! Which resources of the estate a choice of resources takes, at a place.
//!
//! A choice with wildcards is compared with the resources whose names begin as its patterns do, or with those
//! that lie at the place, whichever are fewer; and what was found is kept, since many statements and grants
//! say the same.
//!
//! Of the resources of other accounts most are out of reach of a grant, because their own side must allow as well;
//! [`Access::within_reach`] leaves those out without looking at each. Where that side does allow, a statement on the
//! resource says so.

use std::sync::{Arc, Mutex, OnceLock};

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::picks::Pick;
use super::{Access, Dialect};
use crate::estate::{
    AccountOf, At, Estate, Id, Name, Principal, ResourceId, ResourcesId, ScopeId, Selection, Sensitivity,
    Thing,
};
use crate::pattern::Pattern;

/// Resources that a choice takes, the most sensitive first, then by name.
#[derive(Debug, Default)]
pub struct Taken {
    resources: Box<[ResourceId]>,
    confidential: usize,
    by_kind: Box<[OfKind]>,
    /// The account that all of them are of, if it is one.
    account: Option<AccountOf>,
    /// How actions on them are read, if that is the same for all.
    dialect: Option<Dialect>,
    /// Those that need no side of their own.
    open: OnceLock<Arc<Taken>>,
}

/// How many resources of a kind there are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct OfKind {
    /// The kind.
    pub kind: Name,
    /// How many.
    pub count: usize,
    /// How many of them are confidential.
    pub confidential: usize,
    /// The first of them.
    first: ResourceId,
}

impl Taken {
    /// The most sensitive first, then by name.
    pub fn resources(&self) -> &[ResourceId] {
        &self.resources
    }

    /// Those that are confidential, and the others.
    pub fn split(&self) -> (&[ResourceId], &[ResourceId]) {
        self.resources.split_at(self.confidential)
    }

    /// How actions on them are read; none where that is not the same for all, or there are none.
    pub(crate) fn dialect(&self) -> Option<Dialect> {
        self.dialect
    }

    /// What there is of a kind.
    pub(crate) fn of_kind(&self, kind: Option<Name>) -> Option<&OfKind> {
        self.by_kind.iter().find(|of| Some(of.kind) == kind)
    }

    /// One of each kind, where actions on all of them are read alike; with how they are read.
    pub(crate) fn one_of_each(&self) -> Option<(Dialect, impl Iterator<Item = ResourceId>)> {
        Some((self.dialect?, self.by_kind.iter().map(|of_kind| of_kind.first)))
    }

    /// How many there are of each kind.
    pub fn by_kind(&self) -> &[OfKind] {
        &self.by_kind
    }
}

/// What a principal may get at of what a choice takes.
pub(crate) enum Reachable {
    /// The choice names one resource.
    One(Option<ResourceId>),
    /// Resources of its own account, and of others.
    Some([Arc<Taken>; 2]),
}

/// How somebody's account lies to a place.
pub(crate) enum HomeAt {
    /// The place lies in it.
    Around,
    /// It lies in the place, here.
    Within(At),
    /// Neither lies in the other.
    Elsewhere,
}

impl Reachable {
    /// In parts, each of which is kept.
    pub(crate) fn parts(self, one: impl FnOnce() -> Arc<Taken>) -> Vec<Arc<Taken>> {
        match self {
            Self::One(Some(_)) => vec![one()],
            Self::One(None) => Vec::new(),
            Self::Some([own, foreign]) => vec![own, foreign],
        }
    }

    /// The confidential ones first; each part in the order of names.
    pub(crate) fn parts_by_sensitivity(&self) -> [&[ResourceId]; 4] {
        match self {
            Self::One(id) => [id.as_slice(), &[], &[], &[]],
            Self::Some([own, foreign]) => {
                let ((own_secret, own_rest), (secret, rest)) = (own.split(), foreign.split());
                [own_secret, secret, own_rest, rest]
            }
        }
    }
}

/// What was found so far, and the names of resources in order.
#[derive(Debug)]
pub(super) struct Takings {
    by_name: Box<[ResourceId]>,
    /// In the order of what follows their kind.
    by_id: Box<[ResourceId]>,
    /// The place of each resource among all: the most sensitive first, then by name.
    rank: Box<[u32]>,
    /// How many are confidential: their places are the first.
    confidential: u32,
    found: [Mutex<Known>; SHARES],
    /// What takes nothing.
    nothing: Arc<Taken>,
}

type Known = FxHashMap<(ResourcesId, At), Arc<Taken>>;

/// Into how many shares what is found is put, so that threads seldom wait for each other.
const SHARES: usize = 16;

impl Takings {
    pub(super) fn new(estate: &Estate) -> Self {
        let named = || estate.all::<ResourceId>().map(|(id, _)| (estate.id(id), id));
        let by_name = in_order(named().collect());
        let by_id = in_order(named().map(|(name, id)| (without_kind(name), (name, id))).collect());
        let by_id = by_id.iter().map(|(_, id)| *id).collect();
        let mut rank = vec![u32::MAX; estate.count::<ResourceId>()].into_boxed_slice();
        let of = |order| by_name.iter().filter(move |id| order_of(estate, **id) == order);
        for (place, id) in of(0).chain(of(1)).chain(of(2)).enumerate() {
            rank[id.index()] = place as u32;
        }
        let confidential = of(0).count() as u32;
        Self { by_id, rank, confidential, found: Default::default(), nothing: Arc::default(), by_name }
    }

    /// The resources that a pattern may match, by what it begins with: a kind, or any kind and an id.
    fn beginning_like<'t>(&'t self, estate: &'t Estate, pattern: &Pattern) -> &'t [ResourceId] {
        match pattern.text().strip_prefix("*:").and_then(|rest| Pattern::parse(rest).ok()) {
            // A name has one colon, so what follows `*:` is the start of the id.
            Some(id) => beginning(&self.by_id, &id.literal_start(), |id| without_kind(estate.id(*id))),
            None => beginning(&self.by_name, &pattern.literal_start(), |id| estate.id(*id)),
        }
    }
}

/// Those whose texts begin like that, of some in the order of their texts.
fn beginning<'t>(
    all: &'t [ResourceId],
    start: &str,
    text: impl Fn(&ResourceId) -> &'t str,
) -> &'t [ResourceId] {
    let from = all.partition_point(|id| text(id) < start);
    let length = all[from..].partition_point(|id| text(id).starts_with(start));
    &all[from..from + length]
}

/// What is the same for all of some; none where it is not, or there are none.
fn same_for_all<T: PartialEq>(all: &[ResourceId], of: impl Fn(ResourceId) -> T) -> Option<T> {
    let first = all.first().map(|id| of(*id));
    first.filter(|first| all.iter().all(|id| of(*id) == *first))
}

/// What is sorted with a text, in that order: the texts are looked up once.
pub(super) fn in_order<T: Copy + Ord + Send>(mut all: Vec<(&str, T)>) -> Box<[T]> {
    all.par_sort_unstable();
    all.into_iter().map(|(_, it)| it).collect()
}

/// How sensitive a resource is, the most sensitive first.
fn order_of(estate: &Estate, id: ResourceId) -> u8 {
    match estate.get(id).and_then(|it| it.sensitivity) {
        Some(Sensitivity::Confidential) => 0,
        Some(Sensitivity::Internal) | None => 1,
        Some(Sensitivity::Public) => 2,
    }
}

fn without_kind(name: &str) -> &str {
    name.split_once(':').map_or(name, |(_, id)| id)
}

impl Access<'_> {
    /// The declared resources that a choice takes and that lie at a place.
    pub fn taken(&self, resources: ResourcesId, at: At) -> Arc<Taken> {
        match self.picks[resources.index()] {
            Pick::Only(Thing::Resource(id)) => {
                let here = self.estate.get(id).is_some() && self.is_at(id, at);
                return Arc::new(self.sorted(if here { vec![id] } else { Vec::new() }));
            }
            Pick::Only(_) | Pick::Nothing => return self.nothing(),
            Pick::All | Pick::Matching { .. } => {}
        }
        let share = &self.takings.found[resources.index() % SHARES];
        let known = || share.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&(resources, at)) {
            return Arc::clone(found);
        }
        let selection = self.estate.resources_picked(resources);
        let all = matches!(self.picks[resources.index()], Pick::All);
        let selected = |id: &ResourceId| all || self.selects(selection, self.estate.id(*id), false);
        let taken = |id: &ResourceId| self.is_at(*id, at) && selected(id);
        let named = self.beginning_like(selection);
        let here = self.population.resources.within(self.estate, at);
        let all = if let Some(few) = self.of_thing(at) {
            few.filter(taken).collect()
        } else if named.iter().map(|range| range.len()).sum::<usize>() < here.len() {
            named.into_iter().flatten().copied().filter(taken).collect()
        } else {
            here.iter().map(|(_, id)| *id).filter(selected).collect()
        };
        let taken = Arc::new(self.sorted(all));
        known().insert((resources, at), Arc::clone(&taken));
        taken
    }

    /// The resources that a choice takes at a place and that a principal may get at by its own side: those of its own
    /// account, and those of others that need no side of theirs.
    pub(crate) fn within_reach(&self, who: Principal, resources: ResourcesId, at: At) -> Reachable {
        if let Pick::Only(Thing::Resource(id)) = self.picks[resources.index()] {
            let here = self.estate.get(id).is_some() && self.is_at(id, at);
            return Reachable::One(here.then_some(id));
        }
        let all = |at| self.taken(resources, at);
        let some = |own, foreign| Reachable::Some([own, foreign]);
        let Some(home) = self.known_home(who) else {
            return some(all(at), self.nothing());
        };
        match self.home_at(home, at) {
            HomeAt::Around => some(all(at), self.nothing()),
            HomeAt::Elsewhere => some(self.nothing(), self.open(&all(at))),
            HomeAt::Within(whole) => {
                let here = all(at);
                match here.account {
                    // Most of what is taken with wildcards is of one account.
                    Some(AccountOf::Known(account)) if account == home => some(here, self.nothing()),
                    Some(_) => some(self.nothing(), self.open(&here)),
                    None => some(all(whole), self.open(&here)),
                }
            }
        }
    }

    fn nothing(&self) -> Arc<Taken> {
        Arc::clone(&self.takings.nothing)
    }

    /// How an account and a place lie to each other.
    pub(crate) fn home_at(&self, home: ScopeId, at: At) -> HomeAt {
        let home = Thing::Scope(home);
        match at.thing() {
            Some(place) if self.estate.lies_in(place, home) => HomeAt::Around,
            Some(place) if !self.estate.lies_in(home, place) => HomeAt::Elsewhere,
            _ => HomeAt::Within(At::Thing(home)),
        }
    }

    /// Whether others than an account's own may get at what it has, by their own side alone.
    pub(crate) fn may_be_open(&self, account: AccountOf) -> bool {
        account == AccountOf::Unknown || self.is_one_sided(account)
    }

    fn is_at(&self, id: ResourceId, at: At) -> bool {
        self.estate.lies_at(Thing::Resource(id), at)
    }

    /// Of some resources those that others than their own account may get at.
    fn open(&self, taken: &Arc<Taken>) -> Arc<Taken> {
        let is_open = |id: &ResourceId| self.may_be_open(self.account_of(Thing::Resource(*id)));
        // Where all are of one account, it is all or none.
        if taken.account.is_some() || taken.resources.is_empty() {
            let open = taken.resources.first().is_some_and(is_open);
            return if open { Arc::clone(taken) } else { self.nothing() };
        }
        let open =
            || Arc::new(self.sorted(taken.resources.iter().copied().filter(|id| is_open(id)).collect()));
        Arc::clone(taken.open.get_or_init(open))
    }

    fn beginning_like(&self, selection: &Selection) -> Vec<&[ResourceId]> {
        let patterns = selection.any().iter().map(|id| self.estate.pattern(*id));
        patterns.map(|pattern| self.takings.beginning_like(self.estate, pattern)).collect()
    }

    /// Whether a resource is among those taken.
    pub(crate) fn is_among(&self, taken: &Taken, id: ResourceId) -> bool {
        taken.resources.binary_search_by_key(&self.place_among(id), |it| self.place_among(*it)).is_ok()
    }

    /// The place of a resource among others: the most sensitive first, then by name.
    fn place_among(&self, id: ResourceId) -> u32 {
        self.takings.rank[id.index()]
    }

    fn sorted(&self, mut all: Vec<ResourceId>) -> Taken {
        all.sort_unstable_by_key(|id| self.place_among(*id));
        all.dedup();
        let confidential = all.partition_point(|id| self.place_among(*id) < self.takings.confidential);
        let mut by_kind: Vec<OfKind> = Vec::new();
        for (at, id) in all.iter().enumerate() {
            let Some(kind) = self.estate.get(*id).map(|it| it.kind) else { continue };
            let secret = usize::from(at < confidential);
            match by_kind.iter_mut().rev().find(|of_kind| of_kind.kind == kind) {
                Some(of_kind) => {
                    of_kind.count += 1;
                    of_kind.confidential += secret;
                }
                None => by_kind.push(OfKind { kind, count: 1, confidential: secret, first: *id }),
            }
        }
        Taken {
            confidential,
            by_kind: by_kind.into(),
            account: same_for_all(&all, |id| self.account_of(Thing::Resource(id))),
            dialect: same_for_all(&all, |id| self.dialect(Thing::Resource(id))),
            resources: all.into(),
            open: OnceLock::new(),
        }
    }
}

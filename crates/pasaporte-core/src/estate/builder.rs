//! Filling an estate, entry by entry, in any order.

use jiff::Timestamp;
use rustc_hash::{FxHashMap, FxHashSet};
use thiserror::Error;

use super::ids::Position;
use super::ledger::Digest;
use super::nesting::{Nodes, beyond, circles};
use super::{
    ActionEntry, ActionsId, Admission, Attempt, BlindSpot, Call, Ceiling, CeilingId, Enrolment, Estate,
    FileId, Grant, GrantId, GroupId, Id, Kept, List, Listed, LogCoverage, Name, Need, Origin, PatternId,
    Principal, ResourcesId, ScopeId, ScopeKind, Selection, SetId, Sighting, Statement, StatementId,
    Statements, Thing, Tree, Use,
};
use crate::pattern::BadPattern;

/// Circles of one kind that are reported before the rest is passed over.
const MOST_CIRCLES: usize = 20;
/// How much may lie within things of its own kind in all: each thing counts once for each that it lies in. A real estate has
/// a few for each; what looks at everybody in every group takes as long as this says.
const MOST_NESTED: usize = 60_000_000;

/// What is wrong with the entries as a whole.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum Fault {
    /// Two entries of one kind bear one id.
    #[error("{thing} is declared twice")]
    Duplicate {
        /// Its name.
        thing: String,
        /// The entry read first.
        first: Origin,
        /// The entry read second.
        second: Origin,
    },
    /// Things contain each other in a circle.
    #[error("{} form a circle: {}", kind, members.join(" → "))]
    Circle {
        /// "scopes", "groups", "permission sets".
        kind: &'static str,
        /// Along the circle, the first one again at the end.
        members: Vec<String>,
        /// Where the first member was read.
        origin: Origin,
    },
    /// More lies in things of its own kind than can be looked through.
    #[error("{kind} lie in each other so often that there are more than {limit} ways to look through")]
    Nested {
        /// "scopes", "groups", "permission sets".
        kind: &'static str,
        /// How much may.
        limit: usize,
        /// Where the one was read with which it became too much.
        origin: Origin,
    },
    /// A scope is referred to by a kind that it is not.
    #[error("{said} is named here, but it is declared as {is}")]
    WrongKind {
        /// As written.
        said: String,
        /// As declared.
        is: String,
        /// The reference.
        origin: Origin,
        /// The declaration.
        declared: Origin,
    },
    /// A key or token has two fingerprints.
    #[error("{thing} has another fingerprint already")]
    TwoFingerprints {
        /// Its name.
        thing: String,
        /// Where the second one was read.
        origin: Origin,
    },
    /// Two files were taken at different times.
    #[error("as_of is {second}, but another file says {first}")]
    TwoTimes {
        /// Read first.
        first: Timestamp,
        /// Read second.
        second: Timestamp,
        /// Where the first was read.
        origin_first: Origin,
        /// Where the second was read.
        origin: Origin,
    },
}

/// Collects entries; [`Builder::finish`] makes them an [`Estate`].
#[derive(Debug, Default)]
pub struct Builder {
    pub(super) estate: Estate,
    as_of_origin: Option<Origin>,
    claims: FxHashMap<(ScopeId, ScopeKind), Origin>,
    fingerprints: Vec<(Thing, Name, Origin)>,
    pub(super) laying: Option<Laying>,
    faults: Vec<Fault>,
}

/// Where things end that were there before a file is laid over them, and what it has put in their places so far.
#[derive(Debug, Default)]
pub(super) struct Laying {
    pub(super) grants: usize,
    pub(super) admissions: usize,
    pub(super) ceilings: usize,
    pub(super) enrolments: usize,
    /// What the file declares itself.
    pub(super) own: FxHashSet<Thing>,
    pub(super) removed: Vec<(Box<str>, Origin)>,
}

impl Builder {
    /// Notes a file that entries come from, by the name that reports shall show.
    pub fn file(&mut self, path: &str) -> FileId {
        self.estate.files.push(path.into());
        FileId(Position::new(self.estate.files.len() - 1))
    }

    /// Makes room for what so many bytes of text may hold.
    pub fn make_room(&mut self, bytes: u64) {
        self.estate.names.make_room(bytes);
    }

    /// Interns a string.
    pub fn name(&mut self, text: &str) -> Name {
        self.estate.names.intern(text)
    }

    /// The id of the thing of that name, declared or not yet.
    pub fn mention<K: Kept>(&mut self, id: &str) -> K {
        let name = self.name(id);
        K::new(K::table_mut(&mut self.estate.tables).mention(name))
    }

    /// Mentions a scope together with the kind that it is said to be of.
    pub fn mention_scope(&mut self, kind: ScopeKind, id: &str, origin: Origin) -> ScopeId {
        let scope = self.mention(id);
        self.claims.entry((scope, kind)).or_insert(origin);
        self.estate.claimed.entry(scope).or_insert(kind);
        scope
    }

    /// Declares a thing. A second declaration is a fault, and the first one stays.
    pub fn declare<K: Kept>(&mut self, id: K, value: K::Value, origin: Origin) {
        let in_its_place = self.replaces(id);
        if let Some(first) = self.estate.origin(id.thing())
            && !in_its_place
        {
            let thing = self.estate.label(id.thing());
            self.faults.push(Fault::Duplicate { thing, first, second: origin });
        } else {
            K::table_mut(&mut self.estate.tables).fill(id.index(), value);
        }
    }

    /// Interns a pattern.
    pub fn pattern(&mut self, text: &str) -> Result<PatternId, BadPattern> {
        let name = self.name(text);
        self.estate.patterns.intern(name, text)
    }

    /// Keeps a list once.
    pub fn list<T: Listed>(&mut self, items: &[T]) -> List<T> {
        T::lists_mut(&mut self.estate.lists).intern(items)
    }

    /// Keeps a choice of actions once.
    pub fn actions(&mut self, selection: Selection) -> ActionsId {
        ActionsId::new(self.estate.actions_picked.insert_full(selection).0)
    }

    /// Keeps a choice of resources once.
    pub fn resources(&mut self, selection: Selection) -> ResourcesId {
        ResourcesId::new(self.estate.resources_picked.insert_full(selection).0)
    }

    /// Keeps a statement.
    pub fn statement(&mut self, statement: Statement) -> StatementId {
        self.estate.statements.push(statement);
        StatementId::new(self.estate.statements.len() - 1)
    }

    /// How many statements are kept so far: the place of the next one.
    pub fn statements_so_far(&self) -> usize {
        self.estate.statements.len()
    }

    /// The statements kept since there were so many.
    pub fn statements_since(&self, before: usize) -> Statements {
        Statements::between(before, self.estate.statements.len())
    }

    /// Adds a grant.
    pub fn grant(&mut self, grant: Grant) {
        self.estate.grants.push(grant);
    }

    /// Adds a ceiling.
    pub fn ceiling(&mut self, ceiling: Ceiling) {
        self.estate.ceilings.push(ceiling);
    }

    /// Adds an invoke permission, a trust, or an entry of an access list.
    pub fn admission(&mut self, admission: Admission) {
        self.estate.admissions.push(admission);
    }

    /// Adds an enrolment.
    pub fn enrolment(&mut self, enrolment: Enrolment) {
        self.estate.enrolments.push(enrolment);
    }

    /// Adds a line of the action catalogue.
    pub fn action(&mut self, entry: ActionEntry) {
        self.estate.actions.push(entry);
    }

    /// Adds what triggers of a kind take on their sources.
    pub fn need(&mut self, need: Need) {
        self.estate.needs.push(need);
    }

    /// Adds something that was seen to be done.
    pub fn used(&mut self, it: Use) {
        self.estate.ledger.uses.push(it);
    }

    /// Adds calls that were seen.
    pub fn called(&mut self, it: Call) {
        self.estate.ledger.calls.push(it);
    }

    /// Adds a key or token that was seen somewhere.
    pub fn seen(&mut self, it: Sighting) {
        self.estate.ledger.sightings.push(it);
    }

    /// Adds what logs cover.
    pub fn log(&mut self, it: LogCoverage) {
        self.estate.ledger.logs.push(it);
    }

    /// Says that what a file has seen, from there on, is a digest of these logs: each counts once.
    pub fn digest(&mut self, logs: &[Name], origin: Origin) {
        self.estate.ledger.digests.push(Digest { logs: logs.into(), origin });
    }

    /// Says under which seal the fingerprints of a file were made.
    pub fn sealed(&mut self, seal: Name, origin: Origin) {
        self.estate.ledger.seals.push((seal, origin));
    }

    /// Adds what a collector could not see.
    pub fn blind_spot(&mut self, blind: BlindSpot) {
        self.estate.blind_spots.push(blind);
    }

    /// Adds what came back from an endpoint that was tried.
    pub fn attempt(&mut self, attempt: Attempt) {
        self.estate.attempts.push(attempt);
    }

    /// Adds the fingerprint of a key or token that stands in another entry.
    pub fn fingerprint(&mut self, of: Thing, print: Name, origin: Origin) {
        self.fingerprints.push((of, print, origin));
    }

    /// A declared thing, to be filled from a document that it names.
    pub fn get_mut<K: Kept>(&mut self, id: K) -> Option<&mut K::Value> {
        K::table_mut(&mut self.estate.tables).get_mut(id.index())
    }

    /// Says when the estate was true.
    pub fn as_of(&mut self, time: Timestamp, origin: Origin) {
        match (self.estate.as_of, self.as_of_origin) {
            (Some(first), Some(origin_first)) if first != time => {
                self.faults.push(Fault::TwoTimes { first, second: time, origin_first, origin });
            }
            _ => {
                self.estate.as_of = Some(time);
                self.as_of_origin = Some(origin);
            }
        }
    }

    /// Overrules when the estate was true, whatever the files say.
    pub fn overrule_as_of(&mut self, time: Timestamp) {
        self.estate.as_of = Some(time);
    }

    /// The name behind a reference; for messages while reading.
    pub fn estate_so_far(&self) -> &Estate {
        &self.estate
    }

    /// The estate, or all that is wrong with it as a whole.
    pub fn finish(mut self) -> Result<Estate, Box<(Estate, Vec<Fault>)>> {
        self.put_fingerprints();
        self.check_duplicate_ids();
        self.check_claims();
        self.check_nesting();
        if !self.faults.is_empty() {
            return Err(Box::new((self.estate, self.faults)));
        }
        self.estate.tables.settle();
        self.estate.ledger.settle(&self.estate.names, &mut self.estate.lists);
        self.estate.statements.shrink_to_fit();
        self.estate.grants.shrink_to_fit();
        self.estate.admissions.shrink_to_fit();
        self.estate.tree = Tree::new(&self.estate);
        self.estate.index();
        Ok(self.estate)
    }

    /// What is not there is told as missing by whoever refers to it.
    fn put_fingerprints(&mut self) {
        for (of, print, origin) in std::mem::take(&mut self.fingerprints) {
            let place = match of {
                Thing::Key(id) => self.get_mut(id).map(|key| &mut key.fingerprint),
                Thing::Token(id) => self.get_mut(id).map(|token| &mut token.fingerprint),
                _ => None,
            };
            match place {
                Some(place) if place.is_none_or(|known| known == print) => *place = Some(print),
                Some(_) => {
                    let thing = self.estate.label(of);
                    self.faults.push(Fault::TwoFingerprints { thing, origin });
                }
                None => self.estate.loose_fingerprints.push((of, origin)),
            }
        }
    }

    /// Grants and ceilings are not referred to, so they are kept in lists; a given id is still one thing's.
    fn check_duplicate_ids(&mut self) {
        let estate = &self.estate;
        let grants = estate.grants.iter().map(|grant| (grant.id, grant.origin)).enumerate();
        let ceilings = estate.ceilings.iter().map(|ceiling| (ceiling.id, ceiling.origin)).enumerate();
        let mut faults = duplicates(estate, grants, |index| Thing::Grant(GrantId::new(index)));
        faults.extend(duplicates(estate, ceilings, |index| Thing::Ceiling(CeilingId::new(index))));
        self.faults.extend(faults);
    }

    fn check_claims(&mut self) {
        let mut wrong: Vec<_> = self.claims.iter().collect();
        wrong.sort_by_key(|(_, origin)| **origin);
        for (&(id, kind), &origin) in wrong {
            let Some(scope) = self.estate.get(id) else { continue };
            if scope.kind != kind {
                let is = self.estate.label(Thing::Scope(id));
                let said = format!("{kind}:{}", self.estate.id(id));
                self.faults.push(Fault::WrongKind { said, is, origin, declared: scope.origin });
            }
        }
    }

    fn check_nesting(&mut self) {
        let estate = &self.estate;
        let group = |node: usize| estate.get(GroupId::new(node)).map_or(&[][..], |group| &group.members);
        let mut faults = nested(
            estate,
            "scopes",
            estate.count::<ScopeId>(),
            |node| Thing::Scope(ScopeId::new(node)),
            |node| {
                let parent = estate.get(ScopeId::new(node)).and_then(|scope| scope.parent);
                parent.map(Id::index).into_iter().collect()
            },
            |_| 1,
        );
        faults.extend(nested(
            estate,
            "groups",
            estate.count::<GroupId>(),
            |node| Thing::Group(GroupId::new(node)),
            |node| {
                let inner = |member: &Principal| match member {
                    Principal::Group(group) => Some(group.index()),
                    _ => None,
                };
                group(node).iter().filter_map(inner).collect()
            },
            |node| group(node).len().max(1),
        ));
        faults.extend(nested(
            estate,
            "permission sets",
            estate.count::<SetId>(),
            |node| Thing::Set(SetId::new(node)),
            |node| {
                let includes = estate.get(SetId::new(node)).map_or(&[][..], |set| &set.includes);
                includes.iter().map(|set| set.index()).collect()
            },
            |node| estate.get(SetId::new(node)).map_or(0, |set| set.statements.count()).max(1),
        ));
        self.faults.extend(faults);
    }
}

/// What is wrong with how things of a kind lie in each other.
fn nested(
    estate: &Estate,
    kind: &'static str,
    count: usize,
    thing: impl Fn(usize) -> Thing,
    edges: impl Fn(usize) -> Nodes,
    weight: impl Fn(usize) -> usize,
) -> Vec<Fault> {
    let circles = circles(count, &edges, MOST_CIRCLES);
    if !circles.is_empty() {
        let faults = circles.iter().filter_map(|circle| circle_fault(estate, kind, circle, &thing));
        return faults.collect();
    }
    let beyond = beyond(count, edges, weight, MOST_NESTED).map(thing);
    let origin = beyond.and_then(|thing| estate.origin(thing));
    origin.map(|origin| Fault::Nested { kind, limit: MOST_NESTED, origin }).into_iter().collect()
}

fn circle_fault(
    estate: &Estate,
    kind: &'static str,
    circle: &[usize],
    thing: &impl Fn(usize) -> Thing,
) -> Option<Fault> {
    // Begins with the member of the least name, so that the message does not depend on the order of input.
    let start = (0..circle.len()).min_by_key(|&at| estate.label(thing(circle[at])))?;
    let turned = circle.iter().cycle().skip(start).take(circle.len() + 1);
    let mut members: Vec<String> = turned.map(|&node| estate.label(thing(node))).collect();
    if members.len() > 8 {
        members.splice(4..members.len() - 3, [format!("… {} more …", circle.len() - 6)]);
    }
    let origin = estate.origin(thing(circle[start]))?;
    Some(Fault::Circle { kind, members, origin })
}

fn duplicates(
    estate: &Estate,
    entries: impl Iterator<Item = (usize, (Option<Name>, Origin))>,
    thing: impl Fn(usize) -> Thing,
) -> Vec<Fault> {
    let mut seen: FxHashMap<Name, Origin> = FxHashMap::default();
    let mut faults = Vec::new();
    for (index, (name, second)) in entries {
        let Some(name) = name else { continue };
        if let Some(&first) = seen.get(&name) {
            faults.push(Fault::Duplicate { thing: estate.label(thing(index)), first, second });
        } else {
            seen.insert(name, second);
        }
    }
    faults
}

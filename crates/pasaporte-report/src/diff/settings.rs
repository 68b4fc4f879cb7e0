//! Things that were made, are gone, or are set otherwise, by the columns of lists: what `list` tells of them, without what is worked
//! out from the rest.

use std::collections::BTreeMap;

use pasaporte_audit::Audit;
use pasaporte_core::estate::{Kept, KeyId, Thing};
use schemars::JsonSchema;
use serde::Serialize;

use crate::PlaceOut;
use crate::dates::date;
use crate::list::{Cell, Kind, List};

/// Things that were made, are gone, or are set otherwise.
#[derive(Debug, Default, Serialize, JsonSchema)]
pub struct Settings {
    /// Things that were not there.
    pub made: Vec<ThingOut>,
    /// Things that are not there any more.
    pub gone: Vec<ThingOut>,
    /// Things that are set otherwise.
    pub changed: Vec<ChangedOut>,
}

/// A thing.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct ThingOut {
    /// In which list it stands: `functions`, `keys` …
    pub list: String,
    /// What it is called.
    pub thing: String,
    /// Where it stands, on its side.
    pub at: Option<PlaceOut>,
}

/// A thing that is set otherwise.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct ChangedOut {
    /// In which list it stands.
    pub list: String,
    /// What it is called.
    pub thing: String,
    /// What: a column of the list, or `rotated`.
    pub field: String,
    /// As it was; empty where it was not said.
    pub was: String,
    /// As it is.
    pub now: String,
    /// Where it stands on the old side.
    pub was_at: Option<PlaceOut>,
    /// Where it stands on the new side.
    pub now_at: Option<PlaceOut>,
}

/// Lists whose rows are things of their own, and columns of theirs that are worked out from others or change by themselves.
const COMPARED: [(Kind, &[&str]); 11] = [
    (Kind::Functions, &["runs_on", "ways_in", "exposed_to", "impact", "worst"]),
    (Kind::Endpoints, &["lets_in"]),
    (Kind::Triggers, &["source_known"]),
    (Kind::Identities, &["functions", "grants", "impact", "worst"]),
    (Kind::Users, &["grants"]),
    (Kind::Groups, &["grants", "member_count"]),
    (Kind::Keys, &["functions", "age_days", "last_used", "verdict", "clients"]),
    (Kind::Verifiers, &["guards"]),
    (Kind::Tokens, &["age_days", "passes"]),
    (Kind::Resources, &[]),
    (Kind::Scopes, &["functions"]),
];

/// The rows of a list by their first column.
type Rows = BTreeMap<String, Vec<Cell>>;

impl Settings {
    /// What differs of two estates.
    pub fn new(old: &Audit<'_>, new: &Audit<'_>) -> Self {
        let mut all = Self::default();
        for (kind, apart) in COMPARED {
            let (before, after) = (kind.list(old), kind.list(new));
            all.compare((kind, apart), (old, &before), (new, &after));
        }
        all.rotated(old, new);
        let key = |it: &ChangedOut| (it.list.clone(), it.thing.clone(), it.field.clone());
        all.changed.sort_by_cached_key(key);
        all
    }

    /// Whether nothing differs.
    pub fn is_nothing(&self) -> bool {
        self.made.is_empty() && self.gone.is_empty() && self.changed.is_empty()
    }

    fn compare(
        &mut self,
        (kind, apart): (Kind, &[&str]),
        (old, before): (&Audit<'_>, &List),
        (new, after): (&Audit<'_>, &List),
    ) {
        let (was, now) = (rows(before), rows(after));
        let columns =
            || after.names().into_iter().enumerate().skip(1).filter(|(_, name)| !apart.contains(name));
        for (thing, row) in &now {
            let Some(earlier) = was.get(thing) else {
                self.made.push(ThingOut::new(new, kind, thing));
                continue;
            };
            for (at, field) in columns().filter(|(at, _)| row[*at] != earlier[*at]) {
                self.changed.push(ChangedOut {
                    list: kind.word().to_owned(),
                    thing: thing.clone(),
                    field: field.to_owned(),
                    was: told(&earlier[at]),
                    now: told(&row[at]),
                    was_at: place(old, kind, thing),
                    now_at: place(new, kind, thing),
                });
            }
        }
        let gone = was.keys().filter(|thing| !now.contains_key(*thing));
        self.gone.extend(gone.map(|thing| ThingOut::new(old, kind, thing)));
    }

    /// Keys that are another secret than they were.
    fn rotated(&mut self, old: &Audit<'_>, new: &Audit<'_>) {
        let date = |time: Option<jiff::Timestamp>| time.map_or_else(String::new, date);
        for (id, key) in new.estate().all::<KeyId>() {
            let name = new.estate().id(id);
            let earlier = old.estate().find::<KeyId>(name).and_then(|id| old.estate().get(id));
            let Some(earlier) = earlier else { continue };
            let (was, now) = (earlier.rotated.max(earlier.created), key.rotated.max(key.created));
            if was != now {
                self.changed.push(ChangedOut {
                    list: Kind::Keys.word().to_owned(),
                    thing: name.to_owned(),
                    field: "rotated".to_owned(),
                    was: date(was),
                    now: date(now),
                    was_at: place(old, Kind::Keys, name),
                    now_at: place(new, Kind::Keys, name),
                });
            }
        }
    }
}

impl ThingOut {
    fn new(audit: &Audit<'_>, kind: Kind, thing: &str) -> Self {
        Self { list: kind.word().to_owned(), thing: thing.to_owned(), at: place(audit, kind, thing) }
    }
}

fn rows(list: &List) -> Rows {
    list.rows.iter().map(|row| (told(&row[0]), row.clone())).collect()
}

fn told(cell: &Cell) -> String {
    cell.texts().join(", ")
}

/// Where a thing of a list stands.
fn place(audit: &Audit<'_>, kind: Kind, name: &str) -> Option<PlaceOut> {
    use pasaporte_core::estate::{
        EndpointId, FunctionId, GroupId, IdentityId, ResourceId, ScopeId, TokenId, TriggerId, UserId,
        VerifierId,
    };
    fn find<K: Kept>(audit: &Audit<'_>, name: &str) -> Option<Thing> {
        audit.estate().find::<K>(name).map(Kept::thing)
    }
    let thing = match kind {
        Kind::Functions => find::<FunctionId>(audit, name),
        Kind::Endpoints => find::<EndpointId>(audit, name),
        Kind::Triggers => find::<TriggerId>(audit, name),
        Kind::Identities => find::<IdentityId>(audit, name),
        Kind::Users => find::<UserId>(audit, name),
        Kind::Groups => find::<GroupId>(audit, name),
        Kind::Keys => find::<KeyId>(audit, name),
        Kind::Verifiers => find::<VerifierId>(audit, name),
        Kind::Tokens => find::<TokenId>(audit, name),
        Kind::Resources => find::<ResourceId>(audit, name),
        Kind::Scopes => find::<ScopeId>(audit, name),
        _ => None,
    };
    let origin = audit.estate().origin(thing?)?;
    Some(PlaceOut::new(audit.estate(), origin))
}

//! Things and actions that may yet be made: what a wildcard takes beside what is there.

use std::sync::{Arc, Mutex, OnceLock};

use rustc_hash::FxHashMap;

use super::{Effects, Road, ServiceId};
use crate::access::{Dialect, New};
use crate::estate::{
    AccountOf, At, CrossAccount, Estate, Principal, ResourceId, ResourcesId, ScopeId, ScopeKind, Thing,
};

/// A name that no pattern of the estate is about: only what takes names of any letters and length takes it.
#[derive(Debug)]
pub(super) struct Fresh {
    name: Box<str>,
    /// The declared scopes in the order of the tree.
    scopes: Box<[ScopeId]>,
    /// The accounts, by name; and those of them that need no side of their own.
    accounts: Box<[ScopeId]>,
    open_accounts: Box<[ScopeId]>,
    /// The scopes below those that were asked about.
    parts: Mutex<FxHashMap<ScopeId, Arc<[ScopeId]>>>,
    /// Whether the account of any resource is not known.
    accounts_are_unknown: OnceLock<bool>,
}

impl Fresh {
    pub(super) fn new(estate: &Estate) -> Self {
        // No id may have this letter, and a pattern that asks for it asks for something that cannot be there.
        const LETTER: char = '\u{2423}';
        const LONGEST: usize = 200;
        let choices = estate
            .all_resources_picked()
            .map(|(_, it)| it)
            .chain(estate.all_actions_picked().map(|(_, it)| it));
        let patterns = choices.flat_map(|choice| choice.any().iter().chain(choice.except()));
        // Longer than what a pattern without `*` may be, so that those which count letters do not take it.
        let longest = patterns
            .map(|id| estate.pattern(*id).text())
            .filter(|text| text.contains('?') && !text.contains('*'))
            .map(|text| text.chars().count())
            .max();
        let length = longest.map_or(3, |longest| (longest + 1).min(LONGEST));
        let mut scopes: Vec<ScopeId> = estate.all().map(|(id, _)| id).collect();
        scopes.sort_unstable_by_key(|id| estate.tree().place(*id).start);
        let is_account = |id: &ScopeId| estate.get(*id).is_some_and(|it| it.kind == ScopeKind::Account);
        let mut accounts: Vec<ScopeId> = scopes.iter().copied().filter(is_account).collect();
        accounts.sort_unstable_by_key(|id| estate.id(*id));
        let open = |id: &ScopeId| estate.get(*id).is_some_and(|it| it.cross_account == CrossAccount::OneSide);
        let open_accounts = accounts.iter().copied().filter(open).collect();
        Self {
            name: LETTER.to_string().repeat(length.max(3)).into(),
            scopes: scopes.into(),
            accounts: accounts.into(),
            open_accounts,
            parts: Mutex::default(),
            accounts_are_unknown: OnceLock::new(),
        }
    }

    /// How many bytes one letter of the name has.
    fn first(&self) -> usize {
        self.name.chars().next().map_or(0, char::len_utf8)
    }
}

impl Effects<'_> {
    /// Something of a kind that may be made within a place.
    pub fn fresh_thing(&self, kind: &str, within: Option<Thing>) -> New {
        New { label: [kind, ":", &self.fresh.name].concat().into(), within }
    }

    /// A kind of thing that nobody named.
    pub(crate) fn fresh_kind(&self) -> &str {
        &self.fresh.name
    }

    /// An action of a service that nobody named.
    pub fn fresh_action(&self, service: &str) -> String {
        [service, "/", &self.fresh.name].concat()
    }

    /// Where something can be made so that a grant at a place takes it in and its holder may get at it: the place
    /// itself, or the accounts below it that are the holder's own or need no side of theirs.
    pub(crate) fn openings(&self, who: Principal, road: &Road) -> Vec<Option<Thing>> {
        let estate = self.estate();
        let scope = match road.at {
            At::Everywhere => None,
            At::Thing(Thing::Scope(scope)) => Some(scope),
            // Nothing is made in a thing.
            At::Thing(_) => return Vec::new(),
        };
        // What is given to everybody needs no second side.
        let home = if self.is_of_everybody(road.name()) { None } else { self.home(who) };
        if let Some(scope) = scope
            && let account @ (AccountOf::Known(_) | AccountOf::Unknown) = estate.tree().account(scope)
        {
            let reached = match (account, home) {
                (AccountOf::Known(there), Some(AccountOf::Known(home))) => {
                    there == home || self.fresh.open_accounts.contains(&there)
                }
                _ => true,
            };
            return reached.then_some(Some(Thing::Scope(scope))).into_iter().collect();
        }
        let below = |account: ScopeId| scope.is_none_or(|scope| estate.tree().is_within(account, scope));
        let within = |accounts: &[ScopeId]| -> Vec<Option<Thing>> {
            let below = accounts.iter().copied().filter(|id| below(*id));
            below.map(|id| Some(Thing::Scope(id))).collect()
        };
        let mut all: Vec<Option<Thing>> = Vec::new();
        match home {
            Some(AccountOf::Known(home)) => {
                all.extend(within(&[home]));
                let others = within(&self.fresh.open_accounts).into_iter();
                all.extend(others.filter(|id| *id != Some(Thing::Scope(home))));
            }
            Some(AccountOf::Unnamed) => {
                all.push(scope.map(Thing::Scope));
                all.extend(within(&self.fresh.open_accounts));
            }
            // Of whom nobody knows the account, it may be any.
            Some(AccountOf::Unknown) | None => {
                all.extend(within(&self.fresh.accounts));
                if all.is_empty() {
                    all.push(scope.map(Thing::Scope));
                }
            }
        }
        all
    }
}

impl Effects<'_> {
    /// The places where a grant's holder may get at things that it takes in.
    pub(crate) fn places(&self, who: Principal, road: &Road) -> Vec<At> {
        match road.at {
            At::Thing(Thing::Scope(_)) | At::Everywhere => {
                self.openings(who, road).into_iter().map(|place| place.map_or(road.at, At::Thing)).collect()
            }
            At::Thing(_) => vec![road.at],
        }
    }

    /// Whether a choice takes something that may yet be made.
    pub fn takes_new(&self, resources: ResourcesId, new: &New) -> bool {
        self.takes_everything(resources)
            || self.selects(self.estate().resources_picked(resources), &new.label, false)
    }

    /// Whether a choice takes whatever may yet be made of a service's kind.
    pub fn takes_fresh(&self, resources: ResourcesId, service: ServiceId) -> bool {
        self.takes_everything(resources)
            || (self.may_take_all_of_a_kind(resources)
                && self.takes_new(resources, &self.fresh_thing(&self.service_name(service), None)))
    }

    /// Whether a choice of resources takes nothing out.
    pub(crate) fn has_no_exceptions(&self, resources: ResourcesId) -> bool {
        self.estate().resources_picked(resources).except().is_empty()
    }

    /// The scopes at a place that somebody may get at by a side of their own: their account's, or all where that does
    /// not matter.
    pub(crate) fn scopes_at(&self, who: Principal, road: &Road) -> Vec<ScopeId> {
        let estate = self.estate();
        let at = road.at;
        if let At::Thing(place) = at
            && !matches!(place, Thing::Scope(_))
        {
            return Vec::new();
        }
        let mut all = Vec::new();
        for place in self.places(who, road) {
            match place {
                At::Thing(Thing::Scope(scope)) => {
                    all.push(scope);
                    all.extend(self.parts_of(place).iter().copied());
                }
                _ => all.extend(estate.all::<ScopeId>().map(|(id, _)| id)),
            }
        }
        // Scopes above accounts are of no account; whoever may get at them has no account either, or is of none.
        let above = estate.all::<ScopeId>().map(|(id, _)| id).filter(|id| {
            estate.tree().account(*id) == AccountOf::Unnamed
                && match at {
                    At::Thing(Thing::Scope(scope)) => estate.tree().is_within(*id, scope),
                    _ => true,
                }
        });
        // Of whom nobody knows the account may be of none too.
        let is_nowhere = matches!(self.home(who), None | Some(AccountOf::Unknown));
        if is_nowhere || self.is_of_everybody(road.name()) {
            all.extend(above);
        }
        let mut seen = rustc_hash::FxHashSet::default();
        all.retain(|scope| seen.insert(*scope));
        all
    }

    /// Whether somebody is of the one account that an estate without accounts is.
    pub(crate) fn scopes_are_unknown(&self, who: Principal) -> bool {
        let no_accounts = !self.estate().all::<ScopeId>().any(|(_, it)| it.kind == ScopeKind::Account);
        no_accounts && matches!(self.home(who), None | Some(AccountOf::Unnamed))
    }

    /// The scopes below a place, by name.
    pub(crate) fn parts_of(&self, place: At) -> Arc<[ScopeId]> {
        let At::Thing(Thing::Scope(scope)) = place else { return Arc::default() };
        let known = || self.fresh.parts.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&scope) {
            return Arc::clone(found);
        }
        let tree = self.estate().tree();
        let area = tree.place(scope);
        let all = &self.fresh.scopes;
        let from = all.partition_point(|id| tree.place(*id).start < area.start);
        let length = all[from..].partition_point(|id| tree.place(*id).start < area.end);
        let mut parts: Vec<ScopeId> =
            all[from..from + length].iter().copied().filter(|id| *id != scope).collect();
        parts.sort_unstable_by_key(|id| self.estate().id(*id));
        let parts: Arc<[ScopeId]> = parts.into();
        known().insert(scope, Arc::clone(&parts));
        parts
    }

    /// Whether a declared thing lies at a place.
    pub(crate) fn lies_at_place(&self, thing: Thing, at: At) -> bool {
        self.estate().is_declared(thing) && self.estate().lies_at(thing, at)
    }

    /// Whether all that lies at a place is of one account.
    pub(crate) fn is_of_one_account(&self, place: At) -> bool {
        let is_known = |thing| matches!(self.account_of(thing), AccountOf::Known(_));
        !self.has_accounts() || place.thing().is_some_and(is_known)
    }

    /// How actions on what lies at a place are read; none where not all of it is read alike.
    pub fn dialect_at(&self, place: At) -> Option<Dialect> {
        let mut all = self.dialects();
        match (place, all.next(), all.next()) {
            (_, only, None) => only,
            (At::Thing(thing), ..) if self.is_of_one_account(place) => Some(self.dialect(thing)),
            _ => None,
        }
    }

    /// Whether the estate declares accounts; without, it is one account that nobody named.
    pub(crate) fn has_accounts(&self) -> bool {
        !self.fresh.accounts.is_empty()
    }

    /// Whether the account of any resource is not known.
    pub(crate) fn accounts_are_unknown(&self) -> bool {
        *self.fresh.accounts_are_unknown.get_or_init(|| {
            let mut all = self.estate().all::<ResourceId>();
            all.any(|(id, _)| self.account_of(Thing::Resource(id)) == AccountOf::Unknown)
        })
    }

    /// The kinds of things that a road's statement names itself, by its actions or its resources; with the name of one
    /// where it names just that and it is not there.
    pub fn kinds_named(&self, road: &Road) -> Vec<(Box<str>, Option<Box<str>>)> {
        let estate = self.estate();
        let statement = estate.statement(road.statement);
        let mut all: Vec<(Box<str>, Option<Box<str>>)> = Vec::new();
        for id in estate.resources_picked(statement.resources).any() {
            let pattern = estate.pattern(*id);
            if let Some((kind, _)) = pattern.literal_start().split_once(':') {
                let start = pattern.literal_start();
                let name = if let Some(name) = pattern.as_literal() {
                    // What is there is not made any more.
                    if estate.thing(name).is_some_and(|it| estate.is_declared(it)) {
                        all.push((kind.into(), None));
                        continue;
                    }
                    name.to_owned()
                } else {
                    // Something that the pattern takes: what it begins with, and what no pattern is about.
                    let rest = pattern.text().replace(['*', '?'], &self.fresh.name[..self.fresh.first()]);
                    if pattern.matches(&rest) { rest } else { start.into_owned() }
                };
                all.push((kind.into(), Some(name.into())));
            }
        }
        if self.takes_everything(statement.resources) {
            for id in estate.actions_picked(statement.actions).any() {
                if let Some((service, _)) = estate.pattern(*id).literal_start().split_once('/') {
                    all.push((service.into(), None));
                }
            }
        }
        all.sort_unstable();
        all.dedup();
        all
    }
}

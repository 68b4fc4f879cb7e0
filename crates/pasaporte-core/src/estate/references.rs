//! Who refers to what: the walk that finds references to things that are not in the estate.

use std::collections::BTreeMap;

use super::{
    At, Check, ContractId, ContractOf, EndpointId, Estate, FunctionId, GroupId, IdentityId, Key, KeyId,
    KeyOf, Origin, Presents, Principal, ResourceId, ScopeId, SetId, Showed, Thing, TokenId, TriggerId,
    UserId, VerifierId, Way,
};

/// One thing named by another.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Reference {
    /// Who names it.
    pub from: Thing,
    /// As what, to be read between the two: "runs as".
    pub how: &'static str,
    /// What is named.
    pub to: Thing,
    /// Where.
    pub origin: Origin,
}

impl Estate {
    /// Calls `visit` with every reference from one thing to another.
    pub fn references(&self, mut visit: impl FnMut(Reference)) {
        let mut refer = |from, how, to: Option<Thing>, origin| {
            if let Some(to) = to {
                visit(Reference { from, how, to, origin });
            }
        };
        let scope = |id: Option<ScopeId>| id.map(Thing::Scope);
        for (id, it) in self.all::<ScopeId>() {
            refer(Thing::Scope(id), "lies in", scope(it.parent), it.origin);
            refer(Thing::Scope(id), "has functions run as", it.runs_as.map(Thing::Identity), it.origin);
        }
        for (id, it) in self.all::<FunctionId>() {
            refer(Thing::Function(id), "lies in", scope(it.scope), it.origin);
            refer(Thing::Function(id), "runs as", it.runs_as.map(Thing::Identity), it.origin);
            for &secret in self.list(it.handed) {
                refer(Thing::Function(id), "is handed", Some(Thing::Resource(secret)), it.origin);
            }
        }
        for (id, it) in self.all::<EndpointId>() {
            let from = Thing::Endpoint(id);
            refer(from, "leads to", Some(Thing::Function(it.function)), it.origin);
            if let Check::Token(verifier) = it.check {
                refer(from, "checks tokens with", Some(Thing::Verifier(verifier)), it.origin);
            }
            if let Way::Route { presents, .. } = &it.way {
                let presented = match presents {
                    Presents::Identity(identity) => Some(Thing::Identity(*identity)),
                    Presents::Key(key) => Some(Thing::Key(*key)),
                    Presents::Nothing | Presents::Caller | Presents::Service(_) => None,
                };
                refer(from, "presents", presented, it.origin);
            }
        }
        for (id, it) in self.all::<TriggerId>() {
            refer(Thing::Trigger(id), "runs", Some(Thing::Function(it.function)), it.origin);
            refer(Thing::Trigger(id), "fires on", it.source, it.origin);
        }
        for (id, it) in self.all::<IdentityId>() {
            refer(Thing::Identity(id), "lies in", scope(it.scope), it.origin);
        }
        for (id, it) in self.all::<UserId>() {
            refer(Thing::User(id), "lies in", scope(it.scope), it.origin);
        }
        for (id, it) in self.all::<GroupId>() {
            refer(Thing::Group(id), "lies in", scope(it.scope), it.origin);
            for &member in &it.members {
                refer(Thing::Group(id), "lists as a member", member.thing(), it.origin);
            }
            let within = it.rule.as_ref().and_then(|rule| rule.within);
            refer(Thing::Group(id), "takes its members from", scope(within), it.origin);
        }
        for (id, it) in self.all::<SetId>() {
            refer(Thing::Set(id), "lies in", scope(it.scope), it.origin);
            for &included in &it.includes {
                refer(Thing::Set(id), "includes", Some(Thing::Set(included)), it.origin);
            }
        }
        for (id, it) in self.grants() {
            let from = it.principal.thing().unwrap_or(Thing::Grant(id));
            refer(Thing::Grant(id), "gives to", it.principal.thing(), it.origin);
            refer(from, "holds", it.set.map(Thing::Set), it.origin);
            if let At::Thing(at) = it.at {
                refer(from, "holds a grant at", Some(at), it.origin);
            }
        }
        for it in self.admissions() {
            let origin = self.statement(it.statement).origin;
            for &to in self.list(it.to) {
                refer(it.on, "admits", to.thing(), origin);
            }
            if !self.is_declared(it.on) {
                refer(it.on, "has a statement on", Some(it.on), origin);
            }
        }
        for (id, it) in self.ceilings() {
            for over in &it.over {
                refer(Thing::Ceiling(id), "bounds", Some(over.thing()), it.origin);
            }
        }
        for (id, it) in self.all::<KeyId>() {
            refer(Thing::Key(id), "opens", Some(it.opens()), it.origin);
        }
        for (id, it) in self.all::<VerifierId>() {
            refer(Thing::Verifier(id), "lies in", scope(it.scope), it.origin);
        }
        for (id, it) in self.all::<TokenId>() {
            refer(Thing::Token(id), "was made for", it.verifier.map(Thing::Verifier), it.origin);
        }
        for (id, it) in self.all::<ResourceId>() {
            refer(Thing::Resource(id), "lies in", scope(it.scope), it.origin);
        }
        self.other_references(&mut refer);
    }

    fn other_references(&self, refer: &mut impl FnMut(Thing, &'static str, Option<Thing>, Origin)) {
        for (id, it) in self.all::<ContractId>() {
            if let ContractOf::Function(function) = it.of {
                refer(Thing::Contract(id), "is the contract of", Some(Thing::Function(function)), it.origin);
            }
        }
        for it in self.attempts() {
            let endpoint = Thing::Endpoint(it.endpoint);
            if !self.is_declared(endpoint) {
                refer(endpoint, "was tried", Some(endpoint), it.origin);
            }
        }
        for (index, it) in self.enrolments().iter().enumerate() {
            let from = Thing::Enrolment(super::Id::new(index));
            refer(from, "lies in", it.scope.map(Thing::Scope), it.origin);
        }
        for it in self.logs() {
            refer(Thing::Scope(it.scope), "has logs in", Some(Thing::Scope(it.scope)), it.origin);
        }
        for &(of, origin) in &self.loose_fingerprints {
            refer(of, "has a fingerprint", Some(of), origin);
        }
        self.seen_in_use(refer);
    }
}

impl Estate {
    /// What was seen in use and is not there, each once.
    fn seen_in_use(&self, refer: &mut impl FnMut(Thing, &'static str, Option<Thing>, Origin)) {
        let mut missing: BTreeMap<Thing, Origin> = BTreeMap::new();
        let mut see = |thing: Option<Thing>, origin: Origin| {
            if let Some(thing) = thing.filter(|thing| !self.is_declared(*thing)) {
                let first = missing.entry(thing).or_insert(origin);
                *first = (*first).min(origin);
            }
        };
        for it in self.uses() {
            see(it.who.thing(), it.origin);
            see(it.to, it.origin);
            see(it.through.map(Thing::Trigger), it.origin);
        }
        for it in self.calls() {
            see(Some(Thing::Endpoint(it.endpoint)), it.origin);
            see(it.showed.thing(), it.origin);
        }
        for it in self.sightings() {
            see(it.what.thing(), it.origin);
            see(it.on, it.origin);
        }
        for (thing, origin) in missing {
            refer(thing, "was seen in use", Some(thing), origin);
        }
    }
}

impl Showed {
    /// The thing that was shown, where it is one of the estate.
    pub fn thing(self) -> Option<Thing> {
        match self {
            Self::Key(id) => Some(Thing::Key(id)),
            Self::Token(id) => Some(Thing::Token(id)),
            Self::Principal(who) => who.thing(),
            Self::Unsaid | Self::Nothing | Self::UnknownKey(_) | Self::Issued(..) => None,
        }
    }
}

impl Key {
    /// The function or scope that the key opens.
    pub fn opens(&self) -> Thing {
        match self.of {
            KeyOf::Function(function) => Thing::Function(function),
            KeyOf::Scope(scope) => Thing::Scope(scope),
        }
    }
}

impl Principal {
    /// The thing that the principal is, where it is one.
    pub fn thing(self) -> Option<Thing> {
        match self {
            Self::Account(id) => Some(Thing::Scope(id)),
            Self::User(id) => Some(Thing::User(id)),
            Self::Identity(id) => Some(Thing::Identity(id)),
            Self::Group(id) => Some(Thing::Group(id)),
            Self::Key(id) => Some(Thing::Key(id)),
            Self::Token(id) => Some(Thing::Verifier(id)),
            Self::Anyone | Self::SignedIn | Self::Service(_) | Self::Outside(_) => None,
        }
    }
}

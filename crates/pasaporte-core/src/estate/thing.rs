//! Any thing of the estate, and where it lies.

use std::cmp::Ordering;

use super::{
    At, Ceiling, CeilingId, ContractId, ContractOf, EndpointId, Enrolment, EnrolmentId, Estate, FunctionId,
    GrantId, GroupId, Id, IdentityId, KeyId, KeyOf, Origin, Principal, ScopeId, SetId, TokenId, TriggerId,
    UserId, VerifierId,
};
use super::{ResourceId, ScopeKind, Vocabulary};

/// Any thing that can be named, acted on, or found fault with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[expect(missing_docs, reason = "each variant is documented on its id")]
pub enum Thing {
    Scope(ScopeId),
    Function(FunctionId),
    Endpoint(EndpointId),
    Trigger(TriggerId),
    Identity(IdentityId),
    User(UserId),
    Group(GroupId),
    Set(SetId),
    Grant(GrantId),
    Ceiling(CeilingId),
    Key(KeyId),
    Verifier(VerifierId),
    Token(TokenId),
    Contract(ContractId),
    Enrolment(EnrolmentId),
    Resource(ResourceId),
}

impl Thing {
    /// Whom one becomes who controls the thing itself, or acts as it: an identity, a user, or one of a group.
    pub fn somebody(self) -> Option<Principal> {
        match self {
            Self::Identity(id) => Some(Principal::Identity(id)),
            Self::User(id) => Some(Principal::User(id)),
            Self::Group(id) => Some(Principal::Group(id)),
            _ => None,
        }
    }
}

/// Which account a thing is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum AccountOf {
    /// This one.
    Known(ScopeId),
    /// No account stands above it: it is of the one account that the estate does not name.
    Unnamed,
    /// The thing, or a scope above it, is not in the estate.
    Unknown,
}

impl Estate {
    /// The thing as written in files and reports: `function:sell-ticket`.
    pub fn label(&self, thing: Thing) -> String {
        match thing {
            Thing::Scope(id) => {
                let kind = self.get(id).map(|scope| scope.kind).or_else(|| self.claimed_kind(id));
                [kind.map_or(ScopeId::KIND, Vocabulary::word), ":", self.id(id)].concat()
            }
            Thing::Function(id) => self.kind_and_id(id),
            Thing::Endpoint(id) => self.kind_and_id(id),
            Thing::Trigger(id) => self.kind_and_id(id),
            Thing::Identity(id) => self.kind_and_id(id),
            Thing::User(id) => self.kind_and_id(id),
            Thing::Group(id) => self.kind_and_id(id),
            Thing::Set(id) => self.kind_and_id(id),
            Thing::Key(id) => self.kind_and_id(id),
            Thing::Verifier(id) => self.kind_and_id(id),
            Thing::Token(id) => self.kind_and_id(id),
            Thing::Contract(id) => self.kind_and_id(id),
            Thing::Resource(id) => self.id(id).to_owned(),
            Thing::Grant(id) => ["grant:", &self.grant_id(id)].concat(),
            Thing::Ceiling(id) => match self.ceiling(id).id {
                Some(name) => format!("ceiling:{}", self.text(name)),
                None => self.unnamed_ceiling(id),
            },
            Thing::Enrolment(id) => {
                let enrolment: &Enrolment = &self.enrolments[id.index()];
                format!("enrolment:{}/{}", self.text(enrolment.system), self.text(enrolment.client_id))
            }
        }
    }

    /// What a ceiling without an id is called: by what it bounds.
    fn unnamed_ceiling(&self, id: CeilingId) -> String {
        let mut over: Vec<String> =
            self.ceiling(id).over.iter().map(|over| self.label(over.thing())).collect();
        over.sort_unstable();
        let more = if over.len() > 1 { ",…" } else { "" };
        format!("ceiling:over/{}{more}", over.first().map_or("nothing", String::as_str))
    }

    /// The order of two things by their labels; written out only where they are not of one common kind.
    pub fn compare_labels(&self, one: Thing, other: Thing) -> Ordering {
        match (one, other) {
            (Thing::Function(one), Thing::Function(other)) => self.id(one).cmp(self.id(other)),
            (Thing::Endpoint(one), Thing::Endpoint(other)) => self.id(one).cmp(self.id(other)),
            (Thing::Identity(one), Thing::Identity(other)) => self.id(one).cmp(self.id(other)),
            (Thing::Key(one), Thing::Key(other)) => self.id(one).cmp(self.id(other)),
            (Thing::Resource(one), Thing::Resource(other)) => self.id(one).cmp(self.id(other)),
            _ => self.label(one).cmp(&self.label(other)),
        }
    }

    /// The thing of a label, declared or mentioned: what [`Estate::label`] gives for it. Grants, ceilings and
    /// enrolments are not found this way.
    pub fn thing(&self, label: &str) -> Option<Thing> {
        let (kind, id) = label.split_once(':')?;
        if ScopeKind::parse(kind).is_some() {
            let scope = Thing::Scope(self.find(id)?);
            return (self.label(scope) == label).then_some(scope);
        }
        self.find_of_kind(kind, id).or_else(|| self.find(label).map(Thing::Resource))
    }

    /// The id of a grant; one made of its parts where its platform gave it none.
    pub fn grant_id(&self, id: GrantId) -> String {
        let grant = self.grant(id);
        if let Some(name) = grant.id {
            return self.text(name).to_owned();
        }
        let set = grant.set.map_or("statements", |set| self.id(set));
        let at = self.place_label(grant.at);
        format!("{}/{set}@{at}", self.principal_label(grant.principal))
    }

    /// Where a grant holds, as reports show it: `everywhere`, or a thing's label.
    pub fn place_label(&self, at: At) -> String {
        match at {
            At::Everywhere => "everywhere".to_owned(),
            At::Thing(thing) => self.label(thing),
        }
    }

    fn kind_and_id<K: super::Kept>(&self, id: K) -> String {
        [K::KIND, ":", self.id(id)].concat()
    }

    /// The principal as written in files and reports: `service:object-store`, `anyone`.
    pub fn principal_label(&self, principal: Principal) -> String {
        match principal {
            Principal::Anyone => "anyone".to_owned(),
            Principal::SignedIn => "signed-in".to_owned(),
            Principal::Account(id) => ["account:", self.id(id)].concat(),
            Principal::User(id) => self.kind_and_id(id),
            Principal::Identity(id) => self.kind_and_id(id),
            Principal::Group(id) => self.kind_and_id(id),
            Principal::Key(id) => self.kind_and_id(id),
            Principal::Service(name) => ["service:", self.text(name)].concat(),
            Principal::Outside(name) => ["outside:", self.text(name)].concat(),
            Principal::Token(id) => ["token:", self.id(id)].concat(),
        }
    }

    /// The principal of the same name in another estate, where that mentions it.
    pub fn same_in(&self, other: &Self, principal: Principal) -> Option<Principal> {
        Some(match principal {
            Principal::Anyone | Principal::SignedIn => principal,
            Principal::Account(id) => Principal::Account(other.find(self.id(id))?),
            Principal::User(id) => Principal::User(other.find(self.id(id))?),
            Principal::Identity(id) => Principal::Identity(other.find(self.id(id))?),
            Principal::Group(id) => Principal::Group(other.find(self.id(id))?),
            Principal::Key(id) => Principal::Key(other.find(self.id(id))?),
            Principal::Token(id) => Principal::Token(other.find(self.id(id))?),
            Principal::Service(name) => Principal::Service(other.name(self.text(name))?),
            Principal::Outside(name) => Principal::Outside(other.name(self.text(name))?),
        })
    }

    /// Where the thing was read; nothing for what is only mentioned.
    pub fn origin(&self, thing: Thing) -> Option<Origin> {
        match thing {
            Thing::Scope(id) => self.get(id).map(|it| it.origin),
            Thing::Function(id) => self.get(id).map(|it| it.origin),
            Thing::Endpoint(id) => self.get(id).map(|it| it.origin),
            Thing::Trigger(id) => self.get(id).map(|it| it.origin),
            Thing::Identity(id) => self.get(id).map(|it| it.origin),
            Thing::User(id) => self.get(id).map(|it| it.origin),
            Thing::Group(id) => self.get(id).map(|it| it.origin),
            Thing::Set(id) => self.get(id).map(|it| it.origin),
            Thing::Key(id) => self.get(id).map(|it| it.origin),
            Thing::Verifier(id) => self.get(id).map(|it| it.origin),
            Thing::Token(id) => self.get(id).map(|it| it.origin),
            Thing::Contract(id) => self.get(id).map(|it| it.origin),
            Thing::Resource(id) => self.get(id).map(|it| it.origin),
            Thing::Grant(id) => Some(self.grant(id).origin),
            Thing::Ceiling(id) => Some(self.ceiling(id).origin),
            Thing::Enrolment(id) => Some(self.enrolments[id.index()].origin),
        }
    }

    /// What the thing lies in, one step up: a key in its function, a function in its scope.
    pub fn parent(&self, thing: Thing) -> Option<Thing> {
        let scope = match thing {
            Thing::Scope(id) => self.get(id).and_then(|it| it.parent),
            Thing::Function(id) => self.get(id).and_then(|it| it.scope),
            Thing::Endpoint(id) => return self.get(id).map(|it| Thing::Function(it.function)),
            Thing::Trigger(id) => return self.get(id).map(|it| Thing::Function(it.function)),
            Thing::Key(id) => match self.get(id)?.of {
                KeyOf::Function(function) => return Some(Thing::Function(function)),
                KeyOf::Scope(scope) => Some(scope),
            },
            Thing::Token(id) => return self.get(id).and_then(|it| it.verifier).map(Thing::Verifier),
            Thing::Contract(id) => match self.get(id)?.of {
                ContractOf::Function(function) => return Some(Thing::Function(function)),
                ContractOf::Gateway(_) => None,
            },
            Thing::Identity(id) => self.get(id).and_then(|it| it.scope),
            Thing::User(id) => self.get(id).and_then(|it| it.scope),
            Thing::Group(id) => self.get(id).and_then(|it| it.scope),
            Thing::Set(id) => self.get(id).and_then(|it| it.scope),
            Thing::Verifier(id) => self.get(id).and_then(|it| it.scope),
            Thing::Resource(id) => self.get(id).and_then(|it| it.scope),
            Thing::Enrolment(id) => self.enrolments[id.index()].scope,
            Thing::Grant(id) => match self.grant(id).at {
                At::Thing(place) => return Some(place),
                At::Everywhere => None,
            },
            Thing::Ceiling(_) => None,
        };
        scope.map(Thing::Scope)
    }

    /// Whether the thing is declared, not only mentioned.
    pub fn is_declared(&self, thing: Thing) -> bool {
        self.origin(thing).is_some()
    }

    /// The scope that the thing lives in: for a scope, itself.
    pub fn scope_of(&self, thing: Thing) -> Option<ScopeId> {
        let mut at = thing;
        loop {
            if let Thing::Scope(scope) = at {
                return Some(scope);
            }
            at = self.parent(at)?;
        }
    }

    /// Whether a thing lies where a grant is: everywhere, or in a place.
    pub fn lies_at(&self, thing: Thing, at: At) -> bool {
        match at {
            At::Everywhere => true,
            At::Thing(place) => self.lies_in(thing, place),
        }
    }

    /// Whether `thing` is `place`, or lies in its subtree.
    pub fn lies_in(&self, thing: Thing, place: Thing) -> bool {
        let mut at = thing;
        loop {
            if at == place {
                return true;
            }
            match (at, place) {
                (Thing::Scope(scope), Thing::Scope(above)) => return self.tree.is_within(scope, above),
                (Thing::Scope(_), _) => return false,
                _ => {}
            }
            let Some(parent) = self.parent(at) else { return false };
            at = parent;
        }
    }

    /// The account that the thing is of.
    pub fn account_of(&self, thing: Thing) -> AccountOf {
        let mut at = thing;
        loop {
            if !self.is_declared(at) {
                return AccountOf::Unknown;
            }
            if let Thing::Scope(scope) = at {
                return self.tree.account(scope);
            }
            match self.parent(at) {
                Some(parent) => at = parent,
                None => return AccountOf::Unnamed,
            }
        }
    }

    /// A ceiling by id.
    pub fn ceiling(&self, id: CeilingId) -> &Ceiling {
        &self.ceilings[id.index()]
    }

    /// An enrolment by id.
    pub fn enrolment(&self, id: EnrolmentId) -> &Enrolment {
        &self.enrolments[id.index()]
    }
}

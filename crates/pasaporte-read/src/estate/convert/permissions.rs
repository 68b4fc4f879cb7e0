//! Who is given what: sets, grants, statements on things, ceilings, records elsewhere.

use pasaporte_core::access::{ASSUME, INVOKE};
use pasaporte_core::estate::{
    self as model, At, Bounded, Effect, MadeBy, Principal, Selection, SetId, Thing,
};

use super::{Converter, Short, moment};
use crate::estate::entries;
use crate::estate::statements::Admission;

impl Converter<'_, '_> {
    pub(super) fn permission_set(&mut self, it: &entries::PermissionSet<'_>) {
        let id: SetId = self.builder.mention(it.id.text);
        let set = model::PermissionSet {
            scope: self.mention(it.scope.as_ref()),
            made_by: it.origin.map_or(MadeBy::Custom, |word| word.0),
            statements: self.statements(it.statements),
            includes: it.includes.0.iter().map(|set| self.builder.mention(set.text)).collect(),
            origin: self.origin(it.at),
        };
        let origin = set.origin;
        self.builder.declare(id, set, origin);
    }

    pub(super) fn grants(&mut self, grants: &[entries::Grant<'_>], holder: Principal) {
        for grant in grants {
            self.grant(grant, Some(holder));
        }
    }

    pub(super) fn grant(&mut self, it: &entries::Grant<'_>, holder: Option<Principal>) {
        let principal = match (holder, &it.to) {
            (Some(_), Some(named)) => {
                let message = "`to` does not belong here: the grant stands within its holder's entry";
                self.report.wrong_at(named.at, 2, message, "take it out");
                return;
            }
            (None, None) => {
                self.report.wrong_at(it.at, 1, "a grant needs the field `to`", "say who holds it");
                return;
            }
            (Some(holder), None) => holder,
            (None, Some(named)) => self.principal(named),
        };
        if it.set.is_none() && it.statements.is_empty() {
            let help = "name a permission `set`, or list `statements`";
            self.report.wrong_at(it.at, 1, "a grant that gives nothing", help);
            return;
        }
        let grant = model::Grant {
            id: it.id.as_ref().map(|id| self.builder.name(id.text)),
            principal,
            set: self.mention(it.set.as_ref()),
            statements: self.statements(it.statements),
            at: match &it.at_place {
                None => At::Everywhere,
                Some(place) => At::Thing(self.thing(place)),
            },
            conditions: self.conditions(&it.when),
            expires: moment(it.expires),
            made_by: it.origin.map_or(MadeBy::Custom, |word| word.0),
            origin: self.origin(it.at),
        };
        self.builder.grant(grant);
    }

    pub(super) fn admission(&mut self, it: &Admission<'_>, on: Option<Thing>, side: Side) {
        let on = match (on, &it.on) {
            (Some(_), Some(named)) => {
                let message = "`on` does not belong here: the statement stands within that entry";
                self.report.wrong_at(named.at, 1, message, "take it out");
                return;
            }
            (None, None) => {
                self.report.wrong_at(it.at, 1, "it needs the field `on`", "say which thing it is on");
                return;
            }
            (Some(on), None) => on,
            (None, Some(named)) => {
                let on = self.thing(named);
                if !side.fits(on) {
                    let message = format!("`{}` is not {}", named.text, side.wants());
                    self.report.wrong_at(named.at, 1, message, "put it into the section for such things");
                    return;
                }
                on
            }
        };
        let actions = match (&it.actions, side.action()) {
            (Some(actions), _) => self.actions(actions),
            (None, Some(action)) => {
                let selection = Selection::One(self.pattern(action));
                self.builder.actions(selection)
            }
            (None, None) => {
                let help = "say which actions it gives: `allow: bucket/read`";
                self.report.wrong_at(it.at, 1, "an access list needs `allow` or `deny`", help);
                return;
            }
        };
        let statement = model::Statement {
            effect: if it.allows { Effect::Allow } else { Effect::Deny },
            actions,
            resources: self.any_resource(),
            conditions: self.conditions(&it.when),
            origin: self.origin(it.at),
        };
        let to: Short<Principal> = it.to.iter().map(|who| self.principal(who)).collect();
        let to = self.builder.list(&to);
        let admission = model::Admission {
            id: it.id.as_ref().map(|id| self.builder.name(id.text)),
            on,
            to,
            statement: self.builder.statement(statement),
        };
        self.builder.admission(admission);
    }

    pub(super) fn ceiling(&mut self, it: &entries::Ceiling<'_>) {
        let mut over = Vec::new();
        for named in it.over.0 {
            match self.thing(named) {
                Thing::Identity(id) => over.push(Bounded::Identity(id)),
                Thing::User(id) => over.push(Bounded::User(id)),
                Thing::Scope(id) => over.push(Bounded::Scope(id)),
                _ => {
                    let message =
                        format!("a ceiling bounds identities, users and scopes, not `{}`", named.text);
                    self.report.wrong_at(named.at, 1, message, "name an identity, a user or a scope");
                }
            }
        }
        if it.over.0.is_empty() {
            self.report.wrong_at(
                it.at,
                1,
                "a ceiling over nothing",
                "name an identity, a user or a scope in `over`",
            );
        }
        let ceiling = model::Ceiling {
            id: it.id.as_ref().map(|id| self.builder.name(id.text)),
            over: over.into(),
            statements: self.statements(it.statements),
            origin: self.origin(it.at),
        };
        self.builder.ceiling(ceiling);
    }

    pub(super) fn enrolment(&mut self, it: &entries::Enrolment<'_>) {
        let enrolment = model::Enrolment {
            system: self.builder.name(it.system.text),
            client_id: self.builder.name(it.client_id.0),
            role: self.builder.name(it.role.0),
            wide: it.wide,
            scope: self.mention(it.scope.as_ref()),
            origin: self.origin(it.at),
        };
        self.builder.enrolment(enrolment);
    }
}

/// Which kind of statement on a thing it is.
#[derive(Clone, Copy)]
pub(super) enum Side {
    Invoke,
    Trust,
    Access,
}

impl Side {
    /// The action that such a statement is about where it does not say.
    fn action(self) -> Option<&'static str> {
        match self {
            Self::Invoke => Some(INVOKE),
            Self::Trust => Some(ASSUME),
            Self::Access => None,
        }
    }

    fn fits(self, thing: Thing) -> bool {
        match self {
            Self::Invoke => matches!(thing, Thing::Function(_)),
            Self::Trust => matches!(thing, Thing::Identity(_)),
            Self::Access => matches!(thing, Thing::Resource(_)),
        }
    }

    fn wants(self) -> &'static str {
        match self {
            Self::Invoke => "a function: invoke permissions stand on functions",
            Self::Trust => "an identity: trust stands on identities",
            Self::Access => "a resource: access lists stand on resources",
        }
    }
}

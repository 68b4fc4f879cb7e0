//! From entries as written to things of the model.

mod code;
mod observed;
mod permissions;
mod proofs;
mod statements;

use pasaporte_core::estate::{
    self as model, Builder, CaseOfActions, CrossAccount, FileId, GroupId, IdentityId, Kept, Life, List,
    MemberKind, Name, Principal, ScopeId, ScopeKind, Thing, UserId,
};
use pasaporte_core::pattern::Pattern;

use permissions::Side;
use smallvec::SmallVec;
use statements::any_pattern;

use super::choices::Tags;
use super::document::Entity;
use super::entries;
use super::values::{
    Member, Moment, Name as Written, PrincipalName, THING_KINDS, Text, ThingName, scope_kind,
};
use crate::read::Report;
use crate::text::Position;

/// A list on its way into the estate, most often of a few.
type Short<T> = SmallVec<[T; 8]>;

/// Puts the entries of one file into the builder.
pub(super) struct Converter<'c, 'd> {
    pub(super) builder: &'c mut Builder,
    pub(super) file: FileId,
    pub(super) report: &'c mut Report<'d>,
}

impl Converter<'_, '_> {
    pub(super) fn entity(&mut self, entity: &Entity<'_>) {
        match entity {
            Entity::Scope(it) => self.scope(it),
            Entity::Function(it) => self.function(it),
            Entity::Endpoint(it) => self.endpoint(it, None),
            Entity::Trigger(it) => self.trigger(it, None),
            Entity::Identity(it) => self.identity(it),
            Entity::User(it) => self.user(it),
            Entity::Group(it) => self.group(it),
            Entity::PermissionSet(it) => self.permission_set(it),
            Entity::Grant(it) => self.grant(it, None),
            Entity::InvokePermission(it) => self.admission(it, None, Side::Invoke),
            Entity::Trust(it) => self.admission(it, None, Side::Trust),
            Entity::Access(it) => self.admission(it, None, Side::Access),
            Entity::Ceiling(it) => self.ceiling(it),
            Entity::Key(it) => self.key(it),
            Entity::Verifier(it) => self.verifier(it),
            Entity::Token(it) => self.token(it),
            Entity::Fingerprint(it) => self.fingerprint(it),
            Entity::Enrolment(it) => self.enrolment(it),
            Entity::Resource(it) => self.resource(it),
            Entity::Action(it) => self.action(it),
            Entity::Need(it) => self.need(it),
            Entity::Used(it) => self.used(it),
            Entity::Called(it) => self.called(it),
            Entity::Seen(it) => self.seen(it),
            Entity::Coverage(it) => self.coverage(it),
            Entity::BlindSpot(it) => self.blind_spot(it),
            Entity::Contract(it) => self.contract(it),
            Entity::Attempt(it) => self.attempt(it),
        }
    }

    fn origin(&self, at: Position) -> model::Origin {
        origin(self.file, at)
    }

    fn name(&mut self, text: Option<&Text<'_>>) -> Option<Name> {
        text.map(|text| self.builder.name(text.0))
    }

    fn names(&mut self, texts: &[Text<'_>]) -> Short<Name> {
        texts.iter().map(|text| self.builder.name(text.0)).collect()
    }

    fn list(&mut self, texts: &[Text<'_>]) -> List<Name> {
        let names = self.names(texts);
        self.builder.list(&names)
    }

    fn mention<K: Kept>(&mut self, name: Option<&Written<'_>>) -> Option<K> {
        name.map(|name| self.builder.mention(name.text))
    }

    fn tags(&mut self, tags: &Tags<'_>) -> List<(Name, Name)> {
        let mut all: Short<(Name, Name)> = tags
            .0
            .iter()
            .map(|(name, value)| (self.builder.name(name), self.builder.name(value.0)))
            .collect();
        all.sort_unstable();
        self.builder.list(&all)
    }

    fn scope(&mut self, it: &entries::Scope<'_>) {
        if it.kind.0 != ScopeKind::Account && (it.cross_account.is_some() || it.action_case.is_some()) {
            let message = "only an account has `cross_account` and `action_case`";
            self.report.wrong_at(it.at, 1, message, "say them of the account");
        }
        let id: ScopeId = self.builder.mention(it.id.text);
        let scope = model::Scope {
            kind: it.kind.0,
            parent: self.mention(it.scope.as_ref()),
            platform: it.platform.as_ref().map(|name| self.builder.name(name.text)),
            environment: it.environment.map(|word| word.0),
            owner: self.name(it.owner.as_ref()),
            runs_as: self.mention(it.runs_as.as_ref()),
            cross_account: it.cross_account.map_or(CrossAccount::BothSides, |word| word.0),
            action_case: it.action_case.map_or(CaseOfActions::Counts, |word| word.0),
            origin: self.origin(it.at),
        };
        let origin = scope.origin;
        self.builder.declare(id, scope, origin);
    }

    fn identity(&mut self, it: &entries::Identity<'_>) {
        let id: IdentityId = self.builder.mention(it.id.text);
        let identity = model::Identity {
            scope: self.mention(it.scope.as_ref()),
            kind: it.kind.0,
            life: it.life.map_or(Life::Standalone, |word| word.0),
            default: it.default,
            client_id: self.name(it.client_id.as_ref()),
            environment: it.environment.map(|word| word.0),
            tags: self.tags(&it.tags),
            name: self.name(it.name.as_ref()),
            credentials: it.credentials.iter().map(|it| self.credential(it)).collect(),
            origin: self.origin(it.at),
        };
        let origin = identity.origin;
        self.builder.declare(id, identity, origin);
        for admission in it.trust {
            self.admission(admission, Some(Thing::Identity(id)), Side::Trust);
        }
        self.grants(it.grants, Principal::Identity(id));
    }

    fn user(&mut self, it: &entries::User<'_>) {
        let id: UserId = self.builder.mention(it.id.text);
        let scope = self.mention(it.scope.as_ref());
        let name = self.name(it.name.as_ref());
        let user = model::User { scope, name, tags: self.tags(&it.tags), origin: self.origin(it.at) };
        let origin = user.origin;
        self.builder.declare(id, user, origin);
        self.grants(it.grants, Principal::User(id));
    }

    fn group(&mut self, it: &entries::Group<'_>) {
        let id: GroupId = self.builder.mention(it.id.text);
        let rule = it.rule.as_ref().map(|rule| model::MembershipRule {
            kind: rule.kind.map_or(MemberKind::Function, |word| word.0),
            within: self.mention(rule.scope.as_ref()),
            tag: rule.tag.as_ref().map(|tag| match tag.0.split_once('=') {
                Some((name, value)) => (self.builder.name(name), Some(self.builder.name(value))),
                None => (self.builder.name(tag.0), None),
            }),
            named: rule.named.as_ref().map(any_pattern),
        });
        let seen = it.members.0.iter().filter_map(|member| match member {
            Member::Seen(who) => Some(who),
            Member::Unseen => None,
        });
        let group = model::Group {
            scope: self.mention(it.scope.as_ref()),
            name: self.name(it.name.as_ref()),
            members: seen.map(|member| self.principal(member)).collect(),
            unseen: it.members.0.contains(&Member::Unseen),
            rule,
            origin: self.origin(it.at),
        };
        let origin = group.origin;
        self.builder.declare(id, group, origin);
        self.grants(it.grants, Principal::Group(id));
    }

    fn resource(&mut self, it: &entries::Resource<'_>) {
        let kind = it.id.kind;
        if THING_KINDS.contains(&kind) {
            let help = format!("{kind} things have a section of their own; name another kind of resource");
            self.report.wrong_at(it.id.at, 1, format!("`{kind}` is not a kind of resource"), help);
            return;
        }
        let name: model::ResourceId = self.builder.mention(it.id.text);
        let resource = model::Resource {
            name: self.name(it.name.as_ref()),
            kind: self.builder.name(kind),
            scope: self.mention(it.scope.as_ref()),
            sensitivity: it.sensitivity.map(|word| word.0),
            environment: it.environment.map(|word| word.0),
            owner: self.name(it.owner.as_ref()),
            tags: self.tags(&it.tags),
            origin: self.origin(it.at),
        };
        let origin = resource.origin;
        self.builder.declare(name, resource, origin);
        for admission in it.access {
            self.admission(admission, Some(Thing::Resource(name)), Side::Access);
        }
    }

    fn action(&mut self, it: &entries::Action<'_>) {
        let Ok(pattern) = Pattern::parse(it.action.0) else { return };
        let platform = it.platform.as_ref().map(|name| self.builder.name(name.text));
        let entry = model::ActionEntry { pattern, class: it.class.0, platform, origin: self.origin(it.at) };
        self.builder.action(entry);
    }

    fn need(&mut self, it: &entries::Need<'_>) {
        let need = model::Need {
            kind: self.builder.name(it.kind.text),
            does: it.does.0.iter().filter_map(|pattern| Pattern::parse(pattern.0).ok()).collect(),
            platform: it.platform.as_ref().map(|name| self.builder.name(name.text)),
            origin: self.origin(it.at),
        };
        self.builder.need(need);
    }

    /// The thing of a name: its kind was written, so the id is one of that kind's.
    fn thing(&mut self, named: &ThingName<'_>) -> Thing {
        let ThingName { kind, id, .. } = *named;
        if let Some(kind) = scope_kind(kind) {
            let origin = self.origin(named.at);
            return Thing::Scope(self.builder.mention_scope(kind, id, origin));
        }
        let builder = &mut *self.builder;
        match kind {
            "function" => Thing::Function(builder.mention(id)),
            "endpoint" => Thing::Endpoint(builder.mention(id)),
            "trigger" => Thing::Trigger(builder.mention(id)),
            "identity" => Thing::Identity(builder.mention(id)),
            "user" => Thing::User(builder.mention(id)),
            "group" => Thing::Group(builder.mention(id)),
            "permission-set" => Thing::Set(builder.mention(id)),
            "key" => Thing::Key(builder.mention(id)),
            "verifier" => Thing::Verifier(builder.mention(id)),
            "token" => Thing::Token(builder.mention(id)),
            "contract" => Thing::Contract(builder.mention(id)),
            _ => Thing::Resource(builder.mention(named.text)),
        }
    }

    fn principal(&mut self, named: &PrincipalName<'_>) -> Principal {
        let PrincipalName { kind, id, .. } = *named;
        match kind {
            "account" => {
                let origin = self.origin(named.at);
                Principal::Account(self.builder.mention_scope(ScopeKind::Account, id, origin))
            }
            "user" => Principal::User(self.builder.mention(id)),
            "identity" => Principal::Identity(self.builder.mention(id)),
            "service" => Principal::Service(self.builder.name(id)),
            "group" => Principal::Group(self.builder.mention(id)),
            "outside" => Principal::Outside(self.builder.name(id)),
            "key" => Principal::Key(self.builder.mention(id)),
            "token" => Principal::Token(self.builder.mention(id)),
            _ if named.text == "signed-in" => Principal::SignedIn,
            _ => Principal::Anyone,
        }
    }
}

/// A place in a text as the model keeps it.
pub(super) fn origin(file: FileId, at: Position) -> model::Origin {
    model::Origin { file, line: at.line, column: at.column }
}

fn moment(moment: Option<Moment>) -> Option<jiff::Timestamp> {
    moment.map(|moment| moment.0)
}

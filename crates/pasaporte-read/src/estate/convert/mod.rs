//! From entries as written to things of the model.

mod code;
mod proofs;

use pasaporte_core::access::{ASSUME, INVOKE};
use pasaporte_core::estate::{
    self as model, ActionsId, At, Attribute, Bounded, Builder, CaseOfActions, CrossAccount, Effect, FileId,
    GroupId, IdentityId, Kept, Life, List, MemberKind, Name, PatternId, Principal, ResourcesId, ScopeId,
    ScopeKind, Selection, SetId, SetOrigin, StatementId, Statements, Thing, UserId,
};
use pasaporte_core::pattern::Pattern;

use smallvec::SmallVec;

use super::choices::Tags;
use super::document::Entity;
use super::entries;
use super::statements::{Admission, Picked, Statement, Test, When};
use super::values::{
    ActionPattern, AnyPattern, Moment, Name as Written, PrincipalName, ResourcePattern, THING_KINDS, Text,
    ThingName, scope_kind,
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
            Entity::Enrolment(it) => self.enrolment(it),
            Entity::Resource(it) => self.resource(it),
            Entity::Action(it) => self.action(it),
            Entity::Usage(it) => self.usage(it),
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
        let user = model::User { scope, tags: self.tags(&it.tags), origin: self.origin(it.at) };
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
        let group = model::Group {
            scope: self.mention(it.scope.as_ref()),
            members: it.members.iter().map(|member| self.principal(member)).collect(),
            rule,
            origin: self.origin(it.at),
        };
        let origin = group.origin;
        self.builder.declare(id, group, origin);
        self.grants(it.grants, Principal::Group(id));
    }

    fn permission_set(&mut self, it: &entries::PermissionSet<'_>) {
        let id: SetId = self.builder.mention(it.id.text);
        let set = model::PermissionSet {
            scope: self.mention(it.scope.as_ref()),
            made_by: it.origin.map_or(SetOrigin::Custom, |word| word.0),
            statements: self.statements(it.statements),
            includes: it.includes.0.iter().map(|set| self.builder.mention(set.text)).collect(),
            origin: self.origin(it.at),
        };
        let origin = set.origin;
        self.builder.declare(id, set, origin);
    }

    fn grants(&mut self, grants: &[entries::Grant<'_>], holder: Principal) {
        for grant in grants {
            self.grant(grant, Some(holder));
        }
    }

    fn grant(&mut self, it: &entries::Grant<'_>, holder: Option<Principal>) {
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
            origin: self.origin(it.at),
        };
        self.builder.grant(grant);
    }

    fn admission(&mut self, it: &Admission<'_>, on: Option<Thing>, side: Side) {
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

    fn ceiling(&mut self, it: &entries::Ceiling<'_>) {
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

    fn enrolment(&mut self, it: &entries::Enrolment<'_>) {
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

    fn resource(&mut self, it: &entries::Resource<'_>) {
        let kind = it.id.kind;
        if THING_KINDS.contains(&kind) {
            let help = format!("{kind} things have a section of their own; name another kind of resource");
            self.report.wrong_at(it.id.at, 1, format!("`{kind}` is not a kind of resource"), help);
            return;
        }
        let name: model::ResourceId = self.builder.mention(it.id.text);
        let resource = model::Resource {
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
        let entry = model::ActionEntry { pattern, class: it.class.0, origin: self.origin(it.at) };
        self.builder.action(entry);
    }

    fn usage(&mut self, it: &entries::Usage<'_>) {
        let usage = model::Usage {
            principal: self.principal(&it.who),
            action: self.builder.name(it.did.text),
            on: it.to.as_ref().map(|thing| self.thing(thing)),
            count: it.count.unwrap_or(1),
            first: moment(it.first),
            last: moment(it.last),
            origin: self.origin(it.at),
        };
        self.builder.usage(usage);
    }

    fn coverage(&mut self, it: &entries::Coverage<'_>) {
        if it.from.0 >= it.to.0 {
            self.report.wrong_at(it.at, 1, "the logs end before they begin", "`from` is earlier than `to`");
        }
        let actions = it.actions.0.iter().filter_map(|action| Pattern::parse(action.0).ok()).collect();
        let coverage = model::LogCoverage {
            scope: self.builder.mention(it.scope.text),
            actions,
            from: it.from.0,
            to: it.to.0,
            origin: self.origin(it.at),
        };
        self.builder.coverage(coverage);
    }

    fn blind_spot(&mut self, it: &entries::BlindSpot<'_>) {
        let spot = model::BlindSpot {
            what: self.builder.name(it.what.0),
            why: self.name(it.why.as_ref()),
            hides: self.name(it.hides.as_ref()),
            scope: self.mention(it.scope.as_ref()),
            origin: self.origin(it.at),
        };
        self.builder.blind_spot(spot);
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

    fn statements(&mut self, statements: &[Statement<'_>]) -> Statements {
        let before = self.builder.statements_so_far();
        for statement in statements {
            self.statement(statement);
        }
        self.builder.statements_since(before)
    }

    fn statement(&mut self, it: &Statement<'_>) -> StatementId {
        let resources = match &it.on {
            Some(on) => self.resources(on),
            None => self.any_resource(),
        };
        let statement = model::Statement {
            effect: if it.allows { Effect::Allow } else { Effect::Deny },
            actions: self.actions(&it.actions),
            resources,
            conditions: self.conditions(&it.when),
            origin: self.origin(it.at),
        };
        self.builder.statement(statement)
    }

    fn actions(&mut self, picked: &Picked<'_, ActionPattern<'_>>) -> ActionsId {
        let selection = self.selection(picked, |pattern| pattern.0);
        self.builder.actions(selection)
    }

    fn resources(&mut self, picked: &Picked<'_, ResourcePattern<'_>>) -> ResourcesId {
        let selection = self.selection(picked, |pattern| pattern.0);
        self.builder.resources(selection)
    }

    fn any_resource(&mut self) -> ResourcesId {
        let selection = Selection::One(self.pattern("*"));
        self.builder.resources(selection)
    }

    /// What is picked; all but the exceptions where nothing else is listed.
    fn selection<P>(&mut self, picked: &Picked<'_, P>, text: impl Fn(&P) -> &str) -> Selection {
        match (picked.any, picked.except) {
            ([only], []) => Selection::One(self.pattern(text(only))),
            (any, except) => {
                let any: Short<PatternId> = any.iter().map(|pattern| self.pattern(text(pattern))).collect();
                let any = if any.is_empty() { Short::from_iter([self.pattern("*")]) } else { any };
                let except: Short<PatternId> =
                    except.iter().map(|pattern| self.pattern(text(pattern))).collect();
                Selection::new(&any, &except)
            }
        }
    }

    fn pattern(&mut self, text: &str) -> PatternId {
        self.builder.pattern(text).expect("patterns are checked as they are read")
    }

    fn conditions(&mut self, when: &When<'_>) -> Box<[model::Condition]> {
        let mut conditions: Vec<model::Condition> = when
            .tests
            .iter()
            .filter_map(|(name, test)| {
                let attribute = self.attribute(name)?;
                Some(model::Condition::Test(attribute, self.test(test)))
            })
            .collect();
        for text in when.opaque {
            conditions.push(model::Condition::Opaque(self.builder.name(text.0)));
        }
        conditions.into()
    }

    fn attribute(&mut self, name: &str) -> Option<Attribute> {
        Attribute::parse(name, |tag| Some(self.builder.name(tag)))
    }

    fn test(&mut self, test: &Test<'_>) -> model::Test {
        match test {
            Test::Equals(values) => model::Test::Equals(self.names(values).into_vec().into()),
            Test::NotEquals(values) => model::Test::NotEquals(self.names(values).into_vec().into()),
            Test::Like(patterns) => model::Test::Like(patterns.iter().map(any_pattern).collect()),
            Test::InNetwork(nets) => model::Test::InNetwork(nets.iter().map(|net| net.0).collect()),
            Test::Before(time) => model::Test::Before(time.0),
            Test::After(time) => model::Test::After(time.0),
            Test::Present(present) => model::Test::Present(*present),
        }
    }
}

/// A place in a text as the model keeps it.
pub(super) fn origin(file: FileId, at: Position) -> model::Origin {
    model::Origin { file, line: at.line, column: at.column }
}

/// Which kind of statement on a thing it is.
#[derive(Clone, Copy)]
enum Side {
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

fn moment(moment: Option<Moment>) -> Option<jiff::Timestamp> {
    moment.map(|moment| moment.0)
}

fn any_pattern(pattern: &AnyPattern<'_>) -> Pattern {
    Pattern::parse(pattern.0).expect("patterns are checked as they are read")
}

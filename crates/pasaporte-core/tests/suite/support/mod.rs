//! A short way to write small ferry estates in tests.
//!
//! Things are named by their ids; what a test does not say has the plainest value there is.

#![allow(
    dead_code,
    unreachable_pub,
    missing_docs,
    reason = "a module of test programs, each of which uses a part of it"
)]

use jiff::Timestamp;
use pasaporte_core::access::{Access, Answer, Context, Known, Question, Verdict};
use pasaporte_core::estate::*;
use pasaporte_core::pattern::Pattern;
use proptest::prelude::ProptestConfig;
use proptest::test_runner::RngSeed;

pub mod naive;
pub mod recipe;

/// How many random estates a law is held over: so many, or what `ESTATES` says. The usual ones are drawn as `usually` says;
/// whoever asks for a number gets others each time.
pub fn estates(usual: u32, usually: RngSeed) -> ProptestConfig {
    let asked = std::env::var("ESTATES").ok().and_then(|text| text.parse().ok());
    let rng_seed = if asked.is_some() { RngSeed::Random } else { usually };
    let cases = asked.unwrap_or(usual);
    ProptestConfig { cases, rng_seed, failure_persistence: None, ..ProptestConfig::default() }
}

pub struct World {
    pub builder: Builder,
    file: FileId,
    line: u32,
}

/// Statements in short: what they do, to which actions, on which resources, under which conditions.
#[derive(Clone)]
pub struct Line {
    effect: Effect,
    actions: Vec<String>,
    but: Vec<String>,
    resources: Vec<String>,
    but_on: Vec<String>,
    conditions: Vec<Condition>,
}

pub fn allow(actions: &[&str]) -> Line {
    Line {
        effect: Effect::Allow,
        actions: actions.iter().map(|each| (*each).to_owned()).collect(),
        but: Vec::new(),
        resources: vec!["*".to_owned()],
        but_on: Vec::new(),
        conditions: Vec::new(),
    }
}

pub fn deny(actions: &[&str]) -> Line {
    Line { effect: Effect::Deny, ..allow(actions) }
}

impl Line {
    pub fn on(mut self, resources: &[&str]) -> Self {
        self.resources = resources.iter().map(|each| (*each).to_owned()).collect();
        self
    }

    pub fn but(mut self, actions: &[&str]) -> Self {
        self.but = actions.iter().map(|each| (*each).to_owned()).collect();
        self
    }

    pub fn but_on(mut self, resources: &[&str]) -> Self {
        self.but_on = resources.iter().map(|each| (*each).to_owned()).collect();
        self
    }

    pub fn when(mut self, condition: Condition) -> Self {
        self.conditions.push(condition);
        self
    }
}

pub fn time(text: &str) -> Timestamp {
    format!("{text}T00:00:00Z").parse().unwrap()
}

impl Default for World {
    fn default() -> Self {
        let mut builder = Builder::default();
        let file = builder.file("test.yaml");
        let mut world = Self { builder, file, line: 0 };
        let origin = world.origin();
        world.builder.as_of(time("2026-11-20"), origin);
        world
    }
}

impl World {
    pub fn origin(&mut self) -> Origin {
        self.line += 1;
        Origin { file: self.file, line: self.line, column: 1 }
    }

    pub fn scope(&mut self, kind: ScopeKind, id: &str, parent: Option<&str>) -> ScopeId {
        self.scope_with(kind, id, parent, |_| {})
    }

    pub fn scope_with(
        &mut self,
        kind: ScopeKind,
        id: &str,
        parent: Option<&str>,
        change: impl FnOnce(&mut Scope),
    ) -> ScopeId {
        let origin = self.origin();
        let id: ScopeId = self.builder.mention(id);
        let mut scope = Scope {
            kind,
            parent: parent.map(|parent| self.builder.mention(parent)),
            platform: None,
            environment: None,
            owner: None,
            runs_as: None,
            cross_account: CrossAccount::BothSides,
            action_case: CaseOfActions::Counts,
            origin,
        };
        change(&mut scope);
        self.builder.declare(id, scope, origin);
        id
    }

    pub fn account(&mut self, id: &str) -> ScopeId {
        self.scope(ScopeKind::Account, id, None)
    }

    pub fn function(&mut self, id: &str, scope: &str, runs_as: Option<&str>) -> FunctionId {
        let origin = self.origin();
        let id: FunctionId = self.builder.mention(id);
        let function = Function {
            scope: Some(self.builder.mention(scope)),
            runtime: None,
            state: State::Enabled,
            environment: None,
            owner: None,
            version: None,
            runs_as: runs_as.map(|identity| self.builder.mention(identity)),
            settings: List::default(),
            handed: List::default(),
            name: None,
            tags: List::default(),
            origin,
        };
        self.builder.declare(id, function, origin);
        id
    }

    /// A function that is switched off, of no scope.
    pub fn function_off(&mut self, id: &str) -> FunctionId {
        let origin = self.origin();
        let id: FunctionId = self.builder.mention(id);
        let function = Function {
            scope: None,
            runtime: None,
            state: State::Disabled,
            environment: None,
            owner: None,
            version: None,
            runs_as: None,
            settings: List::default(),
            handed: List::default(),
            name: None,
            tags: List::default(),
            origin,
        };
        self.builder.declare(id, function, origin);
        id
    }

    pub fn identity(&mut self, id: &str, scope: &str) -> IdentityId {
        self.identity_tagged(id, scope, &[])
    }

    pub fn identity_tagged(&mut self, id: &str, scope: &str, tags: &[(&str, &str)]) -> IdentityId {
        let origin = self.origin();
        let id: IdentityId = self.builder.mention(id);
        let identity = Identity {
            scope: Some(self.builder.mention(scope)),
            kind: IdentityKind::ExecutionRole,
            life: Life::Standalone,
            default: false,
            client_id: None,
            environment: None,
            tags: self.tags(tags),
            name: None,
            credentials: Box::default(),
            origin,
        };
        self.builder.declare(id, identity, origin);
        id
    }

    pub fn user(&mut self, id: &str, scope: &str) -> UserId {
        let origin = self.origin();
        let id: UserId = self.builder.mention(id);
        let scope = Some(self.builder.mention(scope));
        self.builder.declare(id, User { scope, name: None, tags: List::default(), origin }, origin);
        id
    }

    pub fn group(&mut self, id: &str, members: &[Principal], rule: Option<MembershipRule>) -> GroupId {
        self.group_of(id, None, members, rule)
    }

    pub fn group_of(
        &mut self,
        id: &str,
        scope: Option<&str>,
        members: &[Principal],
        rule: Option<MembershipRule>,
    ) -> GroupId {
        let origin = self.origin();
        let id: GroupId = self.builder.mention(id);
        let scope = scope.map(|scope| self.builder.mention(scope));
        self.builder.declare(
            id,
            Group { scope, name: None, members: members.to_vec(), unseen: false, rule, origin },
            origin,
        );
        id
    }

    pub fn resource(&mut self, id: &str, scope: &str) -> Thing {
        self.resource_tagged(id, scope, &[])
    }

    pub fn tags(&mut self, tags: &[(&str, &str)]) -> List<(Name, Name)> {
        let tags: Vec<(Name, Name)> =
            tags.iter().map(|(name, value)| (self.builder.name(name), self.builder.name(value))).collect();
        self.builder.list(&tags)
    }

    pub fn resource_tagged(&mut self, id: &str, scope: &str, tags: &[(&str, &str)]) -> Thing {
        let tags = self.tags(tags);
        self.resource_with(id, scope, |resource| resource.tags = tags)
    }

    pub fn resource_with(&mut self, id: &str, scope: &str, change: impl FnOnce(&mut Resource)) -> Thing {
        let origin = self.origin();
        let name: ResourceId = self.builder.mention(id);
        let mut resource = Resource {
            name: None,
            kind: self.builder.name(id.split(':').next().unwrap()),
            scope: Some(self.builder.mention(scope)),
            sensitivity: None,
            environment: None,
            owner: None,
            tags: List::default(),
            origin,
        };
        change(&mut resource);
        self.builder.declare(name, resource, origin);
        Thing::Resource(name)
    }

    pub fn endpoint(&mut self, id: &str, function: FunctionId, check: Check, network: Network) -> EndpointId {
        self.way_in(id, function, Way::Direct, check, network)
    }

    /// A route through the gateway `front`.
    pub fn route(&mut self, id: &str, function: FunctionId, check: Check, presents: Presents) -> EndpointId {
        let way = Way::Route { gateway: self.builder.name("front"), presents };
        self.way_in(id, function, way, check, Network::Internet)
    }

    pub fn way_in(
        &mut self,
        id: &str,
        function: FunctionId,
        way: Way,
        check: Check,
        network: Network,
    ) -> EndpointId {
        let origin = self.origin();
        let id: EndpointId = self.builder.mention(id);
        let endpoint = Endpoint {
            function,
            way,
            check,
            network,
            methods: List::default(),
            path: None,
            url: None,
            keys_in: List::default(),
            allowed_origins: List::default(),
            allows_credentials: false,
            state: State::Enabled,
            origin,
        };
        self.builder.declare(id, endpoint, origin);
        id
    }

    pub fn names(&mut self, texts: &[&str]) -> List<Name> {
        let names: Vec<Name> = texts.iter().map(|text| self.builder.name(text)).collect();
        self.builder.list(&names)
    }

    /// The verifier `site`, of one issuer.
    pub fn verifier(&mut self, change: impl FnOnce(&mut Self, &mut Verifier)) {
        let origin = self.origin();
        let id: VerifierId = self.builder.mention("site");
        let mut verifier = Verifier {
            scope: None,
            issuers: self.names(&["site.example"]),
            audiences: List::default(),
            algorithms: List::default(),
            key_set: None,
            keys: None,
            checks_signature: true,
            checks_expiry: true,
            origin,
        };
        change(self, &mut verifier);
        self.builder.declare(id, verifier, origin);
    }

    /// A trigger on a source.
    pub fn trigger(&mut self, id: &str, function: FunctionId, source: Thing) -> TriggerId {
        let origin = self.origin();
        let id: TriggerId = self.builder.mention(id);
        let kind = self.builder.name("queue");
        let source = Some(source);
        let trigger =
            Trigger { function, source, kind, filter: None, state: State::Enabled, header: None, origin };
        self.builder.declare(id, trigger, origin);
        id
    }

    pub fn key(&mut self, id: &str, of: KeyOf, reach: KeyReach, change: impl FnOnce(&mut Key)) -> KeyId {
        let origin = self.origin();
        let id: KeyId = self.builder.mention(id);
        let mut key = Key {
            of,
            reach,
            state: State::Enabled,
            created: None,
            rotated: None,
            expires: None,
            last_used: LastUse::Unknown,
            observed_since: None,
            fingerprint: None,
            held_by: List::default(),
            seen_in: List::default(),
            origin,
        };
        change(&mut key);
        self.builder.declare(id, key, origin);
        id
    }

    fn selection(&mut self, any: &[String], except: &[String]) -> Selection {
        let mut patterns = |texts: &[String]| {
            texts.iter().map(|text| self.builder.pattern(text).unwrap()).collect::<Vec<_>>()
        };
        Selection::new(&patterns(any), &patterns(except))
    }

    pub fn statement(&mut self, line: &Line) -> StatementId {
        let actions = self.selection(&line.actions, &line.but);
        let resources = self.selection(&line.resources, &line.but_on);
        let statement = Statement {
            effect: line.effect,
            actions: self.builder.actions(actions),
            resources: self.builder.resources(resources),
            conditions: line.conditions.clone().into(),
            origin: self.origin(),
        };
        self.builder.statement(statement)
    }

    fn statements(&mut self, lines: &[Line]) -> Statements {
        let before = self.builder.statements_so_far();
        for line in lines {
            self.statement(line);
        }
        self.builder.statements_since(before)
    }

    pub fn set(&mut self, id: &str, lines: &[Line], includes: &[&str]) -> SetId {
        let origin = self.origin();
        let id: SetId = self.builder.mention(id);
        let set = PermissionSet {
            scope: None,
            made_by: MadeBy::Custom,
            statements: self.statements(lines),
            includes: includes.iter().map(|set| self.builder.mention(set)).collect(),
            origin,
        };
        self.builder.declare(id, set, origin);
        id
    }

    pub fn grant(&mut self, principal: Principal, at: At, lines: &[Line]) {
        self.grant_with(principal, at, lines, |_| {});
    }

    pub fn grant_with(
        &mut self,
        principal: Principal,
        at: At,
        lines: &[Line],
        change: impl FnOnce(&mut Grant),
    ) {
        let mut grant = Grant {
            id: None,
            principal,
            set: None,
            statements: self.statements(lines),
            at,
            conditions: Box::default(),
            expires: None,
            made_by: MadeBy::Custom,
            origin: self.origin(),
        };
        change(&mut grant);
        self.builder.grant(grant);
    }

    pub fn admit(&mut self, on: Thing, to: &[Principal], line: &Line) {
        let statement = self.statement(line);
        let to = self.builder.list(to);
        self.builder.admission(Admission { id: None, on, to, statement });
    }

    pub fn ceiling(&mut self, over: Bounded, lines: &[Line]) {
        let ceiling = Ceiling {
            id: None,
            over: Box::new([over]),
            statements: self.statements(lines),
            origin: self.origin(),
        };
        self.builder.ceiling(ceiling);
    }

    pub fn finish(self) -> Estate {
        self.builder.finish().map_err(|refused| refused.1).unwrap()
    }
}

/// A membership rule that asks for nothing.
pub fn everybody(kind: MemberKind) -> MembershipRule {
    MembershipRule { kind, within: None, tag: None, named: None }
}

pub fn named(pattern: &str) -> Pattern {
    Pattern::parse(pattern).unwrap()
}

/// Asks a question with nothing fixed.
pub fn ask<'e>(access: &Access<'e>, principal: Principal, action: &str, on: Thing) -> Answer<'e> {
    let action = access.action(action);
    access.decide(&Question { principal, action: &action, on, given: &Context::default() })
}

/// The verdict on a question with something fixed.
pub fn given(
    access: &Access<'_>,
    principal: Principal,
    action: &str,
    on: Thing,
    facts: &[(Attribute, Known)],
) -> Verdict {
    let mut context = Context::default();
    for (attribute, known) in facts {
        context.fix(*attribute, known.clone());
    }
    let action = access.action(action);
    access.decide(&Question { principal, action: &action, on, given: &context }).verdict
}

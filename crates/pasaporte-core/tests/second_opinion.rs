//! The decision against a second evaluator, written from access-model §4 clause by clause, that
//! shares nothing with the first but the words of the model: its own matching, its own membership,
//! its own walk up the scopes, plain loops over everything.
//!
//! Of each random estate every principal is asked about every action on every thing. `ESTATES` asks for more
//! random estates than the usual number.

mod support;

use pasaporte_core::access::{Access, Context, Known, Question, Verdict};
use pasaporte_core::estate::{
    At, Attribute, Bounded, CaseOfActions, CeilingId, Condition, CrossAccount, Effect, Estate, FunctionId,
    GrantId, Id, IdentityId, MemberKind, MembershipRule, Principal, ScopeId, ScopeKind, Selection,
    StatementId, Test, Thing,
};
use pasaporte_core::pattern::Pattern;
use proptest::prelude::*;
use support::{Line, World, allow, deny, time};

/// A recipe for a small estate: what is random about it.
#[derive(Debug, Clone)]
struct Recipe {
    one_side: [bool; 2],
    any_case: [bool; 2],
    rules: Vec<Option<usize>>,
    members: Vec<(usize, usize)>,
    includes: Vec<(usize, usize)>,
    sets: Vec<Vec<Sentence>>,
    grants: Vec<Held>,
    admissions: Vec<(usize, Vec<usize>, Sentence)>,
    ceilings: Vec<(usize, Vec<Sentence>)>,
}

/// A grant: who, a set, statements, a place, whether it had ended.
type Held = (usize, Option<usize>, Vec<Sentence>, usize, bool);

/// A statement: deny?, action pattern, exception, resource pattern, condition.
type Sentence = (bool, usize, Option<usize>, usize, usize);

const ACTIONS: [&str; 4] = ["table/read", "table/write", "queue/send", "function/invoke"];
const ACTION_PATTERNS: [&str; 8] =
    ["*", "table/*", "table/read", "?*/read", "queue/send", "*/???*", "function/invoke", "Table/R*"];
/// Conditions by number: none, one that nobody understands, one that the question answers with yes, one that it
/// answers with no, one that it leaves open, one on a tag of the caller, and one on a tag of the resource.
const CONDITIONS: usize = 7;
/// Rules of groups by number: functions of an area, functions by name, identities with a tag, all users.
const RULES: usize = 4;
const RESOURCE_PATTERNS: [&str; 6] = ["*", "table:*", "table:a", "*:b", "function:?", "queue:none"];
const GROUPS: usize = 3;

fn sentence() -> impl Strategy<Value = Sentence> {
    (
        prop::bool::weighted(0.25),
        0..ACTION_PATTERNS.len(),
        prop::option::weighted(0.2, 0..ACTION_PATTERNS.len()),
        0..RESOURCE_PATTERNS.len(),
        prop_oneof![4 => Just(0), 1 => 1..CONDITIONS],
    )
}

fn sentences() -> impl Strategy<Value = Vec<Sentence>> {
    prop::collection::vec(sentence(), 0..3)
}

/// Principals by number: anyone, signed-in, two accounts, three groups, three identities, a service, an outsider,
/// a user, a key.
const PRINCIPALS: usize = 14;
/// Places by number: everywhere, an organization, two accounts, an app, two tables, a function.
const PLACES: usize = 8;

fn recipe() -> impl Strategy<Value = Recipe> {
    (
        (any::<[bool; 2]>(), any::<[bool; 2]>()),
        prop::collection::vec(prop::option::weighted(0.3, 0..RULES), GROUPS),
        prop::collection::vec((0..GROUPS, 0..PRINCIPALS), 0..4),
        prop::collection::vec((0..3usize, 0..3usize), 0..3),
        prop::collection::vec(sentences(), 3),
        prop::collection::vec(
            (0..PRINCIPALS, prop::option::of(0..3usize), sentences(), 0..PLACES, prop::bool::weighted(0.1)),
            0..6,
        ),
        prop::collection::vec((5..PLACES, prop::collection::vec(0..PRINCIPALS, 1..3), sentence()), 0..4),
        prop::collection::vec((0..6usize, sentences()), 0..2),
    )
        .prop_map(
            |((one_side, any_case), rules, members, includes, sets, grants, admissions, ceilings)| Recipe {
                one_side,
                any_case,
                rules,
                members,
                includes,
                sets,
                grants,
                admissions,
                ceilings,
            },
        )
}

/// The estate of a recipe, with its principals and things by number.
fn cook(recipe: &Recipe) -> (Estate, Vec<Principal>, Vec<Thing>) {
    let mut world = World::default();
    let organization = world.scope(ScopeKind::Organization, "o", None);
    let side = |one| if one { CrossAccount::OneSide } else { CrossAccount::BothSides };
    let case = |ignored| if ignored { CaseOfActions::Ignored } else { CaseOfActions::Counts };
    let mut account = |id: &str, at: usize| {
        world.scope_with(ScopeKind::Account, id, Some("o"), |scope| {
            scope.cross_account = side(recipe.one_side[at]);
            scope.action_case = case(recipe.any_case[at]);
        })
    };
    let (a, b) = (account("a", 0), account("b", 1));
    let app = world.scope(ScopeKind::App, "app", Some("a"));
    let identities = [
        world.identity_tagged("i", "app", &[("team", "tides")]),
        world.identity_tagged("j", "a", &[("team", "berths")]),
        world.identity("k", "b"),
    ];
    let tables = [
        world.resource_tagged("table:a", "app", &[("team", "tides")]),
        world.resource_tagged("table:b", "b", &[("team", "berths")]),
    ];
    let function = Thing::Function(world.function("f", "app", Some("i")));
    let mut principals =
        vec![Principal::Anyone, Principal::SignedIn, Principal::Account(a), Principal::Account(b)];
    for number in 0..GROUPS {
        principals.push(Principal::Group(world.builder.mention(&format!("g{number}"))));
    }
    principals.extend(identities.map(Principal::Identity));
    principals.push(Principal::Service(world.builder.name("notifier")));
    principals.push(Principal::Outside(world.builder.name("x.example/y")));
    principals.push(Principal::User(world.user("crew", "a")));
    principals.push(Principal::Key(world.builder.mention("spare")));
    let scopes = [organization, a, b, app].map(Thing::Scope);
    let things: Vec<Thing> = scopes.into_iter().chain(tables).chain([function]).collect();
    for number in 0..GROUPS {
        // A group lists only those after it, so that there is no circle.
        let members =
            recipe.members.iter().filter(|(group, _)| *group == number).map(|(_, who)| principals[*who]);
        let later = |who: &Principal| match who {
            Principal::Group(_) => principals[4..=4 + number].iter().all(|earlier| earlier != who),
            _ => true,
        };
        let members: Vec<Principal> = members.filter(later).collect();
        let rule = recipe.rules[number].map(|rule| rule_of(&mut world, rule));
        world.group(&format!("g{number}"), &members, rule);
    }
    let line = |world: &mut World, sentence: &Sentence| -> Line {
        let (denies, action, except, resource, condition) = *sentence;
        let line = if denies { deny(&[ACTION_PATTERNS[action]]) } else { allow(&[ACTION_PATTERNS[action]]) };
        let line = line.on(&[RESOURCE_PATTERNS[resource]]);
        let line = match except {
            Some(except) => line.but(&[ACTION_PATTERNS[except]]),
            None => line,
        };
        match condition_of(world, condition) {
            Some(condition) => line.when(condition),
            None => line,
        }
    };
    let lines = |world: &mut World, sentences: &[Sentence]| -> Vec<Line> {
        sentences.iter().map(|sentence| line(world, sentence)).collect()
    };
    for (number, sentences) in recipe.sets.iter().enumerate() {
        let content = lines(&mut world, sentences);
        let includes: Vec<String> = recipe
            .includes
            .iter()
            .filter(|(set, included)| *set == number && included > set)
            .map(|(_, included)| format!("s{included}"))
            .collect();
        let includes: Vec<&str> = includes.iter().map(String::as_str).collect();
        world.set(&format!("s{number}"), &content, &includes);
    }
    for (who, set, sentences, place, ended) in &recipe.grants {
        let content = lines(&mut world, sentences);
        let at = place.checked_sub(1).map_or(At::Everywhere, |thing| At::Thing(things[thing]));
        let set = set.map(|set| world.builder.mention(&format!("s{set}")));
        let expires = ended.then(|| time("2026-11-20"));
        world.grant_with(principals[*who], at, &content, |grant| {
            grant.set = set;
            grant.expires = expires;
        });
    }
    for (place, to, sentence) in &recipe.admissions {
        let content = lines(&mut world, &[*sentence]);
        let to: Vec<Principal> = to.iter().map(|who| principals[*who]).collect();
        world.admit(things[place - 1], &to, &content[0]);
    }
    for (over, sentences) in &recipe.ceilings {
        let content = lines(&mut world, sentences);
        let over = match over {
            0..3 => Bounded::Identity(identities[*over]),
            over => Bounded::Scope([organization, a, b][over - 3]),
        };
        world.ceiling(over, &content);
    }
    (world.finish(), principals, things)
}

fn rule_of(world: &mut World, rule: usize) -> MembershipRule {
    let none = MembershipRule { kind: MemberKind::Function, within: None, tag: None, named: None };
    match rule {
        0 => MembershipRule { within: Some(world.builder.mention("a")), ..none },
        1 => MembershipRule { named: Some(Pattern::parse("f*").unwrap()), ..none },
        2 => {
            let tag = (world.builder.name("team"), Some(world.builder.name("berths")));
            MembershipRule { kind: MemberKind::Identity, tag: Some(tag), ..none }
        }
        _ => MembershipRule { kind: MemberKind::User, ..none },
    }
}

fn condition_of(world: &mut World, condition: usize) -> Option<Condition> {
    let mut equals = |attribute, value: &str| {
        Some(Condition::Test(attribute, Test::Equals(Box::new([world.builder.name(value)]))))
    };
    match condition {
        0 => None,
        2 => equals(Attribute::SecondFactor, "true"),
        3 => equals(Attribute::SecureTransport, "true"),
        4 => equals(Attribute::TokenAudience, "web"),
        1 => Some(Condition::Opaque(world.builder.name("open"))),
        5 | 6 => {
            let (team, tides) = (world.builder.name("team"), world.builder.name("tides"));
            let tag = if condition == 5 { Attribute::CallerTag(team) } else { Attribute::ResourceTag(team) };
            Some(Condition::Test(tag, Test::Equals(Box::new([tides]))))
        }
        other => unreachable!("{other} is no condition"),
    }
}

/// What every question fixes.
fn given() -> Context {
    Context::at(Some(time("2026-11-20")))
        .with(Attribute::SecondFactor, Known::Text("true".to_owned()))
        .with(Attribute::SecureTransport, Known::Text("false".to_owned()))
}

fn verdict(access: &Access<'_>, principal: Principal, action: &str, on: Thing) -> Verdict {
    let (action, given) = (access.action(action), given());
    access.verdict(&Question { principal, action: &action, on, given: &given })
}

/// The second evaluator.
struct Naive<'e> {
    estate: &'e Estate,
    grants: usize,
    ceilings: usize,
}

/// No, perhaps, yes.
type Tri = i8;

impl Naive<'_> {
    fn decide(&self, who: Principal, action: &str, on: Thing) -> Tri {
        let names = self.names(who);
        let mut caller = (0, 0);
        for grant in (0..self.grants).map(|index| self.estate.grant(GrantId::new(index))) {
            let holds_here = match grant.at {
                At::Everywhere => true,
                At::Thing(place) => self.chain(on).contains(&place),
            };
            let ended = grant.expires.is_some_and(|end| Some(end) <= self.estate.as_of());
            if names.contains(&grant.principal) && holds_here && !ended {
                let mut statements: Vec<StatementId> = grant.statements.ids().collect();
                let mut sets: Vec<_> = grant.set.into_iter().collect();
                while let Some(set) = sets.pop() {
                    if let Some(set) = self.estate.get(set) {
                        statements.extend(set.statements.ids());
                        sets.extend(&set.includes);
                    }
                }
                self.weigh(&statements, who, action, on, &mut caller);
            }
        }
        let mut resource = (0, 0);
        for admission in self.estate.admissions() {
            if admission.on == on && self.estate.list(admission.to).iter().any(|to| names.contains(to)) {
                self.weigh(&[admission.statement], who, action, on, &mut resource);
            }
        }
        let allowed = match who {
            Principal::Anyone | Principal::SignedIn | Principal::Service(_) | Principal::Key(_) => {
                caller.0.max(resource.0)
            }
            Principal::Outside(_) if self.one_side(on) => caller.0.max(resource.0),
            Principal::Outside(_) => resource.0,
            _ if self.account(who, on) => caller.0.max(resource.0),
            _ => caller.0.min(resource.0),
        };
        let mut answer = allowed.min(2 - caller.1.max(resource.1));
        for ceiling in (0..self.ceilings).map(|index| self.estate.ceiling(CeilingId::new(index))) {
            let home = match who {
                Principal::Identity(id) => self.chain(Thing::Identity(id)),
                Principal::User(id) => self.chain(Thing::User(id)),
                Principal::Account(id) => self.chain(Thing::Scope(id)),
                _ => Vec::new(),
            };
            let binds = ceiling.over.iter().any(|over| match over {
                Bounded::Identity(id) => who == Principal::Identity(*id),
                Bounded::Scope(id) => home.contains(&Thing::Scope(*id)),
            });
            if binds {
                let mut bound = (0, 0);
                self.weigh(&ceiling.statements.ids().collect::<Vec<_>>(), who, action, on, &mut bound);
                answer = answer.min(bound.0).min(2 - bound.1);
            }
        }
        answer
    }

    /// Raises (allowed, denied) by the statements that apply.
    fn weigh(
        &self,
        statements: &[StatementId],
        who: Principal,
        action: &str,
        on: Thing,
        weight: &mut (Tri, Tri),
    ) {
        let ignored = self.account_of(on).and_then(|account| self.estate.get(account));
        let ignored = ignored.is_some_and(|account| account.action_case == CaseOfActions::Ignored);
        for statement in statements.iter().map(|id| self.estate.statement(*id)) {
            let resource = self.estate.label(on);
            if self.picks(self.estate.actions_picked(statement.actions), action, ignored)
                && self.picks(self.estate.resources_picked(statement.resources), &resource, false)
            {
                let holds =
                    statement.conditions.iter().map(|each| self.holds(each, who, on)).min().unwrap_or(2);
                match statement.effect {
                    Effect::Allow => weight.0 = weight.0.max(holds),
                    Effect::Deny => weight.1 = weight.1.max(holds),
                }
            }
        }
    }

    /// The conditions of these estates, by what every question fixes and by tags.
    fn holds(&self, condition: &Condition, who: Principal, on: Thing) -> Tri {
        let Condition::Test(attribute, Test::Equals(wanted)) = condition else { return 1 };
        let tags = |tags: pasaporte_core::estate::List<(_, _)>| self.estate.list(tags).to_vec();
        let (name, tags) = match attribute {
            Attribute::SecondFactor => return 2,
            Attribute::SecureTransport => return 0,
            Attribute::CallerTag(name) => match who {
                Principal::Identity(id) => (name, self.estate.get(id).map(|it| tags(it.tags))),
                _ => (name, None),
            },
            Attribute::ResourceTag(name) => match on {
                Thing::Resource(id) => (name, self.estate.get(id).map(|it| tags(it.tags))),
                _ => (name, None),
            },
            _ => return 1,
        };
        let value = tags.into_iter().flatten().find(|(each, _)| each == name);
        value.map_or(1, |(_, value)| if wanted.contains(&value) { 2 } else { 0 })
    }

    fn picks(&self, selection: &Selection, text: &str, ignored: bool) -> bool {
        let fold = |text: &str| if ignored { text.to_lowercase() } else { text.to_owned() };
        let text: Vec<char> = fold(text).chars().collect();
        let matched = |id: &_| {
            let pattern: Vec<char> = fold(self.estate.pattern(*id).text()).chars().collect();
            matches(&pattern, &text)
        };
        selection.any().iter().any(matched) && !selection.except().iter().any(matched)
    }

    fn names(&self, who: Principal) -> Vec<Principal> {
        let mut names = vec![who, Principal::Anyone];
        let home = match who {
            Principal::Identity(id) => Some(Thing::Identity(id)),
            Principal::User(id) => Some(Thing::User(id)),
            _ => None,
        };
        if let Some(home) = home {
            names.extend(self.chain(home).into_iter().filter_map(|thing| match thing {
                Thing::Scope(scope) if self.is_account(scope) => Some(Principal::Account(scope)),
                _ => None,
            }));
        }
        if matches!(
            who,
            Principal::Identity(_) | Principal::User(_) | Principal::Outside(_) | Principal::Account(_)
        ) {
            names.push(Principal::SignedIn);
        }
        loop {
            let before = names.len();
            for (id, group) in self.estate.all() {
                let group: &pasaporte_core::estate::Group = group;
                let name = Principal::Group(id);
                let listed = group.members.iter().any(|member| names.contains(member));
                let ruled = group.rule.as_ref().is_some_and(|rule| self.rule_takes(rule, who));
                if !names.contains(&name) && (listed || ruled) {
                    names.push(name);
                }
            }
            if names.len() == before {
                return names;
            }
        }
    }

    /// The rules of these estates, read off their definition: a rule sees an identity and the functions that run
    /// as it.
    fn rule_takes(&self, rule: &MembershipRule, who: Principal) -> bool {
        let fits = |thing: Thing, id: &str, tags: Vec<_>| {
            rule.within.is_none_or(|scope| self.chain(thing).contains(&Thing::Scope(scope)))
                && rule
                    .tag
                    .is_none_or(|(name, value)| tags.iter().any(|tag| *tag == (name, value.unwrap_or(name))))
                && rule.named.as_ref().is_none_or(|pattern| {
                    let pattern: Vec<char> = pattern.text().chars().collect();
                    matches(&pattern, &id.chars().collect::<Vec<_>>())
                })
        };
        match (rule.kind, who) {
            (MemberKind::User, Principal::User(id)) => fits(Thing::User(id), self.estate.id(id), Vec::new()),
            (MemberKind::Identity | MemberKind::Function, Principal::Identity(id)) => {
                let itself = || {
                    let tags = self.estate.get(id).map(|it| self.estate.list(it.tags).to_vec());
                    fits(Thing::Identity(id), self.estate.id(id), tags.unwrap_or_default())
                };
                let runs = |function: FunctionId| {
                    let it = self.estate.get(function).unwrap();
                    it.runs_as == Some(id)
                        && fits(Thing::Function(function), self.estate.id(function), Vec::new())
                };
                (rule.kind == MemberKind::Identity && itself())
                    || self.estate.all::<FunctionId>().any(|(function, _)| runs(function))
            }
            _ => false,
        }
    }

    /// The thing, what it lies in, what that lies in …
    fn chain(&self, thing: Thing) -> Vec<Thing> {
        std::iter::successors(Some(thing), |at| self.estate.parent(*at)).collect()
    }

    fn is_account(&self, scope: ScopeId) -> bool {
        self.estate.get(scope).is_some_and(|scope| scope.kind == ScopeKind::Account)
    }

    fn account_of(&self, thing: Thing) -> Option<ScopeId> {
        self.chain(thing).into_iter().find_map(|thing| match thing {
            Thing::Scope(scope) if self.is_account(scope) => Some(scope),
            _ => None,
        })
    }

    fn one_side(&self, on: Thing) -> bool {
        let account = self.account_of(on).and_then(|account| self.estate.get(account));
        account.is_some_and(|account| account.cross_account == CrossAccount::OneSide)
    }

    /// Whether one side is enough between a principal and a thing.
    fn account(&self, who: Principal, on: Thing) -> bool {
        let home = match who {
            Principal::Identity(id) => self.account_of(Thing::Identity(id)),
            Principal::User(id) => self.account_of(Thing::User(id)),
            Principal::Account(id) => Some(id),
            _ => None,
        };
        home == self.account_of(on) || self.one_side(on)
    }
}

/// Matching by trying every split of a run.
fn matches(pattern: &[char], text: &[char]) -> bool {
    match pattern.split_first() {
        None => text.is_empty(),
        Some(('*', rest)) => (0..=text.len()).any(|taken| matches(rest, &text[taken..])),
        Some(('?', rest)) => text.split_first().is_some_and(|(_, left)| matches(rest, left)),
        Some((one, rest)) => {
            text.split_first().is_some_and(|(next, left)| next == one && matches(rest, left))
        }
    }
}

fn as_number(verdict: Verdict) -> Tri {
    match verdict {
        Verdict::No => 0,
        Verdict::Depends => 1,
        Verdict::Yes => 2,
    }
}

/// The answers to all questions about an estate.
fn answers(recipe: &Recipe) -> Vec<Tri> {
    let (estate, principals, things) = cook(recipe);
    let access = Access::new(&estate);
    let mut all = Vec::new();
    for &principal in &principals {
        for action in ACTIONS {
            all.extend(things[4..].iter().map(|&on| as_number(verdict(&access, principal, action, on))));
        }
    }
    all
}

/// How many random estates a test takes: so many, or what `ESTATES` says.
fn estates(usual: u32) -> ProptestConfig {
    let asked = std::env::var("ESTATES").ok().and_then(|text| text.parse().ok());
    ProptestConfig { cases: asked.unwrap_or(usual), failure_persistence: None, ..ProptestConfig::default() }
}

proptest! {
    #![proptest_config(estates(1000))]

    // 1000 estates × 11 principals that are no groups × 4 actions × 3 things: 132,000 questions.
    #[test]
    fn both_evaluators_answer_alike(recipe in recipe()) {
        let (estate, principals, things) = cook(&recipe);
        let access = Access::new(&estate);
        let naive = Naive { estate: &estate, grants: recipe.grants.len(), ceilings: recipe.ceilings.len() };
        for &principal in &principals {
            for action in ACTIONS {
                for &on in &things[4..] {
                    // Groups of no scope are of no account; the model says nothing of ceilings on their members.
                    if matches!(principal, Principal::Group(_)) {
                        continue;
                    }
                    let (prepared, given) = (access.action(action), given());
                    let question = Question { principal, action: &prepared, on, given: &given };
                    let answer = access.decide(&question);
                    prop_assert_eq!(
                        as_number(answer.verdict),
                        naive.decide(principal, action, on),
                        "{} {} {}: {:?}",
                        estate.principal_label(principal), action, estate.label(on), answer
                    );
                    prop_assert_eq!(access.verdict(&question), answer.verdict);
                }
            }
        }
    }
}

proptest! {
    #![proptest_config(estates(250))]

    #[test]
    fn an_allow_never_takes_and_a_deny_never_gives(recipe in recipe(), who in 0..PRINCIPALS, place in 0..PLACES) {
        let before = answers(&recipe);
        let mut more = recipe.clone();
        more.grants.push((who, None, vec![(false, 0, None, 0, 0)], place, false));
        prop_assert!(answers(&more).iter().zip(&before).all(|(after, before)| after >= before));
        let mut less = recipe;
        less.grants.push((who, None, vec![(true, 0, None, 0, 0)], place, false));
        prop_assert!(answers(&less).iter().zip(&before).all(|(after, before)| after <= before));
    }

    #[test]
    fn order_never_matters(recipe in recipe()) {
        let before = answers(&recipe);
        let mut turned = recipe;
        turned.grants.reverse();
        turned.admissions.reverse();
        turned.ceilings.reverse();
        turned.members.reverse();
        prop_assert_eq!(answers(&turned), before);
    }

    /// How statements are shared out among grants is a matter of taste.
    #[test]
    fn a_grant_of_many_statements_is_as_many_grants(recipe in recipe()) {
        let before = answers(&recipe);
        let mut apart = recipe.clone();
        apart.grants.clear();
        for (who, set, lines, place, ended) in recipe.grants {
            apart.grants.push((who, set, Vec::new(), place, ended));
            apart.grants.extend(lines.into_iter().map(|line| (who, None, vec![line], place, ended)));
        }
        prop_assert_eq!(answers(&apart), before);
    }

    /// Whatever becomes known of a call, a plain answer stays, and what is settled by some of it stays settled by more.
    #[test]
    fn facts_settle_what_was_open_and_nothing_else(
        recipe in recipe(), second_factor: bool, secure: bool, audience in "web|app"
    ) {
        let (estate, principals, things) = cook(&recipe);
        let access = Access::new(&estate);
        let known = |fact: bool| Known::Text(fact.to_string());
        let little = Context::at(Some(time("2026-11-20")));
        let more = little.clone().with(Attribute::SecondFactor, known(second_factor));
        let all = more.clone()
            .with(Attribute::SecureTransport, known(secure))
            .with(Attribute::TokenAudience, Known::Text(audience));
        for &principal in &principals {
            for (action, &on) in ACTIONS.iter().flat_map(|action| things[4..].iter().map(move |on| (action, on))) {
                let action = access.action(action);
                let [little, more, all] = [&little, &more, &all]
                    .map(|given| access.verdict(&Question { principal, action: &action, on, given }));
                prop_assert!(little == Verdict::Depends || (little == more && more == all));
                prop_assert!(more == Verdict::Depends || more == all);
            }
        }
    }

    /// Turned around: whoever is given invoking by name, and only they, are those of whom the decision says so.
    #[test]
    fn who_may_is_everybody_of_whom_the_decision_says_so(recipe in recipe()) {
        let (estate, principals, things) = cook(&recipe);
        let access = Access::new(&estate);
        let (invoke, on) = (access.invoke(), things[6]);
        let found = access.who_may(access.invokers(), invoke, on, &given());
        let may = |principal| access.verdict(&Question { principal, action: invoke, on, given: &given() });
        for &principal in &principals {
            let of_group = |group| access.everybody_in(group).into_iter().map(may).max();
            let expected = match principal {
                Principal::Group(group) => may(principal).max(of_group(group).unwrap_or(Verdict::No)),
                _ => may(principal),
            };
            let told = found.iter().find(|(who, _)| *who == principal).map(|(_, verdict)| *verdict);
            if let Some(verdict) = told {
                prop_assert_eq!(verdict, expected, "{}", estate.principal_label(principal));
                continue;
            }
            // Who is not told bears the name of somebody who is, or may not. A group that is given nothing may
            // through its members, each of whom is told.
            let names = access.names(principal);
            let by_another_name = found.iter().any(|(who, _)| names.contains(who));
            let expected = if matches!(principal, Principal::Group(_)) { may(principal) } else { expected };
            prop_assert!(
                expected == Verdict::No || by_another_name,
                "{} may, and is not told", estate.principal_label(principal)
            );
        }
    }

    /// Opened up: the rights of an identity count exactly the things on which the decision allows something.
    #[test]
    fn rights_count_what_the_decision_allows(recipe in recipe()) {
        let (estate, _, things) = cook(&recipe);
        let access = Access::new(&estate);
        let identities: Vec<IdentityId> = estate.all().map(|(id, _)| id).collect();
        for identity in identities {
            let principal = Principal::Identity(identity);
            let reach = access.reach(principal, &given());
            for (action, on) in [("table/read", things[4]), ("table/write", things[5]), ("function/invoke", things[6])] {
                let verdict = verdict(&access, principal, action, on);
                let service = action.split('/').next().unwrap();
                let told = reach.rights.iter().filter(|right| ["*", service].contains(&&*right.service.to_lowercase()));
                let mut acts = told.flat_map(|right| &right.acts).filter(|act| act.surely + act.perhaps > 0);
                if verdict != Verdict::No {
                    prop_assert!(acts.next().is_some(), "{} {action}: no right says so", estate.id(identity));
                }
            }
            let everything_denied = reach.rights.iter().flat_map(|right| &right.acts).all(|act| act.surely == 0);
            // An action is counted on things of its own kind.
            let own = [("table/read", 4), ("table/read", 5), ("table/write", 4), ("table/write", 5), ("function/invoke", 6)];
            let may_surely =
                own.iter().any(|(action, on)| verdict(&access, principal, action, things[*on]) == Verdict::Yes);
            prop_assert!(!(everything_denied && may_surely), "{}", estate.id(identity));
        }
    }
}

#[test]
fn a_group_of_one_equals_its_member() {
    let estate = |through_group: bool| {
        let mut world = World::default();
        world.account("tickets");
        let role = Principal::Identity(world.identity("role", "tickets"));
        let table = world.resource("table:a", "tickets");
        let group = Principal::Group(world.group("only", &[role], None));
        world.grant(if through_group { group } else { role }, At::Everywhere, &[allow(&["table/*"])]);
        (world.finish(), role, table)
    };
    for action in ACTIONS {
        let verdicts = [false, true].map(|through_group| {
            let (estate, role, table) = estate(through_group);
            verdict(&Access::new(&estate), role, action, table)
        });
        assert_eq!(verdicts[0], verdicts[1]);
    }
}

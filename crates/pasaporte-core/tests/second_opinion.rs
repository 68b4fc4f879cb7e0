//! The decision against a second evaluator, written from access-model §4 clause by clause, that
//! shares nothing with the first but the words of the model: its own matching, its own membership,
//! its own walk up the scopes, plain loops over everything.
//!
//! `PROPTEST_CASES` asks for more random estates than the usual number.

mod support;

use pasaporte_core::access::{Access, Verdict};
use pasaporte_core::estate::{
    At, Bounded, CeilingId, Condition, CrossAccount, Effect, Estate, GrantId, Id, Principal, ScopeId,
    ScopeKind, Selection, StatementId, Thing,
};
use proptest::prelude::*;
use support::{Line, World, allow, ask, deny};

/// A recipe for a small estate: what is random about it.
#[derive(Debug, Clone)]
struct Recipe {
    one_side: [bool; 2],
    members: Vec<(usize, usize)>,
    includes: Vec<(usize, usize)>,
    sets: Vec<Vec<Sentence>>,
    grants: Vec<(usize, Option<usize>, Vec<Sentence>, usize)>,
    admissions: Vec<(usize, Vec<usize>, Sentence)>,
    ceilings: Vec<(usize, Vec<Sentence>)>,
}

/// A statement: deny?, action pattern, exception, resource pattern, an open condition?
type Sentence = (bool, usize, Option<usize>, usize, bool);

const ACTIONS: [&str; 4] = ["table/read", "table/write", "queue/send", "function/invoke"];
const ACTION_PATTERNS: [&str; 7] =
    ["*", "table/*", "table/read", "?*/read", "queue/send", "*/???*", "function/invoke"];
const RESOURCE_PATTERNS: [&str; 6] = ["*", "table:*", "table:a", "*:b", "function:?", "queue:none"];
const GROUPS: usize = 3;

fn sentence() -> impl Strategy<Value = Sentence> {
    (
        prop::bool::weighted(0.25),
        0..ACTION_PATTERNS.len(),
        prop::option::weighted(0.2, 0..ACTION_PATTERNS.len()),
        0..RESOURCE_PATTERNS.len(),
        prop::bool::weighted(0.2),
    )
}

fn sentences() -> impl Strategy<Value = Vec<Sentence>> {
    prop::collection::vec(sentence(), 0..3)
}

/// Principals by number: anyone, signed-in, two accounts, three groups, three identities, a service, an outsider.
const PRINCIPALS: usize = 12;
/// Places by number: everywhere, an organization, two accounts, an app, two tables, a function.
const PLACES: usize = 8;

fn recipe() -> impl Strategy<Value = Recipe> {
    (
        any::<[bool; 2]>(),
        prop::collection::vec((0..GROUPS, 0..PRINCIPALS), 0..4),
        prop::collection::vec((0..3usize, 0..3usize), 0..3),
        prop::collection::vec(sentences(), 3),
        prop::collection::vec((0..PRINCIPALS, prop::option::of(0..3usize), sentences(), 0..PLACES), 0..6),
        prop::collection::vec((5..PLACES, prop::collection::vec(0..PRINCIPALS, 1..3), sentence()), 0..4),
        prop::collection::vec((0..6usize, sentences()), 0..2),
    )
        .prop_map(|(one_side, members, includes, sets, grants, admissions, ceilings)| Recipe {
            one_side,
            members,
            includes,
            sets,
            grants,
            admissions,
            ceilings,
        })
}

/// The estate of a recipe, with its principals and things by number.
fn cook(recipe: &Recipe) -> (Estate, Vec<Principal>, Vec<Thing>) {
    let mut world = World::default();
    let organization = world.scope(ScopeKind::Organization, "o", None);
    let side = |one| if one { CrossAccount::OneSide } else { CrossAccount::BothSides };
    let (first, second) = (side(recipe.one_side[0]), side(recipe.one_side[1]));
    let a = world.scope_with(ScopeKind::Account, "a", Some("o"), |scope| scope.cross_account = first);
    let b = world.scope_with(ScopeKind::Account, "b", Some("o"), |scope| scope.cross_account = second);
    let app = world.scope(ScopeKind::App, "app", Some("a"));
    let identities = [world.identity("i", "app"), world.identity("j", "a"), world.identity("k", "b")];
    let tables = [world.resource("table:a", "app"), world.resource("table:b", "b")];
    let function = Thing::Function(world.function("f", "app", Some("i")));
    let mut principals =
        vec![Principal::Anyone, Principal::SignedIn, Principal::Account(a), Principal::Account(b)];
    for number in 0..GROUPS {
        principals.push(Principal::Group(world.builder.mention(&format!("g{number}"))));
    }
    principals.extend(identities.map(Principal::Identity));
    principals.push(Principal::Service(world.builder.name("notifier")));
    principals.push(Principal::Outside(world.builder.name("x.example/y")));
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
        world.group(&format!("g{number}"), &members, None);
    }
    let line = |world: &mut World, sentence: &Sentence| -> Line {
        let (denies, action, except, resource, open) = *sentence;
        let line = if denies { deny(&[ACTION_PATTERNS[action]]) } else { allow(&[ACTION_PATTERNS[action]]) };
        let line = line.on(&[RESOURCE_PATTERNS[resource]]);
        let line = match except {
            Some(except) => line.but(&[ACTION_PATTERNS[except]]),
            None => line,
        };
        if open { line.when(Condition::Opaque(world.builder.name("open"))) } else { line }
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
    for (who, set, sentences, place) in &recipe.grants {
        let content = lines(&mut world, sentences);
        let at = place.checked_sub(1).map_or(At::Everywhere, |thing| At::Thing(things[thing]));
        let set = set.map(|set| world.builder.mention(&format!("s{set}")));
        world.grant_with(principals[*who], at, &content, |grant| grant.set = set);
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
            if names.contains(&grant.principal) && holds_here {
                let mut statements = grant.statements.to_vec();
                let mut sets: Vec<_> = grant.set.into_iter().collect();
                while let Some(set) = sets.pop() {
                    if let Some(set) = self.estate.get(set) {
                        statements.extend(&set.statements);
                        sets.extend(&set.includes);
                    }
                }
                self.weigh(&statements, action, on, &mut caller);
            }
        }
        let mut resource = (0, 0);
        for admission in self.estate.admissions() {
            if admission.on == on && self.estate.list(admission.to).iter().any(|to| names.contains(to)) {
                self.weigh(&[admission.statement], action, on, &mut resource);
            }
        }
        let allowed = match who {
            Principal::Anyone | Principal::SignedIn | Principal::Service(_) => caller.0.max(resource.0),
            Principal::Outside(_) if self.one_side(on) => caller.0.max(resource.0),
            Principal::Outside(_) => resource.0,
            _ if self.account(who, on) => caller.0.max(resource.0),
            _ => caller.0.min(resource.0),
        };
        let mut answer = allowed.min(2 - caller.1.max(resource.1));
        for ceiling in (0..self.ceilings).map(|index| self.estate.ceiling(CeilingId::new(index))) {
            let home = match who {
                Principal::Identity(id) => self.chain(Thing::Identity(id)),
                Principal::Account(id) => self.chain(Thing::Scope(id)),
                _ => Vec::new(),
            };
            let binds = ceiling.over.iter().any(|over| match over {
                Bounded::Identity(id) => who == Principal::Identity(*id),
                Bounded::Scope(id) => home.contains(&Thing::Scope(*id)),
            });
            if binds {
                let mut bound = (0, 0);
                self.weigh(&ceiling.statements, action, on, &mut bound);
                answer = answer.min(bound.0).min(2 - bound.1);
            }
        }
        answer
    }

    /// Raises (allowed, denied) by the statements that apply.
    fn weigh(&self, statements: &[StatementId], action: &str, on: Thing, weight: &mut (Tri, Tri)) {
        for statement in statements.iter().map(|id| self.estate.statement(*id)) {
            let resource = self.estate.label(on);
            if self.picks(self.estate.actions_picked(statement.actions), action)
                && self.picks(self.estate.resources_picked(statement.resources), &resource)
            {
                let holds = if statement.conditions.is_empty() { 2 } else { 1 };
                match statement.effect {
                    Effect::Allow => weight.0 = weight.0.max(holds),
                    Effect::Deny => weight.1 = weight.1.max(holds),
                }
            }
        }
    }

    fn picks(&self, selection: &Selection, text: &str) -> bool {
        let text: Vec<char> = text.chars().collect();
        let matched = |id: &_| {
            let pattern: Vec<char> = self.estate.pattern(*id).text().chars().collect();
            matches(&pattern, &text)
        };
        selection.any().iter().any(matched) && !selection.except().iter().any(matched)
    }

    fn names(&self, who: Principal) -> Vec<Principal> {
        let mut names = vec![who, Principal::Anyone];
        if let Principal::Identity(id) = who {
            names.extend(self.chain(Thing::Identity(id)).into_iter().filter_map(|thing| match thing {
                Thing::Scope(scope) if self.is_account(scope) => Some(Principal::Account(scope)),
                _ => None,
            }));
        }
        if matches!(who, Principal::Identity(_) | Principal::Outside(_) | Principal::Account(_)) {
            names.push(Principal::SignedIn);
        }
        loop {
            let before = names.len();
            for (id, group) in self.estate.all() {
                let group: &pasaporte_core::estate::Group = group;
                let name = Principal::Group(id);
                if !names.contains(&name) && group.members.iter().any(|member| names.contains(member)) {
                    names.push(name);
                }
            }
            if names.len() == before {
                return names;
            }
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
            all.extend(things[4..].iter().map(|&on| as_number(ask(&access, principal, action, on).verdict)));
        }
    }
    all
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 1000, ..ProptestConfig::default() })]

    // 1000 estates × 9 principals that are no groups × 4 actions × 3 things: 108,000 questions.
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
                    let answer = ask(&access, principal, action, on);
                    prop_assert_eq!(
                        as_number(answer.verdict),
                        naive.decide(principal, action, on),
                        "{} {} {}: {:?}",
                        estate.principal_label(principal), action, estate.label(on), answer
                    );
                }
            }
        }
    }

    #[test]
    fn an_allow_never_takes_and_a_deny_never_gives(recipe in recipe(), who in 0..PRINCIPALS, place in 0..PLACES) {
        let before = answers(&recipe);
        let mut more = recipe.clone();
        more.grants.push((who, None, vec![(false, 0, None, 0, false)], place));
        prop_assert!(answers(&more).iter().zip(&before).all(|(after, before)| after >= before));
        let mut less = recipe;
        less.grants.push((who, None, vec![(true, 0, None, 0, false)], place));
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
            ask(&Access::new(&estate), role, action, table).verdict
        });
        assert_eq!(verdicts[0], verdicts[1]);
    }
}

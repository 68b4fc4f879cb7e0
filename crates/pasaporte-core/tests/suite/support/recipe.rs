//! Random small estates: what is random about one is its recipe, and everything in it has a number.

use pasaporte_core::estate::*;
use pasaporte_core::pattern::Pattern;
use proptest::prelude::*;

use super::{Line, World, allow, deny, time};

/// A recipe for a small estate.
#[derive(Debug, Clone)]
pub struct Recipe {
    pub one_side: [bool; 2],
    pub any_case: [bool; 2],
    pub secret: [bool; 2],
    pub rules: Vec<Option<usize>>,
    pub members: Vec<(usize, usize)>,
    pub includes: Vec<(usize, usize)>,
    pub sets: Vec<Vec<Sentence>>,
    pub grants: Vec<Held>,
    pub admissions: Vec<(usize, Vec<usize>, Sentence)>,
    pub ceilings: Vec<(usize, Vec<Sentence>)>,
    pub doors: Vec<Door>,
    pub key: (usize, usize),
    pub public_token: usize,
    pub fed: bool,
    /// The platforms of the two accounts: none, or one of two.
    pub platforms: [usize; 2],
    pub words: Vec<Word>,
}

/// A grant: who, a set, statements, a place, whether it had ended.
pub type Held = (usize, Option<usize>, Vec<Sentence>, usize, bool);

/// A statement: deny?, action pattern, exception, resource pattern, exception, condition.
pub type Sentence = (bool, usize, Option<usize>, usize, Option<usize>, usize);

/// A line of the catalogue: pattern, class, and the platform that it is about, if it is about one.
pub type Word = (usize, usize, usize);

/// A door of function `f`: check, network, what a gateway presents (none for a direct one).
pub type Door = (usize, usize, Option<usize>);

pub const ACTIONS: [&str; 12] = [
    "table/read",
    "table/write",
    "queue/send",
    "function/invoke",
    "function/update",
    "identity/assume",
    "access/write",
    "key/read",
    "table/list",
    "table/s-an",
    "user/assume",
    "group/assume",
];
pub const ACTION_PATTERNS: [&str; 16] = [
    "*",
    "table/*",
    "table/read",
    "?*/read",
    "queue/send",
    "*/???*",
    "function/invoke",
    "Table/R*",
    "function/*",
    "access/*",
    "identity/assume",
    "table/s?an",
    "key/*",
    "*/write",
    "user/*",
    "group/assume",
];
/// Patterns of lines of the catalogue.
pub const WORDS: [&str; 7] =
    ["table/zz", "*/zzzz", "table/*", "queue/send", "function/strange", "table/s?an", "identity/zz"];
/// Classes that lines of the catalogue give.
pub const CLASSES: [ActionClass; 6] = [
    ActionClass::List,
    ActionClass::Read,
    ActionClass::Write,
    ActionClass::Invoke,
    ActionClass::Code,
    ActionClass::Identity,
];
/// Platforms, from 1; 0 is none.
pub const PLATFORMS: [&str; 2] = ["siroco", "levante"];
/// Conditions by number: none, one that nobody understands, one that the question answers with yes, one that it
/// answers with no, one that it leaves open, one on a tag of the caller, one on a tag of the resource, from a public
/// network, from a private one, of account `b`, with the queue as the source.
pub const CONDITIONS: usize = 11;
/// Rules of groups by number: functions of an area, functions by name, identities with a tag, all users.
pub const RULES: usize = 4;
pub const RESOURCE_PATTERNS: [&str; 13] = [
    "*",
    "table:*",
    "table:a",
    "*:b",
    "function:?",
    "queue:none",
    "function:*",
    "identity:*",
    "account:*",
    "key:*",
    "queue:q",
    "user:*",
    "group:g?",
];
pub const GROUPS: usize = 3;
/// Principals by number: anyone, signed-in, three accounts (the last not in the estate), three groups, five
/// identities (the last two of a place that is not in the estate, and of no account), a service, an outsider, a user, a
/// key, a token.
pub const PRINCIPALS: usize = 18;
/// Places by number: everywhere, an organization, two accounts, an app, two tables, two functions, a queue, an identity, a
/// table of a place that is not in the estate.
pub const PLACES: usize = 12;
/// The network that conditions name as public.
pub const PUBLIC: &str = "203.0.113.0/24";
pub const PRIVATE: &str = "10.0.0.0/8";

fn sentence() -> impl Strategy<Value = Sentence> {
    (
        prop::bool::weighted(0.25),
        0..ACTION_PATTERNS.len(),
        prop::option::weighted(0.15, 0..ACTION_PATTERNS.len()),
        0..RESOURCE_PATTERNS.len(),
        prop::option::weighted(0.15, 0..RESOURCE_PATTERNS.len()),
        prop_oneof![4 => Just(0), 1 => 1..CONDITIONS],
    )
}

fn sentences() -> impl Strategy<Value = Vec<Sentence>> {
    prop::collection::vec(sentence(), 0..3)
}

pub fn recipe() -> impl Strategy<Value = Recipe> {
    (
        (any::<[bool; 2]>(), any::<[bool; 2]>(), any::<[bool; 2]>()),
        prop::collection::vec(prop::option::weighted(0.3, 0..RULES), GROUPS),
        prop::collection::vec((0..GROUPS, 0..PRINCIPALS), 0..4),
        prop::collection::vec((0..3usize, 0..3usize), 0..3),
        prop::collection::vec(sentences(), 3),
        prop::collection::vec(
            (0..PRINCIPALS, prop::option::of(0..3usize), sentences(), 0..PLACES, prop::bool::weighted(0.1)),
            0..6,
        ),
        prop::collection::vec((5..PLACES, prop::collection::vec(0..PRINCIPALS, 1..3), sentence()), 0..4),
        prop::collection::vec((0..7usize, sentences()), 0..2),
        (
            prop::collection::vec((0..4usize, 0..3usize, prop::option::of(0..4usize)), 0..3),
            (0..3usize, 0..4usize),
            0..3usize,
            any::<bool>(),
        ),
        (
            [0..3usize, 0..3usize],
            prop_oneof![
                2 => Just(Vec::new()),
                1 => prop::collection::vec((0..WORDS.len(), 0..CLASSES.len(), 0..3usize), 1..5),
            ],
        ),
    )
        .prop_map(|(sides, rules, members, includes, sets, grants, admissions, ceilings, ways, read)| {
            let (one_side, any_case, secret) = sides;
            let (doors, key, public_token, fed) = ways;
            let (platforms, words) = read;
            Recipe {
                one_side,
                any_case,
                secret,
                rules,
                members,
                includes,
                sets,
                grants,
                admissions,
                ceilings,
                doors,
                key,
                public_token,
                fed,
                platforms,
                words,
            }
        })
}

/// An estate with its principals, its things, and what was made of the recipe's numbers.
pub struct Cooked {
    pub estate: Estate,
    pub principals: Vec<Principal>,
    /// Two tables, two functions, a queue, five identities, a key, a user, three groups, the scopes: organization, two
    /// accounts, an app; and a table of a place that is not there.
    pub things: Vec<Thing>,
    pub function: FunctionId,
    /// Two of account `a`, one of `b`, one of a place that is not there, and one of the organization and no account.
    pub identities: [IdentityId; 5],
    pub key: KeyId,
    pub verifier: VerifierId,
}

/// The estate of a recipe.
pub fn cook(recipe: &Recipe) -> Cooked {
    cook_with(recipe, |_, _, _| {})
}

/// The estate of a recipe, with what is added to it at the end: principals and things by their numbers.
#[expect(clippy::too_many_lines, reason = "one world, thing by thing")]
pub fn cook_with(recipe: &Recipe, add: impl FnOnce(&mut World, &[Principal], &[Thing])) -> Cooked {
    let mut world = World::default();
    let organization = world.scope(ScopeKind::Organization, "o", None);
    let side = |one| if one { CrossAccount::OneSide } else { CrossAccount::BothSides };
    let case = |ignored| if ignored { CaseOfActions::Ignored } else { CaseOfActions::Counts };
    let platforms = PLATFORMS.map(|platform| world.builder.name(platform));
    let platform = |number: usize| number.checked_sub(1).map(|at| platforms[at]);
    for &(pattern, class, of) in &recipe.words {
        let origin = world.origin();
        let pattern = Pattern::parse(WORDS[pattern]).unwrap();
        let entry = ActionEntry { pattern, class: CLASSES[class], platform: platform(of), origin };
        world.builder.action(entry);
    }
    let mut account = |id: &str, at: usize| {
        world.scope_with(ScopeKind::Account, id, Some("o"), |scope| {
            scope.cross_account = side(recipe.one_side[at]);
            scope.action_case = case(recipe.any_case[at]);
            scope.platform = platform(recipe.platforms[at]);
        })
    };
    let (a, b) = (account("a", 0), account("b", 1));
    let app = world.scope(ScopeKind::App, "app", Some("a"));
    let identities = [
        world.identity_tagged("i", "app", &[("team", "tides")]),
        world.identity_tagged("j", "a", &[("team", "berths")]),
        world.identity("k", "b"),
        world.identity("l", "lost"),
        world.identity("m", "o"),
    ];
    let secret = |secret: bool| secret.then_some(Sensitivity::Confidential);
    let tags = [world.tags(&[("team", "tides")]), world.tags(&[("team", "berths")])];
    let table = |world: &mut World, id: &str, scope: &str, at: usize| {
        world.resource_with(id, scope, |it| {
            it.tags = tags[at];
            it.sensitivity = secret(recipe.secret[at]);
        })
    };
    let tables = [table(&mut world, "table:a", "app", 0), table(&mut world, "table:b", "b", 1)];
    let function = world.function("f", "app", Some("i"));
    let other = world.function("g", "b", Some("k"));
    let queue = world.resource("queue:q", "a");
    let lost = world.resource("table:c", "lost");
    let key = spare_key(&mut world, recipe, function, app);
    let verifier: VerifierId = world.builder.mention("site");
    world.verifier(|_, _| {});
    public_token(&mut world, recipe.public_token);
    let mut principals = vec![
        Principal::Anyone,
        Principal::SignedIn,
        Principal::Account(a),
        Principal::Account(b),
        Principal::Account(world.builder.mention("x")),
    ];
    for number in 0..GROUPS {
        principals.push(Principal::Group(world.builder.mention(&format!("g{number}"))));
    }
    principals.extend(identities.map(Principal::Identity));
    principals.push(Principal::Service(world.builder.name("notifier")));
    principals.push(Principal::Outside(world.builder.name("x.example/y")));
    let user = world.user("crew", "a");
    principals.extend([Principal::User(user), Principal::Key(key), Principal::Token(verifier)]);
    let scopes = [organization, a, b, app].map(Thing::Scope);
    let functions = [function, other].map(Thing::Function);
    let people = identities.map(Thing::Identity);
    let places: Vec<Thing> =
        scopes.into_iter().chain(tables).chain(functions).chain([queue, people[1], lost]).collect();
    let groups: Vec<Principal> = principals[5..5 + GROUPS].to_vec();
    for number in 0..GROUPS {
        // A group lists only those after it, so that there is no circle.
        let members =
            recipe.members.iter().filter(|(group, _)| *group == number).map(|(_, who)| principals[*who]);
        let later = |who: &Principal| !groups[..=number].contains(who);
        let members: Vec<Principal> = members.filter(later).collect();
        let rule = recipe.rules[number].map(|rule| rule_of(&mut world, rule));
        // One is of no account, and of each account there is one.
        let scope = [None, Some("a"), Some("b")][number];
        world.group_of(&format!("g{number}"), scope, &members, rule);
    }
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
        let at = place.checked_sub(1).map_or(At::Everywhere, |thing| At::Thing(places[thing]));
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
        world.admit(places[place - 1], &to, &content[0]);
    }
    for (over, sentences) in &recipe.ceilings {
        let content = lines(&mut world, sentences);
        let over = match over {
            0..3 => Bounded::Identity(identities[*over]),
            3 => Bounded::User(user),
            over => Bounded::Scope([organization, a, b][over - 4]),
        };
        world.ceiling(over, &content);
    }
    doors(&mut world, recipe, function, identities[1], key, verifier);
    if recipe.fed {
        world.trigger("f-on-q", function, queue);
    }
    let things: Vec<Thing> = tables
        .into_iter()
        .chain(functions)
        .chain([queue])
        .chain(people)
        .chain([Thing::Key(key), Thing::User(user)])
        .chain(groups.iter().filter_map(|group| group.thing()))
        .chain(scopes)
        .chain([lost])
        .collect();
    add(&mut world, &principals, &things);
    Cooked { estate: world.finish(), principals, things, function, identities, key, verifier }
}

fn spare_key(world: &mut World, recipe: &Recipe, function: FunctionId, app: ScopeId) -> KeyId {
    let (reach, state) = recipe.key;
    let (of, reach) = match reach {
        0 => (KeyOf::Function(function), KeyReach::Function),
        1 => (KeyOf::Scope(app), KeyReach::App),
        _ => (KeyOf::Scope(app), KeyReach::Admin),
    };
    world.key("spare", of, reach, |key| match state {
        0 => {}
        1 => key.state = State::Disabled,
        2 => key.expires = Some(time("2026-01-01")),
        _ => {
            key.expires = Some(time("2026-01-01"));
            key.last_used = LastUse::At(time("2026-11-19"));
        }
    })
}

/// No public token, one of another issuer, or one that passes.
fn public_token(world: &mut World, which: usize) {
    if which == 0 {
        return;
    }
    let issuer = if which == 1 { "other.example" } else { "site.example" };
    let origin = world.origin();
    let id: TokenId = world.builder.mention("web");
    let token = Token {
        issuer: Some(world.builder.name(issuer)),
        audiences: List::default(),
        algorithm: None,
        key_id: None,
        public: true,
        issued: None,
        expires: None,
        fingerprint: None,
        verifier: None,
        origin,
    };
    world.builder.declare(id, token, origin);
}

fn doors(
    world: &mut World,
    recipe: &Recipe,
    function: FunctionId,
    front: IdentityId,
    key: KeyId,
    verifier: VerifierId,
) {
    for (number, (check, network, presents)) in recipe.doors.iter().enumerate() {
        let check = match check {
            0 => Check::None,
            1 => Check::Key(KeyReach::Function),
            2 => Check::Identity,
            _ => Check::Token(verifier),
        };
        let network = match network {
            0 => Network::Internet,
            1 => Network::Internal,
            _ => Network::Listed(Box::new([PUBLIC.parse().unwrap()])),
        };
        let way = match presents {
            None => Way::Direct,
            Some(presents) => Way::Route {
                gateway: world.builder.name("front"),
                presents: match presents {
                    0 => Presents::Nothing,
                    1 => Presents::Identity(front),
                    2 => Presents::Key(key),
                    _ => Presents::Service(world.builder.name("notifier")),
                },
            },
        };
        world.way_in(&format!("door-{number}"), function, way, check, network);
    }
}

fn lines(world: &mut World, sentences: &[Sentence]) -> Vec<Line> {
    let line = |world: &mut World, sentence: &Sentence| -> Line {
        let (denies, action, except, resource, but, condition) = *sentence;
        let line = if denies { deny(&[ACTION_PATTERNS[action]]) } else { allow(&[ACTION_PATTERNS[action]]) };
        let line = line.on(&[RESOURCE_PATTERNS[resource]]);
        let line = match except {
            Some(except) => line.but(&[ACTION_PATTERNS[except]]),
            None => line,
        };
        let line = match but {
            Some(but) => line.but_on(&[RESOURCE_PATTERNS[but]]),
            None => line,
        };
        match condition_of(world, condition) {
            Some(condition) => line.when(condition),
            None => line,
        }
    };
    sentences.iter().map(|sentence| line(world, sentence)).collect()
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
    let within = |net: &str| Test::InNetwork(Box::new([net.parse().unwrap()]));
    match condition {
        0 => None,
        1 => Some(Condition::Opaque(world.builder.name("open"))),
        2 => equals(Attribute::SecondFactor, "true"),
        3 => equals(Attribute::SecureTransport, "true"),
        4 => equals(Attribute::TokenAudience, "web"),
        5 | 6 => {
            let (team, tides) = (world.builder.name("team"), world.builder.name("tides"));
            let tag = if condition == 5 { Attribute::CallerTag(team) } else { Attribute::ResourceTag(team) };
            Some(Condition::Test(tag, Test::Equals(Box::new([tides]))))
        }
        7 => Some(Condition::Test(Attribute::CallerNetwork, within(PUBLIC))),
        8 => Some(Condition::Test(Attribute::CallerNetwork, within(PRIVATE))),
        9 => equals(Attribute::CallerAccount, "b"),
        10 => equals(Attribute::SourceResource, "queue:q"),
        other => unreachable!("{other} is no condition"),
    }
}

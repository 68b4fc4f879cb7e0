//! A function's passport: who it is, who may enter, where it may go, its keys, what is wrong with it.

mod of_endpoint;
mod of_identity;
mod of_key;
pub(crate) mod used;

use std::collections::BTreeSet;

use pasaporte_audit::{Audit, Finding, grouped};
use pasaporte_core::access::Verdict;
use pasaporte_core::effect::Effects;
use pasaporte_core::entry::{Exposure, Standing};
use pasaporte_core::estate::{
    ActionClass, Check, EndpointId, Environment, Estate, Function, FunctionId, IdentityId, IdentityKind,
    KeyId, KeyOf, KeyReach, Presents, Principal, Shows, State, Thing, TriggerId, Vocabulary, Way,
};
use schemars::JsonSchema;
use serde::Serialize;

pub use of_endpoint::EndpointCard;
pub use of_identity::{ActsOut, EnrolmentOut, IdentityCard, looked_at_for_identity};
pub use of_key::{KeyCard, OpenedOut, SeenOut, looked_at_for_key};
pub use used::{CallsOut, DoneOut, SumOut};

use used::{calls_at, runs, used_of_service};

use crate::dates::{date, last_used};
use crate::finding::{FindingOut, Texts};
use crate::paths::{FarOut, from_here};
use crate::{
    ActOut, BecomingOut, Door, Entered, Entrant, PlaceOut, Reached, ServiceOut, TriggerOut, account,
};
use pasaporte_core::paths::Node;
use pasaporte_read::estate::Word;

/// The version of passports of functions and identities.
const CARD_VERSION: u64 = 2;

/// A function's passport.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte card, version 2")]
pub struct Card {
    /// The version of this output.
    pub card: u64,
    /// The function.
    pub function: String,
    /// What people call it.
    pub name: Option<String>,
    /// The platform it is on.
    pub platform: Option<String>,
    /// The account it is of.
    pub account: Option<String>,
    /// The environment it is judged by; null is judged as production.
    pub environment: Option<Word<Environment>>,
    /// Who answers for it.
    pub owner: Option<String>,
    /// Language and version.
    pub runtime: Option<String>,
    /// The deployed version.
    pub version: Option<String>,
    /// Switched on or off.
    pub state: Word<State>,
    /// What it runs as.
    pub runs_as: Option<RunsAs>,
    /// Secrets that the platform hands to it, whatever its identity may read.
    pub handed: Vec<String>,
    /// The widest circle of strangers who get in.
    pub exposed_to: Word<Exposure>,
    /// Whether they surely do.
    pub exposed_surely: bool,
    /// Every way in, and who it lets in: endpoints, invoking, events.
    pub entries: Vec<WayIn>,
    /// What it may do in effect, by service: what reaches confidential things first.
    pub exits: Vec<Exit>,
    /// What it may do besides because any signed-in caller may, or anyone.
    pub exits_as_anyone: Vec<Exit>,
    /// Identities that it can act as.
    pub can_become: Vec<BecomingOut>,
    /// How far whoever controls it gets to what matters, beyond what anyone gets to as well; null where that was not worked
    /// out, in a very large estate.
    pub far: Option<Vec<FarOut>>,
    /// The keys that are made for it, those that open it first.
    pub keys: Vec<KeyOut>,
    /// What the audit finds about it, its ways in, its keys and what it runs as; worst first.
    pub findings: Vec<FindingOut>,
    /// Where it was read.
    pub read_from: Option<PlaceOut>,
}

/// The identity that a function runs as.
#[derive(Debug, Serialize, JsonSchema)]
pub struct RunsAs {
    /// The identity.
    pub identity: String,
    /// Its kind; null where it is not in the estate.
    pub kind: Option<Word<IdentityKind>>,
    /// Whether the platform made it for everybody.
    pub default: bool,
    /// The other functions that run as it.
    pub shared_with: Vec<String>,
    /// The worst that it may do, in words; null where that is no more than running code.
    pub may: Option<String>,
}

/// A way in.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct WayIn {
    /// `endpoint`, `route`, `invoke` or `event`.
    pub kind: &'static str,
    /// The endpoint or trigger; null for invoking.
    pub thing: Option<String>,
    /// How it is used: methods and path, or the source of events.
    pub way: String,
    /// From where it can be reached; empty where that has no meaning.
    pub network: Vec<String>,
    /// What a caller must show.
    pub asks: String,
    /// What else matters: what a gateway presents, what a contract declares, what came back when it was tried.
    pub notes: Vec<Note>,
    /// Who gets in, the widest circle first.
    pub lets_in: Vec<Let>,
    /// Who came in by it, as far as logs show: most first, and those who were turned away last.
    pub used: Vec<CallsOut>,
}

/// Something else that matters of a way in.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct Note {
    /// In a few words.
    pub text: String,
    /// Whether it says that more get in than the way in is said to let in.
    pub alarming: bool,
}

impl WayIn {
    /// Who came in by it, most first: "4,942 with key:a, 12 turned away"; none where nobody was seen.
    pub fn came(&self) -> Option<String> {
        const MOST: usize = 4;
        let with = |it: &CallsOut| match it.showed.as_str() {
            "nothing" => "showing nothing".to_owned(),
            "unsaid" => "showing what is not said".to_owned(),
            other => format!("with {other}"),
        };
        let through = self.used.iter().filter(|it| !it.turned_away);
        let mut told: Vec<String> =
            through.take(MOST).map(|it| format!("{} {}", grouped(it.sum.count), with(it))).collect();
        let turned: u64 = self.used.iter().filter(|it| it.turned_away).map(|it| it.sum.count).sum();
        if turned > 0 {
            told.push(format!("{} turned away", grouped(turned)));
        }
        (!told.is_empty()).then(|| told.join(", "))
    }
}

impl Note {
    fn plain(text: impl Into<String>) -> Self {
        Self { text: text.into(), alarming: false }
    }
}

/// Somebody whom a way lets in.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct Let {
    /// Who, as a principal.
    pub who: String,
    /// Surely (yes) or depending on something.
    pub verdict: Word<Verdict>,
    /// The widest circle of those who bear that name and get in, from where they can reach it.
    pub circle: Word<Exposure>,
    /// What it depends on, as the rest of a sentence.
    pub depends_on: Option<String>,
}

/// What it may do for the things of one service.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Exit {
    /// The service; `*` is all.
    pub service: String,
    /// The classes of its actions that it may do; actions that no line of the catalogue knows by their names, and
    /// `others` where a wildcard takes such.
    pub may: Vec<String>,
    /// On how many of the estate's things, at most.
    pub things: usize,
    /// How many of those are confidential.
    pub confidential: usize,
    /// One of them, a confidential one where there is one.
    pub example: Option<String>,
    /// Whether a wildcard takes in things that will be made tomorrow.
    pub wild: bool,
    /// Whether none of it is sure.
    pub only_perhaps: bool,
    /// How often it was used; null where no log would show it, or not for long enough.
    pub used: Option<u64>,
}

/// A key that is made for the function, by itself or with what it lies in, and is not switched off.
#[derive(Debug, Serialize, JsonSchema)]
pub struct KeyOut {
    /// The key.
    pub key: String,
    /// What it is made for.
    pub opens: String,
    /// Whether its holder makes the function run by having it: surely (yes), perhaps (depends) or not.
    pub lets_in: Word<Verdict>,
    /// How far it reaches there.
    pub reach: Word<KeyReach>,
    /// Days since it was made or rotated.
    pub age_days: Option<i64>,
    /// When it was last used: a date, `never`, or null where that is not known.
    pub last_used: Option<String>,
    /// When it ends; null is never.
    pub expires: Option<String>,
}

impl Card {
    /// A function's passport, with those of an audit's findings that are about it.
    pub fn new(audit: &Audit<'_>, findings: &[Finding], function: FunctionId, texts: &dyn Texts) -> Self {
        let identity = audit.estate().get(function).and_then(|it| audit.estate().runs_as(it));
        let rights =
            identity.map(|id| Reached::new(audit.effects(), Principal::Identity(id), Some(function)));
        let mut card = Self::lean(audit, function, rights.as_ref());
        card.far = from_here(audit.effects(), Node::Code(function));
        let about = about(audit.effects(), function, identity);
        let found = findings_about(findings, &about);
        card.findings = found.map(|(it, leading)| FindingOut::of(it, leading, audit, texts)).collect();
        card
    }

    /// The same without findings, with what its identity reaches.
    pub(crate) fn lean(audit: &Audit<'_>, function: FunctionId, rights: Option<&Reached>) -> Self {
        let (estate, effects) = (audit.estate(), audit.effects());
        let on = Thing::Function(function);
        let it = estate.get(function);
        let identity = it.and_then(|it| estate.runs_as(it));
        let entered = Entered::new(effects, function);
        let (own, common) = rights.map_or((&[][..], &[][..]), |it| (&it.rights, &it.as_anyone));
        let text = |name: Option<pasaporte_core::estate::Name>| name.map(|name| estate.text(name).to_owned());
        Self {
            card: CARD_VERSION,
            function: estate.label(on),
            name: text(it.and_then(|it| it.name)),
            platform: text(estate.platform(estate.scope_of(on))),
            account: account(estate, on),
            environment: audit.environment(function).map(Word),
            owner: text(it.and_then(|it| it.owner).or_else(|| owner(estate, function))),
            runtime: text(it.and_then(|it| it.runtime)),
            version: text(it.and_then(|it| it.version)),
            state: entered.state,
            runs_as: identity.map(|identity| runs_as(audit, function, identity)),
            handed: it.map_or_else(Vec::new, |it| handed(estate, it)),
            exposed_to: entered.exposed_to,
            exposed_surely: entered.exposed_surely,
            entries: ways_in(audit, function, &entered),
            exits: exits(audit, identity, own),
            exits_as_anyone: exits(audit, None, common),
            can_become: rights.map_or_else(Vec::new, |rights| rights.can_become.clone()),
            far: None,
            keys: keys(audit, function, &entered),
            findings: Vec::new(),
            read_from: entered.read_from,
        }
    }
}

/// The secrets that a function is handed, by name.
pub(crate) fn handed(estate: &Estate, function: &Function) -> Vec<String> {
    let mut all: Vec<String> =
        estate.list(function.handed).iter().map(|id| estate.label(Thing::Resource(*id))).collect();
    all.sort_unstable();
    all
}

/// The findings about some things: those that lead, and else those beneath another's.
fn findings_about<'f>(
    findings: &'f [Finding],
    about: &BTreeSet<Thing>,
) -> impl Iterator<Item = (&'f Finding, Option<&'f Finding>)> {
    let is_about = |finding: &Finding| finding.thing.is_some_and(|thing| about.contains(&thing));
    let of_one = |leading: &'f Finding| {
        let mut all = Vec::new();
        if is_about(leading) {
            all.push((leading, None));
        } else {
            let about = leading.beneath().iter().filter(|it| is_about(it));
            all.extend(about.map(|it| (it, Some(leading))));
        }
        all
    };
    let mut all: Vec<(&Finding, Option<&Finding>)> = findings.iter().flat_map(of_one).collect();
    all.sort_by_key(|(finding, _)| std::cmp::Reverse(finding.severity));
    all.into_iter()
}

/// The owner that the nearest scope names.
fn owner(estate: &Estate, function: FunctionId) -> Option<pasaporte_core::estate::Name> {
    let scopes = estate.upwards(estate.scope_of(Thing::Function(function)));
    scopes.map(|(_, scope)| scope).find_map(|scope| scope.owner)
}

/// The things whose findings a card of a function rests on: those that it is about, and those that share a cause with
/// them, which may lead.
pub fn looked_at(effects: &Effects<'_>, function: FunctionId) -> Vec<Thing> {
    let estate = effects.estate();
    let identity = estate.get(function).and_then(|it| estate.runs_as(it));
    let mut all = about(effects, function, identity);
    let verifiers: Vec<Thing> = all.iter().copied().filter(|it| matches!(it, Thing::Verifier(_))).collect();
    for (id, endpoint) in estate.all::<EndpointId>() {
        if matches!(endpoint.check, Check::Token(verifier) if verifiers.contains(&Thing::Verifier(verifier)))
        {
            all.insert(Thing::Endpoint(id));
            all.insert(Thing::Function(endpoint.function));
        }
    }
    all.into_iter().collect()
}

/// The functions that a key opens.
fn functions_opened(effects: &Effects<'_>, id: KeyId) -> Vec<FunctionId> {
    match effects.estate().get(id).map(|key| key.of) {
        Some(KeyOf::Function(function)) => vec![function],
        Some(KeyOf::Scope(scope)) => effects.functions_in(scope).collect(),
        None => Vec::new(),
    }
}

/// The things that a finding about the function is a weakness of.
pub(crate) fn about(
    access: &Effects<'_>,
    function: FunctionId,
    identity: Option<IdentityId>,
) -> BTreeSet<Thing> {
    let estate = access.estate();
    let mut all = BTreeSet::from([Thing::Function(function)]);
    all.extend(identity.map(Thing::Identity));
    all.extend(estate.triggers_of(function).iter().map(|id| Thing::Trigger(*id)));
    let keys = access.keys_opening(function, KeyReach::Function).into_iter();
    all.extend(keys.map(|(key, _)| Thing::Key(key)));
    for &id in estate.endpoints_of(function) {
        all.insert(Thing::Endpoint(id));
        if let Some(Check::Token(verifier)) = estate.get(id).map(|it| &it.check) {
            all.insert(Thing::Verifier(*verifier));
        }
    }
    all
}

fn runs_as(audit: &Audit<'_>, function: FunctionId, id: IdentityId) -> RunsAs {
    let estate = audit.estate();
    let identity = estate.get(id);
    let others = estate.functions_as(id).iter().filter(|other| **other != function);
    let mut shared_with: Vec<String> = others.map(|other| estate.label(Thing::Function(*other))).collect();
    shared_with.sort();
    RunsAs {
        identity: estate.label(Thing::Identity(id)),
        kind: identity.map(|identity| Word(identity.kind)),
        default: identity.is_some_and(|identity| identity.default),
        shared_with,
        may: audit.may(id).map(str::to_owned),
    }
}

fn ways_in(audit: &Audit<'_>, function: FunctionId, entered: &Entered) -> Vec<WayIn> {
    let estate = audit.estate();
    let mut all: Vec<WayIn> = Vec::new();
    for &id in estate.endpoints_of(function) {
        let label = estate.label(Thing::Endpoint(id));
        let door = entered.doors.iter().find(|door| door.endpoint == label);
        if let (Some(endpoint), Some(door)) = (estate.get(id), door) {
            all.push(over_http(estate, id, endpoint, door));
        }
    }
    all.sort_by(|one, other| one.thing.cmp(&other.thing));
    if !entered.invokers.is_empty() {
        all.push(WayIn {
            kind: "invoke",
            thing: None,
            way: "invoking it".to_owned(),
            network: Vec::new(),
            asks: "permission".to_owned(),
            notes: Vec::new(),
            lets_in: entered.invokers.iter().map(Let::of).collect(),
            used: runs(estate, function, None),
        });
    }
    all.extend(entered.triggers.iter().map(|trigger| by_event(estate, function, trigger)));
    all
}

fn over_http(
    estate: &Estate,
    id: EndpointId,
    endpoint: &pasaporte_core::estate::Endpoint,
    door: &Door,
) -> WayIn {
    let methods: Vec<&str> =
        estate.list(endpoint.methods).iter().map(|method| estate.text(*method)).collect();
    let methods = if methods.is_empty() { "any method".to_owned() } else { methods.join(", ") };
    let path = endpoint.path.map_or("at its address", |path| estate.text(path));
    let presents = match &endpoint.way {
        Way::Direct => None,
        Way::Route { gateway, presents } => {
            let gateway = estate.text(*gateway);
            let presented = match presents {
                Presents::Nothing => "presents nothing".to_owned(),
                Presents::Caller => "passes on what the caller shows".to_owned(),
                Presents::Identity(id) => format!("presents {}", estate.label(Thing::Identity(*id))),
                Presents::Key(id) => format!("presents {}", estate.label(Thing::Key(*id))),
                Presents::Service(name) => format!("comes as service:{}", estate.text(*name)),
            };
            let dead = door.behind.as_ref().is_some_and(|behind| behind.verdict.0 == Verdict::No);
            let dead = if dead { ": a dead route" } else { "" };
            Some(format!("gateway {gateway} {presented}{dead}"))
        }
    };
    let off = (endpoint.state == State::Disabled).then(|| "switched off".to_owned());
    WayIn {
        kind: if endpoint.way == Way::Direct { "endpoint" } else { "route" },
        thing: Some(door.endpoint.clone()),
        way: format!("{methods} {path}").trim().to_owned(),
        network: door.network.clone(),
        asks: match endpoint.check {
            Check::None => "nothing".to_owned(),
            Check::Identity => "identity".to_owned(),
            Check::Key(reach) => format!("{reach} key"),
            Check::Token(_) => "token".to_owned(),
        },
        notes: off.or(presents).map(Note::plain).into_iter().chain(of_door(door)).collect(),
        lets_in: door.lets_in.iter().map(Let::of).collect(),
        used: calls_at(estate, id),
    }
}

/// What a contract declares of an endpoint where that is not kept, and what tries of it came to.
fn of_door(door: &Door) -> Vec<Note> {
    let broken =
        door.declared.iter().filter(|it| matches!(it.standing.0, Standing::OpenInEffect | Standing::Weaker));
    let declared =
        broken.map(|it| Note { text: format!("{} declares {}", it.operation, it.declares), alarming: true });
    let tried = door.tries.iter().filter(|it| it.agrees.is_some()).map(|it| {
        let came = it.status.map_or_else(String::new, |status| status.to_string());
        let day = it.at.split('T').next().unwrap_or_default();
        let how = match it.shows.0 {
            Shows::Through => "got through",
            Shows::PerhapsThrough => "seems to have got through",
            Shows::TurnedAway | Shows::Unclear => "was turned away",
        };
        Note {
            text: format!("a try without a credential {how} ({} {came}, {day})", it.method),
            alarming: it.agrees == Some(false) && it.shows.0 > Shows::Unclear,
        }
    });
    // Why anyone gets in although something is asked for; a try says so itself.
    let is_tried = door.tries.iter().any(|it| it.agrees == Some(false) && it.shows.0 > Shows::Unclear);
    let open = door.lets_in.iter().find(|it| it.who == "anyone" && door.check != "none" && !is_tried);
    let open = open.map(|it| Note::plain(format!("anyone: {}", it.because)));
    open.into_iter().chain(declared).chain(tried).collect()
}

fn by_event(estate: &Estate, function: FunctionId, trigger: &TriggerOut) -> WayIn {
    let id = trigger.trigger.strip_prefix("trigger:").and_then(|id| estate.find::<TriggerId>(id));
    let note: Option<&str> = match (trigger.state.0, trigger.source_is_declared) {
        (State::Disabled, _) => Some("switched off"),
        (State::Enabled, false) => Some("its source is not in the estate"),
        (State::Enabled, true) => None,
    };
    WayIn {
        kind: "event",
        thing: Some(trigger.trigger.clone()),
        way: trigger.source.clone().unwrap_or_else(|| trigger.kind.clone()),
        network: Vec::new(),
        asks: if trigger.source.is_some() { "writing to it" } else { "the clock" }.to_owned(),
        notes: note.map(Note::plain).into_iter().collect(),
        lets_in: trigger.fed_by.iter().map(Let::of).collect(),
        used: id.map_or_else(Vec::new, |id| runs(estate, function, Some(id))),
    }
}

impl Let {
    fn of(entrant: &Entrant) -> Self {
        Self {
            who: entrant.who.clone(),
            verdict: entrant.verdict,
            circle: entrant.circle,
            depends_on: entrant.depends_on.clone(),
        }
    }
}

/// Rights by service, in few words.
fn exits(audit: &Audit<'_>, identity: Option<IdentityId>, rights: &[ServiceOut]) -> Vec<Exit> {
    let order: Vec<&str> = ActionClass::ALL.iter().map(|(word, _)| *word).collect();
    let of = |right: &ServiceOut| {
        let mut may: Vec<String> = Vec::new();
        for act in &right.acts {
            let word = match (act.class, &act.action) {
                (Some(class), _) => class.0.to_string(),
                (None, Some(action)) => action.clone(),
                (None, None) => "others".to_owned(),
            };
            if !may.contains(&word) {
                may.push(word);
            }
        }
        may.sort_by_key(|word| order.iter().position(|known| known == word).unwrap_or(usize::MAX));
        let most = |of: fn(&ActOut) -> usize| right.acts.iter().map(of).max().unwrap_or_default();
        let secret = right.acts.iter().find(|act| act.confidential > 0 && act.example.is_some());
        let example = secret.or_else(|| right.acts.iter().find(|act| act.example.is_some()));
        Exit {
            service: right.service.clone(),
            may,
            things: most(|act| act.surely + act.perhaps),
            confidential: most(|act| act.confidential),
            example: example.and_then(|act| act.example.clone()),
            wild: right.acts.iter().any(|act| act.on_new.0 != Verdict::No),
            used: identity.and_then(|id| used_of_service(audit, id, &right.service)),
            only_perhaps: right.acts.iter().all(|act| act.surely == 0 && act.on_new.0 != Verdict::Yes),
        }
    };
    rights.iter().map(of).collect()
}

fn keys(audit: &Audit<'_>, function: FunctionId, entered: &Entered) -> Vec<KeyOut> {
    let estate = audit.estate();
    let opening = audit.effects().keys_opening(function, KeyReach::Function);
    let mut all: Vec<KeyOut> = opening
        .into_iter()
        .filter_map(|(id, _)| {
            let key = estate.get(id)?;
            let label = estate.label(Thing::Key(id));
            Some(KeyOut {
                lets_in: Word(entered.lets_in(&label)),
                key: label,
                opens: estate.label(key.opens()),
                reach: Word(key.reach),
                age_days: key.rotated.max(key.created).and_then(|since| audit.days_since(since)),
                last_used: last_used(audit, id),
                expires: key.expires.map(date),
            })
        })
        .collect();
    all.sort_by(|one, other| {
        let key = |it: &KeyOut| (it.lets_in.0 == Verdict::No, std::cmp::Reverse(it.reach.0));
        key(one).cmp(&key(other)).then_with(|| one.key.cmp(&other.key))
    });
    all
}

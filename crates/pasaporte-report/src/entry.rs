//! Who may make a function run, in effect.

use pasaporte_core::access::{Answer, Context, Ground, Question, Truth, Verdict, Via};
use pasaporte_core::effect::Effects;
use pasaporte_core::entry::{
    Because, Exposure, HeldContracts, Standing, Through, WayIn, WaysIn, faces_internet,
};
use pasaporte_core::estate::{
    Came, Check, Effect, EndpointId, Estate, FunctionId, Network, Origin, Principal, Shows, State, Thing,
    TriggerId, Way,
};
use schemars::JsonSchema;
use serde::Serialize;

use crate::{HeldOut, PlaceOut, VERSION, account};
use pasaporte_read::estate::Word;

/// Everybody who may make a function run.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte entry, version 1")]
pub struct Entered {
    /// The version of this output.
    pub entry: u64,
    /// The function.
    pub function: String,
    /// The account it is of.
    pub account: Option<String>,
    /// Switched on or off; nobody gets in where it is off.
    pub state: Word<State>,
    /// What it runs as.
    pub runs_as: Option<String>,
    /// The widest circle of strangers who get in.
    pub exposed_to: Word<Exposure>,
    /// Whether they surely do.
    pub exposed_surely: bool,
    /// Its endpoints over HTTP, and who gets through each.
    pub doors: Vec<Door>,
    /// Who may invoke it by the decision: principals, crowds, services and groups, the widest first.
    pub invokers: Vec<Entrant>,
    /// What its triggers run on.
    pub triggers: Vec<TriggerOut>,
    /// Where it was read.
    pub read_from: Option<PlaceOut>,
}

/// An endpoint and who gets through.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Door {
    /// The endpoint.
    pub endpoint: String,
    /// The gateway it leads through; null for a direct one.
    pub gateway: Option<String>,
    /// What a caller must show.
    pub check: String,
    /// From where it can be reached.
    pub network: Vec<String>,
    /// Whether the whole internet can reach it.
    pub faces_internet: bool,
    /// Of a route: what becomes of what the gateway presents; null for a direct endpoint.
    pub behind: Option<Behind>,
    /// Who gets through.
    pub lets_in: Vec<Entrant>,
    /// The operations of contracts that it answers, and what they declare.
    pub declared: Vec<DeclaredOut>,
    /// What came back when it was tried with no credential, in the order read.
    pub tries: Vec<TriedOut>,
    /// Where it was read.
    pub read_from: Option<PlaceOut>,
}

/// An operation of a contract.
#[derive(Debug, Serialize, JsonSchema)]
pub struct DeclaredOut {
    /// The contract.
    pub contract: String,
    /// Method and path.
    pub operation: String,
    /// What it asks of callers, in words.
    pub declares: String,
    /// How what is deployed stands to that.
    pub standing: Word<Standing>,
    /// Where it is declared.
    pub read_from: PlaceOut,
}

/// What came back when an endpoint was tried with no credential.
#[derive(Debug, Serialize, JsonSchema)]
pub struct TriedOut {
    /// The HTTP method.
    pub method: String,
    /// When.
    pub at: String,
    /// The HTTP status; null where none came back.
    pub status: Option<u16>,
    /// Why none did.
    pub failed: Option<String>,
    /// What that shows: `through`, `perhaps-through`, `turned-away` or `unclear`.
    pub shows: Word<Shows>,
    /// Whether that is what the estate says; null where the try shows nothing.
    pub agrees: Option<bool>,
    /// Where it was read.
    pub read_from: PlaceOut,
}

/// What becomes of what a gateway presents to the function.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Behind {
    /// Whether it passes the function's own check: surely (yes), perhaps (depends), or not: the route is dead.
    pub verdict: Word<Verdict>,
    /// Why, in a few words.
    pub because: String,
}

/// Somebody who gets in.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Entrant {
    /// Who, as a principal.
    pub who: String,
    /// Surely (yes) or depending on something.
    pub verdict: Word<Verdict>,
    /// The widest circle of those who bear that name and get in, from where they can reach it.
    pub circle: Word<Exposure>,
    /// What it depends on, as the rest of a sentence.
    pub depends_on: Option<String>,
    /// Why, in a few words.
    pub because: String,
    /// Of a group: its members, and how many of them may.
    pub members: Option<Members>,
    /// Where the statements that allow it, or what opens the endpoint, were read.
    pub read_from: Vec<PlaceOut>,
}

/// The members of a group, at any depth.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Members {
    /// How many there are.
    pub all: usize,
    /// How many of them surely may.
    pub surely: usize,
    /// How many perhaps may.
    pub perhaps: usize,
    /// Some of those that may not, although the group is given it.
    pub not: Vec<String>,
}

/// What a trigger runs on.
#[derive(Debug, Serialize, JsonSchema)]
pub struct TriggerOut {
    /// The trigger.
    pub trigger: String,
    /// The kind of source.
    pub kind: String,
    /// The source; null for a timer.
    pub source: Option<String>,
    /// Whether the source is in the estate.
    pub source_is_declared: bool,
    /// Switched on or off.
    pub state: Word<State>,
    /// Who may write to the source, and so make the function run.
    pub fed_by: Vec<Entrant>,
    /// Where it was read.
    pub read_from: Option<PlaceOut>,
}

/// How many members of a group are named that may not.
const MOST_NAMED: usize = 8;

impl Entered {
    /// Everybody who may make a function run.
    pub fn new(effects: &Effects<'_>, function: FunctionId) -> Self {
        let estate = effects.estate();
        let it = estate.get(function);
        let ways = effects.ways_in(function);
        let exposed = ways.exposed();
        let on = Thing::Function(function);
        let contracts = effects.held_contracts();
        let by = |through: Through| entrants(effects, function, &ways, through);
        let mut doors: Vec<Door> = estate
            .endpoints_of(function)
            .iter()
            .map(|id| door(effects, *id, by(Through::Endpoint(*id)), &contracts))
            .collect();
        doors.sort_by(|one, other| one.endpoint.cmp(&other.endpoint));
        let triggers = estate.triggers_of(function).iter();
        let mut triggers: Vec<TriggerOut> =
            triggers.filter_map(|id| trigger(effects, *id, by(Through::Source(*id)))).collect();
        triggers.sort_by(|one, other| one.trigger.cmp(&other.trigger));
        Self {
            entry: VERSION,
            function: estate.label(on),
            account: account(estate, on),
            state: Word(it.map_or(State::Enabled, |it| it.state)),
            runs_as: it.and_then(|it| estate.runs_as(it)).map(|id| estate.label(Thing::Identity(id))),
            exposed_to: Word(exposed.to),
            exposed_surely: exposed.surely,
            doors,
            invokers: by(Through::Invoking),
            triggers,
            read_from: estate.origin(on).map(|origin| PlaceOut::new(estate, origin)),
        }
    }

    /// How surely somebody of a name gets in, by whichever way.
    pub(super) fn lets_in(&self, who: &str) -> Verdict {
        let doors = self.doors.iter().flat_map(|door| &door.lets_in);
        let fed = self.triggers.iter().flat_map(|trigger| &trigger.fed_by);
        let all = doors.chain(&self.invokers).chain(fed);
        all.filter(|it| it.who == who).map(|it| it.verdict.0).max().unwrap_or(Verdict::No)
    }
}

/// Who gets in by one way, the widest circle first.
fn entrants(
    effects: &Effects<'_>,
    function: FunctionId,
    ways: &WaysIn<'_>,
    through: Through,
) -> Vec<Entrant> {
    let here = ways.all.iter().filter(|way| way.through == through);
    let mut all: Vec<Entrant> = here.map(|way| entrant(effects, function, way)).collect();
    all.sort_by(|one, other| {
        let key = |it: &Entrant| (it.circle.0, it.verdict.0 != Verdict::Yes);
        key(one)
            .cmp(&key(other))
            .then_with(|| one.who.cmp(&other.who))
            .then_with(|| one.because.cmp(&other.because))
    });
    all
}

/// What a key depends on that is past its end.
pub(super) const PAST_ITS_END: &str = "if its platform still accepts a key past its expiry";

pub(super) fn entrant(effects: &Effects<'_>, function: FunctionId, way: &WayIn<'_>) -> Entrant {
    let estate = effects.estate();
    let caller = &way.caller;
    let of = |thing: Thing| estate.origin(thing).into_iter().collect::<Vec<_>>();
    let (because, depends_on, mut places) = match &caller.because {
        Because::NoCheck => ("the endpoint checks nothing".to_owned(), String::new(), Vec::new()),
        Because::UncheckedToken(verifier) => {
            let verifier = Thing::Verifier(*verifier);
            (format!("{} checks no signature", estate.label(verifier)), String::new(), of(verifier))
        }
        Because::PublicToken(token) => {
            let token = Thing::Token(*token);
            let perhaps = match caller.verdict {
                Verdict::Yes => String::new(),
                _ => "if the verifier knows the key that signed it".to_owned(),
            };
            (format!("{} passes and was handed to public clients", estate.label(token)), perhaps, of(token))
        }
        Because::Holds => {
            let origins = caller.who.thing().map_or_else(Vec::new, of);
            let perhaps = match (caller.who, caller.verdict) {
                (Principal::Key(_), Verdict::Depends) => PAST_ITS_END.to_owned(),
                _ => String::new(),
            };
            ("what it holds is accepted".to_owned(), perhaps, origins)
        }
        Because::Manages => {
            let origins = caller.who.thing().map_or_else(Vec::new, of);
            let perhaps = if caller.verdict == Verdict::Depends { PAST_ITS_END } else { "" };
            ("an admin key invokes all that lies in what it opens".to_owned(), perhaps.to_owned(), origins)
        }
        Because::Tried(place) => {
            let attempt = &estate.attempts()[*place];
            let how =
                if caller.verdict == Verdict::Yes { "got through" } else { "seems to have got through" };
            (format!("a try without a credential {how}"), String::new(), vec![attempt.origin])
        }
        Because::Feeds(action) => {
            let answer = match way.through {
                Through::Source(id) => estate.get(id).and_then(|it| it.source),
                Through::Endpoint(_) | Through::Invoking => None,
            };
            let answer = answer.map(|source| effects.answer_about(caller.who, action, source));
            let residual = answer.as_ref().map_or_else(String::new, |it| it.residual(estate));
            let origins = answer.as_ref().map_or_else(Vec::new, |it| allowing(estate, it));
            (format!("may do {action} on the source"), residual, origins)
        }
        Because::Decision(answer) => {
            (how_allowed(estate, caller.who, answer), answer.residual(estate), allowing(estate, answer))
        }
    };
    places.sort_unstable();
    places.dedup();
    let circle = way.circles.iter().map(|(to, _)| *to).min().unwrap_or(Exposure::Insiders);
    let on = Thing::Function(function);
    let given = Context::at(estate.as_of());
    let members = match caller.because {
        Because::Decision(_) => {
            let action = effects.invoke();
            members(effects, &Question { principal: caller.who, action, on, given: &given })
        }
        _ => None,
    };
    Entrant {
        who: estate.principal_label(caller.who),
        verdict: Word(caller.verdict),
        circle: Word(circle),
        depends_on: (!depends_on.is_empty()).then_some(depends_on),
        because,
        members,
        read_from: places.into_iter().map(|origin| PlaceOut::new(estate, origin)).collect(),
    }
}

/// The places of the statements that allow.
fn allowing(estate: &Estate, answer: &Answer<'_>) -> Vec<Origin> {
    let allows = answer.grounds.iter().filter(|ground| is_allowing(ground));
    allows.map(|ground| estate.statement(ground.statement).origin).collect()
}

fn is_allowing(ground: &Ground<'_>) -> bool {
    ground.effect == Effect::Allow && ground.holds != Truth::False && !matches!(ground.via, Via::Ceiling(_))
}

fn how_allowed(estate: &Estate, who: Principal, answer: &Answer<'_>) -> String {
    let allows = answer.grounds.iter().filter(|ground| is_allowing(ground));
    let because = allows.map(|ground| match ground.via {
        Via::Grant { grant, name, set } => {
            let held = HeldOut::new(estate, grant, name, set);
            let set = held.set.unwrap_or_else(|| "a statement of its own".to_owned());
            let by = if name == who { String::new() } else { format!(", as {}", held.by) };
            let at = if held.at == "everywhere" { held.at } else { format!("at {}", held.at) };
            format!("holds {set} {at}{by}")
        }
        Via::Admission { name, .. } if name == who => "an invoke permission names it".to_owned(),
        Via::Admission { name, .. } => {
            format!("an invoke permission names {}", estate.principal_label(name))
        }
        Via::Ceiling(_) => String::new(),
    });
    once(because.collect()).join("; ")
}

/// How many members of a group may do what the group is asked about, each by all of its names; none of anybody else.
pub(super) fn members(access: &Effects<'_>, question: &Question<'_>) -> Option<Members> {
    let Principal::Group(group) = question.principal else { return None };
    let all = access.everybody_in(group);
    let mut members = Members { all: all.len(), surely: 0, perhaps: 0, not: Vec::new() };
    for principal in all {
        match access.verdict(&Question { principal, ..*question }) {
            Verdict::Yes => members.surely += 1,
            Verdict::Depends => members.perhaps += 1,
            Verdict::No => members.not.push(access.estate().principal_label(principal)),
        }
    }
    members.not.sort_unstable();
    members.not.truncate(MOST_NAMED);
    Some(members)
}

fn door(access: &Effects<'_>, id: EndpointId, lets_in: Vec<Entrant>, contracts: &HeldContracts) -> Door {
    let estate = access.estate();
    let endpoint = estate.get(id).expect("endpoints of a function are declared");
    let network = match &endpoint.network {
        Network::Internet => vec!["internet".to_owned()],
        Network::Internal => vec!["internal".to_owned()],
        Network::Listed(networks) => networks.iter().map(ToString::to_string).collect(),
    };
    let read_from = PlaceOut::new(estate, endpoint.origin);
    Door {
        endpoint: estate.label(Thing::Endpoint(id)),
        gateway: match &endpoint.way {
            Way::Direct => None,
            Way::Route { gateway, .. } => Some(estate.text(*gateway).to_owned()),
        },
        check: match endpoint.check {
            Check::None => "none".to_owned(),
            Check::Identity => "identity".to_owned(),
            Check::Key(reach) => format!("key of {reach} reach"),
            Check::Token(verifier) => format!("token for {}", estate.label(Thing::Verifier(verifier))),
        },
        network,
        faces_internet: faces_internet(&endpoint.network),
        behind: access.passage(id).map(|passage| Behind {
            verdict: Word(passage.verdict),
            because: passage.reason(estate, "the gateway"),
        }),
        lets_in,
        declared: declared(access, id, contracts),
        tries: tries(access, id),
        read_from: Some(read_from),
    }
}

/// The operations of contracts that an endpoint answers.
fn declared(access: &Effects<'_>, id: EndpointId, contracts: &HeldContracts) -> Vec<DeclaredOut> {
    let estate = access.estate();
    let answered = contracts.operations.iter().filter(|held| held.answered_by.contains(&id));
    let told = answered.filter_map(|held| {
        let operation = &estate.get(held.contract)?.operations[held.operation];
        Some(DeclaredOut {
            contract: estate.label(Thing::Contract(held.contract)),
            operation: format!("{} {}", estate.text(operation.method), estate.text(operation.path)),
            declares: estate.asked(&operation.asks),
            standing: Word(held.standing),
            read_from: PlaceOut::new(estate, operation.origin),
        })
    });
    told.collect()
}

fn tries(access: &Effects<'_>, id: EndpointId) -> Vec<TriedOut> {
    let estate = access.estate();
    let of_it = estate.attempts().iter().filter(|attempt| attempt.endpoint == id);
    let told = of_it.map(|attempt| {
        let (status, failed) = match attempt.came {
            Came::Status(status) => (Some(status), None),
            Came::Nothing(why) => (None, Some(estate.text(why).to_owned())),
        };
        let shows = estate.shows(attempt);
        TriedOut {
            method: estate.text(attempt.method).to_owned(),
            at: attempt.at.to_string(),
            status,
            failed,
            shows: Word(shows),
            agrees: access.agrees(Some(id), shows),
            read_from: PlaceOut::new(estate, attempt.origin),
        }
    });
    told.collect()
}

fn trigger(effects: &Effects<'_>, id: TriggerId, fed_by: Vec<Entrant>) -> Option<TriggerOut> {
    let estate = effects.estate();
    let it = estate.get(id)?;
    Some(TriggerOut {
        trigger: estate.label(Thing::Trigger(id)),
        kind: estate.text(it.kind).to_owned(),
        source: it.source.map(|source| estate.label(source)),
        source_is_declared: it.source.is_none_or(|source| estate.is_declared(source)),
        state: Word(it.state),
        fed_by,
        read_from: Some(PlaceOut::new(estate, it.origin)),
    })
}

fn once(mut texts: Vec<String>) -> Vec<String> {
    texts.sort_unstable();
    texts.dedup();
    texts
}

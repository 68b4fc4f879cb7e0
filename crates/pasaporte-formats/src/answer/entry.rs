//! Who may make a function run, in effect.

use pasaporte_core::access::{Access, Context, Question, Verdict, Via};
use pasaporte_core::entry::{Because, Caller, Exposure, Feeder, HeldContracts, Standing, faces_internet};
use pasaporte_core::estate::{
    Came, Check, Effect, EndpointId, FunctionId, Network, Principal, Shows, State, Thing, TriggerId, Way,
};
use schemars::JsonSchema;
use serde::Serialize;

use super::{HeldOut, PlaceOut, VERSION, account};
use crate::estate::Word;

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
    pub fed_by: Vec<FeederOut>,
    /// Where it was read.
    pub read_from: Option<PlaceOut>,
}

/// Somebody who may write to the source of a trigger.
#[derive(Debug, Serialize, JsonSchema)]
pub struct FeederOut {
    /// Who, as a principal.
    pub who: String,
    /// Surely (yes) or depending on something.
    pub verdict: Word<Verdict>,
    /// By which action.
    pub action: String,
}

/// How many members of a group are named that may not.
const MOST_NAMED: usize = 8;

impl Entered {
    /// Everybody who may make a function run.
    pub fn new(access: &Access<'_>, function: FunctionId) -> Self {
        let estate = access.estate();
        let it = estate.get(function);
        let exposed = access.exposure(function);
        let on = Thing::Function(function);
        let contracts = access.held_contracts();
        let mut doors: Vec<Door> =
            estate.endpoints_of(function).iter().map(|id| door(access, *id, &contracts)).collect();
        doors.sort_by(|one, other| one.endpoint.cmp(&other.endpoint));
        let mut triggers: Vec<TriggerOut> =
            estate.triggers_of(function).iter().filter_map(|id| trigger(access, *id)).collect();
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
            invokers: invokers(access, function),
            triggers,
            read_from: estate.origin(on).map(|origin| PlaceOut::new(estate, origin)),
        }
    }
}

/// Who may invoke a function by the decision, the widest circle first.
fn invokers(access: &Access<'_>, function: FunctionId) -> Vec<Entrant> {
    let (on, given) = (Thing::Function(function), Context::at(access.estate().as_of()));
    let mut all: Vec<(Exposure, Entrant)> = access
        .who_may(access.invokers(), access.invoke(), on, &given)
        .into_iter()
        .map(|(who, verdict)| (access.circle(who, on), invoker(access, who, verdict, on, &given)))
        .collect();
    all.sort_by(|(circle, one), (other_circle, other)| {
        circle.cmp(other_circle).then_with(|| one.who.cmp(&other.who))
    });
    all.into_iter().map(|(_, entrant)| entrant).collect()
}

fn invoker(access: &Access<'_>, who: Principal, verdict: Verdict, on: Thing, given: &Context) -> Entrant {
    let estate = access.estate();
    let answer = access.decide(&Question { principal: who, action: access.invoke(), on, given });
    let allows: Vec<_> = answer
        .grounds
        .iter()
        .filter(|ground| ground.effect == Effect::Allow && !matches!(ground.via, Via::Ceiling(_)))
        .collect();
    let because: Vec<String> = allows
        .iter()
        .map(|ground| match ground.via {
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
        })
        .collect();
    let residual = answer.residual(estate);
    Entrant {
        who: estate.principal_label(who),
        verdict: Word(verdict),
        depends_on: (!residual.is_empty()).then_some(residual),
        because: once(because).join("; "),
        members: members(access, who, on, given),
        read_from: allows
            .iter()
            .map(|ground| PlaceOut::new(estate, estate.statement(ground.statement).origin))
            .collect(),
    }
}

fn members(access: &Access<'_>, who: Principal, on: Thing, given: &Context) -> Option<Members> {
    let Principal::Group(group) = who else { return None };
    let all = access.everybody_in(group);
    let mut members = Members { all: all.len(), surely: 0, perhaps: 0, not: Vec::new() };
    for principal in all {
        match access.verdict(&Question { principal, action: access.invoke(), on, given }) {
            Verdict::Yes => members.surely += 1,
            Verdict::Depends => members.perhaps += 1,
            Verdict::No => members.not.push(access.estate().principal_label(principal)),
        }
    }
    members.not.sort_unstable();
    members.not.truncate(MOST_NAMED);
    Some(members)
}

fn door(access: &Access<'_>, id: EndpointId, contracts: &HeldContracts) -> Door {
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
        lets_in: match access.decides_alone(id) {
            Some(function) => invokers(access, function),
            None => access.callers_at(id).iter().map(|it| caller(access, it)).collect(),
        },
        declared: declared(access, id, contracts),
        tries: tries(access, id),
        read_from: Some(read_from),
    }
}

/// The operations of contracts that an endpoint answers.
fn declared(access: &Access<'_>, id: EndpointId, contracts: &HeldContracts) -> Vec<DeclaredOut> {
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

fn tries(access: &Access<'_>, id: EndpointId) -> Vec<TriedOut> {
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

/// Somebody who gets through an endpoint that does not ask the decision.
fn caller(access: &Access<'_>, it: &Caller<'_>) -> Entrant {
    let estate = access.estate();
    let (because, depends_on, mut places) = match &it.because {
        Because::NoCheck => ("the endpoint checks nothing".to_owned(), String::new(), Vec::new()),
        Because::UncheckedToken(verifier) => {
            let verifier = Thing::Verifier(*verifier);
            let origin = estate.origin(verifier);
            (
                format!("{} checks no signature", estate.label(verifier)),
                String::new(),
                origin.into_iter().collect(),
            )
        }
        Because::PublicToken(token) => {
            let token = Thing::Token(*token);
            let origin = estate.origin(token);
            (
                format!("{} passes and was handed to public clients", estate.label(token)),
                String::new(),
                origin.into_iter().collect(),
            )
        }
        Because::Holds => {
            let origin = it.who.thing().and_then(|thing| estate.origin(thing));
            ("what it holds is accepted".to_owned(), String::new(), origin.into_iter().collect())
        }
        Because::Decision(answer) => {
            let allows = answer.grounds.iter().filter(|ground| ground.effect == Effect::Allow);
            let origins = allows.map(|ground| estate.statement(ground.statement).origin).collect();
            ("it may invoke the function".to_owned(), answer.residual(estate), origins)
        }
    };
    places.dedup();
    Entrant {
        who: estate.principal_label(it.who),
        verdict: Word(it.verdict),
        depends_on: (!depends_on.is_empty()).then_some(depends_on),
        because,
        members: None,
        read_from: places.into_iter().map(|origin| PlaceOut::new(estate, origin)).collect(),
    }
}

fn trigger(access: &Access<'_>, id: TriggerId) -> Option<TriggerOut> {
    let estate = access.estate();
    let it = estate.get(id)?;
    Some(TriggerOut {
        trigger: estate.label(Thing::Trigger(id)),
        kind: estate.text(it.kind).to_owned(),
        source: it.source.map(|source| estate.label(source)),
        source_is_declared: it.source.is_none_or(|source| estate.is_declared(source)),
        state: Word(it.state),
        fed_by: feeders(access, id),
        read_from: Some(PlaceOut::new(estate, it.origin)),
    })
}

fn feeders(access: &Access<'_>, id: TriggerId) -> Vec<FeederOut> {
    let given = Context::at(access.estate().as_of());
    let told = |feeder: Feeder| FeederOut {
        who: access.estate().principal_label(feeder.who),
        verdict: Word(feeder.verdict),
        action: feeder.action.into(),
    };
    let mut all: Vec<FeederOut> = access.feeders(id, &given).into_iter().map(told).collect();
    all.sort_by(|one, other| one.who.cmp(&other.who));
    all
}

fn once(mut texts: Vec<String>) -> Vec<String> {
    texts.sort_unstable();
    texts.dedup();
    texts
}

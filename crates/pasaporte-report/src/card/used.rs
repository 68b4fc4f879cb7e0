//! What was seen in use, beside what is allowed.

use pasaporte_audit::Audit;
use pasaporte_core::access::INVOKE;
use pasaporte_core::estate::{
    Answered, Estate, FunctionId, IdentityId, Outcome, Principal, Tally, Thing, TriggerId,
};
use pasaporte_core::pattern::Pattern;
use pasaporte_core::usage::{Logged, Sum};
use schemars::JsonSchema;
use serde::Serialize;

use crate::dates::date;
use crate::list::seen::{clients, showed};

/// What rows add up to.
#[derive(Debug, Clone, Default, Serialize, JsonSchema)]
pub struct SumOut {
    /// How often.
    pub count: u64,
    /// Last seen: a date.
    pub last: Option<String>,
    /// How many distinct clients: "3", "16 or more".
    pub clients: Option<String>,
}

impl SumOut {
    pub(crate) fn new(sum: &Sum) -> Self {
        let last = sum.last.map(date);
        Self { count: sum.count, last, clients: clients(sum) }
    }

    pub(crate) fn of(estate: &Estate, tally: &Tally) -> Self {
        let mut sum = Sum::default();
        sum.add(estate, tally);
        Self::new(&sum)
    }
}

/// Calls of a way in.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct CallsOut {
    /// What the callers showed, as the estate format writes it: `nothing`, `key:ID` … `unsaid`.
    pub showed: String,
    /// Whether they were turned away.
    pub turned_away: bool,
    /// How often, and when.
    #[serde(flatten)]
    pub sum: SumOut,
}

/// Something that was done, or refused.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct DoneOut {
    /// What.
    pub did: String,
    /// To what; null where the log does not say.
    pub to: Option<String>,
    /// Whether it was refused.
    pub refused: bool,
    /// How often, and when.
    #[serde(flatten)]
    pub sum: SumOut,
}

/// Calls of an endpoint, by what was shown, most first.
pub(crate) fn calls_at(estate: &Estate, id: pasaporte_core::estate::EndpointId) -> Vec<CallsOut> {
    let mut all: Vec<(String, bool, Sum)> = Vec::new();
    for call in estate.calls_at(id) {
        let (shown, turned) = (showed(estate, call.showed), call.answered == Answered::TurnedAway);
        if let Some((.., sum)) = all.iter_mut().find(|(known, was, _)| *known == shown && *was == turned) {
            sum.add(estate, &call.tally);
        } else {
            let mut sum = Sum::default();
            sum.add(estate, &call.tally);
            all.push((shown, turned, sum));
        }
    }
    sorted(
        all.into_iter()
            .map(|(showed, turned_away, sum)| CallsOut { showed, turned_away, sum: SumOut::new(&sum) })
            .collect(),
    )
}

/// Runs of a function that were seen without an endpoint: by a trigger, or of whoever invoked it.
pub(crate) fn runs(estate: &Estate, function: FunctionId, by: Option<TriggerId>) -> Vec<CallsOut> {
    let runs = estate.uses_on(Thing::Function(function));
    let of_way = runs.filter(|it| estate.text(it.did) == INVOKE && it.through == by);
    let out = of_way.map(|it| CallsOut {
        showed: estate.principal_label(it.who),
        turned_away: it.outcome == Outcome::Refused,
        sum: SumOut::of(estate, &it.tally),
    });
    sorted(out.collect())
}

fn sorted(mut all: Vec<CallsOut>) -> Vec<CallsOut> {
    all.sort_by(|one, other| {
        let key = |it: &CallsOut| (it.turned_away, std::cmp::Reverse(it.sum.count));
        key(one).cmp(&key(other)).then_with(|| one.showed.cmp(&other.showed))
    });
    all
}

/// What somebody was seen to do, most often first.
pub(crate) fn done_by(estate: &Estate, who: Principal) -> Vec<DoneOut> {
    let mut all: Vec<DoneOut> = estate
        .uses_by(who)
        .iter()
        .map(|it| DoneOut {
            did: estate.text(it.did).to_owned(),
            to: it.to.map(|to| estate.label(to)),
            refused: it.outcome == Outcome::Refused,
            sum: SumOut::of(estate, &it.tally),
        })
        .collect();
    all.sort_by(|one, other| {
        let key = |it: &DoneOut| (it.refused, std::cmp::Reverse(it.sum.count));
        key(one).cmp(&key(other)).then_with(|| (&one.did, &one.to).cmp(&(&other.did, &other.to)))
    });
    all
}

/// How often an identity did something to things of a service: none where no log would say.
pub(crate) fn used_of_service(audit: &Audit<'_>, id: IdentityId, service: &str) -> Option<u64> {
    let estate = audit.estate();
    let uses = estate.uses_by(Principal::Identity(id)).iter().filter(|it| it.outcome == Outcome::Allowed);
    let of_service = uses.filter(|it| estate.text(it.did).split('/').next() == Some(service));
    let count: u64 = of_service.map(|it| it.tally.count).sum();
    if count > 0 {
        return Some(count);
    }
    let pattern = Pattern::parse(&format!("{service}/*")).ok()?;
    let scope = estate.scope_of(Thing::Identity(id));
    let window = estate.logged(scope, Logged::Every(&pattern))?;
    let environment = audit.environment_of(Principal::Identity(id));
    audit.is_enough(&window, environment).then_some(0)
}

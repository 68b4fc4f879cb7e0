//! Who was seen to come in by a way, and what they showed.

use std::collections::BTreeMap;

use jiff::Timestamp;

use crate::access::INVOKE;
use crate::estate::{
    Answered, CameFrom, Client, EndpointId, Estate, FunctionId, MOST_CLIENTS, Name, Outcome, Principal,
    Showed, Tally, Thing, least_clients,
};

/// What rows add up to.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Sum {
    /// How often.
    pub count: u64,
    /// First seen.
    pub first: Option<Timestamp>,
    /// Last seen.
    pub last: Option<Timestamp>,
    clients: Vec<Client>,
    at_least: u32,
}

impl Sum {
    /// Adds a row.
    pub fn add(&mut self, estate: &Estate, tally: &Tally) {
        self.count = self.count.saturating_add(tally.count);
        self.first = match (self.first, tally.first) {
            (Some(one), Some(other)) => Some(one.min(other)),
            (one, other) => one.or(other),
        };
        self.last = self.last.max(tally.last);
        if !tally.clients.is_empty() {
            self.clients = least_clients(&self.clients, estate.list(tally.clients));
        }
        self.at_least = self.at_least.max(tally.at_least);
    }

    /// How many distinct clients there were, and whether there may be more; none where nobody counted.
    pub fn clients(&self) -> Option<(usize, bool)> {
        let hashed = self.clients.len();
        let counted = self.at_least as usize;
        match hashed.max(counted) {
            0 => None,
            // What was counted row by row may overlap or not.
            most => Some((most, hashed == MOST_CLIENTS || counted > 0)),
        }
    }
}

/// Who was seen to call.
#[derive(Debug, Clone, Default)]
pub struct Callers {
    /// Those who were not turned away, by what they showed.
    pub by: BTreeMap<Showed, Sum>,
    /// Those who were turned away.
    pub turned_away: Sum,
    /// All of those who were not.
    pub all: Sum,
    /// From where they came, of those who were not turned away.
    pub from: BTreeMap<CameFrom, u64>,
    /// By which methods, of those that were answered with more than the caller's fault.
    pub methods: BTreeMap<Name, u64>,
}

impl Callers {
    /// Whether nobody was seen.
    pub fn is_empty(&self) -> bool {
        self.all.count == 0 && self.turned_away.count == 0
    }

    /// Those who showed nothing.
    pub fn bare(&self) -> Option<&Sum> {
        self.by.get(&Showed::Nothing)
    }

    /// Those of whom the log does not say what they showed.
    pub fn unsaid(&self) -> u64 {
        self.by.get(&Showed::Unsaid).map_or(0, |sum| sum.count)
    }

    fn add(&mut self, estate: &Estate, showed: Showed, tally: &Tally) {
        self.all.add(estate, tally);
        self.by.entry(showed).or_default().add(estate, tally);
    }
}

impl Estate {
    /// Who was seen to call an endpoint. Runs that were seen only of its function are calls of it where it is the only
    /// way in over HTTP.
    pub fn callers_seen(&self, endpoint: EndpointId) -> Callers {
        let mut callers = Callers::default();
        self.add_calls(endpoint, &mut callers);
        let function = self.get(endpoint).map(|it| it.function);
        if let Some(function) = function.filter(|it| callers.is_empty() && self.endpoints_of(*it).len() == 1)
        {
            self.add_runs(function, &mut callers);
        }
        callers
    }

    /// Who was seen to make a function run over HTTP or by invoking it.
    pub fn callers_of(&self, function: FunctionId) -> Callers {
        let mut callers = Callers::default();
        for &endpoint in self.endpoints_of(function) {
            self.add_calls(endpoint, &mut callers);
        }
        if callers.is_empty() {
            self.add_runs(function, &mut callers);
        }
        callers
    }

    fn add_calls(&self, endpoint: EndpointId, callers: &mut Callers) {
        for call in self.calls_at(endpoint) {
            if call.answered == Answered::TurnedAway {
                callers.turned_away.add(self, &call.tally);
                continue;
            }
            callers.add(self, call.showed, &call.tally);
            *callers.from.entry(call.from).or_default() += call.tally.count;
            if call.answered != Answered::CallerAtFault {
                *callers.methods.entry(call.method).or_default() += call.tally.count;
            }
        }
    }

    fn add_runs(&self, function: FunctionId, callers: &mut Callers) {
        let Some(invoke) = self.name(INVOKE) else { return };
        let runs =
            self.uses_on(Thing::Function(function)).filter(|it| it.did == invoke && it.through.is_none());
        for run in runs {
            if run.outcome == Outcome::Refused {
                callers.turned_away.add(self, &run.tally);
                continue;
            }
            let showed = match run.who {
                Principal::Key(key) => Showed::Key(key),
                Principal::Anyone => Showed::Nothing,
                who => Showed::Principal(who),
            };
            callers.add(self, showed, &run.tally);
        }
    }
}

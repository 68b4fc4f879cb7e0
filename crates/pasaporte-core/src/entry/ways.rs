//! The ways in of a function: everybody who can make it run, by whichever road (access-model §6).

use super::circles::narrowed;
use super::{Because, Caller, Circles, Exposed, Exposure, faces_internet};
use crate::access::{Access, Context, Question, Verdict};
use crate::effect::{Effects, Somebody};
use crate::estate::{
    Attempt, Attribute, Effect, EndpointId, Estate, FunctionId, KeyReach, Network, Principal, Shows, Thing,
    TriggerId,
};

/// By what somebody gets in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Through {
    /// An endpoint, direct or behind a gateway.
    Endpoint(EndpointId),
    /// Invoking it, as the decision allows.
    Invoking,
    /// Writing to the source of a trigger.
    Source(TriggerId),
}

/// A way in: somebody who makes a function run.
#[derive(Debug, Clone)]
pub struct WayIn<'e> {
    /// By what.
    pub through: Through,
    /// Who, how surely, and why.
    pub caller: Caller<'e>,
    /// In which circles they are, from where they can reach it.
    pub circles: Circles,
}

/// That somebody calls a function.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Calling {
    /// Which.
    pub(crate) function: FunctionId,
    /// By what.
    pub(crate) through: Through,
    /// Surely or perhaps.
    pub(crate) verdict: Verdict,
    /// Whether the decision on invoking lets them.
    decided: bool,
}

/// All ways into a function.
#[derive(Debug, Clone)]
pub struct WaysIn<'e> {
    /// The function.
    pub function: FunctionId,
    /// Each, by what lets in and then by who.
    pub all: Vec<WayIn<'e>>,
}

impl WaysIn<'_> {
    /// How wide the function is open.
    pub fn exposed(&self) -> Exposed {
        self.all.iter().fold(Exposed::INSIDE, |widest, way| widest.wider(way.exposed(self.function)))
    }
}

impl WayIn<'_> {
    /// How wide it is open.
    pub fn exposed(&self, function: FunctionId) -> Exposed {
        let endpoint = match self.through {
            Through::Endpoint(id) => Some(id),
            Through::Invoking | Through::Source(_) => None,
        };
        open_to(self.circles.iter().copied(), (function, endpoint))
    }
}

/// How wide a function is open to some circles, by an endpoint or not.
fn open_to(
    circles: impl Iterator<Item = (Exposure, Verdict)>,
    through: (FunctionId, Option<EndpointId>),
) -> Exposed {
    circles.fold(Exposed::INSIDE, |widest, (to, verdict)| {
        let surely = verdict == Verdict::Yes;
        let surely_to = if surely { to } else { Exposure::Insiders };
        widest.wider(Exposed { to, surely, surely_to, through: Some(through) })
    })
}

impl<'e> Effects<'e> {
    /// All ways into a function; none where it is switched off.
    pub fn ways_in(&self, function: FunctionId) -> WaysIn<'e> {
        let mut ways = self.called(function);
        for &trigger in self.estate().triggers_of(function) {
            ways.all.extend(self.feeding(trigger).into_iter().map(|caller| WayIn::source(trigger, caller)));
        }
        ways
    }

    /// The ways in that do not go through a source.
    fn called(&self, function: FunctionId) -> WaysIn<'e> {
        let mut ways = WaysIn { function, all: Vec::new() };
        if self.may_run(function) {
            self.by_endpoints(&mut ways, Exposure::Insiders);
            ways.all.extend(self.invoking(function).into_iter().map(WayIn::invoking));
            self.by_managing(&mut ways);
        }
        ways
    }

    /// Who calls a function, by what, and how surely: what its ways in but for sources say without the circles of each.
    pub(crate) fn callers_of(&self, function: FunctionId) -> Vec<(Principal, Calling)> {
        let mut ways = WaysIn { function, all: Vec::new() };
        let mut all: Vec<(Principal, Calling)> = Vec::new();
        if self.may_run(function) {
            self.by_endpoints(&mut ways, Exposure::Insiders);
            for who in self.named_to_invoke(function) {
                if let Principal::Token(_) = who {
                    // Whoever has a public token bears another name.
                    ways.all.extend(self.invoking_as(who, function).into_iter().map(WayIn::invoking));
                    continue;
                }
                let verdict = self.invokes_as(who, function);
                if verdict != Verdict::No {
                    all.push((who, Calling { function, through: Through::Invoking, verdict, decided: true }));
                }
            }
            self.by_managing(&mut ways);
        }
        all.extend(ways.all.into_iter().map(|way| {
            let decided = matches!(way.caller.because, Because::Decision(_));
            let call = Calling { function, through: way.through, verdict: way.caller.verdict, decided };
            (way.caller.who, call)
        }));
        all
    }

    /// How surely those of a name that is no token's invoke a function, as [`Effects::invoking_as`] tells it.
    fn invokes_as(&self, who: Principal, function: FunctionId) -> Verdict {
        let (on, invoke) = (Thing::Function(function), self.invoke());
        match self.best_of(who, invoke, on, self.now()) {
            Verdict::No => {
                let circles = self.circles(who, invoke, on).into_iter();
                circles.map(|it| it.verdict).max().map_or(Verdict::No, |best| best.min(Verdict::Depends))
            }
            verdict => verdict,
        }
    }

    /// How surely one who bears the name of a caller calls its function so: what is decided is decided of each.
    pub(crate) fn calls_as(&self, it: &Somebody, name: Principal, call: &Calling) -> Verdict {
        let (who, function) = (it.who, call.function);
        let given = self.given(who);
        match call.through {
            Through::Endpoint(id) if !call.decided => call.verdict.min(self.reached(id, given)),
            _ if call.decided => {
                let there = self.account_of(Thing::Function(function));
                // What is given to anyone counts from both sides.
                let may_be = self.is_of_anyone(name) || self.may_be_invoked(it, there);
                if may_be { self.may_invoke(who, function, given) } else { Verdict::No }
            }
            _ => self.enters(who, function, given),
        }
    }

    /// Whether an endpoint is reached from where a call comes.
    pub(crate) fn reached(&self, id: EndpointId, given: &Context) -> Verdict {
        self.estate().get(id).map_or(Verdict::No, |it| within(&it.network, given))
    }

    /// Whether somebody makes a function run, by whichever way.
    pub fn enters(&self, who: Principal, function: FunctionId, given: &Context) -> Verdict {
        let decided = self.may_invoke(who, function, given);
        let others = self.other_ways(who, function, given).into_iter();
        others.map(|(_, verdict)| verdict).fold(decided, Verdict::max)
    }

    /// Whether the decision lets somebody invoke a function that is not switched off.
    fn may_invoke(&self, who: Principal, function: FunctionId, given: &Context) -> Verdict {
        let question =
            Question { principal: who, action: self.invoke(), on: Thing::Function(function), given };
        if self.may_run(function) { self.verdict(&question) } else { Verdict::No }
    }

    /// The ways by which somebody makes a function run that are not the decision's own: endpoints that let in one of
    /// their names, sources that they may write to, tries that got through, keys that manage. Where only some networks
    /// reach an endpoint, from there.
    pub fn other_ways(
        &self,
        who: Principal,
        function: FunctionId,
        given: &Context,
    ) -> Vec<(WayIn<'e>, Verdict)> {
        if !self.may_run(function) {
            return Vec::new();
        }
        let mut ways = WaysIn { function, all: Vec::new() };
        self.by_endpoints(&mut ways, Exposure::Insiders);
        self.by_managing(&mut ways);
        // Whoever has a public token may do what its holders may.
        let tokens = self.strangers_on(Thing::Function(function)).into_iter();
        for token in tokens.filter(|who| matches!(who, Principal::Token(_))) {
            ways.all.extend(self.invoking_as(token, function).into_iter().map(WayIn::invoking));
        }
        // What a group may write counts only for those of it who may.
        for &trigger in self.estate().triggers_of(function) {
            ways.all.extend(self.feeding_as(who, trigger).map(|caller| WayIn::source(trigger, caller)));
        }
        let names = self.names(who);
        let decided = |way: &WayIn<'_>| matches!(way.caller.because, Because::Decision(_));
        let theirs = ways.all.into_iter().filter(|way| names.contains(&way.caller.who) && !decided(way));
        let reached = |way: &WayIn<'_>| match way.through {
            Through::Endpoint(id) => self.reached(id, given),
            Through::Invoking | Through::Source(_) => Verdict::Yes,
        };
        let with_verdict = theirs.map(|way| (way.caller.verdict.min(reached(&way)), way));
        with_verdict
            .filter(|(verdict, _)| *verdict != Verdict::No)
            .map(|(verdict, way)| (way, verdict))
            .collect()
    }

    /// Who can make a function run, at the widest: what may let in more than insiders, without saying why.
    pub fn exposure(&self, function: FunctionId) -> Exposed {
        if !self.may_run(function) {
            return Exposed::INSIDE;
        }
        let mut ways = WaysIn { function, all: Vec::new() };
        self.by_endpoints(&mut ways, Exposure::KeyHolders);
        self.by_managing(&mut ways);
        let mut exposed = Exposed::INSIDE;
        let (on, whenever) = (Thing::Function(function), Context::default());
        for who in self.strangers_on(on) {
            // A token may be public, which depends on what it is let in by.
            if let Principal::Token(_) = who {
                ways.all.extend(self.invoking_as(who, function).into_iter().map(WayIn::invoking));
                continue;
            }
            // What is never so is not so of any circle.
            let question = Question { principal: who, action: self.invoke(), on, given: &whenever };
            if self.verdict(&question) == Verdict::No || !self.is_told_of(who, on) {
                continue;
            }
            let circles = self.outer_circles(who, self.invoke(), on);
            exposed = exposed.wider(open_to(circles.into_iter(), (function, None)));
        }
        for &trigger in self.estate().triggers_of(function) {
            let Some(source) = self.live_source(trigger) else { continue };
            for who in self.strangers_on(source) {
                let feeding = self.feeding_as(who, trigger).filter(|_| self.is_told_of(who, source));
                ways.all.extend(feeding.map(|caller| WayIn::source(trigger, caller)));
            }
        }
        ways.exposed().wider(exposed)
    }

    /// Whether what somebody may on a thing is told of them: what everybody may is told of everybody.
    fn is_told_of(&self, who: Principal, on: Thing) -> bool {
        let is_crowd = matches!(who, Principal::Anyone | Principal::SignedIn | Principal::Account(_));
        is_crowd || self.is_given_itself(who, on)
    }

    /// Who gets through an endpoint, at the widest.
    pub fn exposure_at(&self, id: EndpointId) -> Exposed {
        let Some(endpoint) = self.estate().get(id) else { return Exposed::INSIDE };
        let mut ways = WaysIn { function: endpoint.function, all: Vec::new() };
        self.by_endpoint(id, &mut ways, Exposure::Insiders);
        ways.exposed()
    }

    /// Who gets through an endpoint, and what tries of it showed.
    pub fn ways_at(&self, id: EndpointId) -> Vec<WayIn<'e>> {
        let Some(endpoint) = self.estate().get(id) else { return Vec::new() };
        let mut ways = WaysIn { function: endpoint.function, all: Vec::new() };
        self.by_endpoint(id, &mut ways, Exposure::Insiders);
        ways.all
    }

    /// The ways by endpoints, at least those of circles that are at least so wide.
    fn by_endpoints(&self, ways: &mut WaysIn<'e>, least: Exposure) {
        for &id in self.estate().endpoints_of(ways.function) {
            self.by_endpoint(id, ways, least);
        }
    }

    fn by_endpoint(&self, id: EndpointId, ways: &mut WaysIn<'e>, least: Exposure) {
        let Some(endpoint) = self.estate().get(id) else { return };
        let way = |caller| WayIn::endpoint(self.estate(), (id, &endpoint.network), caller);
        let callers = self.callers_as_wide_as(least, id);
        let known = callers.iter().any(|it| it.who == Principal::Anyone && it.verdict == Verdict::Yes);
        ways.all.extend(callers.into_iter().map(way));
        // What a try shows to be open is open.
        if !known && let Some((place, verdict)) = self.tried_open(id) {
            let caller = Caller::new(Principal::Anyone, verdict, Exposure::Anyone, Because::Tried(place));
            ways.all.push(way(caller));
        }
    }

    /// The latest try of an endpoint that got through without a credential, where no later one by the same method was
    /// turned away; and how sure it is that it did.
    pub fn tried_open(&self, id: EndpointId) -> Option<(usize, Verdict)> {
        let estate = self.estate();
        let all = estate.attempts();
        let of_it = || self.tries_of(id).map(|place| (place, &all[place]));
        let is_outdated = |attempt: &Attempt| {
            let later = |other: &Attempt| other.method == attempt.method && other.at > attempt.at;
            of_it().any(|(_, other)| later(other) && estate.shows(other) == Shows::TurnedAway)
        };
        let open =
            of_it().filter(|(_, attempt)| estate.shows(attempt) > Shows::Unclear && !is_outdated(attempt));
        let best = open.max_by_key(|(_, attempt)| {
            (estate.shows(attempt), attempt.at, std::cmp::Reverse(estate.text(attempt.method)))
        });
        best.map(|(place, attempt)| {
            let sure = estate.shows(attempt) == Shows::Through;
            (place, if sure { Verdict::Yes } else { Verdict::Depends })
        })
    }

    /// An admin key also invokes whatever is below what it opens.
    fn by_managing(&self, ways: &mut WaysIn<'e>) {
        for (key, verdict) in self.keys_opening(ways.function, KeyReach::Admin) {
            let who = Principal::Key(key);
            let caller = Caller::new(who, verdict, Exposure::KeyHolders, Because::Manages);
            ways.all.push(WayIn::invoking(caller));
        }
    }
}

/// Whether a call comes from where an endpoint can be reached.
fn within(network: &Network, given: &Context) -> Verdict {
    match (network, given.get(Attribute::CallerNetwork)) {
        (_, _) if faces_internet(network) => Verdict::Yes,
        (Network::Listed(nets), Some(from)) => Verdict::from(crate::access::is_in(nets, from)),
        _ => Verdict::Depends,
    }
}

impl<'e> WayIn<'e> {
    fn endpoint(estate: &Estate, (id, network): (EndpointId, &Network), caller: Caller<'e>) -> Self {
        let circles = caller.circles.iter();
        let circles = circles.map(|&(to, verdict)| (narrowed(estate, to, network), verdict)).collect();
        Self { through: Through::Endpoint(id), caller, circles }
    }

    fn invoking(caller: Caller<'e>) -> Self {
        Self { through: Through::Invoking, circles: caller.circles.clone(), caller }
    }

    /// The way of whoever feeds the source of a trigger.
    pub fn source(trigger: TriggerId, caller: Caller<'e>) -> Self {
        Self { through: Through::Source(trigger), circles: caller.circles.clone(), caller }
    }
}

impl Access<'_> {
    /// The names by which strangers, services and holders of keys and tokens may be given something on a thing.
    pub fn strangers_on(&self, on: Thing) -> Vec<Principal> {
        let estate = self.estate();
        let given = self.strangers_with_grants();
        if given.is_empty() && self.admissions_on(on).is_empty() {
            return Vec::new();
        }
        let mut all: Vec<Principal> = given.to_vec();
        for &id in self.admissions_on(on) {
            let admission = estate.admission(id);
            if estate.statement(admission.statement).effect == Effect::Allow {
                for &who in estate.list(admission.to) {
                    match who {
                        Principal::Group(group) => all.extend(self.everybody_in(group)),
                        other => all.push(other),
                    }
                }
            }
        }
        all.retain(|who| !matches!(who, Principal::User(_) | Principal::Identity(_) | Principal::Group(_)));
        all.sort_unstable();
        all.dedup();
        all
    }
}

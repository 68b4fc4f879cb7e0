//! Gateway routes: whoever passes the gateway's check gets through if what the gateway then presents passes the
//! function's own (access-model §6).

use super::{Because, Caller, Exposure};
use crate::access::{Answer, Context, Known, Question, Verdict};
use crate::effect::Effects;
use crate::estate::{
    Attribute, Check, Condition, Effect, Endpoint, EndpointId, Estate, FunctionId, IdentityId, KeyId, Name,
    Network, Presents, Principal, State, Test, Thing, Way,
};

/// What becomes of what a gateway presents.
#[derive(Debug, Clone)]
pub struct Passage<'e> {
    /// Whether it passes the function's own check: surely, perhaps, or not, and then the route is dead.
    pub verdict: Verdict,
    /// Why.
    pub by: By<'e>,
}

/// Why what a gateway presents passes, or does not.
#[derive(Debug, Clone)]
pub enum By<'e> {
    /// The function checks nothing.
    Open,
    /// The key that the gateway presents, which the function accepts or does not.
    Key(KeyId),
    /// The identity that it presents, and the decision on it.
    Identity(IdentityId, Answer<'e>),
    /// It comes as a service, with itself as the source; and the decision on that.
    Service(Name, Answer<'e>),
    /// Whatever the caller showed, which is checked again.
    Caller,
    /// It presents nothing; the decision on anyone.
    Anyone(Answer<'e>),
    /// It presents nothing that the check could accept.
    Nothing,
}

impl Passage<'_> {
    /// Why what a gateway presents passes, or does not, in a few words; the gateway as it is called there.
    pub fn reason(&self, estate: &Estate, gateway: &str) -> String {
        let dead = self.verdict == Verdict::No;
        match &self.by {
            By::Open => "the function itself checks nothing".to_owned(),
            By::Caller => format!("{gateway} passes on what the caller shows"),
            By::Key(key) => {
                let accepts = if dead { "does not accept" } else { "accepts" };
                format!("{gateway} presents key:{}, which the function {accepts}", estate.id(*key))
            }
            By::Identity(identity, answer) => {
                let may = if dead { "may not invoke it" } else { "may invoke it" };
                let residual = if dead { String::new() } else { answer.residual(estate) };
                let depending = if residual.is_empty() { residual } else { format!(", {residual}") };
                format!("{gateway} presents identity:{}, which {may}{depending}", estate.id(*identity))
            }
            By::Service(service, answer) => {
                let may = if dead { "may not invoke it" } else { "may invoke it" };
                let residual = if dead { String::new() } else { answer.residual(estate) };
                let depending = if residual.is_empty() { residual } else { format!(", {residual}") };
                format!("{gateway} comes as service:{}, which {may}{depending}", estate.text(*service))
            }
            By::Anyone(_) if dead => format!("{gateway} presents no identity, and the function asks for one"),
            By::Anyone(answer) => {
                let residual = answer.residual(estate);
                let depending = if residual.is_empty() { residual } else { format!(", {residual}") };
                format!("{gateway} presents no identity, and anyone may invoke it{depending}")
            }
            By::Nothing => format!("{gateway} presents nothing that the function accepts"),
        }
    }
}

/// A check of the function's own, and whether a gateway can be known to reach it.
type Own<'e> = (&'e Check, Verdict);

/// One of them, and who gets past it.
struct Behind<'e> {
    check: &'e Check,
    reached: Verdict,
    passes: Vec<Caller<'e>>,
    /// Whether whoever comes by the gateway is let in as a service.
    as_service: Verdict,
}

impl<'e> Effects<'e> {
    /// What becomes of what a gateway presents on a route; none for a direct endpoint.
    pub fn passage(&self, id: EndpointId) -> Option<Passage<'e>> {
        let endpoint = self.estate().get(id)?;
        let Way::Route { gateway, presents } = &endpoint.way else { return None };
        let all = self.own_checks(endpoint.function).into_iter().map(|(check, reached)| {
            let passage = self.presented(*gateway, presents, check, endpoint.function);
            Passage { verdict: passage.verdict.min(reached), ..passage }
        });
        // A function of several addresses is reached by the one that lets the gateway in.
        all.reduce(|best, other| if other.verdict > best.verdict { other } else { best })
    }

    /// Who gets through a route: of those who pass its own check, the ones for whom the rest is open too.
    pub(super) fn past_gateway(
        &self,
        endpoint: &'e Endpoint,
        presents: &Presents,
        at_gateway: Vec<Caller<'e>>,
    ) -> Vec<Caller<'e>> {
        let Some(gateway) = endpoint.way.gateway().filter(|_| !at_gateway.is_empty()) else {
            return Vec::new();
        };
        let own = self.own_checks(endpoint.function);
        if *presents != Presents::Caller {
            let passes = own.iter().map(|(check, reached)| {
                self.presented(gateway, presents, check, endpoint.function).verdict.min(*reached)
            });
            let passes = passes.max().unwrap_or(Verdict::No);
            return with(at_gateway, |_| passes);
        }
        let open = at_gateway.iter().find(|caller| caller.who == Principal::Anyone);
        if let Some(open) = open {
            // The gateway holds nobody up; what they must show is what the function asks for. A token that passes
            // the gateway may stand where the function's own would have to.
            let surely = matches!(open.because, Because::NoCheck | Because::Decision(_));
            let verdict = if surely { open.verdict } else { Verdict::Depends };
            let mut all: Vec<Caller<'e>> = Vec::new();
            for (check, reached) in own {
                let mut behind = self.pass_check(check, endpoint.function);
                // It may be let in as a service, whatever the caller shows.
                if let Some((_, answer)) = self.as_service(gateway, presents, check, endpoint.function) {
                    let verdict = answer.verdict;
                    behind.push(Caller::new(Principal::Anyone, verdict, Exposure::Anyone, Because::NoCheck));
                }
                let same = behind.iter().any(|caller| caller.who == Principal::Anyone);
                let verdict = if same { open.verdict } else { verdict };
                for caller in with(behind, |caller| caller.verdict.min(verdict).min(reached)) {
                    match all.iter_mut().find(|known| known.who == caller.who) {
                        Some(known) if known.verdict >= caller.verdict => {}
                        Some(known) => *known = caller,
                        None => all.push(caller),
                    }
                }
            }
            return all;
        }
        // What stands behind is the same for all who pass the gateway.
        let behind: Vec<Behind<'e>> = own
            .into_iter()
            .map(|(check, reached)| {
                let as_service = self.as_service(gateway, presents, check, endpoint.function);
                Behind {
                    check,
                    reached,
                    passes: self.pass_check(check, endpoint.function),
                    as_service: as_service.map_or(Verdict::No, |(_, answer)| answer.verdict),
                }
            })
            .collect();
        with(at_gateway, |caller| {
            let best =
                behind.iter().map(|own| self.shown_again(caller, own).max(own.as_service).min(own.reached));
            best.max().unwrap_or(Verdict::No).min(caller.verdict)
        })
    }

    /// The checks at a function's own addresses. Without one it is invoked through the platform, which asks who
    /// it is that invokes.
    fn own_checks(&self, function: FunctionId) -> Vec<Own<'e>> {
        let estate = self.estate();
        let direct = estate.endpoints_of(function).iter().filter_map(|id| estate.get(*id));
        let all: Vec<Own<'e>> = direct
            .filter(|it| it.way == Way::Direct && it.state == State::Enabled)
            .map(|it| {
                // Where only some networks are let in, the gateway may be in them or not.
                let reached = match it.network {
                    Network::Internet | Network::Internal => Verdict::Yes,
                    Network::Listed(_) => Verdict::Depends,
                };
                (&it.check, reached)
            })
            .collect();
        if all.is_empty() { vec![(&Check::Identity, Verdict::Yes)] } else { all }
    }

    /// Whether something that a gateway presents passes a check of the function's.
    fn presented(
        &self,
        gateway: Name,
        presents: &Presents,
        check: &Check,
        function: FunctionId,
    ) -> Passage<'e> {
        let as_shown = self.as_presented(presents, check, function);
        match self.as_service(gateway, presents, check, function) {
            Some((service, answer))
                if answer.verdict > as_shown.verdict || matches!(presents, Presents::Service(_)) =>
            {
                Passage { verdict: answer.verdict, by: By::Service(service, answer) }
            }
            _ => as_shown,
        }
    }

    /// The service as which a gateway comes to a function that asks for an identity, with itself as the source: the one
    /// that it presents, or the one that a permission admits for this gateway; and the decision on it.
    fn as_service(
        &self,
        gateway: Name,
        presents: &Presents,
        check: &Check,
        function: FunctionId,
    ) -> Option<(Name, Answer<'e>)> {
        if *check != Check::Identity {
            return None;
        }
        let estate = self.estate();
        let label = format!("gateway:{}", estate.text(gateway));
        let given = Context::at(estate.as_of()).with(Attribute::SourceResource, Known::Text(label.clone()));
        let on = Thing::Function(function);
        let decide = |service: Name| {
            let principal = Principal::Service(service);
            (service, self.decide(&Question { principal, action: self.invoke(), on, given: &given }))
        };
        if let Presents::Service(service) = presents {
            return Some(decide(*service));
        }
        let names_it = |condition: &Condition| match condition {
            Condition::Test(Attribute::SourceResource, Test::Equals(names)) => {
                names.iter().any(|name| estate.text(*name) == label)
            }
            Condition::Test(Attribute::SourceResource, Test::Like(patterns)) => {
                patterns.iter().any(|pattern| !pattern.is_everything() && pattern.matches(&label))
            }
            _ => false,
        };
        let mut services: Vec<Name> = Vec::new();
        for &id in self.admissions_on(on) {
            let admission = estate.admission(id);
            let statement = estate.statement(admission.statement);
            if statement.effect == Effect::Allow && statement.conditions.iter().any(names_it) {
                services.extend(estate.list(admission.to).iter().filter_map(|who| match who {
                    Principal::Service(name) => Some(*name),
                    _ => None,
                }));
            }
        }
        services.sort_unstable_by_key(|name| estate.text(*name));
        let answers = services.into_iter().map(decide).filter(|(_, answer)| answer.verdict != Verdict::No);
        answers.reduce(|best, other| if other.1.verdict > best.1.verdict { other } else { best })
    }

    /// Whether what a gateway shows passes a check of the function's by itself.
    fn as_presented(&self, presents: &Presents, check: &Check, function: FunctionId) -> Passage<'e> {
        let passage = |verdict, by| Passage { verdict, by };
        match (check, presents) {
            (_, Presents::Caller) => passage(Verdict::Yes, By::Caller),
            (Check::None, _) => passage(Verdict::Yes, By::Open),
            (Check::Key(least), Presents::Key(key)) => {
                let opening = self.keys_opening(function, *least);
                let opens =
                    opening.iter().find(|(id, _)| id == key).map_or(Verdict::No, |(_, verdict)| *verdict);
                passage(opens, By::Key(*key))
            }
            (Check::Identity, Presents::Identity(identity)) => {
                let answer = self.invokes_now(Principal::Identity(*identity), function);
                passage(answer.verdict, By::Identity(*identity, answer))
            }
            (Check::Identity, Presents::Nothing | Presents::Key(_) | Presents::Service(_)) => {
                let answer = self.stranger_may_invoke(Principal::Anyone, function);
                passage(answer.verdict, By::Anyone(answer))
            }
            (Check::Key(_) | Check::Token(_), _) => passage(Verdict::No, By::Nothing),
        }
    }

    /// Whether what a caller showed at the gateway passes a check of the function's as well.
    fn shown_again(&self, caller: &Caller<'e>, own: &Behind<'e>) -> Verdict {
        if let Some(open) = own.passes.iter().find(|behind| behind.who == Principal::Anyone) {
            return open.verdict;
        }
        match (own.check, caller.who) {
            (Check::None, _) => Verdict::Yes,
            (Check::Token(asked), Principal::Token(held)) if *asked != held => Verdict::Depends,
            // Whoever bears a wider name may pass by that.
            _ => {
                let names = self.names(caller.who);
                let theirs = own.passes.iter().filter(|behind| names.contains(&behind.who));
                theirs.map(|it| it.verdict).max().unwrap_or(Verdict::No)
            }
        }
    }
}

/// Callers with another verdict each; without those who do not get through.
fn with<'e>(callers: Vec<Caller<'e>>, verdict: impl Fn(&Caller<'e>) -> Verdict) -> Vec<Caller<'e>> {
    let through = |caller: Caller<'e>| {
        let verdict = verdict(&caller);
        caller.at_most(verdict)
    };
    callers.into_iter().filter_map(through).collect()
}

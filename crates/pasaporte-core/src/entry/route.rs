//! Gateway routes: whoever passes the gateway's check gets through if what the gateway then presents passes the
//! function's own (access-model §6).

use super::{Because, Caller};
use crate::access::{Access, Answer, Verdict};
use crate::estate::{
    Check, Endpoint, EndpointId, Estate, FunctionId, IdentityId, KeyId, Network, Presents, Principal, State,
    Way,
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

impl<'e> Access<'e> {
    /// What becomes of what a gateway presents on a route; none for a direct endpoint.
    pub fn passage(&self, id: EndpointId) -> Option<Passage<'e>> {
        let endpoint = self.estate().get(id)?;
        let Way::Route { presents, .. } = &endpoint.way else { return None };
        let all = self.own_checks(endpoint.function).into_iter().map(|(check, reached)| {
            let passage = self.presented(presents, check, endpoint.function);
            Passage { verdict: passage.verdict.min(reached), ..passage }
        });
        // A function of several addresses is reached by the one that lets the gateway in.
        all.reduce(|best, other| if other.verdict > best.verdict { other } else { best })
    }

    /// Who gets through a route: of those who pass its own check, the ones for whom the rest is open too.
    pub(super) fn callers_on(&self, endpoint: &'e Endpoint, presents: &Presents) -> Vec<Caller<'e>> {
        let at_gateway = self.pass_check(&endpoint.check, endpoint.function);
        let own = self.own_checks(endpoint.function);
        if *presents != Presents::Caller {
            let passes = own.iter().map(|(check, reached)| {
                self.presented(presents, check, endpoint.function).verdict.min(*reached)
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
                let behind = self.pass_check(check, endpoint.function);
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
        with(at_gateway, |caller| {
            let best = own
                .iter()
                .map(|(check, reached)| self.shown_again(caller, check, endpoint.function).min(*reached));
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
    fn presented(&self, presents: &Presents, check: &Check, function: FunctionId) -> Passage<'e> {
        let passage = |verdict, by| Passage { verdict, by };
        let yes_if = |yes| if yes { Verdict::Yes } else { Verdict::No };
        match (check, presents) {
            (_, Presents::Caller) => passage(Verdict::Yes, By::Caller),
            (Check::None, _) => passage(Verdict::Yes, By::Open),
            (Check::Key(least), Presents::Key(key)) => {
                passage(yes_if(self.keys_opening(function, *least).contains(key)), By::Key(*key))
            }
            (Check::Identity, Presents::Identity(identity)) => {
                let answer = self.invokes_now(Principal::Identity(*identity), function);
                passage(answer.verdict, By::Identity(*identity, answer))
            }
            (Check::Identity, Presents::Nothing | Presents::Key(_)) => {
                let answer = self.stranger_may_invoke(Principal::Anyone, function);
                passage(answer.verdict, By::Anyone(answer))
            }
            (Check::Key(_) | Check::Token(_), _) => passage(Verdict::No, By::Nothing),
        }
    }

    /// Whether what a caller showed at the gateway passes a check of the function's as well.
    fn shown_again(&self, caller: &Caller<'e>, check: &Check, function: FunctionId) -> Verdict {
        let behind = self.pass_check(check, function);
        if let Some(open) = behind.iter().find(|behind| behind.who == Principal::Anyone) {
            return open.verdict;
        }
        match (check, caller.who) {
            (Check::None, _) => Verdict::Yes,
            (Check::Token(asked), Principal::Token(held)) if *asked != held => Verdict::Depends,
            _ => behind.iter().find(|behind| behind.who == caller.who).map_or(Verdict::No, |it| it.verdict),
        }
    }
}

/// Callers with another verdict each; without those who do not get through.
fn with<'e>(callers: Vec<Caller<'e>>, verdict: impl Fn(&Caller<'e>) -> Verdict) -> Vec<Caller<'e>> {
    let through = |caller: Caller<'e>| {
        let verdict = verdict(&caller).min(caller.verdict);
        (verdict != Verdict::No).then_some(Caller { verdict, ..caller })
    };
    callers.into_iter().filter_map(through).collect()
}

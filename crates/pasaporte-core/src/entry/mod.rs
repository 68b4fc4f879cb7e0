//! Who gets through to a function, in effect (access-model §6).
//!
//! A function's callers are the union over its endpoints, direct ([`Access::callers_at`]) or behind a gateway
//! (`route.rs`), its triggers ([`Access::feeders`]) and its invoke permissions, which the decision answers.

mod contract;
mod drift;
mod exposure;
mod feed;
mod paths;
mod route;

use crate::access::{Access, Answer, Context, Question, Verdict};
use crate::estate::{
    Check, EndpointId, FunctionId, KeyId, KeyReach, List, Name, Network, Principal, Shows, State, Thing,
    Token, TokenId, Verifier, VerifierId, Way,
};

pub use contract::{Held, HeldContracts, Standing, Strength, Unspoken};
pub use drift::{Aspect, Drift};
pub use exposure::{Exposed, Exposure};
pub use feed::Feeder;
pub use route::{By, Passage};

/// Somebody who gets through, and why.
#[derive(Debug, Clone)]
pub struct Caller<'e> {
    /// Who.
    pub who: Principal,
    /// Surely, or depending on something.
    pub verdict: Verdict,
    /// Why.
    pub because: Because<'e>,
}

/// What lets a caller through.
#[derive(Debug, Clone)]
pub enum Because<'e> {
    /// Nothing is checked.
    NoCheck,
    /// The verifier does not check signatures, so that anybody can make a token.
    UncheckedToken(VerifierId),
    /// A token that was handed to public clients satisfies the verifier.
    PublicToken(TokenId),
    /// The caller holds something that the check accepts.
    Holds,
    /// The decision on invoking the function.
    Decision(Answer<'e>),
}

impl Because<'_> {
    /// Whether it lets through whoever is meant although they show nothing.
    pub fn asks_nothing(&self) -> bool {
        matches!(self, Self::NoCheck | Self::Decision(_))
    }
}

impl<'e> Access<'e> {
    /// Whether a stranger who bears `principal`'s name may make the function run, without the reasons.
    pub fn stranger_invokes(&self, principal: Principal, function: FunctionId) -> Verdict {
        let on = Thing::Function(function);
        self.verdict(&Question { principal, action: self.invoke(), on, given: self.stranger() })
    }

    /// May a stranger who bears `principal`'s name make the function run?
    pub fn stranger_may_invoke(&self, principal: Principal, function: FunctionId) -> Answer<'e> {
        let on = Thing::Function(function);
        self.decide(&Question { principal, action: self.invoke(), on, given: self.stranger() })
    }

    /// May a stranger who bears `principal`'s name act as the identity?
    pub fn stranger_may_assume(
        &self,
        principal: Principal,
        identity: crate::estate::IdentityId,
    ) -> Answer<'e> {
        let on = Thing::Identity(identity);
        self.decide(&Question { principal, action: self.assume(), on, given: self.stranger() })
    }

    /// What the decision says of a principal inside the estate that invokes the function.
    fn invokes_now(&self, principal: Principal, function: FunctionId) -> Answer<'e> {
        let given = Context::at(self.estate().as_of());
        let on = Thing::Function(function);
        self.decide(&Question { principal, action: self.invoke(), on, given: &given })
    }

    /// Whether an endpoint and its function are switched on.
    pub fn is_open(&self, id: EndpointId) -> bool {
        let endpoint = self.estate().get(id).filter(|endpoint| endpoint.state == State::Enabled);
        endpoint.is_some_and(|endpoint| self.may_run(endpoint.function))
    }

    /// Whether a function is not known to be switched off.
    fn may_run(&self, function: FunctionId) -> bool {
        self.estate().get(function).is_none_or(|function| function.state == State::Enabled)
    }

    /// Who gets through an endpoint, direct or behind a gateway. Nobody, where the endpoint or its function is
    /// switched off.
    pub fn callers_at(&self, id: EndpointId) -> Vec<Caller<'e>> {
        let estate = self.estate();
        let Some(endpoint) = estate.get(id).filter(|_| self.is_open(id)) else { return Vec::new() };
        match &endpoint.way {
            Way::Direct => self.pass_check(&endpoint.check, endpoint.function),
            Way::Route { presents, .. } => self.callers_on(endpoint, presents),
        }
    }

    /// Whether somebody who shows nothing at all gets through an endpoint: surely, perhaps or not. Where a token that
    /// anybody can have opens it, it must still be shown.
    pub fn opens_to_nothing(&self, id: EndpointId) -> Verdict {
        let callers = self.callers_at(id).into_iter();
        let callers = callers.filter(|it| it.who == Principal::Anyone && it.because.asks_nothing());
        callers.map(|caller| caller.verdict).max().unwrap_or(Verdict::No)
    }

    /// Whether what a try shows is what the estate says of its endpoint; none where it shows nothing. Who knocks may be
    /// outside the networks that are let in.
    pub fn agrees(&self, id: Option<EndpointId>, shows: Shows) -> Option<bool> {
        let said_open = id.is_some_and(|id| self.opens_to_nothing(id) != Verdict::No);
        let endpoint = id.and_then(|id| self.estate().get(id));
        let from_anywhere = endpoint.is_none_or(|it| faces_internet(&it.network));
        match shows {
            Shows::Unclear => None,
            Shows::TurnedAway if said_open && !from_anywhere => None,
            Shows::TurnedAway => Some(!said_open),
            Shows::PerhapsThrough | Shows::Through => Some(said_open),
        }
    }

    /// Everybody who gets through an endpoint, each surely or perhaps. At a function's own check of identity that is
    /// the decision itself, also for those of whom it asks something.
    pub fn entrants(&self, id: EndpointId, given: &Context) -> Vec<(Principal, Verdict)> {
        match self.decides_alone(id) {
            Some(function) => self.who_may(self.invokers(), self.invoke(), Thing::Function(function), given),
            None => self.callers_at(id).into_iter().map(|caller| (caller.who, caller.verdict)).collect(),
        }
    }

    /// The function of an open direct endpoint that checks an identity: there the decision says who gets through.
    pub fn decides_alone(&self, id: EndpointId) -> Option<FunctionId> {
        let endpoint = self.estate().get(id).filter(|_| self.is_open(id))?;
        (endpoint.check == Check::Identity && endpoint.way == Way::Direct).then_some(endpoint.function)
    }

    /// Who passes a check that stands before a function.
    fn pass_check(&self, check: &Check, function: FunctionId) -> Vec<Caller<'e>> {
        let sure = |who, because| Caller { who, verdict: Verdict::Yes, because };
        match check {
            Check::None => vec![sure(Principal::Anyone, Because::NoCheck)],
            Check::Key(least) => self
                .keys_opening(function, *least)
                .into_iter()
                .map(|key| sure(Principal::Key(key), Because::Holds))
                .collect(),
            Check::Token(verifier) => vec![self.token_callers(*verifier)],
            Check::Identity => self.admitted(function),
        }
    }

    /// The enabled, unexpired keys of at least this reach that open a function: its own, and those of the
    /// scopes that it lies in, in the order read.
    pub fn keys_opening(&self, function: FunctionId, least: KeyReach) -> Vec<KeyId> {
        let estate = self.estate();
        let scope = estate.get(function).and_then(|it| it.scope);
        let above = std::iter::successors(scope, |id| estate.get(*id).and_then(|it| it.parent));
        let opened = std::iter::once(Thing::Function(function)).chain(above.map(Thing::Scope));
        let mut keys: Vec<KeyId> = opened
            .flat_map(|thing| self.keys_of(thing))
            .filter(|id| estate.get(*id).is_some_and(|key| key.reach >= least) && self.is_accepted(*id))
            .collect();
        keys.sort_unstable();
        keys
    }

    /// Whether a key is enabled and had not expired when the estate was true.
    pub fn is_accepted(&self, key: KeyId) -> bool {
        let estate = self.estate();
        estate.get(key).is_some_and(|key| {
            let ended = estate.has_ended(key.expires);
            key.state == State::Enabled && !ended
        })
    }

    /// Whether a verifier lists the algorithm `none`, which is no signature (RFC 7518 §3.6).
    pub(crate) fn accepts_unsigned(&self, verifier: &Verifier) -> bool {
        let estate = self.estate();
        let algorithms = estate.list(verifier.algorithms);
        algorithms.iter().any(|name| estate.text(*name).eq_ignore_ascii_case("none"))
    }

    fn token_callers(&self, id: VerifierId) -> Caller<'e> {
        let estate = self.estate();
        let holders = Caller { who: Principal::Token(id), verdict: Verdict::Yes, because: Because::Holds };
        let Some(verifier) = estate.get(id) else { return holders };
        if !verifier.checks_signature || self.accepts_unsigned(verifier) {
            let because = Because::UncheckedToken(id);
            return Caller { who: Principal::Anyone, verdict: Verdict::Yes, because };
        }
        let public =
            estate.all::<TokenId>().find(|(_, token)| token.public && self.satisfies(token, id, verifier));
        match public {
            Some((token, _)) => {
                Caller { who: Principal::Anyone, verdict: Verdict::Yes, because: Because::PublicToken(token) }
            }
            None => holders,
        }
    }

    /// Whether a token passes a verifier, by its claims.
    pub fn passes(&self, token: TokenId, verifier: VerifierId) -> bool {
        let estate = self.estate();
        let both = estate.get(token).zip(estate.get(verifier));
        both.is_some_and(|(token, it)| self.satisfies(token, verifier, it))
    }

    /// Whether a token's claims are what a verifier asks for (RFC 7519 §4.1).
    fn satisfies(&self, token: &Token, id: VerifierId, verifier: &Verifier) -> bool {
        let made_for_another = token.verifier.is_some_and(|of| of != id);
        let estate = self.estate();
        let accepts = |list: List<Name>, name: Name| estate.list(list).contains(&name);
        let issued = verifier.issuers.is_empty()
            || token.issuer.map_or(token.verifier == Some(id), |issuer| accepts(verifier.issuers, issuer));
        let addressed = verifier.audiences.is_empty()
            || estate.list(token.audiences).iter().any(|audience| accepts(verifier.audiences, *audience))
            || (token.audiences.is_empty() && token.verifier == Some(id));
        let signed = verifier.algorithms.is_empty()
            || token.algorithm.is_none_or(|algorithm| accepts(verifier.algorithms, algorithm));
        let known = match (&verifier.keys, token.key_id) {
            (Some(keys), Some(key)) => keys.ids.contains(&key),
            (Some(keys), None) => keys.unnamed || !keys.ids.is_empty(),
            (None, _) => true,
        };
        let ended = verifier.checks_expiry && estate.has_ended(token.expires);
        !made_for_another && issued && addressed && signed && known && !ended
    }

    /// Those who pass a check of identity: whoever may invoke the function. Of a crowd somebody is asked about
    /// who has nothing to do with the estate.
    fn admitted(&self, function: FunctionId) -> Vec<Caller<'e>> {
        let on = Thing::Function(function);
        let insiders = Context::at(self.estate().as_of());
        let mut callers = Vec::new();
        for who in self.candidates(self.invokers(), self.invoke(), on) {
            let is_crowd = match who {
                Principal::Anyone | Principal::SignedIn => true,
                Principal::Account(account) => self.is_foreign(account, on),
                _ => false,
            };
            let given = if is_crowd { self.stranger() } else { &insiders };
            let answer = self.decide(&Question { principal: who, action: self.invoke(), on, given });
            // A group may be of no account; then its members tell.
            let verdict = match who {
                Principal::Group(_) => self.best_of(who, self.invoke(), on, given),
                _ => answer.verdict,
            };
            if verdict != Verdict::No {
                callers.push(Caller { who, verdict, because: Because::Decision(answer) });
            }
        }
        callers
    }
}

/// Whether the whole internet can reach an endpoint.
pub fn faces_internet(network: &Network) -> bool {
    match network {
        Network::Internet => true,
        Network::Internal => false,
        Network::Listed(networks) => networks.iter().any(|net| net.prefix_len() == 0),
    }
}

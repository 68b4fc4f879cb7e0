//! Who gets in to a function, in effect (access-model §6).
//!
//! One structure holds all of it, the [`WaysIn`] of a function (`ways.rs`): the union over its endpoints, direct
//! ([`Effects::callers_at`]) or behind a gateway (`route.rs`), its event sources (`feed.rs`), whoever the decision lets
//! invoke it by whichever road, admin keys, and what tries showed. Each way says whom it lets in, how surely, by what,
//! and in which circles those are (`circles.rs`).

mod circles;
mod contract;
mod drift;
mod exposure;
mod feed;
mod paths;
mod route;
mod ways;

use smallvec::{SmallVec, smallvec};

use crate::access::{Answer, Context, Question, Verdict};
use crate::effect::Effects;
use crate::estate::{
    At, Check, Endpoint, EndpointId, FunctionId, KeyId, KeyReach, LastUse, List, Name, Network, Principal,
    Shows, State, Thing, Token, TokenId, Verifier, VerifierId, Way,
};

pub use circles::Circle;
pub use contract::{Held, HeldContracts, Standing, Strength, Unspoken};
pub use drift::{Aspect, Drift};
pub use exposure::{Exposed, Exposure};
pub use feed::Feeder;
pub use paths::PathTree;
pub use route::{By, Passage};
pub(crate) use ways::Calling;
pub use ways::{Through, WayIn, WaysIn};

/// Somebody who gets through, and why.
#[derive(Debug, Clone)]
pub struct Caller<'e> {
    /// Who.
    pub who: Principal,
    /// Surely, or depending on something.
    pub verdict: Verdict,
    /// Why.
    pub because: Because<'e>,
    /// In which circles they are, as far as networks do not narrow them.
    pub circles: Circles,
}

/// Circles, each with how surely those in it get through.
pub type Circles = SmallVec<[(Exposure, Verdict); 1]>;

impl Caller<'_> {
    /// The same where something else must hold too.
    fn at_most(mut self, verdict: Verdict) -> Option<Self> {
        self.verdict = self.verdict.min(verdict);
        self.circles.iter_mut().for_each(|(_, known)| *known = (*known).min(verdict));
        (self.verdict != Verdict::No).then_some(self)
    }

    /// How surely those of a circle get through.
    pub fn of_circle(&self, exposure: Exposure) -> Verdict {
        let all = self.circles.iter().filter(|(each, _)| *each == exposure);
        all.map(|(_, verdict)| *verdict).max().unwrap_or(Verdict::No)
    }
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
    /// The caller holds a key that manages what the function is in.
    Manages,
    /// A try with no credential got through: its place among all tries.
    Tried(usize),
    /// The caller may write to a source that makes the function run, by this action.
    Feeds(Box<str>),
    /// The decision on invoking the function.
    Decision(Answer<'e>),
}

impl Because<'_> {
    /// Whether it lets through whoever is meant although they show nothing.
    pub fn asks_nothing(&self) -> bool {
        matches!(self, Self::NoCheck | Self::Decision(_) | Self::Tried(_))
    }
}

impl<'e> Effects<'e> {
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
    pub fn may_run(&self, function: FunctionId) -> bool {
        self.estate().get(function).is_none_or(|function| function.state == State::Enabled)
    }

    /// Who gets through an endpoint, direct or behind a gateway. Nobody, where the endpoint or its function is
    /// switched off.
    pub fn callers_at(&self, id: EndpointId) -> Vec<Caller<'e>> {
        self.callers_as_wide_as(Exposure::Insiders, id)
    }

    /// Of these at least those of circles that are at least so wide.
    pub(super) fn callers_as_wide_as(&self, least: Exposure, id: EndpointId) -> Vec<Caller<'e>> {
        let estate = self.estate();
        let Some(endpoint) = estate.get(id).filter(|_| self.is_open(id)) else { return Vec::new() };
        match &endpoint.way {
            Way::Direct if endpoint.check == Check::Identity && least != Exposure::Insiders => {
                self.outsiders_invoking(endpoint.function)
            }
            Way::Direct => self.pass_check(&endpoint.check, endpoint.function),
            Way::Route { presents, .. } => {
                let at_gateway = self.pass_check(&endpoint.check, endpoint.function);
                self.past_gateway(endpoint, presents, at_gateway)
            }
        }
    }

    /// Whether somebody who shows nothing at all gets through an endpoint: surely, perhaps or not. Where a token that
    /// anybody can have opens it, it must still be shown.
    pub fn opens_to_nothing(&self, id: EndpointId) -> Verdict {
        let callers = self.callers_at(id).into_iter();
        let callers = callers.filter(|it| it.who == Principal::Anyone && it.because.asks_nothing());
        callers.map(|caller| caller.of_circle(Exposure::Anyone)).max().unwrap_or(Verdict::No)
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

    /// Who passes a check that stands before a function.
    fn pass_check(&self, check: &Check, function: FunctionId) -> Vec<Caller<'e>> {
        match check {
            Check::None => {
                vec![Caller::new(Principal::Anyone, Verdict::Yes, Exposure::Anyone, Because::NoCheck)]
            }
            Check::Key(least) => {
                let keys = self.keys_opening(function, *least).into_iter();
                keys.map(|(key, verdict)| Caller::with_key(key, verdict)).collect()
            }
            Check::Token(verifier) => self.token_callers(*verifier),
            Check::Identity => self.invoking(function),
        }
    }

    /// The keys of at least this reach that open a function, its own and those of the scopes that it lies in, each with
    /// how surely it does; in the order read.
    pub fn keys_opening(&self, function: FunctionId, least: KeyReach) -> Vec<(KeyId, Verdict)> {
        let estate = self.estate();
        let scope = estate.get(function).and_then(|it| it.scope);
        let above = std::iter::successors(scope, |id| estate.get(*id).and_then(|it| it.parent));
        let opened = std::iter::once(Thing::Function(function)).chain(above.map(Thing::Scope));
        let mut keys: Vec<(KeyId, Verdict)> = opened
            .flat_map(|thing| self.keys_of(thing))
            .filter(|id| estate.get(*id).is_some_and(|key| key.reach >= least))
            .map(|id| (id, self.accepted(id)))
            .filter(|(_, verdict)| *verdict != Verdict::No)
            .collect();
        keys.sort_unstable();
        keys
    }

    /// The functions that a key opens, each with how surely: an endpoint of it asks for a key and lets this one through; or it
    /// is an admin key, and the function lies in what that opens.
    pub fn opened_by(&self, key: KeyId) -> Vec<(FunctionId, Verdict)> {
        let Some(it) = self.estate().get(key) else { return Vec::new() };
        let functions = self.functions_at(At::Thing(it.opens())).into_iter();
        functions.map(|id| (id, self.opens(key, id))).filter(|(_, how)| *how != Verdict::No).collect()
    }

    /// How surely a key opens a function that it is made for.
    fn opens(&self, key: KeyId, function: FunctionId) -> Verdict {
        let estate = self.estate();
        let (accepted, Some(it)) = (self.accepted(key), estate.get(key)) else { return Verdict::No };
        if accepted == Verdict::No || !self.may_run(function) {
            return Verdict::No;
        }
        if it.reach == KeyReach::Admin {
            return accepted;
        }
        let takes_it = |endpoint: &&Endpoint| {
            let is_wide = matches!(endpoint.check, Check::Key(least) if it.reach >= least);
            is_wide && endpoint.state == State::Enabled
        };
        let endpoints =
            estate.endpoints_of(function).iter().filter_map(|id| estate.get(*id)).filter(takes_it);
        let through = |endpoint: &'e Endpoint| match &endpoint.way {
            Way::Direct => accepted,
            Way::Route { presents, .. } => {
                let through = self.past_gateway(endpoint, presents, vec![Caller::with_key(key, accepted)]);
                let by_it = through.into_iter().filter(|it| it.who == Principal::Key(key));
                by_it.map(|it| it.verdict).max().unwrap_or(Verdict::No)
            }
        };
        endpoints.map(through).max().unwrap_or(Verdict::No)
    }

    /// Whether a key is accepted: one that is enabled is; past its expiry it may be, and is if it was used since.
    pub fn accepted(&self, key: KeyId) -> Verdict {
        let estate = self.estate();
        let Some(key) = estate.get(key).filter(|key| key.state == State::Enabled) else { return Verdict::No };
        match (estate.has_ended(key.expires), key.last_used) {
            (false, _) => Verdict::Yes,
            (true, LastUse::At(used)) if key.expires.is_some_and(|end| used > end) => Verdict::Yes,
            (true, _) => Verdict::Depends,
        }
    }

    /// Whether a verifier lists the algorithm `none`, which is no signature (RFC 7518 §3.6).
    pub fn accepts_unsigned(&self, verifier: &Verifier) -> bool {
        let estate = self.estate();
        let algorithms = estate.list(verifier.algorithms);
        algorithms.iter().any(|name| estate.text(*name).eq_ignore_ascii_case("none"))
    }

    fn token_callers(&self, id: VerifierId) -> Vec<Caller<'e>> {
        let estate = self.estate();
        let holders = Caller::new(Principal::Token(id), Verdict::Yes, Exposure::KeyHolders, Because::Holds);
        let Some(verifier) = estate.get(id) else { return vec![holders] };
        if !verifier.checks_signature || self.accepts_unsigned(verifier) {
            let because = Because::UncheckedToken(id);
            return vec![Caller::new(Principal::Anyone, Verdict::Yes, Exposure::Anyone, because)];
        }
        match self.public_token_for(id) {
            Some((token, Verdict::Yes)) => vec![Caller::with_public_token(token, Verdict::Yes)],
            Some((token, perhaps)) => vec![Caller::with_public_token(token, perhaps), holders],
            None => vec![holders],
        }
    }

    /// The public token that passes a verifier, the surest; of several the first by name.
    pub fn public_token_for(&self, verifier: VerifierId) -> Option<(TokenId, Verdict)> {
        let estate = self.estate();
        let public = estate.all::<TokenId>().filter(|(_, token)| token.public);
        let passing = public.map(|(id, _)| (id, self.passes(id, verifier)));
        passing.filter(|(_, verdict)| *verdict != Verdict::No).max_by(
            |(one, verdict), (other, other_verdict)| {
                verdict.cmp(other_verdict).then_with(|| estate.id(*other).cmp(estate.id(*one)))
            },
        )
    }

    /// Whether a token passes a verifier, by its claims: whatever verifier it was made for.
    pub fn passes(&self, token: TokenId, verifier: VerifierId) -> Verdict {
        let estate = self.estate();
        match estate.get(token).zip(estate.get(verifier)) {
            Some((token, it)) => self.satisfies(token, verifier, it),
            None => Verdict::No,
        }
    }

    /// Whether a token's claims are what a verifier asks for (RFC 7519 §4.1).
    fn satisfies(&self, token: &Token, id: VerifierId, verifier: &Verifier) -> Verdict {
        let made_for_it = token.verifier == Some(id);
        let estate = self.estate();
        let accepts = |list: List<Name>, name: Name| estate.list(list).contains(&name);
        let issued = verifier.issuers.is_empty()
            || token.issuer.map_or(made_for_it, |it| accepts(verifier.issuers, it));
        let addressed = verifier.audiences.is_empty()
            || estate.list(token.audiences).iter().any(|audience| accepts(verifier.audiences, *audience))
            || (token.audiences.is_empty() && made_for_it);
        let signed = verifier.algorithms.is_empty()
            || token.algorithm.is_none_or(|algorithm| accepts(verifier.algorithms, algorithm));
        let ended = verifier.checks_expiry && estate.has_ended(token.expires);
        if !issued || !addressed || !signed || ended {
            return Verdict::No;
        }
        // Which keys the verifier knows, and which signed the token.
        match (&verifier.keys, token.key_id) {
            _ if !verifier.checks_signature => Verdict::Yes,
            (Some(keys), Some(key)) if keys.ids.contains(&key) => Verdict::Yes,
            (Some(keys), Some(_)) if keys.unnamed > 0 => Verdict::Depends,
            (Some(_), Some(_)) => Verdict::No,
            (Some(keys), None) if keys.ids.is_empty() && keys.unnamed == 0 => Verdict::No,
            _ if made_for_it => Verdict::Yes,
            // Whoever accepts what that issuer signs knows its keys.
            (None, _) if !verifier.issuers.is_empty() && token.issuer.is_some() => Verdict::Yes,
            _ => Verdict::Depends,
        }
    }

    /// Whoever may invoke a function by the decision, by whichever road, by each name that something gives it to.
    pub fn invoking(&self, function: FunctionId) -> Vec<Caller<'e>> {
        self.invoking_by(function, |_| true)
    }

    /// Of these those who may be of a wider circle than insiders.
    fn outsiders_invoking(&self, function: FunctionId) -> Vec<Caller<'e>> {
        self.invoking_by(function, |who| self.may_be_outside(*who, Thing::Function(function)))
    }

    fn invoking_by(&self, function: FunctionId, wanted: impl Fn(&Principal) -> bool) -> Vec<Caller<'e>> {
        let named = self.named_to_invoke(function).into_iter().filter(wanted);
        named.flat_map(|who| self.invoking_as(who, function)).collect()
    }

    /// Those who may perhaps, by each name that something gives it to.
    fn named_to_invoke(&self, function: FunctionId) -> Vec<Principal> {
        let invoke = self.invoke();
        let wanted = |actions| invoke.may_be_picked_by(actions);
        self.candidates(self.invokers(), wanted, Thing::Function(function))
    }

    /// Those who may invoke a function by one name.
    pub fn invoking_as(&self, who: Principal, function: FunctionId) -> Vec<Caller<'e>> {
        let on = Thing::Function(function);
        let given = Context::at(self.estate().as_of());
        let answer = self.decide(&Question { principal: who, action: self.invoke(), on, given: &given });
        // A group may be of no account; then its members tell.
        let verdict = match who {
            Principal::Group(_) => self.best_of(who, self.invoke(), on, &given),
            _ => answer.verdict,
        };
        let question = (who, self.invoke(), on);
        let circles = self.circles_by(Exposure::Insiders, question, Some(&answer)).into_iter();
        let circles: Circles = circles.map(|it| (it.exposure, it.verdict)).collect();
        let verdict =
            circles.iter().map(|(_, verdict)| *verdict).max().map_or(verdict, |best| match verdict {
                Verdict::No => best.min(Verdict::Depends),
                other => other,
            });
        if verdict == Verdict::No {
            return Vec::new();
        }
        if let Principal::Token(verifier) = who
            && self.is_by_own_name(who, &answer)
            && let Some((token, passes)) = self.public_token_for(verifier)
        {
            // Anyone has it, and may then call from anywhere, or only from where conditions name.
            let crowd = self.circles_of_crowd((Exposure::Insiders, Exposure::Anyone), question, &answer);
            let with_it: Circles =
                crowd.into_iter().map(|it| (it.exposure, it.verdict.min(passes))).collect();
            let public = (!with_it.is_empty()).then(|| Caller {
                circles: with_it,
                ..Caller::with_public_token(token, passes.min(verdict))
            });
            let holders = Caller { who, verdict, because: Because::Decision(answer), circles };
            let besides = public.is_none() || passes != Verdict::Yes;
            return public.into_iter().chain(besides.then_some(holders)).collect();
        }
        vec![Caller { who, verdict, because: Because::Decision(answer), circles }]
    }
}

impl<'e> Caller<'e> {
    fn new(who: Principal, verdict: Verdict, exposure: Exposure, because: Because<'e>) -> Self {
        Self { who, verdict, because, circles: smallvec![(exposure, verdict)] }
    }

    fn with_key(key: KeyId, verdict: Verdict) -> Self {
        Self::new(Principal::Key(key), verdict, Exposure::KeyHolders, Because::Holds)
    }

    fn with_public_token(token: TokenId, verdict: Verdict) -> Self {
        Self::new(Principal::Anyone, verdict, Exposure::Anyone, Because::PublicToken(token))
    }
}

/// Whether the whole internet can reach an endpoint.
pub fn faces_internet(network: &Network) -> bool {
    match network {
        Network::Internet => true,
        Network::Internal => false,
        Network::Listed(networks) => crate::access::is_internet(networks),
    }
}

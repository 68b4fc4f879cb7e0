//! How exposed a function is: the widest circle of callers that can make it run.

use crate::access::{Access, Verdict};
use crate::estate::{AccountOf, Effect, EndpointId, FunctionId, Network, Principal, Thing, Vocabulary};

use super::faces_internet;

crate::estate::vocabulary! {
    /// Who can use a weakness, from the widest circle to the narrowest (access-model §10).
    Exposure: "an exposure" {
        /// Anyone on the network.
        Anyone = "anyone",
        /// Any signed-in caller of the platform, or whoever has a public token.
        SignedIn = "signed-in",
        /// A party outside the estate.
        Outsider = "outsider",
        /// Holders of a key or token.
        KeyHolders = "key-holders",
        /// Those inside.
        Insiders = "insiders",
    }
}

/// An exposure and what makes it so.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Exposed {
    /// How wide the circle is.
    pub to: Exposure,
    /// Whether it is surely that wide.
    pub surely: bool,
    /// The function that lets them in, and the endpoint where it is one.
    pub through: Option<(FunctionId, Option<EndpointId>)>,
}

impl Exposed {
    /// Exposed to nobody but insiders.
    pub const INSIDE: Self = Self { to: Exposure::Insiders, surely: true, through: None };

    /// The exposure of what the code holds: callers influence it, they do not control it
    /// (access-model §7), so each circle counts as the next narrower one.
    pub fn through_code(self) -> Self {
        let to = match self.to {
            Exposure::Anyone => Exposure::SignedIn,
            Exposure::SignedIn => Exposure::Outsider,
            Exposure::Outsider => Exposure::KeyHolders,
            Exposure::KeyHolders | Exposure::Insiders => Exposure::Insiders,
        };
        Self { to, ..self }
    }

    fn wider(self, other: Self) -> Self {
        // The order of exposures is from wide to narrow; a sure one is worse than one that depends.
        if (other.to, !other.surely) < (self.to, !self.surely) { other } else { self }
    }
}

impl Access<'_> {
    /// Who can make a function run, at the widest.
    pub fn exposure(&self, function: FunctionId) -> Exposed {
        let estate = self.estate();
        if !self.may_run(function) {
            return Exposed::INSIDE;
        }
        let mut widest = Exposed::INSIDE;
        for &endpoint in estate.endpoints_of(function) {
            widest = widest.wider(self.exposure_at(endpoint));
        }
        for &trigger in estate.triggers_of(function) {
            for (crowd, to) in
                [(Principal::Anyone, Exposure::Anyone), (Principal::SignedIn, Exposure::SignedIn)]
            {
                let verdict = self.crowd_feeds(trigger, crowd);
                if verdict != Verdict::No {
                    let surely = verdict == Verdict::Yes;
                    widest = widest.wider(Exposed { to, surely, through: Some((function, None)) });
                }
            }
        }
        for &id in self.admissions_on(Thing::Function(function)) {
            let admission = estate.admission(id);
            if estate.statement(admission.statement).effect == Effect::Deny {
                continue;
            }
            for &who in estate.list(admission.to) {
                // A service acts for whoever owns the source: where a stranger's may pass, an outsider gets in.
                let to = match who {
                    Principal::Service(_) => Exposure::Outsider,
                    _ => self.circle(who, Thing::Function(function)),
                };
                if to >= widest.to {
                    continue;
                }
                let verdict = self.stranger_invokes(who, function);
                if verdict != Verdict::No {
                    let surely = verdict == Verdict::Yes;
                    widest = widest.wider(Exposed { to, surely, through: Some((function, None)) });
                }
            }
        }
        widest
    }

    /// Who gets through an endpoint, at the widest.
    pub fn exposure_at(&self, id: EndpointId) -> Exposed {
        let mut widest = Exposed::INSIDE;
        let Some(endpoint) = self.estate().get(id) else { return widest };
        for caller in self.callers_at(id) {
            let to = self.circle(caller.who, Thing::Function(endpoint.function));
            let to = if faces_internet(&endpoint.network) { to } else { narrowed(to, &endpoint.network) };
            let surely = caller.verdict == Verdict::Yes;
            widest = widest.wider(Exposed { to, surely, through: Some((endpoint.function, Some(id))) });
        }
        widest
    }

    /// The circle of those who bear a principal's name, seen from a thing.
    pub fn circle(&self, who: Principal, from: Thing) -> Exposure {
        match who {
            Principal::Anyone => Exposure::Anyone,
            Principal::SignedIn => Exposure::SignedIn,
            Principal::Outside(_) => Exposure::Outsider,
            Principal::Account(account) if self.is_foreign(account, from) => Exposure::Outsider,
            Principal::Key(_) | Principal::Token(_) => Exposure::KeyHolders,
            Principal::Account(_)
            | Principal::User(_)
            | Principal::Identity(_)
            | Principal::Service(_)
            | Principal::Group(_) => Exposure::Insiders,
        }
    }

    /// Whether an account is another one than the thing's.
    pub fn is_foreign(&self, account: crate::estate::ScopeId, thing: Thing) -> bool {
        self.estate().account_of(thing) != AccountOf::Known(account)
    }
}

/// Whoever is let in from some networks only is a known party: an outsider, or an insider where
/// those networks are private.
fn narrowed(to: Exposure, network: &Network) -> Exposure {
    let private = match network {
        Network::Listed(networks) => networks.iter().all(crate::access::is_private),
        Network::Internal | Network::Internet => true,
    };
    to.max(if private { Exposure::Insiders } else { Exposure::Outsider })
}

impl Exposure {
    /// "anyone on the internet", "holders of a key".
    pub fn phrase(self) -> &'static str {
        match self {
            Self::Anyone => "anyone",
            Self::SignedIn => "any signed-in caller",
            Self::Outsider => "a party outside the estate",
            Self::KeyHolders => "whoever holds a key or token",
            Self::Insiders => "insiders only",
        }
    }

    /// All exposures, widest first.
    pub fn all() -> impl Iterator<Item = Self> {
        Self::ALL.iter().map(|(_, exposure)| *exposure)
    }
}

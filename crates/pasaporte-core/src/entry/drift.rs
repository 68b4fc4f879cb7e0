//! Drift: what is deployed otherwise than it is declared in source control, and lets in more.
//!
//! Things are the same where their ids are. Only what is weaker as deployed counts: asks less, takes more methods,
//! can be reached from more networks, runs as something else, is switched on though declared off, or is not declared
//! at all while its function is. What the declaration does not speak of is left alone.

use ipnet::IpNet;

use crate::access::{Access, Context, Verdict};
use crate::estate::{
    Check, Effect, Endpoint, EndpointId, Estate, FunctionId, List, Name, Network, Origin, Presents,
    Principal, State, Thing, Verifier, VerifierId, Way,
};

crate::estate::vocabulary! {
    /// What differs.
    Aspect: "an aspect" {
        /// What a caller must show.
        Check = "check",
        /// What a gateway presents on the caller's behalf.
        Presents = "presents",
        /// The HTTP methods taken.
        Methods = "methods",
        /// The networks from which it can be reached.
        Network = "network",
        /// What the function runs as.
        Identity = "identity",
        /// Switched on or off.
        State = "state",
        /// That it is there.
        Presence = "presence",
        /// What a verifier accepts.
        Verifier = "verifier",
        /// Who may invoke it.
        Callers = "callers",
    }
}

/// Something that lets in more as deployed than as declared.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Drift {
    /// What it is about: a function, an endpoint or a verifier.
    pub thing: Thing,
    /// What differs.
    pub aspect: Aspect,
    /// As it is declared, in a few words.
    pub declared: String,
    /// As it is deployed.
    pub deployed: String,
    /// Whether it is surely weaker, or only another one.
    pub surely_weaker: bool,
    /// Where it is declared.
    pub declared_at: Origin,
    /// Where it was read as deployed.
    pub deployed_at: Origin,
}

impl Access<'_> {
    /// All that lets in more as deployed than as declared, in the order read; nothing where nothing is declared.
    pub fn drift(&self) -> Vec<Drift> {
        let (deployed, mut all) = (self.estate(), Vec::new());
        let Some(declared) = deployed.declared() else { return all };
        let sides = Sides { deployed, declared };
        let meant = Access::new(declared);
        for (id, _) in deployed.all::<FunctionId>() {
            sides.function(id, &mut all);
            self.callers_drift(&meant, id, &mut all);
        }
        for (id, verifier) in deployed.all::<VerifierId>() {
            let other = declared.find::<VerifierId>(deployed.id(id)).and_then(|other| declared.get(other));
            if let Some(other) = other {
                sides.verifier(id, verifier, other, &mut all);
            }
        }
        all
    }
}

impl Access<'_> {
    /// Whoever an invoke permission lets in surer than what is declared does, where that says who may invoke it.
    fn callers_drift(&self, meant: &Access<'_>, id: FunctionId, all: &mut Vec<Drift>) {
        let (deployed, declared) = (self.estate(), meant.estate());
        let Some(known) = declared.find::<FunctionId>(deployed.id(id)) else { return };
        let (on, there) = (Thing::Function(id), Thing::Function(known));
        let (Some(is), Some(said)) = (deployed.get(id), declared.get(known)) else { return };
        if meant.admissions_on(there).is_empty() {
            return;
        }
        let named = |access: &Access<'_>, on: Thing| {
            let estate = access.estate();
            let of = access.admissions_on(on).iter().map(|admission| estate.admission(*admission));
            let allowing = of.filter(|it| estate.statement(it.statement).effect == Effect::Allow);
            let mut all: Vec<Principal> =
                allowing.flat_map(|it| estate.list(it.to).iter().copied()).collect();
            all.sort_by_cached_key(|who| estate.principal_label(*who));
            all.dedup();
            all
        };
        let verdict = |access: &Access<'_>, who: Principal, on: Thing| {
            let given = Context::at(access.estate().as_of());
            access.best_of(who, access.invoke(), on, &given)
        };
        let more = named(self, on).into_iter().filter(|who| {
            let as_declared =
                deployed.same_in(declared, *who).map_or(Verdict::No, |who| verdict(meant, who, there));
            verdict(self, *who, on) > as_declared
        });
        let more: Vec<String> = more.map(|who| deployed.principal_label(who)).collect();
        if more.is_empty() {
            return;
        }
        let admitted: Vec<String> =
            named(meant, there).into_iter().map(|who| declared.principal_label(who)).collect();
        let origin = |access: &Access<'_>, on: Thing| {
            let estate = access.estate();
            let first = access.admissions_on(on).first();
            first.map(|admission| estate.statement(estate.admission(*admission).statement).origin)
        };
        all.push(Drift {
            thing: on,
            aspect: Aspect::Callers,
            declared: admitted.join(", "),
            deployed: format!("by {} too", more.join(", ")),
            surely_weaker: true,
            declared_at: origin(meant, there).unwrap_or(said.origin),
            deployed_at: origin(self, on).unwrap_or(is.origin),
        });
    }
}

struct Sides<'e> {
    deployed: &'e Estate,
    declared: &'e Estate,
}

impl Sides<'_> {
    fn function(&self, id: FunctionId, all: &mut Vec<Drift>) {
        let Self { deployed, declared } = self;
        let Some(is) = deployed.get(id) else { return };
        let Some(known) = declared.find::<FunctionId>(deployed.id(id)) else { return };
        let Some(meant) = declared.get(known) else { return };
        let mut differs = |aspect, said: (String, String)| {
            all.push(Drift {
                thing: Thing::Function(id),
                aspect,
                declared: said.0,
                deployed: said.1,
                surely_weaker: aspect == Aspect::State,
                declared_at: meant.origin,
                deployed_at: is.origin,
            });
        };
        if (meant.state, is.state) == (State::Disabled, State::Enabled) {
            differs(Aspect::State, ("switched off".to_owned(), "switched on".to_owned()));
        }
        let runs_as = (declared.runs_as(meant), deployed.runs_as(is));
        let ids = (runs_as.0.map(|id| declared.id(id)), runs_as.1.map(|id| deployed.id(id)));
        if let (Some(meant), Some(is)) = ids
            && meant != is
        {
            let said = |id: &str| format!("identity:{id}");
            differs(Aspect::Identity, (said(meant), said(is)));
        }
        // A declaration without any way in may leave them to another file.
        let speaks_of_ways = !declared.endpoints_of(known).is_empty();
        for &endpoint in deployed.endpoints_of(id) {
            let Some(is) = deployed.get(endpoint).filter(|it| it.state == State::Enabled) else { continue };
            let other = declared.find::<EndpointId>(deployed.id(endpoint));
            match other.and_then(|other| declared.get(other)) {
                Some(meant) => self.endpoint(endpoint, is, meant, all),
                None if speaks_of_ways => all.push(Drift {
                    thing: Thing::Endpoint(endpoint),
                    aspect: Aspect::Presence,
                    declared: "not there".to_owned(),
                    deployed: "there".to_owned(),
                    surely_weaker: true,
                    declared_at: meant.origin,
                    deployed_at: is.origin,
                }),
                None => {}
            }
        }
    }

    fn endpoint(&self, id: EndpointId, is: &Endpoint, meant: &Endpoint, all: &mut Vec<Drift>) {
        let mut differs = |aspect, surely_weaker, said: (String, String)| {
            all.push(Drift {
                thing: Thing::Endpoint(id),
                aspect,
                declared: said.0,
                deployed: said.1,
                surely_weaker,
                declared_at: meant.origin,
                deployed_at: is.origin,
            });
        };
        if meant.state == State::Disabled {
            differs(Aspect::State, true, ("switched off".to_owned(), "switched on".to_owned()));
        }
        let checks = || (check(self.declared, &meant.check), check(self.deployed, &is.check));
        match self.compared(&is.check, &meant.check) {
            Compared::Weaker => differs(Aspect::Check, true, checks()),
            Compared::Another => differs(Aspect::Check, false, checks()),
            Compared::Enough => {}
        }
        if let (Way::Route { presents: now, .. }, Way::Route { presents: then, .. }) = (&is.way, &meant.way) {
            let said = (presents(self.declared, then), presents(self.deployed, now));
            let brings =
                |it: &Presents| matches!(it, Presents::Identity(_) | Presents::Key(_) | Presents::Service(_));
            if said.0 != said.1 && brings(now) {
                differs(Aspect::Presents, !brings(then), said);
            }
        }
        let (now, then) = (words(self.deployed, is.methods), words(self.declared, meant.methods));
        let more = now.is_empty() || now.iter().any(|method| !then.contains(method));
        if !then.is_empty() && more {
            let said = |methods: &[&str]| {
                if methods.is_empty() { "all there are".to_owned() } else { methods.join(", ") }
            };
            differs(Aspect::Methods, true, (said(&then), said(&now)));
        }
        if !lies_within(&is.network, &meant.network) {
            differs(Aspect::Network, true, (network(&meant.network), network(&is.network)));
        }
    }

    fn compared(&self, is: &Check, meant: &Check) -> Compared {
        match (is, meant) {
            (Check::Key(is), Check::Key(meant)) if is < meant => Compared::Weaker,
            (Check::Token(is), Check::Token(meant)) if self.deployed.id(*is) != self.declared.id(*meant) => {
                Compared::Another
            }
            (is, meant) if is.strength() < meant.strength() => Compared::Weaker,
            _ => Compared::Enough,
        }
    }

    fn verifier(&self, id: VerifierId, is: &Verifier, meant: &Verifier, all: &mut Vec<Drift>) {
        let mut weaker: Vec<(String, String)> = Vec::new();
        let off = |what: &str| (format!("checks {what}"), format!("does not check {what}"));
        if meant.checks_signature && !is.checks_signature {
            weaker.push(off("signatures"));
        }
        if meant.checks_expiry && !is.checks_expiry {
            weaker.push(off("when tokens end"));
        }
        let lists = [
            ("issuer", meant.issuers, is.issuers),
            ("audience", meant.audiences, is.audiences),
            ("algorithm", meant.algorithms, is.algorithms),
        ];
        for (what, meant, is) in lists {
            let (then, now) = (words(self.declared, meant), words(self.deployed, is));
            let more: Vec<&str> = now.iter().copied().filter(|each| !then.contains(each)).collect();
            if !then.is_empty() && (now.is_empty() || !more.is_empty()) {
                let takes = if now.is_empty() {
                    format!("any {what}")
                } else {
                    format!("the {what} {}", more.join(", "))
                };
                weaker.push((format!("accepts the {what} {}", then.join(", ")), format!("accepts {takes}")));
            }
        }
        if weaker.is_empty() {
            return;
        }
        let joined = |texts: Vec<&str>| texts.join("; ");
        all.push(Drift {
            thing: Thing::Verifier(id),
            aspect: Aspect::Verifier,
            declared: joined(weaker.iter().map(|(declared, _)| declared.as_str()).collect()),
            deployed: joined(weaker.iter().map(|(_, deployed)| deployed.as_str()).collect()),
            surely_weaker: true,
            declared_at: meant.origin,
            deployed_at: is.origin,
        });
    }
}

/// How a check as deployed compares to the one declared.
enum Compared {
    Weaker,
    Another,
    Enough,
}

fn words(estate: &Estate, list: List<Name>) -> Vec<&str> {
    estate.list(list).iter().map(|name| estate.text(*name)).collect()
}

fn check(estate: &Estate, check: &Check) -> String {
    match check {
        Check::None => "nothing".to_owned(),
        Check::Key(reach) => format!("a key of {reach} reach"),
        Check::Identity => "an identity".to_owned(),
        Check::Token(verifier) => format!("a token for verifier:{}", estate.id(*verifier)),
    }
}

fn presents(estate: &Estate, presents: &Presents) -> String {
    match presents {
        Presents::Nothing => "nothing".to_owned(),
        Presents::Caller => "what the caller shows".to_owned(),
        Presents::Identity(identity) => format!("identity:{}", estate.id(*identity)),
        Presents::Key(key) => format!("key:{}", estate.id(*key)),
        Presents::Service(service) => format!("service:{}", estate.text(*service)),
    }
}

fn network(network: &Network) -> String {
    match network {
        Network::Internet => "the internet".to_owned(),
        Network::Internal => "the inside".to_owned(),
        Network::Listed(networks) => networks.iter().map(ToString::to_string).collect::<Vec<_>>().join(", "),
    }
}

/// Whether all that reaches one network is of the other.
fn lies_within(is: &Network, meant: &Network) -> bool {
    match (is, meant) {
        (_, Network::Internet) | (Network::Internal, _) => true,
        (_, Network::Listed(_)) if super::faces_internet(meant) => true,
        (Network::Internet, Network::Listed(_) | Network::Internal)
        | (Network::Listed(_), Network::Internal) => false,
        (Network::Listed(is), Network::Listed(meant)) => {
            let meant = IpNet::aggregate(&meant.to_vec());
            is.iter().all(|net| meant.iter().any(|other| other.contains(net)))
        }
    }
}

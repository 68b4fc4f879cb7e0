//! What is built on the decision says nothing that the decision does not, and leaves out nothing that it says: laws over
//! random estates, held by the second evaluator (`support/naive.rs`).
//!
//! `ESTATES` asks for more random estates than the usual number.

use std::collections::BTreeSet;

use crate::support::estates;
use crate::support::naive::{Given, Naive, Target, Tri};
use crate::support::recipe::{
    ACTION_PATTERNS, Cooked, PLACES, PRINCIPALS, PUBLIC, RESOURCE_PATTERNS, Recipe, cook, recipe,
};
use pasaporte_audit::{Audit, Catalogue, Finding, Settings, judge};
use pasaporte_core::access::{Context, Verdict};
use pasaporte_core::effect::{Effects, Impact};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::*;
use pasaporte_core::pattern::Pattern;
use pasaporte_core::reach::Reaches;
use proptest::prelude::*;
use proptest::test_runner::RngSeed;

fn tri(verdict: Verdict) -> Tri {
    match verdict {
        Verdict::No => 0,
        Verdict::Depends => 1,
        Verdict::Yes => 2,
    }
}

/// Words that every estate shares, and strings drawn from the patterns of recipes.
fn actions() -> Vec<String> {
    let kinds = ["table", "queue", "function", "identity", "key", "user", "group", "account", "access"];
    let words = ["list", "read", "write", "send", "publish", "put", "delete", "manage", "strange"];
    let mut all: BTreeSet<String> =
        kinds.iter().flat_map(|kind| words.iter().map(move |word| format!("{kind}/{word}"))).collect();
    for own in
        ["function/invoke", "function/update", "function/create", "identity/assume", "identity/hand-over"]
    {
        all.insert(own.to_owned());
    }
    all.extend(["key/create", "secret/read", "user/assume", "group/assume"].map(str::to_owned));
    // Operations that nobody named and no line of the catalogue lists, short and long.
    for service in ["table", "queue", "function", "identity", "key", "user", "group"] {
        all.extend([format!("{service}/zz"), format!("{service}/zzzz")]);
    }
    for pattern in ACTION_PATTERNS {
        for (run, one) in [("", "x"), ("re", "c"), ("write", "r"), ("a", "b")] {
            let drawn = pattern.replace('*', run).replace('?', one);
            let is_action = |(service, rest): (&str, &str)| {
                !service.is_empty() && !rest.is_empty() && !rest.contains('/')
            };
            if drawn.split_once('/').is_some_and(is_action) {
                all.insert(drawn);
            }
        }
    }
    all.into_iter().collect()
}

/// The class of an action by the words that every estate shares (docs/estate-format.md, "Actions").
fn common_class(action: &str) -> Option<ActionClass> {
    let (service, operation) = action.split_once('/').unwrap();
    Some(match (service, operation) {
        ("function", "invoke") => ActionClass::Invoke,
        ("function", "update" | "create") => ActionClass::Code,
        ("identity", "assume" | "hand-over") | ("user" | "group", "assume") => ActionClass::Identity,
        ("secret", "read") | ("key", "read" | "create") => ActionClass::Secret,
        (_, "list") => ActionClass::List,
        (_, "read") => ActionClass::Read,
        ("access", _) => ActionClass::Access,
        (_, "write" | "send" | "publish" | "put") => ActionClass::Write,
        (_, "delete") => ActionClass::Delete,
        (_, "manage") => ActionClass::Manage,
        _ => return None,
    })
}

/// The second opinion on an estate.
struct Second<'e> {
    cooked: &'e Cooked,
    naive: Naive<'e>,
    actions: Vec<String>,
}

impl<'e> Second<'e> {
    fn new(cooked: &'e Cooked, recipe: &Recipe) -> Self {
        Self { cooked, naive: Naive::new(cooked, recipe), actions: actions() }
    }

    fn ignores_case(&self, on: &Target) -> bool {
        let account = self.naive.account_of(on).and_then(|id| self.cooked.estate.get(id));
        account.is_some_and(|account| account.action_case == CaseOfActions::Ignored)
    }

    /// The class of an action on something: by the estate's lines that count there, the one that says most first, then by
    /// the words that every estate shares.
    fn class(&self, action: &str, on: &Target) -> Option<ActionClass> {
        let action = if self.ignores_case(on) { action.to_lowercase() } else { action.to_owned() };
        let (service, operation) = action.split_once('/').unwrap();
        let platform = self.platform_at(on);
        let fits = |line: &&ActionEntry| {
            let (services, operations) = line.pattern.text().split_once('/').unwrap();
            line.platform.is_none_or(|it| platform == Some(it))
                && Pattern::parse(services).unwrap().matches(service)
                && Pattern::parse(operations).unwrap().matches(operation)
        };
        let says = |line: &&ActionEntry| {
            let text = line.pattern.text().to_owned();
            let letters = text.chars().filter(|each| !"*?".contains(*each)).count();
            (text.contains(['*', '?']), std::cmp::Reverse(letters), text, line.class.rank())
        };
        let first = self.cooked.estate.actions().iter().filter(fits).min_by_key(says);
        first.map_or_else(|| common_class(&action), |line| Some(line.class))
    }

    /// The platform of the account of something; of what is of no account the only one that lines and accounts are of.
    fn platform_at(&self, on: &Target) -> Option<Name> {
        let estate = &self.cooked.estate;
        if let Some(account) = self.naive.account_of(on).and_then(|id| estate.get(id)) {
            return account.platform;
        }
        let told = |it: &Name| estate.actions().iter().any(|line| line.platform == Some(*it));
        let platforms = estate.all::<ScopeId>().filter_map(|(_, it)| it.platform).filter(told);
        let all: BTreeSet<Name> = platforms.collect();
        if all.len() == 1 { all.first().copied() } else { None }
    }

    /// Whether somebody's grants alone decide about a thing: it is of their own account.
    fn is_at_home(&self, who: Principal, on: Thing) -> bool {
        let account = |thing| self.naive.account_of(&Target::There(thing));
        who.thing().is_some_and(|own| account(own) == account(on))
    }

    fn given(&self, who: Principal) -> Given {
        let known = match who {
            Principal::Account(id) => self.cooked.estate.get(id).is_some(),
            other => !matches!(other, Principal::Anyone | Principal::SignedIn | Principal::Service(_)),
        };
        if known { Given::default() } else { Given { network: Some("foreign"), ..Given::stranger() } }
    }

    /// The worst that somebody may do, and that it surely may, by trying everything (access-model §10).
    /// And whether the key may be come to on the way.
    fn worst(&self, who: Principal) -> ([Impact; 2], bool) {
        let (mut perhaps, mut surely) = (BTreeSet::new(), BTreeSet::new());
        let mut worst = [Impact::RunsCode; 2];
        // Whom it may become, perhaps and surely: each once.
        let mut open = vec![(who, 2)];
        while let Some((next, so_far)) = open.pop() {
            let seen = if so_far == 2 { &mut surely } else { &mut perhaps };
            if !seen.insert(next) {
                continue;
            }
            for (impact, verdict) in self.direct(next, &mut open, so_far) {
                worst[0] = worst[0].min(impact);
                if verdict.min(so_far) == 2 {
                    worst[1] = worst[1].min(impact);
                }
            }
        }
        let key = Principal::Key(self.cooked.key);
        (worst, perhaps.contains(&key) || surely.contains(&key))
    }

    /// What somebody may do itself: each impact, with how surely; whom it may become is added to what is open.
    fn direct(&self, who: Principal, open: &mut Vec<(Principal, Tri)>, so_far: Tri) -> Vec<(Impact, Tri)> {
        let estate = &self.cooked.estate;
        let given = self.given(who);
        let mut all = Vec::new();
        for &on in &self.cooked.things {
            let target = Target::There(on);
            let ignored = self.ignores_case(&target);
            let label = estate.label(on);
            let kind = label.split(':').next().unwrap();
            for action in &self.actions {
                let service = action.split('/').next().unwrap();
                let service = if ignored { service.to_lowercase() } else { service.to_owned() };
                if service != kind && service != "access" {
                    continue;
                }
                let verdict = self.naive.decide(who, action, on, &given);
                if verdict == 0 {
                    continue;
                }
                let class = self.class(action, &target);
                let is_access = service == "access" && class == Some(ActionClass::Access);
                match on {
                    Thing::Scope(_) if is_access => all.push((Impact::ControlsAccess, verdict)),
                    Thing::Scope(_) => {}
                    Thing::Resource(id) => {
                        let secret = estate.get(id).unwrap().sensitivity == Some(Sensitivity::Confidential);
                        let harm = match class {
                            Some(ActionClass::List | ActionClass::Invoke) => None,
                            _ if service == "access" && !is_access => None,
                            _ if secret => Some(Impact::ConfidentialData),
                            _ => Some(Impact::DataOrSecrets),
                        };
                        all.extend(harm.map(|harm| (harm, verdict)));
                    }
                    Thing::Function(id) if is_access || class == Some(ActionClass::Code) => {
                        let runs_as = estate.get(id).unwrap().runs_as;
                        open.extend(runs_as.map(|id| (Principal::Identity(id), verdict.min(so_far))));
                    }
                    Thing::Identity(id) if is_access || class == Some(ActionClass::Identity) => {
                        open.push((Principal::Identity(id), verdict.min(so_far)));
                    }
                    Thing::User(id) if is_access || class == Some(ActionClass::Identity) => {
                        open.push((Principal::User(id), verdict.min(so_far)));
                    }
                    Thing::Group(id) if is_access || class == Some(ActionClass::Identity) => {
                        open.push((Principal::Group(id), verdict.min(so_far)));
                    }
                    Thing::Key(_) => {
                        let reads = matches!(class, Some(ActionClass::Secret | ActionClass::Read));
                        if is_access || (reads && service == "key") {
                            open.push((Principal::Key(self.cooked.key), verdict.min(so_far)));
                        } else if service == "key" && class != Some(ActionClass::List) {
                            all.push((Impact::DataOrSecrets, verdict));
                        }
                    }
                    _ => {
                        let harmless =
                            [Some(ActionClass::List), Some(ActionClass::Read), Some(ActionClass::Invoke)];
                        if service == kind && !harmless.contains(&class) {
                            all.push((Impact::DataOrSecrets, verdict));
                        }
                    }
                }
            }
        }
        if who == Principal::Key(self.cooked.key) {
            self.opened(&mut all, open, so_far);
        }
        all.extend(self.all_of_a_place(who, &given));
        all
    }

    /// What opens to whoever has the key: with an admin key all that it opens, else what function `f` runs as, if a door of
    /// it lets the key in.
    fn opened(&self, all: &mut Vec<(Impact, Tri)>, open: &mut Vec<(Principal, Tri)>, so_far: Tri) {
        let estate = &self.cooked.estate;
        if estate.get(self.cooked.key).unwrap().reach == KeyReach::Admin {
            all.extend((self.accepted() > 0).then(|| (Impact::ControlsAccess, self.accepted())));
            return;
        }
        let doors = estate.endpoints_of(self.cooked.function).iter().filter_map(|id| estate.get(*id));
        let doors = doors.filter(|door| matches!(door.check, Check::Key(_)));
        let key = Principal::Key(self.cooked.key);
        let how = doors.map(|door| self.passes(key, door, &Given::default())).max().unwrap_or(0);
        let runs_as = estate.get(self.cooked.function).unwrap().runs_as;
        open.extend(runs_as.filter(|_| how > 0).map(|id| (Principal::Identity(id), how.min(so_far))));
    }

    /// Control of all functions or identities of a place: of each that is there, and of any that is made.
    fn all_of_a_place(&self, who: Principal, given: &Given) -> Vec<(Impact, Tri)> {
        let estate = &self.cooked.estate;
        let mut all = Vec::new();
        let scopes = self.cooked.things.iter().filter_map(|thing| match thing {
            Thing::Scope(scope) => Some(*scope),
            _ => None,
        });
        for scope in scopes.filter(|scope| estate.get(*scope).unwrap().kind != ScopeKind::Organization) {
            for (kind, wanted) in [("function", ActionClass::Code), ("identity", ActionClass::Identity)] {
                let there: Vec<Thing> = self
                    .cooked
                    .things
                    .iter()
                    .copied()
                    .filter(|thing| estate.label(*thing).split(':').next() == Some(kind))
                    .filter(|thing| self.naive.chain(*thing).contains(&Thing::Scope(scope)))
                    .collect();
                let new = Target::New(format!("{kind}:wholly-unheard-of"), scope);
                for action in self.actions.iter().filter(|action| self.class(action, &new) == Some(wanted)) {
                    let service = action.split('/').next().unwrap().to_lowercase();
                    let on_there = there.iter().map(|on| self.naive.decide(who, action, *on, given));
                    let least =
                        on_there.chain([self.naive.decide_on(who, action, &new, given)]).min().unwrap();
                    // Of a place that has none only making them is control.
                    let counts = !there.is_empty() || wanted == ActionClass::Code;
                    if least > 0 && counts && service == kind {
                        all.push((Impact::ControlsAccess, least));
                    }
                }
            }
        }
        all
    }

    /// Holds what is told of somebody, in words to be read after "may": what they do to what, whom they become, and what
    /// those may. What depends by one road may be sure by another.
    fn is_so(&self, who: Principal, told: &str, by_one_road: bool) -> Result<(), TestCaseError> {
        let (estate, name) = (&self.cooked.estate, self.cooked.estate.principal_label(who));
        // How many more there are is held against the decision by a law of its own.
        let told = [" and touch ", ", and perhaps touch "]
            .iter()
            .fold(told, |told, from| told.split(from).next().unwrap());
        let open = [", if", "; ", "perhaps", "unless", "within ceiling"];
        let sure: Tri = if open.iter().any(|word| told.contains(word)) { 1 } else { 2 };
        if let Some(rest) = told.trim_start_matches("perhaps ").strip_prefix("become ") {
            let (label, rest) = rest.split_at(rest.find([' ', ',']).unwrap_or(rest.len()));
            let whom = self.cooked.principals.iter().find(|it| estate.principal_label(**it) == label);
            let Some(&whom) = whom else { return Ok(()) };
            if !rest.starts_with(" in ") {
                let mut open = Vec::new();
                self.direct(who, &mut open, 2);
                let best = open.iter().filter(|(to, _)| *to == whom).map(|(_, how)| *how).max();
                let perhaps = told.starts_with("perhaps ");
                let said = if perhaps { 1 } else { 2 };
                prop_assert!(
                    best == Some(said) || (by_one_road && best > Some(said)),
                    "{name}: {told}: {best:?}"
                );
            }
            return match rest.split_once(", which may ") {
                Some((_, then)) => self.is_so(whom, then, false),
                None => Ok(()),
            };
        }
        let (action, rest) = if let Some(rest) = told.strip_prefix("change who may do what at ") {
            ("access actions of class access", rest)
        } else if let Some(parts) = told.strip_prefix("do ").and_then(|it| it.split_once(" on ")) {
            parts
        } else {
            return Ok(());
        };
        let label = rest.trim_start_matches("confidential ").split([' ', ',']).next().unwrap();
        let Some(&on) = self.cooked.things.iter().find(|thing| estate.label(**thing) == label) else {
            return Ok(());
        };
        let ignored = self.ignores_case(&Target::There(on));
        let is_meant = |it: &&String| match action.split_once(" actions of ") {
            // Of what nobody named, its class is told; none of what no line of the catalogue knows.
            Some((service, class)) => {
                let own = it.split('/').next().unwrap();
                let is_own = own == service || (ignored && own.eq_ignore_ascii_case(service));
                let word = self.class(it, &Target::There(on)).map(ActionClass::word);
                is_own && word == class.strip_prefix("class ")
            }
            None => it.as_str() == action,
        };
        let asked = self.actions.iter().filter(is_meant);
        let best = asked.map(|action| self.naive.decide(who, action, on, &self.given(who))).max();
        prop_assert!(best == Some(sure) || (by_one_road && best > Some(sure)), "{name}: {told}: {best:?}");
        Ok(())
    }

    /// How surely somebody may do an action to a thing of a kind that is made tomorrow: of a name that nobody heard of, and
    /// of one that some pattern is about as well.
    fn on_new(&self, who: Principal, action: &str, kind: &str) -> (Tri, Tri) {
        let estate = &self.cooked.estate;
        let scopes: Vec<ScopeId> = estate.all::<ScopeId>().map(|(id, _)| id).collect();
        let best = |label: &str| {
            let asked = |scope: &ScopeId| {
                self.naive.decide_on(who, action, &Target::New(label.to_owned(), *scope), &Given::default())
            };
            scopes.iter().map(asked).max().unwrap_or(0)
        };
        let unheard = best(&format!("{kind}:wholly-unheard-of"));
        let drawn = RESOURCE_PATTERNS.iter().map(|pattern| pattern.replace(['*', '?'], "w"));
        let drawn = drawn.filter(|it| it.split(':').next() == Some(kind) && estate.thing(it).is_none());
        (unheard, drawn.map(|label| best(&label)).max().unwrap_or(0).max(unheard))
    }

    /// How surely somebody makes function `f` run, by whichever way (access-model §6).
    fn enters(&self, who: Principal, given: &Given) -> Tri {
        let f = self.cooked.function;
        let names = self.naive.names(who);
        let estate = &self.cooked.estate;
        let mut best = self.naive.decide(who, "function/invoke", Thing::Function(f), given);
        for &door in estate.endpoints_of(f) {
            let it = estate.get(door).unwrap();
            // Where an identity is asked for, somebody is who they are, and no wider name of theirs.
            let own = |name: &&Principal| it.check != Check::Identity || **name == who;
            let through =
                names.iter().filter(own).map(|name| self.passes(*name, it, given)).max().unwrap_or(0);
            let reached = match (&it.network, given.network) {
                (Network::Internet, _) => 2,
                (Network::Listed(_), Some(network)) => {
                    if network == PUBLIC {
                        2
                    } else {
                        0
                    }
                }
                _ => 1,
            };
            best = best.max(through.min(reached));
        }
        let key = estate.get(self.cooked.key).unwrap();
        if who == Principal::Key(self.cooked.key) && key.reach == KeyReach::Admin {
            best = best.max(self.accepted());
        }
        // Whoever has a public token may do what its holders may.
        if self.is_public() {
            let may = |who| self.naive.decide(who, "function/invoke", Thing::Function(f), given);
            let by_token = may(Principal::Token(self.cooked.verifier));
            // What it may as anybody may is no way of its own.
            if by_token > may(Principal::Anyone) {
                best = best.max(by_token);
            }
        }
        if let Some(&trigger) = estate.triggers_of(f).first() {
            let source = estate.get(trigger).unwrap().source.unwrap();
            let ignored = self.ignores_case(&Target::There(source));
            for action in &self.actions {
                let service = action.split('/').next().unwrap();
                let service = if ignored { service.to_lowercase() } else { service.to_owned() };
                if service == "queue"
                    && self.class(action, &Target::There(source)) == Some(ActionClass::Write)
                {
                    best = best.max(self.naive.decide(who, action, source, given));
                }
            }
        }
        best
    }

    /// Whether a token that the verifier accepts was handed to public clients.
    fn is_public(&self) -> bool {
        let issuer = |issuer: Name| self.cooked.estate.text(issuer) == "site.example";
        self.cooked.estate.all::<TokenId>().any(|(_, token)| token.issuer.is_some_and(issuer))
    }

    fn accepted(&self) -> Tri {
        let key = self.cooked.estate.get(self.cooked.key).unwrap();
        let ended = self.cooked.estate.has_ended(key.expires);
        match (key.state, ended, key.last_used) {
            (State::Disabled, ..) => 0,
            (_, false, _) | (_, true, LastUse::At(_)) => 2,
            _ => 1,
        }
    }

    /// Whether somebody of exactly this name gets through an endpoint.
    fn passes(&self, name: Principal, door: &Endpoint, given: &Given) -> Tri {
        let at_door = self.passes_check(name, &door.check, given);
        let Way::Route { presents, .. } = &door.way else { return at_door };
        let estate = &self.cooked.estate;
        let direct = estate.endpoints_of(self.cooked.function).iter().filter_map(|id| estate.get(*id));
        let own: Vec<(Check, Tri)> = direct
            .filter(|it| it.way == Way::Direct)
            .map(|it| (it.check.clone(), if matches!(it.network, Network::Listed(_)) { 1 } else { 2 }))
            .collect();
        let own = if own.is_empty() { vec![(Check::Identity, 2)] } else { own };
        let behind = own.iter().map(|(check, reached)| self.presented(presents, check).min(*reached));
        at_door.min(behind.max().unwrap())
    }

    fn passes_check(&self, name: Principal, check: &Check, given: &Given) -> Tri {
        match check {
            Check::None => {
                if name == Principal::Anyone {
                    2
                } else {
                    0
                }
            }
            Check::Key(_) => {
                if name == Principal::Key(self.cooked.key) {
                    self.accepted()
                } else {
                    0
                }
            }
            Check::Identity => {
                self.naive.decide(name, "function/invoke", Thing::Function(self.cooked.function), given)
            }
            Check::Token(_) => match name {
                Principal::Anyone if self.is_public() => 2,
                Principal::Token(_) if !self.is_public() => 2,
                _ => 0,
            },
        }
    }

    /// Whether what a gateway presents passes a check of the function's own.
    fn presented(&self, presents: &Presents, check: &Check) -> Tri {
        let f = Thing::Function(self.cooked.function);
        let invokes = |who, given: &Given| self.naive.decide(who, "function/invoke", f, given);
        match (check, presents) {
            (Check::None, _) => 2,
            (Check::Key(_), Presents::Key(_)) => self.accepted(),
            (Check::Identity, Presents::Identity(id)) => invokes(Principal::Identity(*id), &Given::default()),
            (Check::Identity, Presents::Service(name)) => {
                let given = Given { source: Some("gateway:front"), ..Given::default() };
                invokes(Principal::Service(*name), &given)
            }
            (Check::Identity, _) => {
                let given = Given { network: None, ..Given::stranger() };
                // A gateway's own address is not known.
                let foreign = Given { network: Some("elsewhere"), ..given };
                invokes(Principal::Anyone, &foreign)
            }
            _ => 0,
        }
    }

    /// The circles of strangers who get in, each with how surely, by trying everybody from everywhere.
    fn circles(&self) -> Vec<(Exposure, Tri)> {
        let estate = &self.cooked.estate;
        let mut all = Vec::new();
        for &who in &self.cooked.principals {
            let foreign = |id: ScopeId| estate.id(id) != "a";
            let own = match who {
                Principal::Anyone => Exposure::Anyone,
                Principal::SignedIn => Exposure::SignedIn,
                Principal::Service(_) | Principal::Outside(_) => Exposure::Outsider,
                Principal::Account(id) if foreign(id) => Exposure::Outsider,
                Principal::Token(_) if self.is_public() => Exposure::Anyone,
                Principal::Key(_) | Principal::Token(_) => Exposure::KeyHolders,
                _ => continue,
            };
            let base = match who {
                Principal::Token(_) if self.is_public() => variants(own, &Given::stranger(), true),
                Principal::Outside(_) | Principal::Key(_) | Principal::Token(_) => {
                    let elsewhere =
                        Given { network: Some("elsewhere"), source: Some("foreign"), ..Given::default() };
                    variants(own, &elsewhere, false)
                }
                Principal::Account(id) => {
                    let named = Given { account: Some(estate.id(id).to_owned()), ..Given::stranger() };
                    variants(own, &named, false)
                }
                _ => variants(own, &Given::stranger(), true),
            };
            for (circle, given) in base {
                let verdict = self.strangely(who, &given);
                if verdict > 0 {
                    all.push((circle, verdict));
                }
            }
        }
        all
    }

    /// How surely a stranger gets in by names that are its own or wider: at doors from the internet only.
    fn strangely(&self, who: Principal, given: &Given) -> Tri {
        let f = Thing::Function(self.cooked.function);
        self.naive.decide(who, "function/invoke", f, given)
    }
}

/// A stranger from nowhere in particular, from the public network, of account `b`, with the queue as the source.
fn variants(own: Exposure, base: &Given, accounts: bool) -> Vec<(Exposure, Given)> {
    let mut all = vec![(own, base.clone())];
    let networks: Vec<_> = all
        .iter()
        .map(|(circle, given)| {
            (Exposure::Outsider.max(*circle), Given { network: Some(PUBLIC), ..given.clone() })
        })
        .collect();
    all.extend(networks);
    if accounts {
        let of_b: Vec<_> = all
            .iter()
            .map(|(circle, given)| {
                (Exposure::Outsider.max(*circle), Given { account: Some("b".to_owned()), ..given.clone() })
            })
            .collect();
        all.extend(of_b);
    }
    all
}

fn judged(cooked: &Cooked) -> (Audit<'_>, Vec<Finding>) {
    let audit = Audit::new(&cooked.estate, Settings::default());
    let findings = judge(&audit, &Catalogue::shipped().ids().collect());
    (audit, findings)
}

/// Rule, thing and severity of every finding, those beneath others too.
fn told(cooked: &Cooked) -> Vec<(&'static str, String, pasaporte_audit::Severity)> {
    let (audit, all) = judged(cooked);
    let each = all.iter().flat_map(Finding::with_beneath);
    each.map(|it| (audit.rule(it).id, it.label(&cooked.estate), it.severity)).collect()
}

/// All that an audit says, apart from where it was read.
fn said(cooked: &Cooked) -> Vec<String> {
    let (audit, all) = judged(cooked);
    let say = |it: &Finding| {
        let told = pasaporte_audit::told(&audit, it);
        let (rule, thing) = (audit.rule(it).id, it.label(&cooked.estate));
        format!(
            "{rule} {thing} {} {} {} {} {}",
            it.severity, it.sureness, it.fingerprint, told.situation, told.fix
        )
    };
    let with_beneath = |it: &Finding| {
        let mut beneath: Vec<String> = it.beneath().iter().map(say).collect();
        beneath.sort();
        format!("{} > {}", say(it), beneath.join(" > "))
    };
    all.iter().map(with_beneath).collect()
}

/// Rules on open ways in, broad grants and trusts: an allow takes none of them away.
fn is_opening(rule: &str) -> bool {
    let by_family = ["entry/anonymous-", "grant/", "trust/"].iter().any(|start| rule.starts_with(start));
    by_family
        || ["entry/public-token", "entry/open-invoke", "entry/open-source", "entry/unpinned-source"]
            .contains(&rule)
        || rule == "entry/wide-invoke-grant"
}

proptest! {
    #![proptest_config(estates(3000, RngSeed::Fixed(7)))]

    /// Impact is the worst over all actions and things that the second opinion allows, by any road.
    #[test]
    fn impact_is_the_worst_that_is_allowed(recipe in recipe()) {
        let cooked = cook(&recipe);
        let second = Second::new(&cooked, &recipe);
        let effects = Effects::new(&cooked.estate);
        let holds = |who: &&Principal| {
            !matches!(who, Principal::Anyone | Principal::SignedIn | Principal::Account(_) | Principal::Group(_))
        };
        for &who in cooked.principals.iter().filter(holds) {
            let harm = effects.harm(who);
            let ([worst, surely], by_key) = second.worst(who);
            let name = cooked.estate.principal_label(who);
            // What anyone may do is no matter of a key, also where whoever has it may not do it as who they are.
            let given = |name: &Principal| {
                effects.grants_of(*name).len() + effects.admissions_naming(*name).len() > 0
            };
            let to_anyone = effects.names(Principal::Anyone).iter().any(given);
            if by_key && to_anyone {
                let no_worse = harm.impact >= worst || harm.inferred;
                prop_assert!(no_worse && harm.surely_at_least >= surely, "{name}: {harm:?}");
                continue;
            }
            // What is inferred of things that nobody gathered is worse than what there is.
            if harm.inferred {
                prop_assert!(harm.impact <= worst, "{name}: {harm:?}, not {worst}");
                prop_assert!(harm.impact >= Impact::DataOrSecrets || harm.impact == Impact::ControlsAccess);
            } else {
                prop_assert_eq!(harm.impact, worst, "{}: {:?} {:?}", name, harm, effects.tell(who));
                prop_assert_eq!(harm.surely_at_least, surely, "{}: {:?}", name, harm);
                prop_assert_eq!(harm.surely, worst == surely, "{}: {:?}", name, harm);
            }
        }
    }

    /// What is told of somebody is confirmed by the second opinion: surely, or with its condition.
    #[test]
    fn what_is_told_is_so(recipe in recipe()) {
        let cooked = cook(&recipe);
        let second = Second::new(&cooked, &recipe);
        let effects = Effects::new(&cooked.estate);
        for &who in &cooked.principals {
            if let Some(told) = effects.tell(who) {
                second.is_so(who, &told, false)?;
            }
            for road in effects.roads(who) {
                if let Some(told) = effects.tell_by(who, road) {
                    second.is_so(who, &told, true)?;
                }
            }
        }
    }

    /// Who gets in is everybody of whom the second opinion says so, and nobody else; so surely as it says.
    #[test]
    fn who_gets_in_is_everybody_who_does(recipe in recipe()) {
        let cooked = cook(&recipe);
        let second = Second::new(&cooked, &recipe);
        let effects = Effects::new(&cooked.estate);
        let given = Context::at(cooked.estate.as_of());
        let ways = effects.ways_in(cooked.function);
        for &who in cooked.principals.iter().filter(|who| !matches!(who, Principal::Group(_))) {
            let label = cooked.estate.principal_label(who);
            let expected = second.enters(who, &Given::default());
            let found = tri(effects.enters(who, cooked.function, &given));
            prop_assert_eq!(found, expected, "{}", label);
            let names = effects.names(who);
            let listed = ways.all.iter().any(|way| names.contains(&way.caller.who));
            prop_assert!(expected == 0 || listed, "{} gets in and is not told", label);
        }
        for way in &ways.all {
            let bears = |who: &&Principal| second.naive.names(**who).contains(&way.caller.who);
            let some = cooked.principals.iter().filter(bears).any(|who| {
                let group = matches!(who, Principal::Group(_));
                !group && (second.enters(*who, &Given::default()) > 0 || second.enters(*who, &second.given(*who)) > 0)
            });
            // A group of which nobody is known has nobody who gets in.
            prop_assert!(some, "{} is told and nobody of that name gets in", cooked.estate.principal_label(way.caller.who));
        }
    }

    /// A function is as exposed as the widest circle of those who may invoke it, from wherever conditions name; and as
    /// its doors are open.
    #[test]
    fn exposure_is_the_widest_circle(recipe in recipe()) {
        let cooked = cook(&recipe);
        let second = Second::new(&cooked, &recipe);
        let effects = Effects::new(&cooked.estate);
        let exposed = effects.exposure(cooked.function);
        let circles = second.circles();
        for (circle, verdict) in &circles {
            prop_assert!(exposed.to <= *circle, "{circle} gets in, and it is said to be exposed to {}", exposed.to);
            if *verdict == 2 {
                prop_assert!(exposed.surely_to <= *circle, "{circle} surely gets in: {exposed:?}");
            }
        }
        // Without doors and sources there is no other way in but an admin key.
        if recipe.doors.is_empty() && !recipe.fed {
            let widest = circles.iter().map(|(circle, _)| *circle).min().unwrap_or(Exposure::Insiders);
            let manages = cooked.estate.get(cooked.key).unwrap().reach == KeyReach::Admin && second.accepted() > 0;
            let widest = if manages { widest.min(Exposure::KeyHolders) } else { widest };
            prop_assert_eq!(exposed.to, widest, "{:?}", circles);
        }
        let open = cooked.estate.endpoints_of(cooked.function).iter().any(|id| {
            let it = cooked.estate.get(*id).unwrap();
            it.network == Network::Internet && second.passes(Principal::Anyone, it, &Given::stranger()) == 2
        });
        prop_assert!(!open || exposed.surely_to == Exposure::Anyone);
    }

    /// Where a finding says that everything of a service may be done to everything, the second opinion denies nothing of
    /// it but on what the finding names.
    #[test]
    fn breadth_is_so(recipe in recipe()) {
        let cooked = cook(&recipe);
        let second = Second::new(&cooked, &recipe);
        let audit = Audit::new(&cooked.estate, Settings::default());
        let all = judge(&audit, &BTreeSet::from(["grant/whole-service", "grant/any-action"]));
        for finding in all.iter().flat_map(Finding::with_beneath) {
            let told = pasaporte_audit::told(&audit, finding).situation.clone();
            let label = finding.label(&cooked.estate);
            let Some(who) = cooked.principals.iter().find(|who| cooked.estate.principal_label(**who) == label) else { continue };
            let Some((what, rest)) = told.split_once(" on everything everywhere ") else { continue };
            if matches!(who, Principal::Group(_)) || what.contains(" but ") || rest.contains(" more.") {
                continue;
            }
            let short = rest.split_once("Not all of it on ").map_or("", |(_, names)| names);
            let of = what.split_once("every action of ").map(|(_, services)| services.replace(" and ", ", "));
            for on in &cooked.things {
                let thing = cooked.estate.label(*on);
                let kind = thing.split(':').next().unwrap();
                let is_meant = of.as_ref().is_none_or(|all| all.split(", ").any(|service| service == kind));
                if !is_meant || short.contains(&thing) || !second.is_at_home(*who, *on) {
                    continue;
                }
                for action in second.actions.iter().filter(|action| action.split('/').next() == Some(kind)) {
                    let verdict = second.naive.decide(*who, action, *on, &second.given(*who));
                    prop_assert!(verdict != 0, "{} {}: {} is denied on {}", label, told, action, thing);
                }
            }
        }
    }

    /// Where a finding says that actions may be done to everything of a kind, the second opinion allows them on each but
    /// those that the finding leaves out, and there are so many.
    #[test]
    fn everything_of_a_kind_is_so(recipe in recipe()) {
        let cooked = cook(&recipe);
        let second = Second::new(&cooked, &recipe);
        let audit = Audit::new(&cooked.estate, Settings::default());
        let all = judge(&audit, &BTreeSet::from(["grant/any-resource"]));
        for finding in all.iter().flat_map(Finding::with_beneath) {
            let told = pasaporte_audit::told(&audit, finding).situation;
            let label = finding.label(&cooked.estate);
            let who = cooked.principals.iter().find(|who| cooked.estate.principal_label(**who) == label);
            let parts = told.strip_prefix("It may do ").and_then(|rest| rest.split_once(" on every "));
            let (Some(&who), Some((actions, rest))) = (who, parts) else { continue };
            let (what, rest) = rest.split_once(" in the estate today").unwrap();
            let (what, count) = what.rsplit_once(": ").unwrap();
            let (what, short) = what.split_once(" but ").unwrap_or((what, ""));
            let Some(kinds) = what.strip_suffix(" everywhere") else { continue };
            if short.contains(" more") {
                continue;
            }
            let names = |text: &str| -> Vec<String> {
                text.replace(" and ", ", ").split(", ").map(str::to_owned).collect()
            };
            let (actions, kinds, short) = (names(actions), names(kinds), names(short));
            let (mut counted, mut confidential, mut foreign) = (0, 0, false);
            for on in &cooked.things {
                let thing = cooked.estate.label(*on);
                let kind = thing.split(':').next().unwrap();
                if !kinds.iter().any(|it| it == kind) {
                    continue;
                }
                if !second.is_at_home(who, *on) {
                    foreign = true;
                    continue;
                }
                let named = actions.iter().filter(|it| it.split_once('/').is_some_and(|(service, _)| service == kind));
                let least = named.map(|action| second.naive.decide(who, action, *on, &second.given(who))).min();
                if short.contains(&thing) {
                    prop_assert!(least != Some(2) || actions.iter().any(|it| it.contains(' ')), "{label}: {told}: all of it may be done to {thing}");
                    continue;
                }
                prop_assert!(least != Some(0), "{label}: {told}: not to {thing}");
                counted += 1;
                let sensitivity = match on {
                    Thing::Resource(id) => cooked.estate.get(*id).and_then(|it| it.sensitivity),
                    _ => None,
                };
                confidential += usize::from(sensitivity == Some(Sensitivity::Confidential));
            }
            if !foreign {
                prop_assert_eq!(count, counted.to_string(), "{}: {}", label, told);
                let said = rest.strip_prefix(" (").and_then(|rest| rest.split(' ').next()).unwrap_or("0");
                prop_assert_eq!(said, confidential.to_string(), "{}: {}", label, told);
            }
        }
    }

    /// Opened up: every action on every thing that the second opinion allows is counted, and each thing once.
    #[test]
    fn reach_counts_what_is_allowed(recipe in recipe()) {
        let cooked = cook(&recipe);
        let second = Second::new(&cooked, &recipe);
        let effects = Effects::new(&cooked.estate);
        let reaches = Reaches::new(&effects);
        let is_open = !cooked.estate.endpoints_of(cooked.function).is_empty();
        for identity in cooked.identities {
            let who = Principal::Identity(identity);
            let reach = reaches.of(who);
            for service in reach.own.iter().chain(reach.common.iter()) {
                for act in service.acts.iter().filter(|act| !act.is_wild) {
                    if &*act.action == "function/invoke" && is_open {
                        continue;
                    }
                    let of_kind = |thing: &&Thing| {
                        let label = cooked.estate.label(**thing);
                        &*service.name == "access" || label.split(':').next() == Some(&*service.name)
                    };
                    let on = cooked.things.iter().filter(of_kind);
                    let verdicts: Vec<Tri> =
                        on.map(|on| second.naive.decide(who, &act.action, *on, &Given::default())).collect();
                    let count = |wanted: Tri| verdicts.iter().filter(|verdict| **verdict == wanted).count();
                    let told = format!("{} {}: {act:?}, not {verdicts:?}", cooked.estate.id(identity), act.action);
                    prop_assert!(act.surely <= count(2) && act.perhaps <= count(1), "{told}");
                    let on_new = second.on_new(who, &act.action, &service.name);
                    prop_assert!(tri(act.on_new) <= on_new.1, "{told} on new ones: {on_new:?}");
                    // Where platforms have words of their own, one has a name in some accounts, and in others it is one of many.
                    let alike = effects.dialects().count() == 1;
                    if alike && reach.common.is_empty() {
                        prop_assert_eq!((act.surely, act.perhaps), (count(2), count(1)), "{}", told);
                        prop_assert!(tri(act.on_new) >= on_new.0, "{told} on new ones: {on_new:?}");
                    }
                }
            }
            // Without what is told as without effect it may do what it may with that.
            let mut without = Naive::new(&cooked, &recipe);
            without.without = reach.idle.iter().map(|road| (road.grant(), road.statement)).collect();
            for (&on, action) in cooked.things.iter().flat_map(|on| second.actions.iter().map(move |action| (on, action))) {
                let ignored = second.ignores_case(&Target::There(on));
                let (label, service) = (cooked.estate.label(on), action.split('/').next().unwrap());
                let service = if ignored { service.to_lowercase() } else { service.to_owned() };
                if service == "access" || label.split(':').next() == Some(&service) {
                    let verdict = |naive: &Naive<'_>| naive.decide(who, action, on, &Given::default());
                    let told = format!("{} {action} {label}", cooked.estate.id(identity));
                    prop_assert_eq!(verdict(&second.naive), verdict(&without), "{}: {:?}", told, reach.idle);
                }
            }
            for action in ["table/read", "table/write", "queue/send", "function/update", "user/assume", "group/assume", "access/write"] {
                let kind = action.split('/').next().unwrap();
                let is_meant = |thing: &&Thing| kind == "access" || cooked.estate.label(**thing).starts_with(kind);
                for &on in cooked.things.iter().filter(is_meant) {
                    let verdict = second.naive.decide(who, action, on, &Given::default());
                    let told = reach.own.iter().chain(reach.common.iter()).filter(|service| service.name.eq_ignore_ascii_case(kind));
                    let counted = told.flat_map(|service| &service.acts).any(|act| {
                        act.surely + act.perhaps > 0 && (act.is_wild || act.action.eq_ignore_ascii_case(action))
                    });
                    prop_assert!(verdict == 0 || counted, "{action} on {} is left out: {reach:?}", cooked.estate.label(on));
                }
            }
        }
    }
}

proptest! {
    #![proptest_config(estates(600, RngSeed::Fixed(7)))]

    /// Giving more opens no less and harms no less; and takes no finding of an opening away.
    #[test]
    fn an_allow_makes_nothing_better(recipe in recipe(), who in 0..PRINCIPALS, place in 0..PLACES, action in 0..ACTION_PATTERNS.len()) {
        let before = cook(&recipe);
        let mut more = recipe.clone();
        more.grants.push((who, None, vec![(false, action, None, 0, None, 0)], place, false));
        let after = cook(&more);
        let (one, other) = (Effects::new(&before.estate), Effects::new(&after.estate));
        prop_assert!(other.exposure(after.function).to <= one.exposure(before.function).to);
        for (identity, same) in before.identities.into_iter().zip(after.identities) {
            let (was, is) = (one.harm(Principal::Identity(identity)), other.harm(Principal::Identity(same)));
            prop_assert!(is.impact <= was.impact && is.surely_at_least <= was.surely_at_least, "{was:?} {is:?}");
        }
        let now = told(&after);
        for (rule, thing, _) in told(&before).into_iter().filter(|(rule, ..)| is_opening(rule)) {
            let still = now.iter().any(|(other, label, _)| *other == rule && *label == thing);
            prop_assert!(still, "{rule} on {thing} is gone");
        }
    }

    /// Denying opens no more and harms no more, and makes nothing worse in what is found of openings.
    #[test]
    fn a_deny_makes_nothing_worse(recipe in recipe(), who in 0..PRINCIPALS, place in 0..PLACES, action in 0..ACTION_PATTERNS.len()) {
        let before = cook(&recipe);
        let mut less = recipe.clone();
        less.grants.push((who, None, vec![(true, action, None, 0, None, 0)], place, false));
        let after = cook(&less);
        let (one, other) = (Effects::new(&before.estate), Effects::new(&after.estate));
        prop_assert!(other.exposure(after.function).to >= one.exposure(before.function).to);
        for (identity, same) in before.identities.into_iter().zip(after.identities) {
            let (was, is) = (one.harm(Principal::Identity(identity)), other.harm(Principal::Identity(same)));
            prop_assert!(is.impact >= was.impact && is.surely_at_least >= was.surely_at_least, "{was:?} {is:?}");
        }
        let was = told(&before);
        for (rule, thing, severity) in told(&after).into_iter().filter(|(rule, ..)| is_opening(rule)) {
            let family = rule.split('/').next();
            let before = was.iter().filter(|(other, label, _)| other.split('/').next() == family && *label == thing);
            let worst = before.map(|(.., severity)| *severity).max();
            prop_assert!(worst.is_some_and(|worst| worst >= severity), "{rule} on {thing} is new: {severity}");
        }
    }

    /// The order in which things are written down changes no word.
    #[test]
    fn order_changes_no_word(recipe in recipe()) {
        let mut turned = recipe.clone();
        turned.grants.reverse();
        turned.admissions.reverse();
        turned.ceilings.reverse();
        turned.members.reverse();
        for (_, to, _) in &mut turned.admissions {
            to.reverse();
        }
        prop_assert_eq!(said(&cook(&turned)), said(&cook(&recipe)));
    }
}

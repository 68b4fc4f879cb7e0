//! The smallest change that keeps what is needed: in words, as an overlay, and with its proof.

mod overlay;

use std::collections::{BTreeMap, BTreeSet};

use pasaporte_audit::rehearse::rehearse;
use pasaporte_audit::tighten::{Change, Narrowed, On, Proposal, Why};
use pasaporte_audit::{Audit, times};
use pasaporte_core::access::{On as Asked, Verdict};
use pasaporte_core::diff::{Diff, Holder, Right, pair};
use pasaporte_core::estate::{Check, Estate, IdentityId, KeyOf, KeyReach, Principal, Thing, Vocabulary};
use pasaporte_core::usage::Window;
use schemars::JsonSchema;
use serde::Serialize;

use crate::VERSION;
use crate::dates::date;
use crate::rehearsal::{StoppedOut, stopped};

/// A proposal.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte tighten, version 1")]
pub struct TightenOut {
    /// The version of this output.
    pub tighten: u64,
    /// What it is for.
    pub target: String,
    /// What would change.
    pub changes: Vec<ChangeOut>,
    /// What was looked at and is left as it is.
    pub left: Vec<LeftOut>,
    /// The proposal as an estate file that is laid over the estate; empty where nothing would change.
    pub overlay: String,
    /// What asking the estate as it would be says; null where nothing would change.
    pub proof: Option<ProofOut>,
}

/// A change.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ChangeOut {
    /// `drop`, `narrow`, `pin`, `ask`, `confine`, `split` or `retire`.
    pub kind: String,
    /// What is changed.
    pub what: String,
    /// The change as a sentence.
    pub told: String,
    /// What is kept: actions and on what, or sources.
    pub keeps: Vec<String>,
    /// What it rests on: the time that logs cover.
    pub because: String,
    /// Where it was read: `FILE:LINE`.
    pub read_from: Option<String>,
}

/// Something that is left as it is.
#[derive(Debug, Serialize, JsonSchema)]
pub struct LeftOut {
    /// What.
    pub what: String,
    /// Why, as the rest of a sentence.
    pub why: String,
}

/// What asking the estate as it would be says.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct ProofOut {
    /// Whether all that is needed is still allowed.
    pub keeps_what_is_needed: bool,
    /// How many needs were asked about.
    pub needs: usize,
    /// What is needed and would be refused.
    pub refused: Vec<String>,
    /// Whether nobody may anything, or gets in anywhere, that they could not before.
    pub adds_nothing: bool,
    /// What somebody would gain.
    pub gained: Vec<String>,
    /// How many rights would be lost.
    pub lost: usize,
    /// Whether all sorts of actions and all principals were compared within the bounds on work.
    pub complete: bool,
    /// How often something was seen that was rehearsed.
    pub rehearsed: u64,
    /// What was seen and would be refused.
    pub broken: Vec<StoppedOut>,
}

impl ProofOut {
    /// Whether it holds: nothing breaks, nothing is added, and all was looked at.
    pub fn holds(&self) -> bool {
        self.keeps_what_is_needed && self.adds_nothing && self.complete && self.broken.is_empty()
    }
}

impl TightenOut {
    /// A proposal in words, without its proof.
    pub fn new(audit: &Audit<'_>, target: &str, proposal: &Proposal) -> Self {
        let estate = audit.estate();
        let changes: Vec<ChangeOut> = proposal.changes.iter().map(|it| change(estate, it)).collect();
        let left = proposal
            .left
            .iter()
            .map(|it| LeftOut { what: estate.label(it.thing), why: why(it.why).to_owned() });
        let overlay =
            if changes.is_empty() { String::new() } else { overlay::overlay(estate, proposal, target) };
        Self {
            tighten: VERSION,
            target: target.to_owned(),
            changes,
            left: left.collect(),
            overlay,
            proof: None,
        }
    }

    /// Puts its proof beside it, from the estate as it would be.
    pub fn prove(&mut self, old: &Audit<'_>, new: &Audit<'_>, proposal: &Proposal) {
        self.proof = Some(proof(old, new, proposal));
    }
}

fn proof(old: &Audit<'_>, new: &Audit<'_>, proposal: &Proposal) -> ProofOut {
    let (mut needs, mut refused) = (0, Vec::new());
    let (before, after) = (old.estate(), new.estate());
    let made = made(proposal);
    for Need { who, becomes, action, on } in needed(old, proposal) {
        needs += 1;
        let was = old.effects().may(who, &action, on);
        let heir = match &becomes {
            Some(name) => after.find(name).map(Principal::Identity),
            None => before.same_in(after, who),
        };
        let now = match (heir, after.thing(&before.label(on))) {
            (Some(who), Some(on)) => {
                let action = new.effects().action(&action);
                new.effects().verdict_on(who, &action, Asked::There(on), new.effects().given(who))
            }
            _ => Verdict::No,
        };
        if now < was {
            let who = becomes.map_or_else(|| before.principal_label(who), |name| format!("identity:{name}"));
            refused.push(format!("{who} {action} on {}", before.label(on)));
        }
    }
    let diff = Diff::new(old.effects(), new.effects());
    let rights = diff.rights();
    // What takes an identity's place gains what that could not do, and nothing else.
    let is_made = |label: &str| made.keys().any(|name| label.strip_prefix("identity:") == Some(name));
    // Whoever could act as that may act as what takes its place.
    let could = |right: &Right| {
        let identity = right.on.strip_prefix("identity:").and_then(|name| made.get(name));
        let service = right.principal.strip_prefix("service:").and_then(|name| before.name(name));
        let (Some(&id), Some(name)) = (identity, service) else { return false };
        old.effects().may(Principal::Service(name), &right.action, Thing::Identity(id)) >= right.now
    };
    let more = rights.all.iter().filter(|right| right.now > right.was);
    let more = more.filter(|right| !is_made(&right.principal) && !could(right));
    let mut gained: Vec<String> =
        more.map(|right| format!("{} may do {} on {}", right.principal, right.action, right.on)).collect();
    let mut complete = rights.complete && rights.not_compared.iter().all(|label| is_made(label));
    for (name, &identity) in &made {
        let Some(heir) = after.find(name).map(Principal::Identity) else { continue };
        let heir = (new.effects(), Holder::Somebody(heir));
        let both = pair(heir, (old.effects(), Holder::Somebody(Principal::Identity(identity))));
        complete &= both.complete;
        let more = both.all.iter().filter(|it| it.left > it.right && !it.as_anybody);
        gained.extend(more.map(|it| format!("identity:{name} may do {} on {}", it.action, it.on)));
    }
    // Who gets in by a name of their own where anyone did is told as a way that opened: asked, they got in before.
    let got_in = |way: &pasaporte_core::diff::WayChanged| {
        let estate = old.estate();
        let heir = way.who.strip_prefix("identity:").and_then(|name| made.get(name));
        let who = match heir.map(|id| Thing::Identity(*id)).or_else(|| estate.thing(&way.who)) {
            Some(Thing::Identity(id)) => Principal::Identity(id),
            Some(Thing::User(id)) => Principal::User(id),
            Some(Thing::Group(id)) => Principal::Group(id),
            Some(Thing::Key(id)) => Principal::Key(id),
            Some(Thing::Scope(id)) => Principal::Account(id),
            _ => {
                let named = |kind: &str| estate.name(way.who.strip_prefix(kind)?);
                let service = named("service:").map(Principal::Service);
                match service.or_else(|| named("outside:").map(Principal::Outside)) {
                    Some(who) => who,
                    None => return false,
                }
            }
        };
        let Some(Thing::Function(function)) = estate.thing(&way.function) else { return false };
        let before = old.effects().enters(who, function, old.effects().given(who));
        way.now.is_none_or(|(_, now)| before >= now)
    };
    let opened = diff.ways().into_iter().filter(|way| way.opened() && !got_in(way));
    gained.extend(opened.map(|way| format!("{} gets into {} by {}", way.who, way.function, way.through)));
    let rehearsal = rehearse(old, new);
    ProofOut {
        keeps_what_is_needed: refused.is_empty(),
        needs,
        refused,
        adds_nothing: gained.is_empty(),
        gained,
        lost: rights.all.iter().filter(|right| right.now < right.was).count(),
        complete,
        rehearsed: rehearsal.times,
        broken: rehearsal.broken.iter().map(|it| stopped(old, new, it)).collect(),
    }
}

/// Something that a proposal keeps.
#[derive(PartialEq, Eq, PartialOrd, Ord)]
struct Need {
    /// Who does it.
    who: Principal,
    /// The id of the identity that would do it in their place.
    becomes: Option<String>,
    action: String,
    on: Thing,
}

/// What a proposal keeps: who does what to what.
fn needed(audit: &Audit<'_>, proposal: &Proposal) -> BTreeSet<Need> {
    let (estate, effects) = (audit.estate(), audit.effects());
    let mut all = BTreeSet::new();
    let mut add = |who: Principal, becomes: Option<&String>, needed: &[Narrowed]| {
        for (action, on) in needed.iter().flat_map(|it| &it.needs) {
            all.extend(on.things().map(|on| Need {
                who,
                becomes: becomes.cloned(),
                action: action.clone(),
                on,
            }));
        }
    };
    for change in &proposal.changes {
        match change {
            Change::Narrow { grant, needed, .. } => match estate.grant(*grant).principal {
                Principal::Group(group) => {
                    effects.everybody_in(group).into_iter().for_each(|who| add(who, None, needed));
                }
                who => add(who, None, needed),
            },
            Change::Split { identity, shares, .. } => {
                for share in shares {
                    for of_grant in &share.grants {
                        let who = Principal::Identity(*identity);
                        add(who, Some(&share.identity), &of_grant.needed);
                    }
                }
            }
            _ => {}
        }
    }
    all
}

/// The identities that a proposal makes, by their ids, each with the one that it takes the place of.
fn made(proposal: &Proposal) -> BTreeMap<&str, IdentityId> {
    let mut all = BTreeMap::new();
    for change in &proposal.changes {
        if let Change::Split { identity, shares, .. } = change {
            all.extend(shares.iter().map(|share| (share.identity.as_str(), *identity)));
        }
    }
    all
}

fn seen_in(window: &Window) -> String {
    format!("logs cover {} days, from {} to {}", window.days(), date(window.from), date(window.to))
}

fn change(estate: &Estate, it: &Change) -> ChangeOut {
    let place = |thing: Thing| {
        estate.origin(thing).map(|origin| format!("{}:{}", estate.path(origin.file), origin.line))
    };
    let (kind, thing, told, keeps, because) = match it {
        Change::Drop { grant, window } => {
            let thing = Thing::Grant(*grant);
            let told = format!(
                "Take away {}: nothing of it was used, and no trigger needs it.",
                estate.label(thing)
            );
            ("drop", thing, told, Vec::new(), seen_in(window))
        }
        Change::Narrow { grant, needed, denies, window } => {
            let thing = Thing::Grant(*grant);
            let keeps = needed.iter().flat_map(|it| kept(estate, it)).collect();
            let and = if denies.is_empty() { "" } else { ", with what it takes away" };
            let told = format!("Narrow {} to what is needed{and}.", estate.label(thing));
            ("narrow", thing, told, keeps, seen_in(window))
        }
        Change::Pin { function, service, sources, .. } => {
            let thing = Thing::Function(*function);
            let keeps: Vec<String> = sources.iter().map(|source| estate.label(*source)).collect();
            let who = estate.principal_label(*service);
            let told =
                format!("Let {who} run {} for the sources of its triggers alone.", estate.label(thing));
            ("pin", thing, told, keeps, "its triggers name these sources".to_owned())
        }
        Change::Ask { endpoint, check, came, window } => {
            let thing = Thing::Endpoint(*endpoint);
            let asks = match check {
                Check::None => "nothing".to_owned(),
                Check::Identity => "an identity".to_owned(),
                Check::Key(reach) => format!("a key of reach {}", reach.word()),
                Check::Token(verifier) => {
                    format!("a token that {} accepts", estate.label(Thing::Verifier(*verifier)))
                }
            };
            let told = format!("Let {} ask for {asks}.", estate.label(thing));
            let because = match came {
                0 => format!("nobody came; {}", seen_in(window)),
                came => format!("somebody came {}, each time with that; {}", times(*came), seen_in(window)),
            };
            ("ask", thing, told, Vec::new(), because)
        }
        Change::Confine { key, of, reach, came, window } => {
            let thing = Thing::Key(*key);
            let (opens, which) = match of {
                KeyOf::Function(function) => (estate.label(Thing::Function(*function)), "alone"),
                KeyOf::Scope(scope) => (estate.label(Thing::Scope(*scope)), "that does not manage it"),
            };
            debug_assert_ne!(*reach, KeyReach::Admin, "what is confined manages nothing");
            let told = format!(
                "Have the clients of {} use a key of {opens} {which} in its place.",
                estate.label(thing)
            );
            let because = format!("it was used {}, each time for that; {}", times(*came), seen_in(window));
            ("confine", thing, told, vec![opens], because)
        }
        Change::Split { identity, shares, unaccounted, window } => {
            let thing = Thing::Identity(*identity);
            let told = format!(
                "Give each of the {} functions that run as {} an identity of its own; the old one keeps what it holds until nothing runs as it.",
                shares.len(),
                estate.label(thing)
            );
            let keeps = shares.iter().map(|share| {
                let all: Vec<String> =
                    share.grants.iter().flat_map(|it| &it.needed).flat_map(|it| kept(estate, it)).collect();
                let all = if all.is_empty() { "nothing".to_owned() } else { all.join("; ") };
                format!(
                    "{}, as identity:{}: {all}",
                    estate.label(Thing::Function(share.function)),
                    share.identity
                )
            });
            let nobodys = match unaccounted.as_slice() {
                [] => String::new(),
                all => format!(", and what none accounts for stays with each ({})", all.join("; ")),
            };
            let because = format!(
                "logs tell who and not which function, so triggers and settings say which needs what{nobodys}; {}",
                seen_in(window)
            );
            ("split", thing, told, keeps.collect(), because)
        }
        Change::Retire { key, window } => {
            let thing = Thing::Key(*key);
            let told = format!("Switch {} off: nobody used it.", estate.label(thing));
            ("retire", thing, told, Vec::new(), seen_in(window))
        }
    };
    ChangeOut {
        kind: kind.to_owned(),
        what: estate.label(thing),
        told,
        keeps,
        because,
        read_from: place(thing),
    }
}

/// What is needed of a statement, in words.
fn kept(estate: &Estate, it: &Narrowed) -> Vec<String> {
    let one = |(action, on): (&String, &On)| match on {
        On::These(_) => format!("{action} on {}", names(estate, on)),
        On::Like(pattern, _) => format!("{action} on {pattern}, which is {}", names(estate, on)),
        On::Unsaid => {
            let resources = estate.resources_picked(estate.statement(it.statement).resources);
            let any: Vec<&str> = resources.any().iter().map(|id| estate.pattern(*id).text()).collect();
            format!("{action} on {}, since logs do not say on what", any.join(", "))
        }
    };
    it.needs.iter().map(one).collect()
}

/// The things that something is needed on, by name.
fn names(estate: &Estate, on: &On) -> String {
    let mut names: Vec<String> = on.things().map(|thing| estate.label(thing)).collect();
    names.sort_unstable();
    names.join(", ")
}

fn why(why: Why) -> &'static str {
    match why {
        Why::NotWatched => "no logs cover all that it gives, for long enough and until lately",
        Why::Fits => "it gives what is needed and no more",
        Why::NotAlone => "others are called the same: give it an id, so that it can be named alone",
        Why::Unwritable => "its conditions ask two things of one attribute, which a statement cannot say",
        Why::CameWithout => "somebody came without a credential, or the logs do not say what they showed",
        Why::MayNotInvoke => {
            "those who came said who they are, and may not invoke the function: give them that first"
        }
        Why::CameApart => "those who came showed different kinds of credentials",
        Why::NoSource => "a service may run it for strangers, and no trigger says for which source",
        Why::NotShared => "no two functions run as it",
        Why::Bounded => {
            "a ceiling names it, and would not bound what took its place: lay that over a scope first"
        }
        Why::ByOthers => {
            "some of what it does it may by a group, an access list or a permission, which would have to name others"
        }
        Why::NeedTheSame => {
            "the functions that run as it need the same, as far as triggers and settings tell"
        }
        Why::AsksForMore => {
            "it is used for one function, whose endpoint asks for a key of the whole app: let that ask for one of its own first"
        }
        Why::InUse => "it is in use",
    }
}

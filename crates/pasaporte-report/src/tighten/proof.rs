//! The proof of a proposal: what asking the estate as it would be says of what is needed, of what anybody gains, and of what was
//! seen.

use std::collections::{BTreeMap, BTreeSet};

use pasaporte_audit::Audit;
use pasaporte_audit::rehearse::rehearse;
use pasaporte_audit::tighten::{Change, Narrowed, Proposal};
use pasaporte_core::access::{On as Asked, Verdict};
use pasaporte_core::diff::{Diff, Holder, Right, pair};
use pasaporte_core::estate::{Estate, IdentityId, Principal, Thing};

use super::ProofOut;
use crate::rehearsal::stopped;

pub(super) fn proof(old: &Audit<'_>, new: &Audit<'_>, proposal: &Proposal) -> ProofOut {
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
    let stands_for = |label: &str| made.get(label.strip_prefix("identity:")?).copied();
    // Whoever could act as that may act as what takes its place.
    let could = |right: &Right| {
        let who = principal(before, &right.principal);
        let (Some(id), Some(who @ Principal::Service(_))) = (stands_for(&right.on), who) else {
            return false;
        };
        old.effects().may(who, &right.action, Thing::Identity(id)) >= right.now
    };
    let more = rights.all.iter().filter(|right| right.now > right.was);
    let more = more.filter(|right| stands_for(&right.principal).is_none() && !could(right));
    let mut gained: Vec<String> =
        more.map(|right| format!("{} may do {} on {}", right.principal, right.action, right.on)).collect();
    let mut complete = rights.complete && rights.not_compared.iter().all(|label| stands_for(label).is_some());
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
        let who = stands_for(&way.who).map(Principal::Identity).or_else(|| principal(before, &way.who));
        let (Some(who), Some(Thing::Function(function))) = (who, before.thing(&way.function)) else {
            return false;
        };
        let was = old.effects().enters(who, function, old.effects().given(who));
        way.now.is_none_or(|(_, now)| was >= now)
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

/// Somebody by their label, where the estate names them.
fn principal(estate: &Estate, label: &str) -> Option<Principal> {
    let named = |kind: &str| estate.name(label.strip_prefix(kind)?);
    Some(match estate.thing(label) {
        Some(Thing::Identity(id)) => Principal::Identity(id),
        Some(Thing::User(id)) => Principal::User(id),
        Some(Thing::Group(id)) => Principal::Group(id),
        Some(Thing::Key(id)) => Principal::Key(id),
        Some(Thing::Scope(id)) => Principal::Account(id),
        _ => {
            let service = named("service:").map(Principal::Service);
            return service.or_else(|| named("outside:").map(Principal::Outside));
        }
    })
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

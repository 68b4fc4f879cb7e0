//! An identity that functions share, as one for each of them: with what its triggers and settings say that it needs.

use std::collections::BTreeSet;

use pasaporte_core::access::Verdict;
use pasaporte_core::effect::Road;
use pasaporte_core::estate::{Bounded, FunctionId, GrantId, IdentityId, Outcome, Principal, State, Thing};
use pasaporte_core::usage::Window;

use super::{Change, Narrowed, On, Share, ShareOf, Tightening, Why};
use crate::rules::crossing::names_in_settings;
use crate::rules::grant::allowing_of;

impl Tightening<'_, '_> {
    /// Gives each function that runs as an identity one of its own. What triggers and settings name is needed by those whose
    /// they are; what nobody accounts for stays with each.
    pub(super) fn split(&mut self, id: IdentityId) {
        match self.change_of_sharers(id) {
            Ok(split) => self.proposal.changes.push(split),
            Err((thing, why)) => self.leave(thing, why),
        }
    }

    fn change_of_sharers(&mut self, id: IdentityId) -> Result<Change, (Thing, Why)> {
        let (audit, estate) = (self.audit, self.audit.estate());
        let (thing, who) = (Thing::Identity(id), Principal::Identity(id));
        let mut functions: Vec<FunctionId> = estate.functions_as(id).to_vec();
        functions.sort_by_key(|function| estate.id(*function));
        if functions.len() < 2 {
            return Err((thing, Why::NotShared));
        }
        let names = |it: &Bounded| matches!(it, Bounded::Identity(bounded) if *bounded == id);
        if estate.ceilings().any(|(_, ceiling)| ceiling.over.iter().any(names)) {
            return Err((thing, Why::Bounded));
        }
        let mut grants: Vec<GrantId> = audit.effects().grants_of(who).collect();
        grants.retain(|grant| !audit.effects().has_expired(estate.grant(*grant)));
        self.in_order(&mut grants);
        let (mut whole, mut roads, mut window): (Vec<ShareOf>, Vec<Road>, Option<Window>) =
            Default::default();
        for grant in grants {
            let it = estate.grant(grant);
            let of_grant: Vec<Road> =
                allowing_of(audit, std::iter::once((grant, it))).map(|(_, road)| road).collect();
            // A grant that only takes away comes along, whatever logs cover.
            if !of_grant.is_empty() {
                let covered =
                    self.watch.of_all(audit, grant, it).ok_or((Thing::Grant(grant), Why::NotWatched))?;
                window = Some(covered.of_known(window).ok_or((thing, Why::NotWatched))?);
            }
            let needed = self.needed(who, &of_grant);
            let denies = self.denies(it);
            if !self.is_writable(it, &needed, &denies) {
                return Err((Thing::Grant(grant), Why::Unwritable));
            }
            whole.push(ShareOf { grant, needed, denies });
            roads.extend(of_grant);
        }
        let window = window.ok_or((thing, Why::Fits))?;
        if self.does_by_others(id, &roads) {
            return Err((thing, Why::ByOthers));
        }
        let accounted: Vec<BTreeSet<Thing>> = functions.iter().map(|it| self.accounted(*it)).collect();
        let nobodys = |thing: &Thing| !accounted.iter().any(|it| it.contains(thing));
        let mut taken: BTreeSet<String> = BTreeSet::new();
        let shares: Vec<Share> = functions
            .iter()
            .zip(&accounted)
            .map(|(&function, own)| {
                let of = |thing: &Thing| own.contains(thing) || nobodys(thing);
                let grants = whole.iter().filter_map(|it| it.of(&of)).collect();
                Share { function, identity: self.fresh_name(function, &mut taken), grants }
            })
            .collect();
        let count = |share: &Share| share.grants.iter().map(ShareOf::count).sum::<usize>();
        let all: usize = whole.iter().map(ShareOf::count).sum();
        if shares.iter().all(|share| count(share) == all) {
            return Err((thing, Why::NeedTheSame));
        }
        let mut unaccounted: Vec<String> = Vec::new();
        for (action, on) in whole.iter().flat_map(|it| &it.needed).flat_map(|it| &it.needs) {
            if *on == On::Unsaid {
                unaccounted.push(format!("{action}, wherever"));
            }
            let things = on.things().filter(nobodys);
            unaccounted.extend(things.map(|thing| format!("{action} on {}", estate.label(thing))));
        }
        unaccounted.sort_unstable();
        unaccounted.dedup();
        Ok(Change::Split { identity: id, shares, unaccounted, window })
    }

    /// What the triggers and settings of a function name, and what somebody wants kept for it.
    fn accounted(&self, function: FunctionId) -> BTreeSet<Thing> {
        let estate = self.audit.estate();
        let label = estate.label(Thing::Function(function));
        let kept = self.wishes.keep.iter().filter(|keep| keep.who == label);
        let triggers = estate.triggers_of(function).iter().filter_map(|id| estate.get(*id));
        let running = triggers.filter(|it| it.state == State::Enabled);
        let named = names_in_settings(self.audit, function).into_iter();
        running
            .filter_map(|it| it.source)
            .chain(named.map(|(_, resource)| Thing::Resource(resource)))
            .chain(kept.filter_map(|keep| estate.thing(&keep.on)))
            .collect()
    }

    /// Whether an identity may some of what it was seen to do, or what triggers need, by something else than grants of its own:
    /// by a group, an access list, a permission.
    fn does_by_others(&self, id: IdentityId, roads: &[Road]) -> bool {
        let (estate, effects) = (self.audit.estate(), self.audit.effects());
        let who = Principal::Identity(id);
        let used = estate.uses_by(who).iter().filter(|it| it.outcome == Outcome::Allowed);
        let mut unexplained = used.filter(|it| !roads.iter().any(|road| effects.is_of(it, road)));
        let is_allowed = |did: &str, to: Thing| effects.may(who, did, to) != Verdict::No;
        unexplained.any(|it| it.to.is_none_or(|to| is_allowed(estate.text(it.did), to)))
            || self.taken_by_triggers(id).iter().any(|(act, source)| {
                is_allowed(act.action.text(), *source)
                    && !roads.iter().any(|road| self.is_given(who, road, &act.action, *source))
            })
    }

    /// An id that no identity has: that of the function, and what it is.
    fn fresh_name(&self, function: FunctionId, taken: &mut BTreeSet<String>) -> String {
        let estate = self.audit.estate();
        let base = format!("{}-identity", estate.id(function));
        let mut name = base.clone();
        let mut number = 2;
        while estate.find::<IdentityId>(&name).is_some() || !taken.insert(name.clone()) {
            name = format!("{base}-{number}");
            number += 1;
        }
        name
    }
}

impl ShareOf {
    /// What of it is needed on some things, with what it takes away; nothing where that is nothing.
    fn of(&self, is_of: &impl Fn(&Thing) -> bool) -> Option<Self> {
        let on = |on: &On| match on {
            On::Unsaid => Some(On::Unsaid),
            On::Like(pattern, things) if things.iter().all(is_of) => {
                Some(On::Like(pattern.clone(), things.clone()))
            }
            On::These(things) | On::Like(_, things) => {
                let some: BTreeSet<Thing> = things.iter().copied().filter(|it| is_of(it)).collect();
                (!some.is_empty()).then_some(On::These(some))
            }
        };
        let narrowed = |it: &Narrowed| {
            let needs = it.needs.iter().filter_map(|(action, it)| Some((action.clone(), on(it)?)));
            Narrowed { statement: it.statement, needs: needs.collect() }
        };
        let needed: Vec<Narrowed> =
            self.needed.iter().map(narrowed).filter(|it| !it.needs.is_empty()).collect();
        (!needed.is_empty() || !self.denies.is_empty()).then(|| Self { needed, ..self.clone() })
    }

    /// How many needs it has.
    fn count(&self) -> usize {
        let on = |on: &On| on.things().count().max(1);
        self.needed.iter().flat_map(|it| it.needs.values()).map(on).sum()
    }
}

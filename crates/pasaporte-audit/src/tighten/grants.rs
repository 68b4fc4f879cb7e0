//! Grants: what of them is needed.

use std::collections::BTreeMap;
use std::rc::Rc;

use pasaporte_core::access::{self, Action, Verdict};
use pasaporte_core::effect::Road;
use pasaporte_core::estate::{
    Attribute, Condition, Effect, FunctionId, Grant, GrantId, IdentityId, PatternId, Principal, ResourceId,
    Selection, State, StatementId, Test, Thing,
};
use pasaporte_core::pattern::{Pattern, covers};

use super::{Change, Keep, Naming, Narrowed, On, Taken, Tightening, Why};
use crate::rules::grant::allowing_of;
use crate::rules::surplus::needed_by_trigger;
use crate::rules::unused::holders;

impl Tightening<'_, '_> {
    pub(super) fn grant(&mut self, id: GrantId) {
        let (audit, estate) = (self.audit, self.audit.estate());
        let grant = estate.grant(id);
        let thing = Thing::Grant(id);
        let roads: Vec<Road> =
            allowing_of(audit, std::iter::once((id, grant))).map(|(_, road)| road).collect();
        // A grant that only takes away is no right to lose.
        if audit.effects().has_expired(grant) || roads.is_empty() {
            return;
        }
        let Some(window) = self.watch.of_all(audit, id, grant) else {
            return self.leave(thing, Why::NotWatched);
        };
        let needed = self.needed(grant.principal, &roads);
        if !self.is_alone(thing) {
            return self.leave(thing, Why::NotAlone);
        }
        let denies = self.denies(grant);
        // What a grant takes away stays when what it gives goes.
        if needed.is_empty() && denies.is_empty() {
            self.proposal.changes.push(Change::Drop { grant: id, window });
            return;
        }
        if !self.is_writable(grant, &needed, &denies) {
            return self.leave(thing, Why::Unwritable);
        }
        let repeats = |road: &Road| !needed.iter().any(|it| it.statement == road.statement);
        if !roads.iter().any(repeats) && needed.iter().all(|it| self.fits(it)) {
            return self.leave(thing, Why::Fits);
        }
        self.proposal.changes.push(Change::Narrow { grant: id, needed, denies, window });
    }

    /// What is needed of each of some roads, by whoever holds them.
    pub(super) fn needed(&self, holder: Principal, roads: &[Road]) -> Vec<Narrowed> {
        let estate = self.audit.estate();
        let mut needed: Vec<Narrowed> = Vec::new();
        let mut given: Vec<BTreeMap<String, On>> = Vec::new();
        for road in roads {
            let mut needs = self.needs_of(holder, road);
            // What a statement without conditions gives already is asked of no other.
            for plain in &given {
                without(&mut needs, plain);
            }
            if estate.statement(road.statement).conditions.is_empty() {
                given.push(needs.clone());
            }
            if self.wishes.naming == Some(Naming::Common) {
                for on in needs.values_mut() {
                    self.in_common(road, on);
                }
            }
            if !needs.is_empty() {
                needed.push(Narrowed { statement: road.statement, needs });
            }
        }
        needed
    }

    /// The statements of a grant that take something away.
    pub(super) fn denies(&self, grant: &Grant) -> Vec<StatementId> {
        let statements = self.audit.effects().statements_of(grant).map(|it| it.statement);
        statements.filter(|it| self.audit.estate().statement(*it).effect == Effect::Deny).collect()
    }

    /// Whether what is left of a grant can be written: its conditions as maps.
    pub(super) fn is_writable(&self, grant: &Grant, needed: &[Narrowed], denies: &[StatementId]) -> bool {
        let written = needed.iter().map(|it| it.statement).chain(denies.iter().copied());
        let conditions = written.map(|it| &self.audit.estate().statement(it).conditions);
        conditions.chain([&grant.conditions]).all(|all| is_writable(all))
    }

    /// What is needed of a road, by whoever holds it.
    fn needs_of(&self, holder: Principal, road: &Road) -> BTreeMap<String, On> {
        let (audit, estate, effects) = (self.audit, self.audit.estate(), self.audit.effects());
        let mut needs: BTreeMap<String, On> = BTreeMap::new();
        for who in holders(audit, holder) {
            for it in effects.uses_by_road(who, *road) {
                add(&mut needs, estate.text(it.did), it.to);
            }
            if let Principal::Identity(identity) = who {
                for (act, source) in &*self.taken_by_triggers(identity) {
                    if self.is_given(who, road, &act.action, *source) {
                        add(&mut needs, act.action.text(), Some(*source));
                    }
                }
            }
            // Who called and said who they are needs to be let in where the endpoint asks.
            for &function in self.known.called.get(&who).map_or(&[][..], |all| all) {
                let on = Thing::Function(function);
                if self.is_given(who, road, effects.invoke(), on) {
                    add(&mut needs, access::INVOKE, Some(on));
                }
            }
            for keep in self.wishes.keep.iter().filter(|keep| self.is_for(keep, who)) {
                let Some(thing) = estate.thing(&keep.on) else { continue };
                if self.is_given(who, road, &effects.action(&keep.action), thing) {
                    add(&mut needs, &keep.action, Some(thing));
                }
            }
        }
        needs
    }

    /// Whether something is to be kept for somebody, or for code that runs as them.
    fn is_for(&self, keep: &Keep, who: Principal) -> bool {
        let estate = self.audit.estate();
        let functions = match who {
            Principal::Identity(id) => estate.functions_as(id),
            _ => &[],
        };
        keep.who == estate.principal_label(who)
            || functions.iter().any(|id| keep.who == estate.label(Thing::Function(*id)))
    }

    /// Names things by the longest beginning that their names have in common, where that says no more than they do: nothing
    /// else that is there begins so, and the statement takes whatever will.
    fn in_common(&self, road: &Road, on: &mut On) {
        let (estate, effects) = (self.audit.estate(), self.audit.effects());
        let On::These(things) = on else { return };
        let labels: Vec<String> = things.iter().map(|thing| estate.label(*thing)).collect();
        let Some(pattern) = common(&labels) else { return };
        let picked = estate.resources_picked(estate.statement(road.statement).resources);
        let covered = || covers(&effects.patterns(picked.any()), &pattern, false) == Some(true);
        let is_taken = picked.except().is_empty() && covered();
        let begins = |id: &ResourceId| pattern.matches(estate.id(*id));
        let mut others = estate.all::<ResourceId>().map(|(id, _)| id).filter(begins).map(Thing::Resource);
        let is_honest = others.all(|thing| things.contains(&thing) || !estate.lies_at(thing, road.at));
        if is_taken && is_honest {
            *on = On::Like(pattern.text().to_owned(), std::mem::take(things));
        }
    }

    /// Whether a road gives somebody an action on a thing.
    pub(super) fn is_given(&self, who: Principal, road: &Road, action: &Action, on: Thing) -> bool {
        let effects = self.audit.effects();
        let asked = || effects.gives(who, road, action, access::On::There(on));
        effects.is_about(road, action, on) && asked() != Verdict::No
    }

    /// What the triggers of functions that run as an identity take on their sources.
    pub(super) fn taken_by_triggers(&self, identity: IdentityId) -> Taken {
        if let Some(known) = self.taken.borrow().get(&identity) {
            return Rc::clone(known);
        }
        let (estate, effects) = (self.audit.estate(), self.audit.effects());
        let mut all = Vec::new();
        let functions: &[FunctionId] = estate.functions_as(identity);
        let triggers = functions.iter().flat_map(|id| estate.triggers_of(*id));
        for trigger in triggers.filter_map(|id| estate.get(*id)).filter(|it| it.state == State::Enabled) {
            let Some(source) = trigger.source else { continue };
            let acts = effects.acts_on(Principal::Identity(identity), source, |_| true);
            let taken = acts.into_iter().filter(|act| needed_by_trigger(effects, trigger, act));
            all.extend(taken.map(|act| (act, source)));
        }
        let all: Taken = all.into();
        self.taken.borrow_mut().insert(identity, Rc::clone(&all));
        all
    }

    /// Whether a statement gives what is needed and no more: it names the same actions and things.
    fn fits(&self, it: &Narrowed) -> bool {
        let (estate, effects) = (self.audit.estate(), self.audit.effects());
        let statement = estate.statement(it.statement);
        let actions = estate.actions_picked(statement.actions);
        let named = |selection: &Selection| {
            selection.except().is_empty()
                && selection.any().iter().all(|id| estate.pattern(*id).as_literal().is_some())
        };
        let same_actions = named(actions) && actions.any().len() == it.needs.len();
        let resources = estate.resources_picked(statement.resources);
        let only = |on: &On| match on {
            On::Unsaid => true,
            On::Like(pattern, _) => {
                let same = |id: &PatternId| estate.pattern(*id).text() == pattern;
                resources.except().is_empty() && resources.any().iter().all(same)
            }
            On::These(things) => {
                named(resources)
                    && things.len() == resources.any().len()
                    && things.iter().all(|thing| effects.takes(statement.resources, *thing))
            }
        };
        same_actions && it.needs.values().all(only)
    }
}

/// The least of a name that a common beginning has beside the kind.
const LEAST_IN_COMMON: usize = 3;

/// The longest beginning of some names of resources, as a pattern; none where they are of several kinds or have too little in
/// common.
fn common(labels: &[String]) -> Option<Pattern> {
    let (first, rest) = labels.split_first().filter(|(_, rest)| !rest.is_empty())?;
    let both = |one: &str, other: &str| {
        let same = one.chars().zip(other.chars()).take_while(|(one, other)| one == other);
        same.map(|(letter, _)| letter).collect::<String>()
    };
    let start = rest.iter().fold(first.clone(), |start, label| both(&start, label));
    let (_, name) = start.split_once(':')?;
    let is_plain = !name.contains(['*', '?', '\\']);
    (is_plain && name.chars().count() >= LEAST_IN_COMMON)
        .then(|| Pattern::parse(&format!("{start}*")).ok())?
}

/// Takes out what is needed of another statement already.
fn without(needs: &mut BTreeMap<String, On>, known: &BTreeMap<String, On>) {
    needs.retain(|action, on| match (known.get(action), on) {
        (Some(On::These(known)), On::These(on)) => {
            on.retain(|thing| !known.contains(thing));
            !on.is_empty()
        }
        _ => true,
    });
}

fn add(needs: &mut BTreeMap<String, On>, action: &str, on: Option<Thing>) {
    match (needs.get_mut(action), on) {
        (Some(On::These(all) | On::Like(_, all)), Some(thing)) => {
            all.insert(thing);
        }
        (Some(known), None) => *known = On::Unsaid,
        (Some(On::Unsaid), Some(_)) => {}
        (None, Some(thing)) => {
            needs.insert(action.to_owned(), On::These([thing].into()));
        }
        (None, None) => {
            needs.insert(action.to_owned(), On::Unsaid);
        }
    }
}

/// Whether conditions can be written as one map: no operator stands twice on one attribute.
pub(super) fn is_writable(all: &[Condition]) -> bool {
    let key = |it: &Condition| match it {
        Condition::Test(attribute, test) => Some((*attribute, operator(test))),
        Condition::Opaque(_) => None,
    };
    let keys: Vec<(Attribute, u8)> = all.iter().filter_map(key).collect();
    let distinct: std::collections::BTreeSet<&(Attribute, u8)> = keys.iter().collect();
    distinct.len() == keys.len()
}

fn operator(test: &Test) -> u8 {
    match test {
        Test::Equals(_) => 0,
        Test::NotEquals(_) => 1,
        Test::Like(_) => 2,
        Test::InNetwork(_) => 3,
        Test::Before(_) => 4,
        Test::After(_) => 5,
        Test::Present(_) => 6,
    }
}

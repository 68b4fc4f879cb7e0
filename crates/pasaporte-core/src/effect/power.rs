//! Control that a road gives: over access, over code, over what code runs as, over keys. Each is something that the decision
//! does not say no to.

use super::opposed::Opposition;
use super::{ACCESS_SERVICE, Act, Effects, FUNCTION, Harm, IDENTITY, KEY, Road, ServiceId, Wide};
use crate::access::{ASSUME, On, Verdict};
use crate::estate::{ActionClass, ActionsId, GrantId, Principal, ScopeId, Thing, Use};

/// Control of some sort.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Power {
    /// Changing who may do what at a scope.
    Access,
    /// Changing the code or the settings of functions, or making functions.
    Code,
    /// Handing an identity over to code.
    HandOver,
    /// Reading or making keys, or every secret of a place.
    Keys,
}

/// Control that somebody has by a road: the surest of it.
#[derive(Debug, Clone)]
pub struct Control {
    /// Who has it.
    pub who: Principal,
    /// By which action.
    pub act: Act,
    /// Over what.
    pub on: Wide,
    /// Surely or perhaps.
    pub verdict: Verdict,
}

/// The kind of resources that hold secrets.
const SECRET: &str = "secret";
/// Things of a kind that are asked about one by one before they are taken to be all alike.
const MOST_ASKED: usize = 64;

impl Power {
    pub(super) fn takes(self, service: ServiceId, act: &Act) -> bool {
        match self {
            Self::Access => act.class == Some(ActionClass::Access),
            Self::Code => act.class == Some(ActionClass::Code),
            Self::HandOver => act.class == Some(ActionClass::Identity) && act.action.text() != ASSUME,
            Self::Keys if service == KEY => {
                matches!(act.class, Some(ActionClass::Secret | ActionClass::Read))
            }
            Self::Keys => act.class == Some(ActionClass::Secret),
        }
    }
}

impl Effects<'_> {
    /// The control of a sort that a road gives any of those who hold it.
    pub fn control(&self, road: &Road, power: Power) -> Option<Control> {
        // Of secrets, what names one by one is what code needs; all of a place is not.
        let (services, one_by_one): (&[ServiceId], bool) = match power {
            Power::Access => (&[ACCESS_SERVICE], true),
            Power::Code => (&[FUNCTION], true),
            Power::HandOver => (&[IDENTITY], true),
            Power::Keys => (&[KEY, self.service(SECRET)], false),
        };
        let actions = self.estate().statement(road.statement).actions;
        // Most statements have no such action at all; that is known of each choice of actions.
        let has = |service: &&ServiceId| self.has_control(actions, power, **service);
        let services: Vec<ServiceId> = services.iter().filter(has).copied().collect();
        if services.is_empty() {
            return None;
        }
        let mut best: Option<Control> = None;
        for bearer in self.bearers(road.name()).iter() {
            for &service in &services {
                let of_things = one_by_one || service == KEY;
                for found in self.control_of(bearer.who, road, (power, service), of_things) {
                    if best.as_ref().is_none_or(|known| found.verdict > known.verdict) {
                        best = Some(found);
                    }
                    if best.as_ref().is_some_and(|known| known.verdict == Verdict::Yes) {
                        return best;
                    }
                }
            }
        }
        best
    }

    /// Whether a choice of actions has control of a sort over things of a service; kept.
    fn has_control(&self, actions: ActionsId, power: Power, service: ServiceId) -> bool {
        let known = || self.has_control.lock().expect("nobody panics while holding it");
        if let Some(known) = known().get(&(actions, power, service)) {
            return *known;
        }
        let found = self.dialects().any(|dialect| {
            let acts = self.acts(actions, service, super::Others::default(), dialect);
            acts.all.iter().any(|act| power.takes(service, act))
        });
        known().insert((actions, power, service), found);
        found
    }

    /// The control of a sort that a road gives somebody: over things of which there may be more, else over those that are
    /// there.
    pub(super) fn control_of(
        &self,
        who: Principal,
        road: &Road,
        (power, service): (Power, ServiceId),
        of_things: bool,
    ) -> impl Iterator<Item = Control> {
        let resources = self.estate().statement(road.statement).resources;
        let mut places: Vec<Wide> = Vec::new();
        if power != Power::Access && self.takes_fresh(resources, service) {
            let kind = self.service_name(service);
            let new = self.openings(who, road).into_iter().map(|place| self.fresh_thing(&kind, place));
            places.extend(new.map(Wide::New));
        }
        let opposition = self.opposition(who);
        let over = move |on: Wide| self.control_over(who, road, (power, service), opposition.as_deref(), on);
        let new: Vec<Control> = places.into_iter().filter_map(&over).collect();
        let is_sure = new.iter().any(|it| it.verdict == Verdict::Yes);
        // That one has control of oneself tells nothing; an account is a place, and not those in it.
        let itself = who.thing().filter(|_| !matches!(who, Principal::Account(_)));
        // What may yet be made may need another side where what is there has it.
        let there = (of_things && !is_sure).then(|| self.things_reached_by(who, road, service));
        let there = there.into_iter().flatten().filter(move |thing| {
            let is_scope = matches!(thing, Thing::Scope(_));
            is_scope == (power == Power::Access) && Some(*thing) != itself
        });
        new.into_iter().chain(there.take(MOST_ASKED).map(Wide::There).filter_map(over))
    }

    fn control_over(
        &self,
        who: Principal,
        road: &Road,
        (power, service): (Power, ServiceId),
        opposition: Option<&Opposition>,
        on: Wide,
    ) -> Option<Control> {
        let thing = match on.on() {
            On::There(thing) => Some(thing),
            On::New(_) => None,
        };
        let others = self.others_on(opposition, thing);
        let actions = self.estate().statement(road.statement).actions;
        let acts = self.acts(actions, service, others, self.dialect_on(on.on()));
        let wanted = acts.all.iter().filter(|act| power.takes(service, act));
        let asked = wanted.map(|act| (act, self.gives(who, road, &act.action, on.on())));
        let (act, verdict) =
            asked.filter(|(_, verdict)| *verdict != Verdict::No).max_by_key(|(_, verdict)| *verdict)?;
        Some(Control { who, act: act.clone(), on, verdict })
    }

    /// The actions that a road's statement has, of the services that it is about: those that are named or that the catalogue
    /// knows, and one for others of a wildcard.
    pub fn acts_of(&self, road: &Road) -> Vec<Act> {
        let actions = self.estate().statement(road.statement).actions;
        let mut all: Vec<Act> = Vec::new();
        let here = self.dialect_at(road.at);
        for service in self.services_of(road) {
            for dialect in self.dialects().filter(|it| here.is_none_or(|here| *it == here)) {
                let acts = self.acts(actions, service, super::Others::default(), dialect);
                all.extend(acts.all.iter().cloned());
            }
        }
        all.sort_by_key(|act| (act.action.text().to_owned(), act.rank()));
        all.dedup_by(|later, first| later.action.text() == first.action.text());
        all
    }

    /// What somebody was seen to do that a road gives them.
    pub fn uses_by_road(&self, who: Principal, road: Road) -> impl Iterator<Item = &Use> {
        let allowed = self.estate().uses_by(who).iter();
        allowed.filter(move |it| it.outcome == crate::estate::Outcome::Allowed && self.is_of(it, &road))
    }

    /// The worst that somebody may do with what they hold, without becoming anybody else.
    pub fn harm_itself(&self, who: Principal) -> Harm {
        match who {
            Principal::Identity(id) => self.direct(id).harm,
            _ => self.direct_of(who).harm,
        }
    }
}

impl Effects<'_> {
    /// Whether a road gives any of those who hold it something outside a scope: on what may be made there.
    pub fn reaches_outside(&self, road: &Road, scope: ScopeId) -> bool {
        let tree = self.estate().tree();
        let resources = self.estate().statement(road.statement).resources;
        let actions = self.estate().statement(road.statement).actions;
        let bearers = self.bearers(road.name());
        bearers.iter().any(|bearer| {
            let outside = self.openings(bearer.who, road).into_iter().filter(|place| match place {
                Some(Thing::Scope(place)) => !tree.is_within(*place, scope),
                _ => true,
            });
            let outside: Vec<Option<Thing>> = outside.collect();
            self.services_of(road).into_iter().filter(|service| *service != ACCESS_SERVICE).any(|service| {
                let kind = self.service_name(service);
                outside.iter().any(|place| {
                    let new = self.fresh_thing(&kind, *place);
                    let on = On::New(&new);
                    let acts = || self.acts(actions, service, super::Others::default(), self.dialect_on(on));
                    self.takes_new(resources, &new)
                        && acts()
                            .all
                            .iter()
                            .any(|act| self.gives(bearer.who, road, &act.action, on) != Verdict::No)
                })
            })
        })
    }

    /// The grants among roads, each once, sorted.
    pub fn grants_among(roads: &[Road]) -> Vec<GrantId> {
        let mut all: Vec<GrantId> = roads.iter().filter_map(Road::grant).collect();
        all.sort_unstable();
        all.dedup();
        all
    }
}

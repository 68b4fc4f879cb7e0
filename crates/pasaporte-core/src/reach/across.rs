//! What things of other accounts give somebody as long as its own side does so too: what it holds may be needed there,
//! though by itself it comes to nothing.

use rustc_hash::FxHashMap;

use crate::access::Needs;
use crate::effect::{ACCESS_SERVICE, Effects, Road, ServiceId};
use crate::estate::{AccountOf, At, Principal, Thing};

/// What things of accounts give whoever is among those whom they name, by account.
pub(super) type Within = FxHashMap<AccountOf, Vec<Road>>;

/// The things of other accounts that have a statement for somebody, which needs a statement on its side.
pub(super) struct Across<'a> {
    home: Option<AccountOf>,
    /// Those that name it.
    by_name: Vec<Thing>,
    /// Those that name whomever it is among; they are the same for all who are.
    to_all: Vec<&'a [Road]>,
}

impl<'a> Across<'a> {
    pub(super) fn new(effects: &Effects<'_>, who: Principal, own: &[Road], within: &'a Within) -> Self {
        let home = effects.home(who);
        let is_across = |account: AccountOf| effects.needs_between(who, home, account) == Needs::BothSides;
        let mut by_name: Vec<Thing> = own.iter().filter_map(on).collect();
        by_name.retain(|thing| is_across(effects.account_of(*thing)));
        by_name.sort_unstable();
        by_name.dedup();
        let to_all = within.iter().filter(|(account, _)| is_across(**account));
        Self { home, by_name, to_all: to_all.map(|(_, roads)| roads.as_slice()).collect() }
    }

    /// Those of a service that a grant takes.
    pub(super) fn met_by(&self, effects: &Effects<'_>, mine: &Road, service: ServiceId) -> Vec<Thing> {
        let resources = effects.estate().statement(mine.statement).resources;
        // Nothing of another account lies in a place of one's own.
        let is_at_home = || match (mine.at, self.home) {
            (At::Thing(place), Some(AccountOf::Known(_))) => Some(effects.account_of(place)) == self.home,
            _ => false,
        };
        if mine.grant().is_none() || (self.by_name.is_empty() && self.to_all.is_empty()) || is_at_home() {
            return Vec::new();
        }
        let to_all = self.to_all.iter().flat_map(|roads| roads.iter()).filter_map(on);
        let is_met = |thing: &Thing| {
            (service == ACCESS_SERVICE || effects.service_of(*thing) == service)
                && effects.lies_at_place(*thing, mine.at)
                && effects.takes(resources, *thing)
        };
        self.by_name.iter().copied().chain(to_all).filter(is_met).collect()
    }
}

/// The thing that a statement stands on itself.
fn on(road: &Road) -> Option<Thing> {
    if road.grant().is_none() { road.at.thing() } else { None }
}

//! What is told of ways into functions.

mod address;
mod anonymous;
mod invoke;
mod otherwise;
mod source;
mod token;

use super::Told;
use crate::Audit;
use crate::facts::EntryFact;

pub(super) fn tell(audit: &Audit<'_>, fact: &EntryFact) -> Option<Told> {
    match fact {
        EntryFact::Anonymous { endpoint, public } => anonymous::tell(audit, *endpoint, *public),
        EntryFact::OpenInvoke { function, who, to } => invoke::open(audit, *function, *who, *to),
        EntryFact::WideInvoke(wide) => Some(invoke::wide(audit, wide)),
        EntryFact::OpenSource(open) => source::open(audit, open),
        EntryFact::Unpinned { function, service } => source::unpinned(audit, *function, *service),
        EntryFact::Dangling(dangling) => Some(source::dangling(audit, dangling)),
        EntryFact::IdleTrigger { trigger, permission } => source::idle(audit, *trigger, *permission),
        EntryFact::Unfiltered { trigger, picks } => source::unfiltered(audit, *trigger, *picks),
        EntryFact::OpenNetwork(endpoint) => address::open_network(audit, *endpoint),
        EntryFact::CalledFromInside(it) => address::called_from_inside(audit, it.0, &it.1),
        EntryFact::UncalledMethods(it) => address::uncalled_methods(audit, it.0, &it.1),
        EntryFact::NeverFired(it) => source::never_fired(audit, it.0, &it.1),
        EntryFact::AnyOrigin(endpoint) => address::any_origin(audit, *endpoint),
        EntryFact::Unspoken(unspoken) => address::unspoken(audit, unspoken),
        EntryFact::WeakerThanContract(held) => otherwise::by_contract(audit, held),
        EntryFact::WeakerThanDefined(drift) => Some(otherwise::by_definition(audit, drift)),
        EntryFact::GotThrough(place) => otherwise::by_try(audit, *place),
        EntryFact::WeakVerifier(weak) => token::tell(audit, weak.verifier, &weak.functions),
    }
}

//! What is told of what could not be seen.

use std::collections::BTreeSet;

use pasaporte_core::estate::{
    ContractOf, Estate, Kept, Origin, Overlap, Principal, Reference, ScopeId, Thing,
};
use pasaporte_core::usage::Window;

use super::Told;
use super::phrases::listed;
use super::seen::day;
use crate::Audit;
use crate::facts::{BlindFact, UnseenKind};

/// How many places are shown of those that name something.
const MOST_SHOWN: usize = 4;

pub(super) fn tell(audit: &Audit<'_>, fact: &BlindFact) -> Option<Told> {
    let estate = audit.estate();
    Some(match fact {
        BlindFact::Missing(it) => missing(audit, it.thing, &it.references),
        BlindFact::NoFunction => Told::new("The estate has no function, so nothing was judged that matters.")
            .fix("Gather functions; look whether the right accounts and regions were asked."),
        BlindFact::NoFunctionIn(id) => Told::new("No function of this account is in the estate.")
            .fix("Gather its functions; look whether the right regions were asked.")
            .at(estate.origin(Thing::Scope(*id)), "the account"),
        BlindFact::UnseenKind(unseen) => unseen_kind(audit, unseen),
        BlindFact::Unbounded(service) => Told::new(format!(
            "The patterns over actions of {service} tell more sorts of them apart than were looked at, so more may be \
             allowed than is told."
        ))
        .fix("Write fewer patterns with a `*` at both ends."),
        BlindFact::Opaque(it) => {
            let text = estate.text(it.text);
            Told::new(format!("The condition “{text}” was not understood, so what it guards is not known."))
                .fix("Write it with the attributes of the estate format.")
                .at(it.origin, "the condition")
        }
        BlindFact::NotCollected(place) => {
            let spot = estate.blind_spots().get(*place)?;
            let hides = spot.hides.map_or_else(String::new, |it| format!(" It hides {}.", estate.text(it)));
            let why = spot.why.map_or_else(String::new, |why| format!(" ({})", estate.text(why)));
            Told::new(format!("Not collected: {}{why}.{hides}", estate.text(spot.what)))
                .fix("Give the collector the access it lacked, and gather again.")
                .at(spot.origin, "the collector's note")
        }
        BlindFact::Unread(it) => {
            let (part, why) = (estate.text(it.part), estate.text(it.why));
            Told::new(format!("Not understood: {part}: {why}."))
                .fix("Mend the document there, or have whoever made it do so.")
                .at(it.origin, why)
        }
        BlindFact::IdleContract(id) => {
            let contract = estate.get(*id)?;
            let what = match contract.of {
                ContractOf::Gateway(gateway) => {
                    format!("No route of the estate is at gateway {}", estate.text(gateway))
                }
                ContractOf::Function(function) => {
                    format!("function:{} has no endpoint in the estate", estate.id(function))
                }
            };
            Told::new(format!("{what}, so nothing was held against this contract."))
                .fix("Name the gateway as the estate's routes do; or gather its routes.")
                .at(contract.origin, "the contract")
        }
        BlindFact::UnboundedContract(id) => Told::new(
            "Its operations and the endpoints of the estate meet in too many ways, so some were not held against each \
             other.",
        )
        .fix("Make contracts of parts of it, one a gateway or function.")
        .at(estate.origin(Thing::Contract(*id)), "the contract"),
        BlindFact::Unclassed(it) => {
            let (action, origins) = &**it;
            let there = if audit.effects().dialects().count() > 1 { " that counts there" } else { "" };
            let told = Told::new(format!(
                "No line of the catalogue{there} says what {action} does, so it counts as changing something, and no more."
            ))
            .fix(format!("Say what it does: `actions: [{{action: {action}, class: read}}]`, or whichever class it is of."));
            origins.iter().take(MOST_SHOWN).fold(told, |told, origin| told.at(*origin, "where it is given or was used"))
        }
        BlindFact::UnseenMembers(id) => {
            let seen = audit.effects().everybody_in(*id).len();
            let held = audit.effects().held(Principal::Group(*id)).len();
            let known = match seen {
                0 => "No member of it was seen".to_owned(),
                some => format!("{some} of its members {} seen, and there may be more", if some == 1 { "was" } else { "were" }),
            };
            let holds = match held {
                0 => "it holds nothing".to_owned(),
                1 => "whoever is in it holds 1 grant".to_owned(),
                some => format!("whoever is in it holds {some} grants"),
            };
            Told::new(format!("{known}; {holds}. That is judged as if somebody were in it."))
                .fix("Give the collector the access that it takes to read members, and gather again.")
                .at(estate.origin(Thing::Group(*id)), "the group")
        }
        BlindFact::FarPaths => Told::new(
            "There are more steps from one right to the next than an audit looks at, so paths are not told, or not all.",
        )
        .fix("Ask for them: `pasaporte paths` follows them however long it takes; or audit parts of the estate apart."),
        BlindFact::NoTime => Told::new(
            "The estate does not say when it was true, so no age and no expiry can be judged: expired grants and keys \
             count as valid, and no key as stale.",
        )
        .fix("Add `as_of` to the estate, or audit with --as-of."),
        BlindFact::NoAge(id) => {
            Told::new("Nobody said when this enabled key was made, so its age is not known.")
                .fix("Say when it was made: add `created` to its entry.")
                .at(estate.origin(Thing::Key(*id)), "the key")
        }
        BlindFact::NoUsage(account) => no_usage(audit, *account),
        BlindFact::ShortWindow(it) => short_window(audit, it.0, &it.1),
        BlindFact::SameLogs(place) => same_logs(audit, estate.overlaps().get(*place)?),
        BlindFact::Seals => seals(audit),
    })
}

fn no_usage(audit: &Audit<'_>, account: Option<ScopeId>) -> Told {
    let of = if account.is_some() { " of this account" } else { "" };
    Told::new(format!(
        "No log{of} was read: nothing is called unused, and whom a closed door would turn away is not known."
    ))
    .fix("Digest its logs, and put the digest beside the estate: `pasaporte usage LOGS --estate ESTATE --out FILE`.")
    .at(account.and_then(|account| audit.estate().origin(Thing::Scope(account))), "the account")
}

fn short_window(audit: &Audit<'_>, account: ScopeId, window: &Window) -> Told {
    let estate = audit.estate();
    let wanted = audit.settings().thresholds(estate.environment(None, Some(account))).evidence;
    let days = window.days();
    let late = audit.days_since(window.to).filter(|days| *days > wanted);
    let told = match late {
        Some(late) => format!(
            "Its logs end on {}, {late} days before the estate was gathered: what happened since is not known.",
            day(window.to)
        ),
        None => format!(
            "Its logs cover {days} {}, from {} to {}; {wanted} are needed before anything is called unused.",
            if days == 1 { "day" } else { "days" },
            day(window.from),
            day(window.to),
        ),
    };
    let log = estate.logs().iter().find(|log| log.from == window.from || log.to == window.to);
    Told::new(told)
        .fix("Digest logs of a longer time, without a gap of more than a day and until lately.")
        .at(log.map(|log| log.origin), "what its logs cover")
}

fn same_logs(audit: &Audit<'_>, overlap: &Overlap) -> Told {
    let estate = audit.estate();
    let place = |origin: Origin| format!("{}:{}", estate.path(origin.file), origin.line);
    let (one, other) = (place(overlap.one), place(overlap.other));
    let told = if overlap.left_out {
        Told::new(format!("The digest at {other} is of logs that are all in the one at {one}: it was left out, and counts once."))
            .fix("Remove the one that was left out.")
    } else {
        Told::new(format!(
            "The digests at {one} and {other} share some logs: what those show is counted twice."
        ))
        .fix("Digest each log once, all together or each by itself.")
    };
    told.at(overlap.one, "a digest").at(overlap.other, "a digest")
}

fn seals(audit: &Audit<'_>) -> Told {
    let mut seals = audit.estate().seals().to_vec();
    seals.sort_by_key(|(_, origin)| *origin);
    let mut known = BTreeSet::new();
    seals.retain(|(seal, _)| known.insert(*seal));
    let told = Told::new(format!(
        "Fingerprints were made under {} seals: a value that was seen finds no key whose fingerprint is of another.",
        seals.len()
    ))
    .fix("Make keys, tokens and digests again, all with one --seal.");
    seals.iter().take(MOST_SHOWN).fold(told, |told, (_, origin)| told.at(*origin, "a seal"))
}

fn missing(audit: &Audit<'_>, thing: Thing, references: &[Reference]) -> Told {
    let estate = audit.estate();
    let named = |reference: &Reference| match reference.how {
        "was tried" => "a try of it".to_owned(),
        "was seen in use" => "what logs show of it".to_owned(),
        how => format!("{} {how} it", estate.label(reference.from)),
    };
    let mut mentions: Vec<String> = references
        .iter()
        .map(|reference| match reference.how {
            "was tried" => "somebody tried it".to_owned(),
            "was seen in use" => "logs show it in use".to_owned(),
            _ if reference.from == thing => "the estate has statements about it".to_owned(),
            _ => named(reference),
        })
        .collect();
    mentions.sort_unstable();
    mentions.dedup();
    let mentions = listed(&mentions);
    let told = Told::new(format!("It is not in the estate, but {mentions}. {}", hides(thing))).fix(
        match nearly(estate, thing) {
            Some(near) => format!(
                "Write {near} if that is meant; else gather it too, or remove the reference if it is gone."
            ),
            None => "Gather it too, or remove the reference if it is gone.".to_owned(),
        },
    );
    references.iter().take(MOST_SHOWN).fold(told, |told, each| told.at(each.origin, named(each)))
}

/// Most things of a kind that are looked through for one of nearly the same name.
const MOST_COMPARED: usize = 10_000;

/// The thing of the same kind that is there and whose name is a slip of the pen away, if there is one alone.
fn nearly(estate: &Estate, missing: Thing) -> Option<String> {
    fn of<K: Kept>(estate: &Estate, missing: K) -> Option<String> {
        if estate.count::<K>() > MOST_COMPARED {
            return None;
        }
        let near = estate.all::<K>().filter(|(id, _)| is_a_slip(estate.id(missing), estate.id(*id)));
        let mut near = near.map(|(id, _)| estate.label(id.thing()));
        near.next().filter(|_| near.next().is_none())
    }
    match missing {
        Thing::Scope(id) => of(estate, id),
        Thing::Function(id) => of(estate, id),
        Thing::Identity(id) => of(estate, id),
        Thing::User(id) => of(estate, id),
        Thing::Group(id) => of(estate, id),
        Thing::Set(id) => of(estate, id),
        Thing::Key(id) => of(estate, id),
        Thing::Verifier(id) => of(estate, id),
        Thing::Resource(id) => of(estate, id),
        _ => None,
    }
}

/// Whether two names are one letter apart: one more, one less, another, or two that changed places.
fn is_a_slip(one: &str, other: &str) -> bool {
    let (one, other) = (one.as_bytes(), other.as_bytes());
    if one.len().min(other.len()) < 3 || one.len().abs_diff(other.len()) > 1 {
        return false;
    }
    let same = one.iter().zip(other).take_while(|(one, other)| one == other).count();
    let (one, other) = (&one[same..], &other[same..]);
    match (one, other) {
        ([], []) => false,
        ([_, rest @ ..], []) | ([], [_, rest @ ..]) => rest.is_empty(),
        ([a, b, one @ ..], [c, d, other @ ..]) if (a, b) == (d, c) && one == other => true,
        ([_, after_one @ ..], [_, after_other @ ..]) => {
            after_one == after_other || after_one == other || one == after_other
        }
    }
}

/// What goes unjudged with a missing thing.
fn hides(thing: Thing) -> &'static str {
    match thing {
        Thing::Scope(_) => "What lies in it, who owns it and what is inherited there is not known.",
        Thing::Identity(_) => "What it may do, and who may act as it, is not known.",
        Thing::Set(_) => "What it gives is not known: it may give everything.",
        Thing::Group(_) => "Who is in it is not known: it may be everybody.",
        Thing::Function(_) => "What it may do, and who makes it run, is not known.",
        Thing::Verifier(_) => "What tokens it accepts is not known: it may accept any.",
        Thing::Key(_) => "What it opens, and how old it is, is not known.",
        Thing::Resource(_) => {
            "How sensitive it is, and whether it still exists, is not known: somebody else may own that name."
        }
        Thing::User(_) => "Who that is, is not known.",
        Thing::Endpoint(_)
        | Thing::Trigger(_)
        | Thing::Grant(_)
        | Thing::Ceiling(_)
        | Thing::Token(_)
        | Thing::Contract(_)
        | Thing::Enrolment(_) => "What it is, is not known.",
    }
}

fn unseen_kind(audit: &Audit<'_>, UnseenKind { place, kind, origins }: &UnseenKind) -> Told {
    let kind = audit.effects().service_name(*kind);
    let at = place.map_or("in the estate".to_owned(), |place| format!("at {}", audit.estate().label(place)));
    let told = Told::new(format!(
        "Grants take in {kind} things {at}, and none was gathered there: how sensitive they are is not known."
    ))
    .fix(format!("Gather the {kind} things there; or take them out of the grants if there are none."));
    let shown = origins.iter().take(MOST_SHOWN);
    shown.fold(told, |told, origin| told.at(*origin, "a statement that takes them in"))
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::is_a_slip;

    #[rstest]
    #[case::changed_places("table:boks", "table:bosk", true)]
    #[case::one_more("sell-tickets", "sell-ticket", true)]
    #[case::one_less("sell-tiket", "sell-ticket", true)]
    #[case::another("sell-tikket", "sell-ticket", true)]
    #[case::at_the_beginning("xell-ticket", "sell-ticket", true)]
    #[case::two("sel-tiket", "sell-ticket", false)]
    #[case::the_same("sell-ticket", "sell-ticket", false)]
    #[case::short("ab", "ac", false)]
    fn a_slip_is_one_letter(#[case] one: &str, #[case] other: &str, #[case] is_one: bool) {
        assert_eq!(is_a_slip(one, other), is_one);
        assert_eq!(is_a_slip(other, one), is_one);
    }
}

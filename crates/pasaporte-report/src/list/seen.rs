//! What was seen in use: uses, calls, sightings.

use pasaporte_audit::Audit;
use pasaporte_core::access::{Answer, Ground, INVOKE, Question, Shortfall, Truth, Verdict, Via};
use pasaporte_core::estate::{
    Answered, CameFrom, Effect, Estate, Outcome, SeenIn, Showed, Tally, Thing, Use,
};
use pasaporte_core::usage::Sum;

use super::shared::{column, date, words_of};
use super::{Cell, Column, Holds, List};

pub(super) const USAGE: &[Column] = &[
    column("who", 0, Holds::Names),
    column("did", 0, Holds::Names),
    column("to", 0, Holds::Names),
    column("outcome", 4, words_of!(Outcome)),
    column("why", 1, Holds::Prose),
    column("through", 6, Holds::Names),
    column("count", 2, Holds::Numbers),
    column("first", 5, Holds::Dates),
    column("last", 3, Holds::Dates),
    column("clients", 4, Holds::Names),
];

pub(super) fn usage(audit: &Audit<'_>, out: &mut List) {
    let estate = audit.estate();
    for it in estate.uses() {
        let [count, first, last, clients] = added_up(estate, &it.tally);
        out.row(vec![
            Cell::text(estate.principal_label(it.who)),
            Cell::text(estate.text(it.did)),
            Cell::maybe(it.to.map(|to| estate.label(to))),
            Cell::text(it.outcome.to_string()),
            if it.outcome == Outcome::Refused { Cell::text(why(audit, it)) } else { Cell::Nothing },
            Cell::maybe(it.through.map(|id| estate.id(id))),
            count,
            first,
            last,
            clients,
        ]);
    }
}

/// Why something was refused, by the decision.
fn why(audit: &Audit<'_>, it: &Use) -> String {
    let (estate, effects) = (audit.estate(), audit.effects());
    let Some(on) = it.to else { return "to what is not said".to_owned() };
    let given = effects.given(it.who);
    let action = effects.action(estate.text(it.did));
    let answer = effects.decide(&Question { principal: it.who, action: &action, on, given });
    let enters = match on {
        Thing::Function(function) if estate.text(it.did) == INVOKE => effects.enters(it.who, function, given),
        _ => Verdict::No,
    };
    match answer.verdict.max(enters) {
        Verdict::Yes => "allowed as things are now".to_owned(),
        Verdict::Depends => match answer.residual(estate) {
            depends if depends.is_empty() => "allowed on a condition".to_owned(),
            depends => format!("allowed {depends}"),
        },
        Verdict::No => refused(estate, &answer),
    }
}

fn refused(estate: &Estate, answer: &Answer<'_>) -> String {
    let denies = |it: &&Ground<'_>| it.effect == Effect::Deny && it.holds != Truth::False;
    if answer.grounds.iter().filter(denies).any(|it| !matches!(it.via, Via::Ceiling(_))) {
        return "a deny".to_owned();
    }
    let ceiling = answer.shortfalls.iter().find_map(|it| match it {
        Shortfall::Ceiling(id) => Some(*id),
        _ => None,
    });
    if let Some(ceiling) = ceiling {
        return estate.label(Thing::Ceiling(ceiling)).replacen(':', " ", 1);
    }
    let at = |grant| estate.place_label(estate.grant(grant).at);
    let each = answer.shortfalls.iter().filter_map(|it| {
        Some(match it {
            Shortfall::Elsewhere(grant) => format!("allowed elsewhere: at {}", at(*grant)),
            Shortfall::OtherResources(_) => "allowed elsewhere: on other things here".to_owned(),
            Shortfall::Expired(grant) => format!("its grant at {} has ended", at(*grant)),
            Shortfall::OtherActions(_) => "it may do other things to it".to_owned(),
            Shortfall::CallersSideMissing => "the caller's account does not allow it".to_owned(),
            Shortfall::ResourcesSideMissing => "the account of the thing does not allow it".to_owned(),
            Shortfall::NothingAllows | Shortfall::Ceiling(_) | Shortfall::AccountUnknown => return None,
        })
    });
    each.min_by_key(|told| !told.starts_with("allowed")).unwrap_or_else(|| "nothing allows it".to_owned())
}

pub(super) const CALLS: &[Column] = &[
    column("endpoint", 0, Holds::Names),
    column("method", 3, Holds::Names),
    column("answer", 2, words_of!(Answered)),
    column("showed", 0, Holds::Names),
    column("came_from", 4, words_of!(CameFrom)),
    column("count", 1, Holds::Numbers),
    column("first", 5, Holds::Dates),
    column("last", 2, Holds::Dates),
    column("clients", 4, Holds::Names),
];

pub(super) fn calls(audit: &Audit<'_>, out: &mut List) {
    let estate = audit.estate();
    for it in estate.calls() {
        let [count, first, last, clients] = added_up(estate, &it.tally);
        out.row(vec![
            Cell::text(estate.id(it.endpoint)),
            Cell::text(estate.text(it.method)),
            Cell::text(it.answered.to_string()),
            Cell::text(showed(estate, it.showed)),
            Cell::text(it.from.to_string()),
            count,
            first,
            last,
            clients,
        ]);
    }
}

pub(super) const SIGHTINGS: &[Column] = &[
    column("showed", 0, Holds::Names),
    column("place", 0, words_of!(SeenIn)),
    column("on", 1, Holds::Names),
    column("count", 1, Holds::Numbers),
    column("first", 4, Holds::Dates),
    column("last", 2, Holds::Dates),
    column("clients", 3, Holds::Names),
];

pub(super) fn sightings(audit: &Audit<'_>, out: &mut List) {
    let estate = audit.estate();
    for it in estate.sightings() {
        let [count, first, last, clients] = added_up(estate, &it.tally);
        let shown = showed(estate, it.what);
        let is_known = matches!(it.what, Showed::Key(_) | Showed::Token(_)) && it.place != SeenIn::Header;
        out.row(vec![
            if is_known { Cell::alarming(shown) } else { Cell::text(shown) },
            Cell::text(it.place.to_string()),
            Cell::maybe(it.on.map(|on| estate.label(on))),
            count,
            first,
            last,
            clients,
        ]);
    }
}

/// What was shown, as the estate format writes it.
pub(crate) fn showed(estate: &Estate, it: Showed) -> String {
    match it {
        Showed::Unsaid => "unsaid".to_owned(),
        Showed::Nothing => "nothing".to_owned(),
        Showed::Key(id) => estate.label(Thing::Key(id)),
        Showed::Token(id) => estate.label(Thing::Token(id)),
        Showed::UnknownKey(None) => "unknown-key".to_owned(),
        Showed::UnknownKey(Some(print)) => format!("unknown-key:{}", estate.text(print)),
        Showed::Issued(issuer, subject) => {
            let of =
                issuer.map_or("a token".to_owned(), |issuer| format!("a token of {}", estate.text(issuer)));
            subject.map_or(of.clone(), |subject| format!("{of} to {}", estate.text(subject)))
        }
        Showed::Principal(who) => estate.principal_label(who),
    }
}

fn added_up(estate: &Estate, tally: &Tally) -> [Cell; 4] {
    let mut sum = Sum::default();
    sum.add(estate, tally);
    [
        Cell::Number(i64::try_from(tally.count).unwrap_or(i64::MAX)),
        Cell::maybe(tally.first.map(date)),
        Cell::maybe(tally.last.map(date)),
        Cell::maybe(clients(&sum)),
    ]
}

/// How many clients: "3", "16 or more".
pub(crate) fn clients(sum: &Sum) -> Option<String> {
    let (clients, more) = sum.clients()?;
    Some(format!("{clients}{}", if more { " or more" } else { "" }))
}

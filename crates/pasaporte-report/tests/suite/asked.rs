//! Every line that says what somebody may is a question, and `explain` answers it so: `reach`, two side by side, and who acts
//! as an identity, over random estates.

use std::collections::{BTreeMap, BTreeSet};

use crate::audits::found;
use crate::support::estates;
use crate::support::recipe::{Cooked, PRINCIPALS, cook, recipe};
use pasaporte_audit::{Audit, Settings};
use pasaporte_core::access::{Context, INVOKE, Question, Verdict};
use pasaporte_core::effect::Effects;
use pasaporte_core::estate::*;
use pasaporte_report::compare::{Compared, ComparedOut, Hold, MayOut};
use pasaporte_report::finding::NoTexts;
use pasaporte_report::{ActOut, Explained, IdentityCard, Reached};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;

/// What the decision answers, of strangers as strangers; making a function run is asked of all ways into it, as `explain` does.
fn asked(effects: &Effects<'_>, who: Principal, action: &str, on: Thing) -> Verdict {
    let (sort, now) = (effects.action(action), Context::at(effects.estate().as_of()));
    let decided = effects.may(who, action, on);
    let question = Question { principal: who, action: &sort, on, given: &now };
    match on {
        Thing::Function(_) if action == INVOKE => {
            decided.max(Explained::new(effects, &question, BTreeMap::new()).verdict.0)
        }
        _ => decided,
    }
}

/// The thing of a name; those that only a statement names are not among them.
fn thing(cooked: &Cooked, label: &str) -> Option<Thing> {
    let all = cooked.things.iter().copied();
    let doors = cooked.estate.all::<EndpointId>().map(|(id, _)| Thing::Endpoint(id));
    all.chain(doors).find(|thing| cooked.estate.label(*thing) == label)
}

/// Whether what an act says of its example is so.
fn is_so(
    cooked: &Cooked,
    effects: &Effects<'_>,
    who: Principal,
    (act, is_own): (&ActOut, bool),
) -> Result<(), TestCaseError> {
    let told = format!("{}: {act:?}", cooked.estate.principal_label(who));
    let action = act.action.as_ref().or(act.such_as.as_ref()).unwrap();
    prop_assert!(act.action.is_none() == act.such_as.is_some(), "{told}");
    prop_assert!(act.confidential <= act.surely + act.perhaps, "{told}");
    prop_assert_eq!(act.example.is_some(), act.surely + act.perhaps > 0, "{}", told);
    let Some(on) = act.example.as_deref().and_then(|label| thing(cooked, label)) else { return Ok(()) };
    let verdict = asked(effects, who, action, on);
    prop_assert!(verdict != Verdict::No, "{told}: {action} is not allowed");
    // Where all are alike, so is the one that is shown.
    prop_assert!(act.perhaps > 0 || verdict == Verdict::Yes, "{told}: {action} {verdict:?}");
    // What everybody is given perhaps, one may have surely oneself; of what wildcards take another may be sure; and whoever
    // feeds a function makes it run without invoking it.
    let is_all = is_own && act.action.as_ref().is_some_and(|action| action != INVOKE) && act.surely == 0;
    prop_assert!(!is_all || verdict == Verdict::Depends, "{told}: {verdict:?}");
    Ok(())
}

fn how(may: Option<&MayOut>) -> Verdict {
    may.map_or(Verdict::No, |it| it.verdict.0)
}

proptest! {
    #![proptest_config(estates(300, RngSeed::Fixed(0x0a5c)))]

    /// What `reach` shows of an act, by its name or by one that wildcards take, may be done to the thing that it shows.
    #[test]
    fn a_line_of_reach_is_so(recipe in recipe()) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        for &who in &cooked.principals {
            let reached = Reached::new(&effects, who, None);
            for (services, is_own) in [(&reached.rights, true), (&reached.as_anyone, false)] {
                for act in services.iter().flat_map(|it| &it.acts) {
                    is_so(&cooked, &effects, who, (act, is_own))?;
                }
            }
            // What stands beneath a service gives some of it, and what is without effect gives none.
            let giving: BTreeSet<String> =
                reached.rights.iter().flat_map(|it| &it.by).map(|it| format!("{it:?}")).collect();
            for idle in &reached.without_effect {
                prop_assert!(!giving.contains(&format!("{idle:?}")), "{}: {idle:?}", reached.principal);
            }
        }
    }

    /// What one of two may, alone or like the other, is what the decision says of each alone.
    #[test]
    fn a_line_of_two_side_by_side_is_so(recipe in recipe(), one in 0..PRINCIPALS, other in 0..PRINCIPALS) {
        let cooked = cook(&recipe);
        let audit = Audit::new(&cooked.estate, Settings::default());
        let effects = audit.effects();
        let (left, right) = (cooked.principals[one], cooked.principals[other]);
        let side = |who| (&audit, Compared::somebody(who, None), None);
        let compared = ComparedOut::new(side(left), side(right));
        for row in compared.rights.iter().filter(|row| !row.on_new) {
            let (of_left, of_right) = (how(row.left.as_ref()), how(row.right.as_ref()));
            let held = match (of_left, of_right) {
                (one, other) if one == other => Hold::Both,
                (_, Verdict::No) => Hold::Left,
                (Verdict::No, _) => Hold::Right,
                _ => Hold::Differently,
            };
            prop_assert_eq!(row.held.0, held, "{:?}", row);
            let named = row.actions.iter().filter(|action| !action.ends_with("/*"));
            for (action, on) in named.flat_map(|action| row.on.iter().map(move |on| (action, on))) {
                let Some(on) = thing(&cooked, on) else { continue };
                prop_assert_eq!(effects.may(left, action, on), of_left, "{} {:?}", action, row);
                prop_assert_eq!(effects.may(right, action, on), of_right, "{} {:?}", action, row);
            }
        }
    }

    /// Who acts as an identity, by its passport, is whoever may; and nobody is left out but by a name that is listed.
    #[test]
    fn who_acts_as_an_identity_may(recipe in recipe()) {
        let cooked = cook(&recipe);
        let audit = Audit::new(&cooked.estate, Settings::default());
        let findings = found(&audit);
        let effects = audit.effects();
        for id in cooked.identities {
            let card = IdentityCard::new(&audit, &findings, id, &NoTexts).unwrap();
            let listed = |who: Principal| {
                let label = cooked.estate.principal_label(who);
                card.acted_as_by.iter().find(|it| it.who == label).map(|it| it.verdict.0)
            };
            // A group stands for those in it, and what is given to one that is empty nobody has.
            let is_other = |who: &&Principal| {
                **who != Principal::Identity(id) && !matches!(who, Principal::Group(_))
            };
            for &who in cooked.principals.iter().filter(is_other) {
                let verdict = asked(effects, who, "identity/assume", Thing::Identity(id));
                let told = format!("{}: {:?}", cooked.estate.principal_label(who), card.acted_as_by);
                if let Some(listed) = listed(who) {
                    // Of a crowd it is the best of those in it, and not of strangers only.
                    prop_assert!(listed >= verdict, "{told}, not {verdict:?}");
                    let is_one = !matches!(
                        who,
                        Principal::Account(_)
                            | Principal::Service(_)
                            | Principal::SignedIn
                            | Principal::Anyone
                    );
                    prop_assert!(!is_one || listed == verdict, "{told}, not {verdict:?}");
                }
                let names = effects.names(who);
                let by_a_name = names.iter().any(|name| listed(*name).is_some());
                prop_assert!(by_a_name || verdict == Verdict::No, "{told}, but {verdict:?}");
            }
        }
    }
}

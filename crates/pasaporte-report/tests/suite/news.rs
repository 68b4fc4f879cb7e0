//! What differs of two estates, and of two audits: laws over random pairs. Nothing differs from itself, what one gained the
//! other way round is lost, and what is new, worse, the same and gone is all that there is.

use std::collections::BTreeSet;

use crate::audits::{found, report};
use crate::support::estates;
use crate::support::recipe::{Recipe, cook, recipe};
use pasaporte_audit::{Audit, Catalogue, Finding, Settings};
use pasaporte_core::access::{Context, Question, Verdict};
use pasaporte_core::estate::*;
use pasaporte_report::diff::{Brief, Compared, EstatesOut, Found, ThingOut, WayOut};
use pasaporte_report::reports::Kind;
use pasaporte_report::since::{Now, Saved};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;

/// An estate and one that differs from it in what is given, in what is asked at its doors, or in its bounds.
fn pair() -> impl Strategy<Value = [Recipe; 2]> {
    (recipe(), recipe(), any::<[bool; 4]>()).prop_map(|(old, other, [grants, doors, bounds, keys])| {
        let mut new = old.clone();
        if grants {
            (new.grants, new.admissions) = (other.grants, other.admissions);
        }
        if doors {
            (new.doors, new.fed) = (other.doors, other.fed);
        }
        if bounds {
            new.ceilings = other.ceilings;
        }
        if keys {
            (new.key, new.public_token) = (other.key, other.public_token);
        }
        [old, new]
    })
}

/// A way that opened or closed, without the side on which it is.
fn way(it: &WayOut, turned: bool) -> String {
    let (was, now) = if turned { (&it.now, &it.was) } else { (&it.was, &it.now) };
    format!("{} {} {} {was:?} {now:?}", it.function, it.through, it.who)
}

fn fingerprints(all: &[Brief]) -> BTreeSet<String> {
    all.iter().map(|it| it.fingerprint.clone()).collect()
}

/// Findings of two audits, held against each other.
fn compared(old: (&Audit<'_>, &[Finding]), new: (&Audit<'_>, &[Finding])) -> Compared {
    Found::new(&report(new.0, new.1)).against(Found::new(&report(old.0, old.1)))
}

/// What is made or gone, by list and name.
fn labels(all: &[ThingOut]) -> BTreeSet<String> {
    all.iter().map(|it| format!("{} {}", it.list, it.thing)).collect()
}

proptest! {
    #![proptest_config(estates(120, RngSeed::Fixed(0xd1ff)))]

    #[test]
    fn the_other_way_round_what_opened_closed_and_what_was_gained_is_lost([old, new] in pair()) {
        let cooked = [cook(&old), cook(&new)];
        let audits = [0, 1].map(|at| Audit::new(&cooked[at].estate, Settings::default()));
        let (there, back) = (EstatesOut::new(&audits[0], &audits[1]), EstatesOut::new(&audits[1], &audits[0]));
        let ways = |out: &EstatesOut, turned| out.ways.iter().map(|it| way(it, turned)).collect::<BTreeSet<_>>();
        prop_assert_eq!(ways(&there, false), ways(&back, true));
        for (one, other) in [(&there, &back), (&back, &there)] {
            for it in &one.ways {
                let turned = other.ways.iter().find(|other| way(other, true) == way(it, false)).unwrap();
                let changed = it.was.as_ref().map(|it| it.circle.0) != it.now.as_ref().map(|it| it.circle.0)
                    || it.was.as_ref().map(|it| it.verdict.0) != it.now.as_ref().map(|it| it.verdict.0);
                prop_assert!(changed && it.opened != turned.opened, "{it:?} {turned:?}");
            }
        }
        prop_assert_eq!(labels(&there.settings.made), labels(&back.settings.gone));
        prop_assert_eq!(there.is_nothing(), back.is_nothing());
        let itself = EstatesOut::new(&audits[0], &audits[0]);
        prop_assert!(itself.is_nothing() && itself.not_compared.is_empty());
    }

    /// Every right that is told as gained or lost is one that the decision answers so on either side.
    #[test]
    fn a_right_that_differs_is_answered_differently([old, new] in pair()) {
        let cooked = [cook(&old), cook(&new)];
        let audits = [0, 1].map(|at| Audit::new(&cooked[at].estate, Settings::default()));
        for right in EstatesOut::new(&audits[0], &audits[1]).rights.iter().filter(|it| !it.on_new) {
            prop_assert_ne!(right.was.0, right.now.0);
            for (audit, said) in audits.iter().zip([right.was.0, right.now.0]) {
                let (estate, effects) = (audit.estate(), audit.effects());
                let who = cooked[0].principals.iter().find(|who| {
                    cooked[0].estate.principal_label(**who) == right.principal
                });
                let Some(principal) = who.and_then(|who| cooked[0].estate.same_in(estate, *who)) else { continue };
                let Some(on) = estate.thing(&right.on) else { continue };
                let action = effects.action(&right.action);
                let given = Context::at(estate.as_of());
                let question = Question { principal, action: &action, on, given: &given };
                let crowd = !matches!(principal, Principal::Identity(_) | Principal::User(_));
                let told: Verdict = effects.decide(&question).verdict;
                // What is fixed of a crowd may settle what is open of it.
                prop_assert!(told == said || crowd, "{right:?}: {told:?}");
            }
        }
    }

    /// New, worse, milder and the same is all that leads now; gone is what led and was not seen again.
    #[test]
    fn all_that_is_found_is_new_worse_milder_or_the_same([old, new] in pair()) {
        let cooked = [cook(&old), cook(&new)];
        let audits = [0, 1].map(|at| Audit::new(&cooked[at].estate, Settings::default()));
        let all = [found(&audits[0]), found(&audits[1])];
        let out = compared((&audits[0], &all[0]), (&audits[1], &all[1]));
        prop_assert_eq!(out.new.len() + out.worse.len() + out.milder.len() + out.same, all[1].len());
        let seen = |at: usize| -> BTreeSet<String> {
            all[at].iter().flat_map(Finding::with_beneath).map(|it| it.fingerprint.to_string()).collect()
        };
        prop_assert!(fingerprints(&out.new).is_disjoint(&seen(0)) && fingerprints(&out.gone).is_disjoint(&seen(1)));
        let led: BTreeSet<String> = all[0].iter().map(|it| it.fingerprint.to_string()).collect();
        prop_assert_eq!(fingerprints(&out.gone), led.difference(&seen(1)).cloned().collect::<BTreeSet<_>>());
        let back = compared((&audits[1], &all[1]), (&audits[0], &all[0]));
        prop_assert!(fingerprints(&back.worse).intersection(&fingerprints(&out.worse)).next().is_none());
        let itself = compared((&audits[0], &all[0]), (&audits[0], &all[0]));
        prop_assert_eq!(itself.same, all[0].len());

        // What an audit is held against is what was saved of the other, and says the same.
        let mut text = Vec::new();
        Kind::Json.write(&report(&audits[0], &all[0]), &mut text).unwrap();
        let saved = Saved::read(&text).map_err(|_| TestCaseError::fail("what was saved is not read"))?;
        let rule = |it: &Finding| audits[1].rule(it).id;
        let ran = Catalogue::shipped().ids().collect();
        let now = Now { file: "saved.json", findings: &all[1], rule: &rule, ran: &ran, accounts: Vec::new() };
        let since = saved.tally(&now);
        let same = out.same + out.milder.len();
        prop_assert_eq!((since.new, since.worse, since.same), (out.new.len(), out.worse.len(), same));
        prop_assert_eq!((since.gone.len(), since.by_other_rules), (out.gone.len(), 0));
    }
}

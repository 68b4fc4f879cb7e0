//! A generated estate is the same for the same numbers, is read without a mistake, and looks like a real one.

use std::collections::BTreeSet;

use pasaporte_audit::{Audit, Catalogue, Settings, judge};
use pasaporte_bench::{Lines, generate, typed, wildcards};
use pasaporte_core::estate::{
    AccountOf, Estate, FunctionId, GroupId, IdentityId, KeyId, ResourceId, SetId, Thing,
};
use pasaporte_read::diagnostic::Diagnostics;
use pasaporte_read::estate::{Beside, load};
use pasaporte_read::text::{Form, Source};

fn text(functions: usize, seed: u64) -> String {
    let mut out = Vec::new();
    generate(functions, seed, &mut out).unwrap();
    String::from_utf8(out).unwrap()
}

fn estate(functions: usize, seed: u64) -> Estate {
    let source =
        Source::Text { name: "made.ndjson".to_owned(), text: text(functions, seed), form: Form::Ndjson };
    load(&[source], &Beside::default(), Diagnostics::default()).map_err(Diagnostics::sorted).unwrap()
}

#[test]
fn the_same_numbers_give_the_same_bytes() {
    assert_eq!(text(700, 3), text(700, 3));
    assert_ne!(text(700, 3), text(700, 4));
}

#[test]
fn an_account_does_not_depend_on_how_many_follow() {
    let (short, long) = (text(500, 3), text(1500, 3));
    assert!(long.starts_with(&short));
}

/// An estate full of wildcards is read without a mistake, with the catalogue that was asked for.
#[test]
fn wildcards_have_their_catalogue() {
    for (lines, expected) in [(Lines::None, 0), (Lines::Plain, 100), (Lines::Overlapping, 100)] {
        let mut out = Vec::new();
        wildcards(lines, 7, &mut out).unwrap();
        let text = String::from_utf8(out).unwrap();
        let source = Source::Text { name: "made.ndjson".to_owned(), text, form: Form::Ndjson };
        let estate =
            load(&[source], &Beside::default(), Diagnostics::default()).map_err(Diagnostics::sorted).unwrap();
        assert_eq!((estate.count::<SetId>(), estate.count::<FunctionId>()), (90, 90));
        assert_eq!(estate.actions().len(), expected);
    }
}

#[test]
fn it_has_what_was_asked_for() {
    let estate = estate(1200, 5);
    assert_eq!(estate.all::<FunctionId>().count(), 1200);
    let counts = [
        estate.all::<IdentityId>().count(),
        estate.all::<ResourceId>().count(),
        estate.all::<KeyId>().count(),
        estate.all::<SetId>().count(),
        estate.all::<GroupId>().count(),
    ];
    assert!(counts.iter().all(|count| *count > 0), "{counts:?}");
    let accounts: BTreeSet<String> = estate
        .all::<FunctionId>()
        .filter_map(|(id, _)| match estate.account_of(Thing::Function(id)) {
            AccountOf::Known(account) => Some(estate.id(account).to_owned()),
            AccountOf::Unnamed | AccountOf::Unknown => None,
        })
        .collect();
    assert_eq!(accounts.len(), 3);
}

#[test]
fn a_few_identities_run_most_functions() {
    let estate = estate(1000, 5);
    let mut users: Vec<usize> =
        estate.all().map(|(id, _): (IdentityId, _)| estate.functions_as(id).len()).collect();
    users.sort_unstable_by(|one, other| other.cmp(one));
    let most: usize = users.iter().take(users.len() / 10).sum();
    assert!(most * 2 > 1000, "a tenth of the identities run {most} of 1000 functions");
}

#[test]
fn nothing_it_refers_to_is_missing() {
    let estate = estate(1000, 5);
    estate
        .references(|reference| assert!(estate.is_declared(reference.to), "{}", estate.label(reference.to)));
}

#[test]
fn the_yardstick_reads_every_line() {
    let text = text(600, 9);
    let lines = typed::parse(text.as_bytes()).unwrap();
    assert_eq!(lines.len(), text.lines().count() - 1);
    let functions = lines.iter().filter(|line| matches!(line, typed::Line::Function(_))).count();
    assert_eq!(functions, 600);
}

#[test]
fn most_rules_find_something_in_it() {
    let estate = estate(3000, 7);
    let audit = Audit::new(&estate, Settings::default());
    let all = Catalogue::shipped().ids().collect();
    let findings = judge(&audit, &all);
    let fired: BTreeSet<&str> = findings.iter().map(|finding| audit.rule(finding).id).collect();
    assert!(fired.len() >= 11, "{fired:?}");
    assert!(findings.len() < 2 * 3000, "{} findings", findings.len());
}

//! What a report shows beside findings, and what lists show: laws over random estates.

use std::collections::{BTreeMap, BTreeSet};

use crate::audits::found;
use crate::support::estates;
use crate::support::recipe::{cook, recipe};
use pasaporte_audit::{Audit, Settings};
use pasaporte_core::estate::*;
use pasaporte_report::Card;
use pasaporte_report::exhibits::Exhibits;
use pasaporte_report::finding::NoTexts;
use pasaporte_report::list::{KINDS, Kind};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;

proptest! {
    #![proptest_config(estates(100, RngSeed::Fixed(0x540)))]

    /// Each function is once in the matrix, and where its passport and its card say.
    #[test]
    fn the_matrix_has_each_function_where_its_passport_says(recipe in recipe()) {
        let cooked = cook(&recipe);
        let audit = Audit::new(&cooked.estate, Settings::default());
        let findings = found(&audit);
        let shown = Exhibits::new(&audit, &findings);
        let functions: Vec<FunctionId> = cooked.estate.all::<FunctionId>().map(|(id, _)| id).collect();
        let in_cells: usize = shown.matrix.iter().map(|cell| cell.functions).sum();
        prop_assert_eq!(in_cells, functions.len());
        prop_assert_eq!(shown.passports.len() + shown.without_passport, functions.len());
        let names: Vec<&String> = shown.matrix.iter().flat_map(|cell| &cell.names).collect();
        prop_assert_eq!(names.iter().collect::<BTreeSet<_>>().len(), names.len());
        for function in functions {
            let card = Card::new(&audit, &findings, function, &NoTexts);
            let passport = shown.passports.iter().find(|it| it.function == card.function).unwrap();
            prop_assert_eq!((passport.exposed_to.0, passport.exposed_surely), (card.exposed_to.0, card.exposed_surely));
            let cell = shown.matrix.iter().find(|cell| cell.names.contains(&card.function)).unwrap();
            prop_assert_eq!((cell.exposure.0, cell.impact.0), (passport.exposed_to.0, passport.impact.0));
            prop_assert!(cell.surely <= cell.functions && (!passport.exposed_surely || cell.surely > 0));
            prop_assert_eq!(passport.entries.len() + passport.more_entries, card.entries.len());
            prop_assert_eq!(passport.exits.len() + passport.more_exits, card.exits.len());
            prop_assert_eq!(&passport.may, &card.runs_as.and_then(|it| it.may));
            let stamps: BTreeSet<&str> = passport.stamps.iter().map(|it| it.fingerprint.as_str()).collect();
            let leading = card.findings.iter().map(|it| it.led_by.as_ref().unwrap_or(&it.fingerprint).as_str());
            prop_assert_eq!(stamps, leading.collect::<BTreeSet<_>>());
            let severities = passport.stamps.iter().map(|it| it.severity.0).collect::<Vec<_>>();
            prop_assert!(severities.is_sorted_by(|one, other| one >= other), "{severities:?}");
        }
    }

    /// Two passports with one digest say the same, and what differs in what they say has another.
    #[test]
    fn a_digest_is_of_all_that_is_said(one in recipe(), other in recipe()) {
        let shown = [&one, &other].map(|recipe| {
            let cooked = cook(recipe);
            let audit = Audit::new(&cooked.estate, Settings::default());
            let findings = found(&audit);
            Exhibits::new(&audit, &findings).passports
        });
        for (left, right) in shown[0].iter().flat_map(|left| shown[1].iter().map(move |right| (left, right))) {
            let without = |it: &pasaporte_report::exhibits::Passport| {
                let mut value = serde_json::to_value(it).unwrap();
                value.as_object_mut().unwrap().remove("digest");
                value
            };
            prop_assert_eq!(left.digest == right.digest, without(left) == without(right));
            prop_assert!(left.digest.len() == 20 && left.digest.bytes().all(|each| each.is_ascii_hexdigit()));
        }
    }

    /// A list has every thing of its kind once, as many cells in a row as columns, and the same in CSV.
    #[test]
    fn lists_have_everything_once(recipe in recipe(), by in any::<prop::sample::Index>(), falling in any::<bool>()) {
        let cooked = cook(&recipe);
        let audit = Audit::new(&cooked.estate, Settings::default());
        let mut rows = BTreeMap::new();
        for &kind in KINDS {
            let mut list = kind.list(&audit);
            prop_assert!(list.rows.iter().all(|row| row.len() == list.columns.len()), "{}", kind.word());
            if !matches!(kind, Kind::Grants) {
                let names: BTreeSet<Vec<String>> = list.rows.iter().map(|row| row[0].texts()).collect();
                prop_assert_eq!(names.len(), list.rows.len(), "{}", kind.word());
            }
            rows.insert(kind.word(), list.rows.len());
            let column = by.index(list.columns.len());
            let before = list.rows.len();
            list.order(Some((column, falling)));
            prop_assert_eq!(list.rows.len(), before);
            let empty: Vec<bool> = list.rows.iter().map(|row| row[column].is_empty()).collect();
            prop_assert!(empty.is_sorted(), "{}: what is not there comes last", kind.word());
            let csv = list.to_csv().unwrap();
            let mut reader = csv::Reader::from_reader(csv.as_slice());
            prop_assert_eq!(reader.headers().unwrap().len(), list.columns.len());
            let read: Vec<csv::StringRecord> = reader.records().map(Result::unwrap).collect();
            prop_assert_eq!(read.len(), list.rows.len());
            let chosen = [column];
            list.choose(&chosen);
            prop_assert!(list.rows.iter().all(|row| row.len() == 1) && list.columns.len() == 1);
        }
        let count = |kind: &str| rows[kind];
        prop_assert_eq!(count("functions"), 2);
        prop_assert_eq!(count("identities"), 5);
        prop_assert_eq!(count("grants"), recipe.grants.len());
        prop_assert_eq!(count("endpoints"), recipe.doors.len());
        prop_assert_eq!(count("triggers"), usize::from(recipe.fed));
        prop_assert_eq!(count("permission-sets"), 3);
    }
}

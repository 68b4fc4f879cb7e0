//! Logs that are damaged, meant badly, or of something else.

use std::io::Write;

use crate::support::{digest_of, digested, entities, estate, wanted, written};
use pasaporte_usage::Format;
use proptest::prelude::*;
use rstest::rstest;

const GOOD: &str = "{\"time\":\"2026-11-01T00:00:00Z\",\"who\":\"ines\",\"did\":\"table/read\"}\n";

#[rstest]
#[case::damaged("{\"time\":\"2026-11-01T00:00:00Z\",\"who\":\n", "not of this format")]
#[case::no_time("{\"who\":\"ines\",\"did\":\"table/read\"}\n", "no time that can be read")]
#[case::odd_time("{\"time\":\"soon\",\"who\":\"ines\",\"did\":\"table/read\"}\n", "no time that can be read")]
#[case::last_before_first(
    "{\"first\":\"2026-11-02\",\"last\":\"2026-11-01\",\"who\":\"ines\",\"did\":\"table/read\"}\n",
    "no time that can be read"
)]
#[case::of_the_future(
    "{\"time\":\"2099-11-01T00:00:00Z\",\"who\":\"ines\",\"did\":\"table/read\"}\n",
    "of a time that has not come"
)]
#[case::no_action(
    "{\"time\":\"2026-11-01T00:00:00Z\",\"who\":\"ines\",\"did\":\"a b\"}\n",
    "not of this format"
)]
#[case::no_outcome(
    "{\"time\":\"2026-11-01T00:00:00Z\",\"who\":\"ines\",\"did\":\"table/read\",\"outcome\":\"perhaps\"}\n",
    "not of this format"
)]
#[case::says_nothing(
    "{\"time\":\"2026-11-01T00:00:00Z\"}\n",
    "says neither who did what nor what was called"
)]
#[case::covers_nothing(
    "{\"covers\":{\"in\":\"atlantis\"}}\n",
    "says that it covers what is no scope of the estate, or no action"
)]
#[case::doubled(
    "{\"time\":\"2026-11-01\",\"time\":\"2026-11-02\",\"who\":\"ines\",\"did\":\"table/read\"}\n",
    ""
)]
fn a_bad_line_is_counted_told_by_its_place_and_passed_over(#[case] bad: &str, #[case] why: &str) {
    let log = format!("{GOOD}{bad}{GOOD}");
    let it = digested(&estate(&[]), &[log.as_bytes()], &wanted());
    if why.is_empty() {
        return assert!(it.told.files[0].bad <= 1);
    }
    let told: Vec<(u64, &str)> = it.told.files[0].bad_lines.iter().map(|bad| (bad.line, bad.why)).collect();
    assert_eq!(told, [(2, why)]);
    assert_eq!(entities(&written(&it), "used")[0]["count"], 2);
}

#[test]
fn a_line_that_is_no_text_does_not_hide_the_others() {
    let log = [GOOD.as_bytes(), b"\xff\xfe\n", GOOD.as_bytes()].concat();
    let it = digested(&estate(&[]), &[&log], &wanted());
    assert_eq!((it.told.files[0].bad, it.told.files[0].bad_lines[0].why), (1, "not UTF-8"));
    assert_eq!(entities(&written(&it), "used")[0]["count"], 2);
}

#[test]
fn a_line_of_any_length_is_passed_over() {
    let endless = format!("{{\"time\":\"2026-11-01\",\"who\":\"{}\"}}\n", "x".repeat(40 << 20));
    let log = [GOOD, &endless, GOOD, &endless, GOOD].concat();
    let it = digested(&estate(&[]), &[log.as_bytes()], &wanted());
    assert_eq!((it.told.files[0].bad, it.told.files[0].bad_lines[0].line), (2, 2));
    assert_eq!(entities(&written(&it), "used")[0]["count"], 3);
}

#[test]
fn a_log_that_breaks_off_counts_as_far_as_it_goes_and_says_so() {
    let mut gzip = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::none());
    gzip.write_all(GOOD.repeat(50_000).as_bytes()).unwrap();
    let whole = gzip.finish().unwrap();
    let it = digested(&estate(&[]), &[&whole[..whole.len() - 1000]], &wanted());
    assert!(it.told.files[0].broke_off.is_some());
    let digest = written(&it);
    assert!(entities(&digest, "used")[0]["count"].as_u64().unwrap() > 40_000);
    let spots = entities(&digest, "blind_spot");
    assert!(spots[0]["what"].as_str().unwrap().contains("the rest of the log"), "{spots:?}");
}

#[test]
fn more_bad_lines_than_a_hundredth_are_a_blind_spot() {
    let spots = |good: usize| {
        let log = format!("{}{{\n", GOOD.repeat(good));
        entities(&digest_of(&[log.as_bytes()]), "blind_spot").len()
    };
    assert_eq!((spots(98), spots(99)), (1, 0));
}

#[test]
fn what_the_estate_does_not_know_is_counted_and_told_the_commonest_first() {
    let line = |host: &str| {
        format!("{{\"time\":\"2026-11-01\",\"host\":\"{host}\",\"path\":\"/a\",\"method\":\"GET\"}}\n")
    };
    let log = [line("a.example"), line("b.example").repeat(2), GOOD.to_owned()].concat();
    let it = digested(&estate(&[]), &[log.as_bytes()], &wanted());
    let told: Vec<(&str, u64)> = it.told.commonest.iter().map(|it| (it.what.as_str(), it.count)).collect();
    assert_eq!(told, [("host b.example", 2), ("host a.example", 1)]);
    let spot = &entities(&written(&it), "blind_spot")[0];
    assert_eq!(spot["what"], "3 of 4 events of the logs are about nothing in the estate");
}

#[test]
fn a_log_of_no_format_is_told_and_the_others_count() {
    let it = digested(&estate(&[]), &[b"a letter to the harbour master\n", GOOD.as_bytes()], &wanted());
    assert_eq!((it.told.files[0].format, it.told.files[1].format), (None, Some(Format::Plain)));
    let spots = entities(&written(&it), "blind_spot");
    assert_eq!(spots[0]["why"], "its format was not recognised");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// Any bytes, read as any format: no panic, and whatever is written is an estate.
    #[test]
    fn nothing_that_is_read_breaks_anything(
        start in prop_oneof![Just("{"), Just("[{"), Just("a - - [01/Nov/2026:11:00:00 +0100] \"GET "), Just("time,path\n"), Just("")],
        text in ".{0,200}",
        raw in prop::collection::vec(any::<u8>(), 0..60),
        format in 0_usize..6,
    ) {
        let log = [start.as_bytes(), text.as_bytes(), &raw].concat();
        let wanted = pasaporte_usage::Wanted { read_as: Some(Format::ALL[format].1), ..wanted() };
        let digest = written(&digested(&estate(&[]), &[&log, GOOD.as_bytes()], &wanted));
        estate(&[&digest]);
    }

    /// Lines whose fields hold anything: what is written is an estate.
    #[test]
    fn whatever_fields_hold_what_is_written_is_an_estate(values in prop::collection::vec(".{0,40}", 12), known in any::<bool>()) {
        let names = ["who", "did", "to", "outcome", "through", "host", "path", "method", "showed", "issuer", "user", "client"];
        let mut line = serde_json::Map::new();
        line.insert("time".to_owned(), "2026-11-01T00:00:00Z".into());
        if known {
            line.insert("endpoint".to_owned(), "sell/direct".into());
        }
        for (name, value) in names.iter().zip(values).filter(|(name, _)| !known || !matches!(**name, "who" | "did" | "to" | "outcome" | "showed")) {
            line.insert((*name).to_owned(), value.into());
        }
        let log = format!("{}\n{GOOD}", serde_json::Value::Object(line));
        estate(&[&digest_of(&[log.as_bytes()])]);
    }
}

//! What holds of all digests.

use std::collections::BTreeMap;
use std::io::Write;

use crate::support::{KIOSK, covers, digest_of, digested, entities, estate, wanted, written};
use pasaporte_core::estate::{Estate, Showed, Thing};
use pasaporte_usage::Wanted;
use proptest::prelude::*;

/// A line of our own format, of a few kinds, so that many are alike.
fn line() -> impl Strategy<Value = String> {
    let time = (0_i64..90 * 24).prop_map(|hour| {
        format!("2026-{:02}-{:02}T{:02}:00:00Z", 8 + hour / 720, 1 + hour / 24 % 28, hour % 24)
    });
    let client = (0_u8..40).prop_map(|it| format!("{}.0.113.{it}", if it % 3 == 0 { 10 } else { 203 }));
    let what = prop_oneof![
        (
            prop_oneof![Just("identity:sell-role"), Just("ines"), Just("c-4711"), Just("nobody")],
            prop_oneof![Just("table/read"), Just("queue/send")],
            prop_oneof![Just("table:bookings"), Just("queue:refunds"), Just("table:gone")],
            prop_oneof![Just("allowed"), Just("refused")]
        )
            .prop_map(|(who, did, to, outcome)| format!(
                "\"who\":\"{who}\",\"did\":\"{did}\",\"to\":\"{to}\",\"outcome\":\"{outcome}\""
            )),
        (
            prop_oneof![
                Just("tickets.marivela.example"),
                Just("front"),
                Just("tides.marivela.example"),
                Just("elsewhere.example")
            ],
            prop_oneof![
                Just("/sell/tern"),
                Just("/sell"),
                Just("/board"),
                Just("/sell/tern?code=North-Quay-77-hatch")
            ],
            1_u16..5
        )
            .prop_map(|(host, path, class)| format!(
                "\"host\":\"{host}\",\"path\":\"{path}\",\"method\":\"GET\",\"status\":{class}01"
            )),
    ];
    (time, client, what, 1_u8..4).prop_map(|(time, client, what, count)| {
        format!("{{\"time\":\"{time}\",\"client\":\"{client}\",\"count\":{count},{what}}}\n")
    })
}

fn log() -> impl Strategy<Value = String> {
    prop::collection::vec(line(), 1..60).prop_map(|lines| lines.concat())
}

/// What an estate has seen, in words, with what it adds up to.
fn seen(estate: &Estate) -> BTreeMap<String, String> {
    let tally = |it: &pasaporte_core::estate::Tally| {
        format!("{} {:?} {:?} {:?}", it.count, it.first, it.last, estate.list(it.clients))
    };
    let showed = |it: Showed| match it {
        Showed::Key(id) => estate.label(Thing::Key(id)),
        Showed::UnknownKey(print) => format!("unknown {:?}", print.map(|it| estate.text(it))),
        other => format!("{other:?}"),
    };
    let uses = estate.uses().iter().map(|it| {
        let to = it.to.map(|to| estate.label(to));
        (
            format!("{} {} {to:?} {}", estate.principal_label(it.who), estate.text(it.did), it.outcome),
            tally(&it.tally),
        )
    });
    let calls = estate.calls().iter().map(|it| {
        let (endpoint, method) = (estate.id(it.endpoint), estate.text(it.method));
        (format!("{endpoint} {method} {} {} {}", it.answered, showed(it.showed), it.from), tally(&it.tally))
    });
    let sightings = estate.sightings().iter().map(|it| {
        (format!("{} {} {:?}", showed(it.what), it.place, it.on.map(|on| estate.label(on))), tally(&it.tally))
    });
    uses.chain(calls).chain(sightings).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn digests_of_parts_are_the_digest_of_the_whole(one in log(), other in log()) {
        prop_assume!(one != other);
        let (a, b) = (digest_of(&[one.as_bytes()]), digest_of(&[other.as_bytes()]));
        let both = digest_of(&[one.as_bytes(), other.as_bytes()]);
        let whole = seen(&estate(&[&both]));
        prop_assert_eq!(&seen(&estate(&[&a, &b])), &whole);
        prop_assert_eq!(&seen(&estate(&[&b, &a])), &whole);
        // Whoever gives a digest again, or one of a part, counts nothing twice.
        prop_assert_eq!(&seen(&estate(&[&both, &a, &both])), &whole);
        prop_assert_eq!(&seen(&estate(&[&a, &both])), &whole);
    }

    #[test]
    fn the_order_of_lines_does_not_matter(lines in prop::collection::vec(line(), 1..60), by in any::<u64>()) {
        let mut other = lines.clone();
        let count = other.len() as u64;
        for at in (1..other.len()).rev() {
            other.swap(at, (by.wrapping_mul(at as u64 + count) % (at as u64 + 1)) as usize);
        }
        let one = digest_of(&[lines.concat().as_bytes()]);
        let other = digest_of(&[other.concat().as_bytes()]);
        // What was read differs, and nothing else.
        prop_assert_eq!(one.split_once('\n').unwrap().1, other.split_once('\n').unwrap().1);
    }

    #[test]
    fn a_packed_log_is_the_same_log(log in log()) {
        let mut gzip = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
        let (start, rest) = log.split_at(log.len() / 2);
        gzip.write_all(start.as_bytes()).unwrap();
        let mut members = gzip.finish().unwrap();
        let mut gzip = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
        gzip.write_all(rest.as_bytes()).unwrap();
        members.extend(gzip.finish().unwrap());
        let zstd = zstd::encode_all(log.as_bytes(), 1).unwrap();
        let plain = digest_of(&[log.as_bytes()]);
        prop_assert_eq!(&digest_of(&[&members]), &plain);
        prop_assert_eq!(&digest_of(&[&zstd]), &plain);
        prop_assert_eq!(&digest_of(&[log.as_bytes(), &members, &zstd]), &plain, "all three are one log");
    }

    #[test]
    fn no_count_is_lost(log in log()) {
        let wanted = wanted();
        let estate = estate(&[]);
        let it = digested(&estate, &[log.as_bytes()], &wanted);
        let lines = log.lines().map(|line| serde_json::from_str::<serde_json::Value>(line).unwrap());
        let expected: u64 = lines.map(|line| line["count"].as_u64().unwrap()).sum();
        let counted = |kind: &str| -> u64 {
            entities(&written(&it), kind).iter().map(|row| row["count"].as_u64().unwrap()).sum()
        };
        prop_assert_eq!(counted("used") + counted("called") + it.told.unplaced, expected);
    }
}

#[test]
fn logs_that_adjoin_cover_one_time_and_those_that_do_not_cover_two() {
    let day = |day: u8| {
        format!(
            "{{\"time\":\"2026-11-{day:02}T00:00:00Z\",\"host\":\"tides.marivela.example\",\"path\":\"/board\",\"method\":\"GET\"}}\n\
                 {{\"time\":\"2026-11-{day:02}T23:00:00Z\",\"host\":\"tides.marivela.example\",\"path\":\"/board\",\"method\":\"GET\"}}\n"
        )
    };
    let logs = [day(3), day(1), day(2), day(7)];
    let logs: Vec<&[u8]> = logs.iter().map(String::as_bytes).collect();
    let covered = entities(&digest_of(&logs), "log");
    let spans: Vec<(&str, &str)> =
        covered.iter().map(|log| (log["from"].as_str().unwrap(), log["to"].as_str().unwrap())).collect();
    assert_eq!(
        spans,
        [("2026-11-01T00:00:00Z", "2026-11-03T23:00:00Z"), ("2026-11-07T00:00:00Z", "2026-11-07T23:00:00Z")]
    );
    assert_eq!(covered[0]["hosts"], serde_json::json!(["tides.marivela.example"]));
}

#[test]
fn what_identities_do_is_covered_only_where_somebody_says_so() {
    let log = b"{\"time\":\"2026-11-01T00:00:00Z\",\"who\":\"ines\",\"did\":\"table/read\"}\n";
    assert!(entities(&digest_of(&[log]), "log").is_empty());
    let wanted = Wanted { covers: vec![covers("tickets=table/*")], ..wanted() };
    let said = entities(&written(&digested(&estate(&[]), &[log], &wanted)), "log");
    assert_eq!((&said[0]["in"], &said[0]["actions"]), (&"tickets".into(), &serde_json::json!(["table/*"])));
    // Nor does a log of another estate cover anything, whatever is said.
    let other = b"{\"time\":\"2026-11-01T00:00:00Z\",\"who\":\"somebody\",\"did\":\"table/read\"}\n";
    assert!(entities(&written(&digested(&estate(&[]), &[other], &wanted)), "log").is_empty());
}

#[test]
fn an_event_that_is_there_twice_counts_once_where_it_has_an_id() {
    let event = "{\"specversion\":\"1.0\",\"id\":\"7\",\"source\":\"/audit\",\"time\":\"2026-11-01T00:00:00Z\",\"data\":{\"who\":\"ines\",\"did\":\"table/read\"}}\n";
    let (twice, of_another) = (event.repeat(2), event.replace("/audit", "/other"));
    let counted = |logs: &[&[u8]]| entities(&digest_of(logs), "used")[0]["count"].clone();
    assert_eq!(counted(&[twice.as_bytes()]), 1);
    assert_eq!(counted(&[event.as_bytes(), of_another.as_bytes()]), 2);
    assert_eq!(counted(&[event.as_bytes(), format!("\n{event}").as_bytes()]), 1, "also in another log");
}

#[test]
fn a_key_is_found_by_its_value_under_the_same_seal_only() {
    let log = format!(
        "{{\"time\":\"2026-11-01T00:00:00Z\",\"endpoint\":\"sell/direct\",\"method\":\"GET\",\"key\":\"{KIOSK}\"}}\n"
    );
    let known = digest_of(&[log.as_bytes()]);
    assert_eq!(entities(&known, "called")[0]["showed"], "key:kiosk");
    let estate = estate(&[]);
    let other = pasaporte_read::seal::Seal::new(vec![8; 32]).unwrap();
    let secrets = pasaporte_usage::Secrets::new(&estate, other, &[]);
    let inputs = [pasaporte_usage::Input::Text(log.into_bytes(), "log".to_owned())];
    let it = pasaporte_usage::digest(&inputs, &pasaporte_usage::Places::new(&estate), &secrets, &wanted());
    assert!(entities(&written(&it), "called")[0]["showed"].as_str().unwrap().starts_with("unknown-key:"));
}

//! Findings that somebody answers for until a date.

use crate::support::{Place, Run};
use rstest::rstest;
use serde_json::Value;

const ESTATE: &str = "estate: 1
as_of: 2026-11-20
scopes: [{id: pier, kind: account}]
functions:
  - {id: sail, in: pier, runs_as: sailor, endpoints: [{check: none}]}
  - {id: dock, in: pier, endpoints: [{check: none}]}
identities: [{id: sailor, in: pier, kind: execution-role}]
keys:
  - {id: lab-1, opens: function:dock, reach: function, created: 2024-01-01, last_used: 2026-11-19}
  - {id: lab-2, opens: function:dock, reach: function, created: 2024-01-01, last_used: 2026-11-19}
";
const SAIL: &str = "entry/anonymous-endpoint@endpoint:sail/direct";

fn place() -> Place {
    Place::with("estate.yaml", ESTATE)
}

/// Accepts findings, far into the future.
fn waive(place: &Place, findings: &[&str], more: &[&str]) -> Run {
    let how =
        ["--owner", "crew", "--reason", "until the move", "--until", "2100-01-31", "--estate", "estate.yaml"];
    place.run(&[&["waive"], findings, &how, more].concat())
}

fn accepted(place: &Place) -> String {
    std::fs::read_to_string(place.path().join("pasaporte-accepted.toml")).unwrap_or_default()
}

fn finding<'a>(audit: &'a Value, named: &str) -> &'a Value {
    let (rule, thing) = named.split_once('@').unwrap();
    let mut all = audit["findings"].as_array().unwrap().iter();
    all.find(|it| it["rule"] == rule && it["thing"] == thing).unwrap()
}

#[test]
fn an_accepted_finding_is_shown_apart_and_does_not_count() {
    let place = place();
    let fails = ["audit", "estate.yaml", "--only", "entry/anonymous-endpoint", "--fail-on", "low"];
    assert_eq!(place.run(&fails).code, 1);
    let run = waive(&place, &[SAIL], &[]);
    assert_eq!(run.code, 0, "{}", run.err);
    assert_eq!(place.run(&fails).code, 1, "the other one still counts");
    assert_eq!(waive(&place, &["entry/*@endpoint:dock/direct"], &[]).code, 0);
    let run = place.run(&fails);
    assert_eq!(run.code, 0, "{}", run.out);
    for part in ["ACCEPTED · 2 findings", "crew until 2100-01-31", "until the move", "do not count"] {
        assert!(run.out.contains(part), "no `{part}` in:\n{}", run.out);
    }
    assert!(!run.out.contains("▌ endpoint:sail/direct"), "{}", run.out);
    let audit = place.audit(&["estate.yaml"]);
    let it = &finding(&audit, SAIL)["accepted"];
    assert_eq!((&it["owner"], &it["in_force"]), (&Value::from("crew"), &Value::from(true)));
    assert_eq!(audit["acceptances"]["in_force"], 2);
}

#[test]
fn past_its_date_it_counts_again_and_says_who_promised_what() {
    let place = place();
    waive(&place, &[SAIL], &[]);
    place.write("pasaporte-accepted.toml", accepted(&place).replace("2100-01-31", "2026-11-20"));
    let call =
        ["audit", "estate.yaml", "--only", "entry/*", "--fail-on", "low", "--skip", "entry/open-source"];
    // The last day is a day on which it may.
    let of =
        |audit: &Value| (audit["acceptances"]["in_force"].clone(), audit["acceptances"]["overdue"].clone());
    assert_eq!(of(&place.audit(&["estate.yaml"])), (1.into(), 0.into()));
    assert_eq!(of(&place.audit(&["estate.yaml", "--as-of", "2026-11-21"])), (0.into(), 1.into()));
    let run = place.run(&[&call[..], &["--as-of", "2026-11-22", "--all"]].concat());
    assert_eq!(run.code, 1);
    assert!(
        run.out.contains("crew answered for it until 2026-11-20, 2 days ago: until the move"),
        "{}",
        run.out
    );
}

#[test]
fn nothing_is_accepted_by_accident() {
    let place = place();
    let run = waive(&place, &["key/stale@*"], &[]);
    assert_eq!((run.code, accepted(&place)), (2, String::new()));
    for part in ["takes in 2 findings", "key/stale@key:lab-1", "key/stale@key:lab-2", "--yes"] {
        assert!(run.err.contains(part), "no `{part}` in:\n{}", run.err);
    }
    assert_eq!(waive(&place, &["key/stale@*"], &["--yes"]).code, 0);
    assert_eq!(accepted(&place).matches("[[accepted]]").count(), 2);
    // By their fingerprints they are named one by one, and a second time they are changed in their place.
    let audit = place.audit(&["estate.yaml"]);
    let print = finding(&audit, "key/stale@key:lab-2")["fingerprint"].as_str().unwrap();
    assert_eq!(waive(&place, &[print], &["--yes"]).code, 0);
    assert_eq!(accepted(&place).matches("[[accepted]]").count(), 2);
}

#[test]
fn what_is_accepted_is_listed_and_taken_back_and_comments_stay() {
    let place = place();
    waive(&place, &[SAIL], &[]);
    place.write("pasaporte-accepted.toml", format!("# kept by the crew\n{}", accepted(&place)));
    waive(&place, &["key/stale@*"], &["--yes"]);
    // From a folder below, too.
    place.write("below/x", "");
    let mut command = assert_cmd::Command::cargo_bin("pasaporte").unwrap();
    let listed = command.current_dir(place.path().join("below")).args(["waive", "--list"]).output().unwrap();
    let listed = String::from_utf8(listed.stdout).unwrap();
    assert!(listed.contains("key:lab-1") && listed.contains("3 acceptances"), "{listed}");
    let run = place.run(&["waive", "--withdraw", "key/*@*"]);
    assert!(run.code == 2 && run.err.contains("--yes"), "{}", run.err);
    assert_eq!(place.run(&["waive", "--withdraw", "key/*@*", "--yes"]).code, 0);
    let left = accepted(&place);
    assert!(left.starts_with("# kept by the crew\n") && left.matches("[[accepted]]").count() == 1, "{left}");
    assert_eq!(place.run(&["waive", "--withdraw", SAIL]).code, 0);
    assert!(place.run(&["waive", "--list"]).out.contains("Nothing is accepted"));
}

#[test]
fn an_acceptance_of_what_is_not_there_any_more_is_pointed_out() {
    let place = place();
    waive(&place, &[SAIL], &[]);
    place.write("estate.yaml", ESTATE.replacen("{check: none}", "{check: identity}", 1));
    let run = place.run(&["audit", "estate.yaml"]);
    let flat = run.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(
        flat.contains(
            "accepts entry/anonymous-endpoint on endpoint:sail/direct, which is not found any more"
        ),
        "{flat}"
    );
    // Not looked for is not gone.
    let audit = place.audit(&["estate.yaml", "--only", "key/*"]);
    assert_eq!(audit["acceptances"]["unmatched"], serde_json::json!([]));
}

/// Accepting what leads accepts what lies beneath; the other way round it is refused, and says what to accept.
#[test]
fn what_lies_beneath_goes_with_what_leads() {
    let place = Place::with_demo();
    let audit = place.audit(&["demo"]);
    let leads = audit["findings"].as_array().unwrap().iter().find(|it| it["beneath"][0].is_object()).unwrap();
    let named = |it: &Value| format!("{}@{}", it["rule"].as_str().unwrap(), it["thing"].as_str().unwrap());
    let how = ["--owner", "crew", "--reason", "so", "--until", "2100-01-31", "--estate", "demo"];
    let run =
        place.run(&[&["waive", leads["beneath"][0]["fingerprint"].as_str().unwrap()], &how[..]].concat());
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(
        run.err.contains("lies beneath another finding") && run.err.contains(&named(leads)),
        "{}",
        run.err
    );
    let before = audit["findings"].as_array().unwrap().len();
    assert_eq!(place.run(&[&["waive", leads["fingerprint"].as_str().unwrap()], &how[..]].concat()).code, 0);
    let audit = place.audit(&["demo"]);
    assert_eq!(
        (audit["findings"].as_array().unwrap().len(), &audit["acceptances"]["in_force"]),
        (before, &1.into())
    );
}

#[rstest]
#[case::not_there("entry/anonymous-endpoint@endpoint:pier", "there is no finding")]
#[case::of_another_estate("00000000000000aa", "there is no finding 00000000000000aa")]
#[case::no_name("sail", "`sail` names no finding")]
fn what_is_no_finding_is_told(#[case] named: &str, #[case] told: &str) {
    let place = place();
    let run = waive(&place, &[named], &[]);
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(told), "{}", run.err);
    assert_eq!(accepted(&place), "");
}

#[rstest]
#[case::past("--until", "2020-01-01", "--until 2020-01-01 is past")]
#[case::no_day("--until", "soon", "invalid value")]
#[case::nobody("--owner", " ", "--owner is not a text of one line")]
#[case::lines("--reason", "a\nb", "--reason is not a text of one line")]
fn who_and_until_when_must_be_said(#[case] option: &str, #[case] value: &str, #[case] told: &str) {
    let place = place();
    let mut how = ["--owner", "crew", "--reason", "so", "--until", "2100-01-31"];
    let at = how.iter().position(|it| *it == option).unwrap();
    how[at + 1] = value;
    let run = place.run(&[&["waive", SAIL, "--estate", "estate.yaml"], &how[..]].concat());
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(told), "{}", run.err);
    assert_eq!(accepted(&place), "");
}

#[rstest]
#[case::twice("accepted twice", "pasaporte-accepted.toml:")]
#[case::slip("unknown field `raeson`", "pasaporte-accepted.toml:8")]
fn a_mistake_in_the_file_stops_an_audit(#[case] told: &str, #[case] at: &str) {
    let place = place();
    waive(&place, &[SAIL], &[]);
    let text = accepted(&place);
    let wrong = if told.contains("twice") { text.repeat(2) } else { text.replace("reason", "raeson") };
    place.write("pasaporte-accepted.toml", wrong);
    let run = place.run(&["audit", "estate.yaml"]);
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains(told) && run.err.contains(at), "{}", run.err);
    assert_eq!(place.run(&["audit", "estate.yaml", "--accepted", "nowhere.toml"]).code, 2);
}

//! A fingerprint stays while the weakness does: whatever is moved, reordered, gathered again or worded anew.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use assert_cmd::Command;
use rstest::rstest;
use serde_json::Value;
use tempfile::TempDir;

/// Rule, thing and fingerprint of every finding, those beneath others too.
fn fingerprints(estate: &[PathBuf]) -> BTreeSet<(String, String, String)> {
    let mut command = Command::cargo_bin("pasaporte").unwrap();
    let output = command
        .args(["audit", "--format", "json"])
        .args(estate)
        .assert()
        .success()
        .get_output()
        .stdout
        .clone();
    let audit: Value = serde_json::from_slice(&output).unwrap();
    let findings = audit["findings"].as_array().unwrap();
    let beneath = findings.iter().flat_map(|it| it["beneath"].as_array().unwrap());
    let text = |it: &Value, field: &str| it[field].as_str().unwrap().to_owned();
    findings
        .iter()
        .chain(beneath)
        .map(|it| (text(it, "rule"), text(it, "thing"), text(it, "fingerprint")))
        .collect()
}

/// A document in its head and its sections, each with its items as they are written.
fn sections(text: &str) -> (String, Vec<(String, Vec<String>)>) {
    let (mut head, mut sections) = (String::new(), Vec::<(String, Vec<String>)>::new());
    for line in text.lines().filter(|line| !line.starts_with('#')) {
        let is_section = line.ends_with(':') && !line.starts_with(' ');
        match sections.last_mut() {
            _ if is_section => sections.push((format!("{line}\n"), Vec::new())),
            Some((_, items)) if line.starts_with("  - ") => items.push(format!("{line}\n")),
            Some((_, items)) if line.starts_with("    ") || line.is_empty() => {
                items.last_mut().unwrap().push_str(&format!("{line}\n"));
            }
            _ => {
                // What is written on one line stays in the head.
                head.push_str(&format!("{line}\n"));
            }
        }
    }
    (head, sections)
}

/// Writes an estate anew: each section a file of its own, from the last to the first, and the items of each the other way
/// round.
fn turned_around(text: &str, folder: &Path) -> Vec<PathBuf> {
    let mut texts = Vec::new();
    for document in text.split("---\n").filter(|document| document.contains("estate:")) {
        let (head, sections) = sections(document);
        let said = |line: &&str| line.starts_with("as_of:") || line.starts_with("declared:");
        let said: String = head.lines().filter(said).map(|line| format!("{line}\n")).collect();
        for (name, items) in &sections {
            let items: String = items.iter().rev().map(String::as_str).collect();
            texts.push(format!("# moved\nestate: 1\n{said}{name}{items}"));
        }
        texts.push(head);
    }
    let write = |(place, text): (usize, &String)| {
        let file = folder.join(format!("{place}.yaml"));
        fs::write(&file, text).unwrap();
        file
    };
    texts.iter().rev().enumerate().map(write).collect()
}

#[rstest]
fn moving_and_reordering_entries_changes_none(#[files("tests/rules/*.fires.yaml")] example: PathBuf) {
    let place = TempDir::new().unwrap();
    let files = turned_around(&fs::read_to_string(&example).unwrap(), place.path());
    fs::create_dir(place.path().join("contracts")).unwrap();
    for document in fs::read_dir(example.with_file_name("contracts")).unwrap().map(Result::unwrap) {
        fs::copy(document.path(), place.path().join("contracts").join(document.file_name())).unwrap();
    }
    let before = fingerprints(std::slice::from_ref(&example));
    assert!(!before.is_empty());
    assert_eq!(fingerprints(&files), before, "{}", example.display());
}

/// Fingerprints are kept by others, so a new version of the program must not change them.
#[test]
fn versions_of_the_program_agree() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/rules");
    let mut all = BTreeSet::new();
    for example in fs::read_dir(folder).unwrap().map(|it| it.unwrap().path()) {
        if example.to_str().unwrap().ends_with(".fires.yaml") {
            all.extend(fingerprints(&[example]));
        }
    }
    let lines: Vec<String> =
        all.iter().map(|(rule, thing, print)| format!("{print} {rule} {thing}")).collect();
    insta::assert_snapshot!("fingerprints", lines.join("\n"));
}

const COLLECTED: &str =
    "estate: 1\nas_of: 2026-11-20T06:00:00Z\nfunctions: [{id: tide-bell, in: piers}]\nblind_spots:\n";

#[rstest]
#[case::asked_more_often("why: 'HTTP 503, asked 5 times'", "why: 'page 3: HTTP 500, asked 2 times'", true)]
#[case::not_said("why: 'HTTP 503, asked 5 times'", "hides: something", true)]
#[case::of_another_account("in: piers", "in: decks", false)]
fn why_something_was_not_collected_is_not_what_it_is(
    #[case] one: &str,
    #[case] other: &str,
    #[case] same: bool,
) {
    let place = TempDir::new().unwrap();
    let print = |rest: &str| {
        let path = place.path().join("estate.yaml");
        fs::write(&path, format!("{COLLECTED}  - {{what: the keys, {rest}}}\n")).unwrap();
        let all = fingerprints(&[path]);
        all.into_iter().find(|(rule, ..)| rule == "blind/partial-collection").unwrap().2
    };
    assert_eq!(print(one) == print(other), same);
}

#[rstest]
#[case::order("table/read, table/write", "table/write, table/read", true)]
#[case::another_action("table/read, table/write", "table/read", false)]
fn a_statement_is_what_it_gives(#[case] one: &str, #[case] other: &str, #[case] same: bool) {
    let place = TempDir::new().unwrap();
    let print = |actions: &str, unnamed: &str| {
        let path = place.path().join("estate.yaml");
        let text = format!(
            "estate: 1\nscopes: [{{id: piers, kind: account}}]\nidentities: [{{id: clerk, in: piers, kind: execution-role}}]\n\
             functions: [{{id: tide-bell, in: piers, runs_as: clerk}}]\n\
             resources: [{{id: 'table:bells', in: piers, sensitivity: confidential}}]\ngrants:\n{unnamed}\
             \x20 - {{to: 'identity:clerk', at: 'account:piers', statements: [{{allow: [{actions}], on: '*'}}]}}\n"
        );
        fs::write(&path, text).unwrap();
        let all = fingerprints(&[path]);
        all.into_iter().find(|(rule, ..)| rule == "grant/any-resource").unwrap().2
    };
    let before =
        "  - {to: 'identity:clerk', at: 'account:piers', statements: [{allow: [bucket/list], on: '*'}]}\n";
    assert_eq!(print(one, "") == print(other, before), same);
}

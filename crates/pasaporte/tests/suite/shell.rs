//! What the program is to a shell: completions that a real one takes, pages of a manual, an estate that need not be
//! named, and silence.

use std::path::Path;
use std::process::Command;

use crate::support::Place;
use rstest::rstest;

/// What a real bash offers after some words, of which the last is not ended.
fn offered(place: &Place, words: &[&str]) -> Vec<String> {
    let program = Path::new(env!("CARGO_BIN_EXE_pasaporte"));
    let path = format!("{}:{}", program.parent().unwrap().display(), std::env::var("PATH").unwrap());
    let quoted: Vec<String> = words.iter().map(|word| format!("'{word}'")).collect();
    let script = format!(
        "source <(pasaporte completions bash) || exit 1\n\
         COMP_WORDS=({}); COMP_CWORD={}; COMP_TYPE=9\n\
         _clap_complete_pasaporte pasaporte '{}' ''\n\
         printf '%s\\n' \"${{COMPREPLY[@]}}\"",
        quoted.join(" "),
        words.len() - 1,
        words.last().unwrap()
    );
    // `compopt` complains outside a completion; what counts is the reply.
    let run = Command::new("bash")
        .args(["--norc", "-c", &script])
        .env("PATH", path)
        .env("PASAPORTE_ESTATE", "demo")
        .current_dir(place.path())
        .output()
        .unwrap();
    let mut all: Vec<String> =
        String::from_utf8(run.stdout).unwrap().lines().map(|line| line.trim().to_owned()).collect();
    all.retain(|line| !line.is_empty());
    all.sort();
    all
}

#[rstest]
#[case::commands(&["pasaporte", "ca"], &["card"])]
#[case::functions(&["pasaporte", "card", "scan-pass"], &["scan-pass", "scan-pass-test", "scan-passport"])]
#[case::principals(&["pasaporte", "reach", "lua"], &["lua.ferrer"])]
#[case::actions(&["pasaporte", "explain", "sell-ticket", "table/re"], &["table/read"])]
#[case::resources(&["pasaporte", "explain", "sell-ticket", "table/read", "booki"], &["bookings", "bookings-test"])]
#[case::rules(&["pasaporte", "rules", "key/st"], &["key/stale"])]
#[case::lists(&["pasaporte", "list", "perm"], &["permission-sets"])]
#[case::schemas(&["pasaporte", "schema", "exp"], &["explain"])]
#[case::options(&["pasaporte", "audit", "--fail"], &["--fail-on"])]
#[case::words(&["pasaporte", "audit", "--fail-on", "cr"], &["critical"])]
fn a_real_bash_completes(#[case] words: &[&str], #[case] expected: &[&str]) {
    assert_eq!(offered(&Place::with_demo(), words), expected);
}

#[rstest]
fn other_shells_get_theirs(#[values("zsh", "fish", "powershell", "elvish")] shell: &str) {
    let run = Place::new().run(&["completions", shell]);
    assert_eq!(run.code, 0);
    assert!(run.out.contains("PASAPORTE_COMPLETE") && run.out.contains("pasaporte"), "{}", run.out);
}

#[test]
fn every_command_has_a_page_of_the_manual_and_an_example() {
    let place = Place::new();
    let run = place.run(&["man", "pages"]);
    assert_eq!(run.code, 0, "{}", run.err);
    let help = place.run(&["--help"]).out;
    let commands =
        help.split("Commands:").nth(1).unwrap().lines().skip(1).take_while(|line| !line.is_empty());
    let names = commands.filter(|line| line.starts_with("  ") && !line.starts_with("   "));
    for name in names.filter_map(|line| line.split_whitespace().next()).filter(|name| *name != "help") {
        let page = std::fs::read_to_string(place.path().join(format!("pages/pasaporte-{name}.1"))).unwrap();
        assert!(page.contains(".SH SYNOPSIS") || page.contains("SYNOPSIS"), "{name}");
        let help = place.run(&[name, "--help"]).out;
        assert!(help.contains(&format!("\n  pasaporte {name}")), "{name} has an example: {help}");
    }
}

#[test]
fn an_estate_need_not_be_named() {
    let place = Place::with_demo();
    let named = place.run(&["list", "keys", "demo"]).out;
    let mut command = assert_cmd::Command::cargo_bin("pasaporte").unwrap();
    let by_name = command.current_dir(place.path()).env("PASAPORTE_ESTATE", "demo").args(["list", "keys"]);
    assert_eq!(String::from_utf8(by_name.output().unwrap().stdout).unwrap(), named);
    let mut command = assert_cmd::Command::cargo_bin("pasaporte").unwrap();
    let here =
        command.current_dir(place.path().join("demo")).env_remove("PASAPORTE_ESTATE").args(["list", "keys"]);
    assert_eq!(String::from_utf8(here.output().unwrap().stdout).unwrap(), named);
}

#[test]
fn a_folder_without_an_estate_is_not_taken_for_one() {
    let place = Place::with("notes.json", "{\"tides\": []}");
    let run = place.run(&["audit"]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(run.err.contains("no estate is named, and this folder holds none"), "{}", run.err);
    assert!(run.err.contains("PASAPORTE_ESTATE"), "{}", run.err);
}

#[test]
fn quiet_is_the_answer_and_nothing_around_it() {
    let place = Place::new();
    let all = place.run(&["demo"]).out;
    let quiet = place.run(&["demo", "--quiet"]).out;
    assert!(all.starts_with(&quiet) && all.len() > quiet.len());
    assert!(!quiet.contains("\nNext\n"), "{quiet}");
}

/// A pipe gets neither colours nor links nor a pager, whatever the terminal could do.
#[test]
fn a_pipe_gets_plain_text() {
    let place = Place::with_demo();
    let mut command = assert_cmd::Command::cargo_bin("pasaporte").unwrap();
    command.current_dir(place.path()).env("FORCE_HYPERLINK", "1").env("PAGER", "false").env("TERM", "xterm");
    let run = command.args(["audit", "demo"]).output().unwrap();
    assert!(!run.stdout.contains(&0x1b));
    assert!(run.stdout.len() > 1000);
}

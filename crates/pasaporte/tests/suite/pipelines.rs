//! The shell of docs/pipelines.md does what it says there.

use std::process::Command;

use crate::support::Place;

/// The block of that name.
fn block(name: &str) -> String {
    let text = std::fs::read_to_string(crate::support::demo().join("../docs/pipelines.md")).unwrap();
    let (_, rest) = text.split_once(&format!("```sh {name}\n")).unwrap_or_else(|| panic!("no block {name}"));
    rest.split_once("```").unwrap().0.to_owned()
}

/// Runs a block as a pipeline does: it ends with the first command that fails.
fn run(place: &Place, name: &str) -> (i32, String) {
    let program = assert_cmd::cargo::cargo_bin("pasaporte");
    let path = format!("{}:{}", program.parent().unwrap().display(), std::env::var("PATH").unwrap());
    let output = Command::new("sh")
        .args(["-ec", &block(name)])
        .current_dir(place.path())
        .env("PATH", path)
        .output()
        .unwrap();
    let said = [output.stdout, output.stderr].concat();
    (output.status.code().unwrap(), String::from_utf8(said).unwrap())
}

const ESTATE: &str = "estate: 1
as_of: 2026-11-20
scopes: [{id: pier, kind: account}]
functions:
  - {id: sail, in: pier, runs_as: sailor, endpoints: [{check: none}]}
  - {id: dock, in: pier, endpoints: [{check: identity}]}
identities: [{id: sailor, in: pier, kind: execution-role}]
";

/// A team's folder, with the first audit kept.
fn adopted() -> Place {
    let place = Place::with("estate/a.yaml", ESTATE);
    place.write("audits/kept", "");
    assert_eq!(run(&place, "first-day"), (0, String::new()));
    place
}

fn opens(place: &Place) {
    place.write("estate/a.yaml", ESTATE.replace("check: identity", "check: none"));
}

#[test]
fn a_check_fails_on_what_is_new_and_passes_when_it_is_kept() {
    let place = adopted();
    assert_eq!(run(&place, "check").0, 0);
    opens(&place);
    let (code, said) = run(&place, "check");
    assert!(code == 1 && said.contains("endpoint:dock/direct"), "{said}");
    assert_eq!(run(&place, "comment").0, 0);
    let comment = std::fs::read_to_string(place.path().join("comment.md")).unwrap();
    assert!(comment.contains("**1 new**") && place.path().join("findings.csv").exists(), "{comment}");
    assert_eq!(run(&place, "renew").0, 1, "what is new is not kept unseen");
    place.write("estate/a.yaml", ESTATE.replace("check: none", "check: identity"));
    assert_eq!(run(&place, "renew").0, 0);
    place.write("estate/a.yaml", ESTATE);
    assert_eq!(run(&place, "check").0, 1, "what was mended and came back is new");
}

#[test]
fn a_night_collects_and_keeps() {
    let place = adopted();
    place.write("mine/adapter.toml", "adapter = 1\nname = \"mine\"\nabout = \"piers\"\nprogram = \"mine.jq\"\n\n[[ask]]\nname = \"piers\"\npath = \"piers\"\nitems = \".[]\"\nentities = \"{scope: {id: .pier, kind: \\\"account\\\"}}\"\n");
    place.write("mine/mine.jq", "");
    place.write("saved/piers.json", r#"[{"pier": "north"}]"#);
    place.write("gather.toml", "[[source]]\nname = \"north\"\nadapter = \"./mine\"\nfiles = \"saved\"\n");
    // The estate of that night is of that night.
    place.write("estate/a.yaml", ESTATE.replace("as_of: 2026-11-20\n", ""));
    let (code, said) = run(&place, "nightly");
    assert_eq!(code, 0, "{said}");
    let kept = std::fs::read_dir(place.path().join("audits")).unwrap().flatten();
    let nights = kept.filter(|it| it.file_name().to_string_lossy().starts_with("20")).count();
    assert_eq!(nights, 1);
}

#[test]
fn a_hook_looks_at_what_is_to_be_committed() {
    let place = adopted();
    let git = |args: &[&str]| {
        let done = Command::new("git").args(args).current_dir(place.path()).output().unwrap();
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    };
    git(&["init", "-q"]);
    opens(&place);
    assert_eq!(run(&place, "pre-commit").0, 0, "nothing is to be committed");
    git(&["add", "estate"]);
    let (code, said) = run(&place, "pre-commit");
    assert!(code == 1 && said.contains("this opens something new"), "{said}");
    place.write("estate/a.yaml", ESTATE);
    assert_eq!(run(&place, "pre-commit").0, 0);
}

#[test]
fn the_same_audit_is_written_for_tools_and_people() {
    let place = adopted();
    assert_eq!(run(&place, "reports"), (0, String::new()));
    for file in ["audit.sarif", "audit.junit.xml", "audit.html"] {
        assert!(place.path().join(file).is_file(), "{file}");
    }
}

#[test]
fn what_a_change_opens_is_told() {
    let place = adopted();
    let git = |args: &[&str]| {
        let me = ["-c", "user.name=ana", "-c", "user.email=ana@marivela.example"];
        let done = Command::new("git").args(me).args(args).current_dir(place.path()).output().unwrap();
        assert!(done.status.success(), "{args:?}: {}", String::from_utf8_lossy(&done.stderr));
    };
    git(&["init", "--quiet"]);
    git(&["add", "estate"]);
    git(&["commit", "--quiet", "-m", "before"]);
    opens(&place);
    git(&["commit", "--quiet", "-am", "after"]);
    let (code, said) = run(&place, "compare");
    // What it opens runs code and no more, which is medium.
    assert_eq!(code, 0, "{said}");
    let told = std::fs::read_to_string(place.path().join("change.md")).unwrap();
    assert!(told.contains("**function:dock** endpoint:dock/direct lets in anyone"), "{told}");
}

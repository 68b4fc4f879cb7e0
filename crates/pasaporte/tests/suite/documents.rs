//! What the documents say is so: their links lead somewhere, their story can be followed, no command is left out.

use std::fs;
use std::path::{Path, PathBuf};

use assert_cmd::Command;
use rstest::rstest;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn read(document: &str) -> String {
    fs::read_to_string(root().join(document)).unwrap()
}

#[rstest]
#[case("README.md")]
#[case("CONTRIBUTING.md")]
#[case("docs/architecture.md")]
#[case("docs/access-model.md")]
#[case("docs/estate-format.md")]
#[case("docs/findings.md")]
#[case("docs/gather.md")]
#[case("docs/performance.md")]
#[case("docs/write-an-adapter.md")]
fn links_lead_somewhere(#[case] document: &str) {
    let text = read(document);
    let folder = root().join(document).parent().unwrap().to_owned();
    let targets = text.split("](").skip(1).filter_map(|rest| rest.split([')', '#']).next());
    for target in targets.filter(|target| !target.is_empty() && !target.contains("://")) {
        assert!(folder.join(target).exists(), "{document} leads to {target}, which is not there");
    }
}

/// The commands of the README's story, in order, in a folder of their own.
#[test]
fn the_story_of_the_readme_can_be_followed() {
    let folder = tempfile::tempdir().unwrap();
    let estate = folder.path().join("ferries/levante.yaml");
    let text = read("README.md");
    let after = |beginning: &'static str| {
        text.lines().filter_map(move |line| Some(line.strip_prefix("# ")?.split_once(beginning)?.1.trim()))
    };
    let mends: Vec<(&str, &str)> = after("replace   ").zip(after("by   ")).collect();
    assert_eq!(mends.len(), 2);
    let run = |line: &str, code: i32| {
        let args = line.split(['#', '>']).next().unwrap().split_whitespace();
        Command::cargo_bin("pasaporte").unwrap().current_dir(&folder).args(args).assert().code(code);
    };
    for line in text.lines().filter_map(|line| line.strip_prefix("pasaporte ")) {
        if line.contains("--fail-on") {
            run(line, 1);
            let mut text = fs::read_to_string(&estate).unwrap();
            for (mistake, mend) in &mends {
                assert!(text.contains(mistake), "nothing to replace");
                text = text.replace(mistake, mend);
            }
            fs::write(&estate, text).unwrap();
        }
        run(line, 0);
    }
}

/// The files that docs/write-an-adapter.md shows, and the commands that it runs on them.
#[test]
fn the_adapter_that_is_shown_works() {
    let folder = tempfile::tempdir().unwrap();
    let text = read("docs/write-an-adapter.md");
    let block = |from: &str| from.split("```").nth(1).unwrap().split_once('\n').unwrap().1.to_owned();
    for shown in text.split("\n**`").skip(1) {
        let path = folder.path().join(shown.split('`').next().unwrap());
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, block(shown)).unwrap();
    }
    let mut told = String::new();
    for line in text.lines().filter_map(|line| line.strip_prefix("pasaporte ")) {
        let mut command = Command::cargo_bin("pasaporte").unwrap();
        let done = command.current_dir(&folder).args(line.split_whitespace()).assert().code(0);
        told.push_str(&String::from_utf8(done.get_output().stdout.clone()).unwrap());
    }
    let table = block(text.split("```text").next().map_or("", |before| &text[before.len()..]));
    assert!(told.contains(table.trim_end()), "the table is another one:\n{told}");
    assert!(told.contains("Anyone can make function:lamp-check run"), "{told}");
}

#[test]
fn every_rule_stands_in_the_table_of_rules() {
    let out = Command::cargo_bin("pasaporte").unwrap().args(["rules", "--format", "json"]).assert().success();
    let rules: serde_json::Value = serde_json::from_slice(&out.get_output().stdout).unwrap();
    let text = read("docs/findings.md");
    for rule in rules["rules"].as_array().unwrap() {
        let id = rule["id"].as_str().unwrap();
        assert!(text.lines().any(|line| line.starts_with("| ") && line.contains(id)), "{id} is not told of");
    }
}

#[test]
fn every_command_stands_in_the_readme() {
    let help = Command::cargo_bin("pasaporte").unwrap().arg("--help").assert().success();
    let help = String::from_utf8(help.get_output().stdout.clone()).unwrap();
    let commands =
        help.split("Commands:").nth(1).unwrap().lines().skip(1).take_while(|line| !line.is_empty());
    let names = commands.filter(|line| line.starts_with("  ") && !line.starts_with("   "));
    let text = read("README.md");
    for name in names.filter_map(|line| line.split_whitespace().next()).filter(|name| *name != "help") {
        assert!(text.contains(&format!("`pasaporte {name}")), "{name} is not told of");
    }
}

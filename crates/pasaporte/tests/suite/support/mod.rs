//! Drives the built program in a folder of its own.

#![allow(
    dead_code,
    unreachable_pub,
    missing_docs,
    reason = "a module of test programs, each of which uses a part of it"
)]

pub mod markdown;
pub mod platforms;
pub mod standards;

use std::path::{Path, PathBuf};

use assert_cmd::Command;
use serde_json::Value;
use tempfile::TempDir;

/// What is listed, for every list.
pub const LISTS: [&str; 15] = [
    "functions",
    "endpoints",
    "operations",
    "triggers",
    "identities",
    "users",
    "groups",
    "grants",
    "permission-sets",
    "keys",
    "verifiers",
    "tokens",
    "resources",
    "scopes",
    "enrolments",
];

/// A folder with files, in which the program runs.
pub struct Place {
    folder: TempDir,
}

/// What a run came to.
pub struct Run {
    pub code: i32,
    pub out: String,
    pub err: String,
}

impl Place {
    pub fn new() -> Self {
        Self { folder: tempfile::tempdir().unwrap() }
    }

    /// A place with one file.
    pub fn with(name: &str, content: impl AsRef<[u8]>) -> Self {
        let place = Self::new();
        place.write(name, content);
        place
    }

    /// A place with the sample estate in the folder `demo`.
    pub fn with_demo() -> Self {
        let place = Self::new();
        place.copy(&demo(), "demo");
        place
    }

    /// Writes what of the sample estate no platform knows into a folder.
    pub fn write_what_is_not_gathered(&self, folder: &str) {
        for name in ["company.yaml", "knocks.ndjson", "contracts/front-door.yaml", "declared/tickets.yaml"] {
            self.write(&format!("{folder}/{name}"), std::fs::read(demo().join(name)).unwrap());
        }
    }

    fn copy(&self, from: &Path, to: &str) {
        for entry in std::fs::read_dir(from).unwrap() {
            let path = entry.unwrap().path();
            let name = format!("{to}/{}", path.file_name().unwrap().to_str().unwrap());
            if path.is_dir() {
                self.copy(&path, &name);
            } else {
                self.write(&name, std::fs::read(&path).unwrap());
            }
        }
    }

    pub fn path(&self) -> &Path {
        self.folder.path()
    }

    pub fn write(&self, name: &str, content: impl AsRef<[u8]>) {
        let path = self.folder.path().join(name);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, content).unwrap();
    }

    pub fn run(&self, args: &[&str]) -> Run {
        self.run_with(args, "")
    }

    /// Runs the program with something on standard input.
    pub fn run_with(&self, args: &[&str], input: impl Into<Vec<u8>>) -> Run {
        self.run_in("", args, input)
    }

    /// Runs the program in a folder below.
    pub fn run_in(&self, folder: &str, args: &[&str], input: impl Into<Vec<u8>>) -> Run {
        let mut command = Command::cargo_bin("pasaporte").unwrap();
        command.current_dir(self.folder.path().join(folder));
        command.env_remove("NO_COLOR").env_remove("CLICOLOR_FORCE");
        let output = command.args(args).write_stdin(input).output().unwrap();
        Run {
            code: output.status.code().expect("the program ends by itself"),
            out: String::from_utf8(output.stdout).unwrap(),
            err: String::from_utf8(output.stderr).unwrap(),
        }
    }

    /// The audit of some paths, as JSON.
    pub fn audit(&self, args: &[&str]) -> Value {
        let all: Vec<&str> =
            ["audit"].into_iter().chain(args.iter().copied()).chain(["--format", "json"]).collect();
        self.json(&all)
    }

    /// What a command answers as JSON.
    pub fn json(&self, args: &[&str]) -> Value {
        let run = self.run(args);
        assert_eq!(run.code, 0, "{}", run.err);
        serde_json::from_str(&run.out).unwrap()
    }
}

/// The sample estate as it lies in the repository.
pub fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo")
}

/// The rule and thing of every finding, in order, but that no log was read: small estates have none.
pub fn findings(audit: &Value) -> Vec<(String, String)> {
    let text = |value: &Value| value.as_str().unwrap().to_owned();
    let findings = audit["findings"].as_array().unwrap().iter().filter(|it| it["rule"] != "blind/no-usage");
    findings.map(|finding| (text(&finding["rule"]), text(&finding["thing"]))).collect()
}

/// All that an audit tells: what leads, and what lies beneath it.
pub fn with_beneath(audit: &Value) -> Vec<&Value> {
    let leading = audit["findings"].as_array().unwrap().iter();
    leading
        .flat_map(|finding| std::iter::once(finding).chain(finding["beneath"].as_array().unwrap()))
        .collect()
}

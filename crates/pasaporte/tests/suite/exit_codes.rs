//! The exit code never lies: not to a pipeline whose reader has seen enough, not where the answer could not be written.

use std::io::Read;
use std::process::{Command, Stdio};

use crate::support::Place;
use rstest::rstest;

fn program(place: &Place) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_pasaporte"));
    command.current_dir(place.path());
    command
}

/// An answer longer than a pipe holds, of which only the beginning is read.
#[rstest]
#[case::text(&["audit", "demo", "--all", "--fail-on", "critical"], 1)]
#[case::json(&["audit", "demo", "--format", "json", "--fail-on", "critical"], 1)]
#[case::blind(&["audit", "demo", "--format", "json", "--strict"], 3)]
#[case::nothing_to_fail_on(&["audit", "demo", "--format", "json"], 0)]
fn a_reader_that_closes_the_pipe_does_not_change_the_code(#[case] call: &[&str], #[case] code: i32) {
    let place = Place::with_demo();
    let mut child = program(&place).args(call).stdout(Stdio::piped()).spawn().unwrap();
    let mut some = [0; 64];
    child.stdout.take().unwrap().read_exact(&mut some).unwrap();
    assert_eq!(child.wait().unwrap().code(), Some(code));
}

#[cfg(target_os = "linux")]
#[rstest]
#[case::help(&["--help"])]
#[case::help_of_a_command(&["audit", "--help"])]
#[case::version(&["--version"])]
#[case::text(&["audit", "demo"])]
#[case::json(&["audit", "demo", "--format", "json"])]
#[case::list(&["list", "keys", "demo", "--format", "csv"])]
#[case::schema(&["schema", "estate"])]
#[case::completions(&["completions", "bash"])]
fn an_answer_that_cannot_be_written_is_no_success(#[case] call: &[&str]) {
    let full = std::fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
    let place = Place::with_demo();
    let run = program(&place).args(call).stdout(full).stderr(Stdio::piped()).output().unwrap();
    assert_eq!(run.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&run.stderr).contains("cannot write the answer"));
}

#[rstest]
#[case::more_functions_than_there_can_be(&["stand-in", "x", "--functions", "4000000000"])]
#[case::nonsense(&["stand-in", "x", "--functions", "-1"])]
fn a_number_beyond_its_bounds_is_a_wrong_call(#[case] call: &[&str]) {
    let run = Place::new().run(call);
    assert_eq!((run.code, run.out.as_str()), (2, ""), "{}", run.err);
}

/// An adapter cannot end the program, and what it was about to read stays unread.
#[rstest]
#[case::halt("halt")]
#[case::halt_with("halt_error")]
#[case::environment("env | tojson | {scope: {id: ., kind: \"account\"}}")]
#[case::clock("now | {scope: {id: tostring, kind: \"account\"}}")]
fn an_adapter_is_given_what_the_guide_says_and_no_more(#[case] program: &str) {
    let place = Place::new();
    place.write(
        "mine/adapter.toml",
        "adapter = 1\nname = \"mine\"\nabout = \"piers\"\nprogram = \"mine.jq\"\n\n\
         [[ask]]\nname = \"piers\"\npath = \"piers\"\nitems = \".[]\"\nentities = \"pier\"\n",
    );
    place.write("mine/mine.jq", format!("def pier: {program};\n"));
    place.write("saved/piers.json", "[{\"id\": \"north\"}]");
    place.write("gather.toml", "[[source]]\nname = \"here\"\nadapter = \"./mine\"\nfiles = \"saved\"\n");
    let run = place.run(&["gather", "--sources", "gather.toml", "--out", "estate"]);
    assert_eq!(run.code, 2, "{}", run.out);
    assert!(run.err.contains("there is no filter"), "{}", run.err);
    assert!(!place.path().join("estate/here.ndjson").exists());
}

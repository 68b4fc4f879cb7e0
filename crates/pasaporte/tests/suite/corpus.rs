//! What was ever found by fuzzing, what fuzzing begins with, and twenty thousand mutations of that: no reader panics.

#[path = "../../../../fuzz/readers.rs"]
#[allow(unreachable_pub, missing_docs, reason = "shared with the fuzz targets")]
mod readers;

use std::path::{Path, PathBuf};

use proptest::prelude::*;
use proptest::test_runner::{TestCaseError, TestRunner};
use rstest::rstest;

/// How many mutations each reader is given, of 20,000 in all.
const MUTATIONS: [(&str, u32); 12] = [
    ("acceptances", 600),
    ("configuration", 600),
    ("saved_audit", 400),
    ("estate_yaml", 5_000),
    ("estate_json", 2_000),
    ("estate_ndjson", 2_000),
    ("contract", 3_400),
    ("key_set", 2_400),
    ("token", 2_000),
    ("sources", 1_000),
    ("manifest", 500),
    ("answer", 100),
];

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The files of a folder, in order.
fn files(folder: &Path, ending: &str) -> Vec<Vec<u8>> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
    let mut paths: Vec<PathBuf> = entries.filter(|path| path.to_string_lossy().ends_with(ending)).collect();
    paths.sort();
    paths.iter().map(|path| std::fs::read(path).unwrap()).collect()
}

/// What a reader begins with: its own seeds, the examples of rules, the sample estate, the shipped adapters.
fn seeds(reader: &str) -> Vec<Vec<u8>> {
    let mut all = files(&root().join("fuzz/seeds").join(reader), "");
    match reader {
        "estate_yaml" => {
            all.extend(files(&root().join("crates/pasaporte/tests/rules"), ".yaml"));
            all.extend(files(&root().join("demo"), ".yaml"));
        }
        "estate_ndjson" => all.extend(files(&root().join("demo"), ".ndjson")),
        "contract" => all.extend(files(&root().join("demo/contracts"), "")),
        "manifest" => {
            for adapter in ["gregal", "lebeche", "levante", "poniente", "siroco", "tramontana"] {
                all.extend(files(&root().join("adapters").join(adapter), ".toml"));
            }
        }
        _ => {}
    }
    assert!(!all.is_empty(), "{reader} has seeds");
    all
}

/// The words of the dictionaries that fuzzing uses.
fn words() -> Vec<Vec<u8>> {
    let lines = files(&root().join("fuzz/dictionaries"), ".dict").concat();
    let words = String::from_utf8(lines).unwrap();
    words
        .lines()
        .filter_map(|line| {
            Some(line.strip_prefix('"')?.strip_suffix('"')?.replace("\\\"", "\"").into_bytes())
        })
        .chain([
            b"\n".to_vec(),
            b"\n  ".to_vec(),
            vec![0],
            vec![0xff],
            "\u{202e}".into(),
            b"[".repeat(300),
            b"9".repeat(400),
        ])
        .collect()
}

/// One change. Places are thousandths of the whole, so that they are good for whatever a text has become.
#[derive(Debug, Clone)]
enum Change {
    Cut(usize, usize),
    /// A part again, so often.
    Again(usize, usize, usize),
    /// A part elsewhere.
    Copy(usize, usize, usize),
    Word(usize, prop::sample::Index),
    WordFor(usize, usize, prop::sample::Index),
    Byte(usize, u8),
    /// A line taken from another seed.
    Line(usize, prop::sample::Index, prop::sample::Index),
}

fn change() -> impl Strategy<Value = Change> {
    let (at, length) = (0_usize..1000, prop_oneof![4 => 0_usize..20, 1 => 0_usize..600]);
    prop_oneof![
        (at.clone(), length.clone()).prop_map(|(at, length)| Change::Cut(at, length)),
        (at.clone(), length.clone(), 1_usize..40)
            .prop_map(|(at, length, often)| Change::Again(at, length, often)),
        (at.clone(), length.clone(), at.clone()).prop_map(|(at, length, to)| Change::Copy(at, length, to)),
        (at.clone(), any::<prop::sample::Index>()).prop_map(|(at, word)| Change::Word(at, word)),
        (at.clone(), length, any::<prop::sample::Index>())
            .prop_map(|(at, length, word)| Change::WordFor(at, length, word)),
        (at.clone(), any::<u8>()).prop_map(|(at, byte)| Change::Byte(at, byte)),
        (at, any::<prop::sample::Index>(), any::<prop::sample::Index>())
            .prop_map(|(at, seed, line)| Change::Line(at, seed, line)),
    ]
}

/// The longest text that comes of changes.
const LONGEST: usize = 1 << 16;

fn changed(mut text: Vec<u8>, changes: &[Change], seeds: &[Vec<u8>], words: &[Vec<u8>]) -> Vec<u8> {
    for change in changes {
        let place = |part: usize| part * text.len() / 1000;
        let part = |at: usize, length: usize| place(at)..place((at + length).min(1000));
        match change {
            Change::Cut(at, length) => drop(text.drain(part(*at, *length))),
            Change::Again(at, length, often) => {
                let range = part(*at, *length);
                let again = text[range.clone()].repeat(*often);
                text.splice(range.end..range.end, again);
            }
            Change::Copy(at, length, to) => {
                let (copy, to) = (text[part(*at, *length)].to_vec(), place(*to));
                text.splice(to..to, copy);
            }
            Change::Word(at, word) => {
                let at = place(*at);
                text.splice(at..at, word.get(words).iter().copied());
            }
            Change::WordFor(at, length, word) => {
                drop(text.splice(part(*at, *length), word.get(words).iter().copied()));
            }
            Change::Byte(at, byte) => {
                let at = place(*at);
                if let Some(there) = text.get_mut(at) {
                    *there = *byte;
                }
            }
            Change::Line(at, seed, line) => {
                let lines: Vec<&[u8]> = seed.get(seeds).split_inclusive(|byte| *byte == b'\n').collect();
                let line = if lines.is_empty() { &[][..] } else { lines[line.index(lines.len())] };
                let at = place(*at);
                let at = text[..at].iter().rposition(|byte| *byte == b'\n').map_or(0, |newline| newline + 1);
                text.splice(at..at, line.iter().copied());
            }
        }
        text.truncate(LONGEST);
    }
    text
}

#[rstest]
fn no_reader_fails_on_what_was_found_or_is_begun_with(
    #[values(0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10)] number: usize,
) {
    let (name, _) = MUTATIONS[number];
    for bytes in seeds(name).into_iter().chain(files(&root().join("fuzz/found").join(name), "")) {
        readers::run(name, &bytes);
    }
}

#[rstest]
fn no_reader_fails_on_what_is_nearly_right(#[values(0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10)] number: usize) {
    let (name, cases) = MUTATIONS[number];
    assert_eq!(MUTATIONS.iter().map(|(_, cases)| cases).sum::<u32>(), 20_000);
    let (seeds, words) = (seeds(name), words());
    let config = ProptestConfig { cases, failure_persistence: None, ..ProptestConfig::default() };
    let strategy = (any::<prop::sample::Index>(), prop::collection::vec(change(), 1..8));
    let result = TestRunner::new(config).run(&strategy, |(seed, changes)| {
        let text = changed(seed.get(&seeds).clone(), &changes, &seeds, &words);
        let run = std::panic::catch_unwind(|| readers::run(name, &text));
        run.map_err(|_| TestCaseError::fail(String::from_utf8_lossy(&text).into_owned()))
    });
    if let Err(error) = result {
        panic!("{name}: {error}");
    }
}

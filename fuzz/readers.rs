//! What reads input that somebody else made, as functions of bytes: nothing may panic, hang, or take much memory, and what is
//! told of a mistake can be shown as it is. Fuzz targets and `tests/suite/corpus.rs` run them.

use std::path::Path;
use std::sync::LazyLock;

use pasaporte_audit::{Audit, Catalogue, Settings, judge};
use pasaporte_core::estate::Estate;
use pasaporte_gather::{Adapter, check};
use pasaporte_read::accepted;
use pasaporte_read::diagnostic::{Diagnostics, Mark};
use pasaporte_read::estate::{Beside, load};
use pasaporte_read::is_unprintable;
use pasaporte_read::text::{Form, Source};
use pasaporte_read::token::{Registration, register};
use pasaporte_report::config;
use pasaporte_report::since::Saved;

/// A reader: the name of its target, and what it does with bytes.
pub type Reader = (&'static str, fn(&[u8]));

/// All of them.
pub const READERS: [Reader; 12] = [
    ("estate_yaml", |bytes| estate(bytes, Form::Yaml)),
    ("estate_json", |bytes| estate(bytes, Form::Json)),
    ("estate_ndjson", |bytes| estate(bytes, Form::Ndjson)),
    ("contract", contract),
    ("key_set", key_set),
    ("token", token),
    ("sources", sources),
    ("manifest", manifest),
    ("answer", answer),
    ("acceptances", acceptances),
    ("saved_audit", saved_audit),
    ("configuration", configuration),
];

/// Runs the reader of a name.
pub fn run(name: &str, bytes: &[u8]) {
    let reader = READERS.iter().find(|reader| reader.0 == name).expect("a reader");
    (reader.1)(bytes);
}

fn text(name: &str, bytes: &[u8], form: Form) -> Option<Source> {
    Some(Source::Text { name: name.to_owned(), text: String::from_utf8(bytes.to_vec()).ok()?, form })
}

/// An estate, and what an audit finds in it.
fn estate(bytes: &[u8], form: Form) {
    let Some(source) = text("estate", bytes, form) else { return };
    match load(&[source], &Beside::default(), Diagnostics::default()) {
        Ok(estate) => audited(&estate),
        Err(wrong) => told(wrong),
    }
}

fn audited(estate: &Estate) {
    let audit = Audit::new(estate, Settings::default());
    let rules = Catalogue::shipped().ids().collect();
    for finding in judge(&audit, &rules) {
        assert!(!audit.rule(&finding).id.is_empty());
    }
}

/// A document beside an estate that names it.
fn beside(estate: &str, name: &str, bytes: &[u8], form: Form) {
    let estate = text("estate.yaml", estate.as_bytes(), Form::Yaml);
    let (Some(estate), Some(document)) = (estate, text(name, bytes, form)) else { return };
    match load(&[estate, document], &Beside::default(), Diagnostics::default()) {
        Ok(estate) => audited(&estate),
        Err(wrong) => told(wrong),
    }
}

fn contract(bytes: &[u8]) {
    let estate = "estate: 1\nas_of: 2026-11-20\nfunctions: [{id: sail, endpoints: [{check: none, path: /sail}]}]\n\
                  contracts: [{id: sail, function: sail, document: sail.yaml}]\n";
    beside(estate, "sail.yaml", bytes, Form::Yaml);
}

fn key_set(bytes: &[u8]) {
    let estate = "estate: 1\nas_of: 2026-11-20\nfunctions: [{id: sail, endpoints: [{check: {token: site}}]}]\n\
                  verifiers: [{id: site, key_set: keys.json}]\n";
    beside(estate, "keys.json", bytes, Form::Json);
}

fn token(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    let what = Registration { id: "web", verifier: None, public: true };
    if let Ok(lines) = register(text, what, &seal()) {
        // What is written is read.
        let source = text_of(lines);
        assert!(load(&[source], &Beside::default(), Diagnostics::default()).is_ok());
    }
}

fn text_of(text: String) -> Source {
    Source::Text { name: "token".to_owned(), text, form: Form::Ndjson }
}

/// A folder to put files into: some readers take nothing else.
static FOLDER: LazyLock<tempfile::TempDir> = LazyLock::new(|| tempfile::tempdir().expect("a folder"));

fn placed(name: &str, bytes: &[u8]) -> std::path::PathBuf {
    let path = FOLDER.path().join(name);
    std::fs::create_dir_all(path.parent().expect("a folder")).expect("a folder");
    std::fs::write(&path, bytes).expect("a file");
    path
}

fn sources(bytes: &[u8]) {
    let path = placed("gather.toml", bytes);
    if let Err(wrong) = pasaporte_gather::Source::read(&path, &mut std::io::empty()) {
        told(wrong);
    }
}

fn manifest(bytes: &[u8]) {
    placed("tried/program.jq", b"def pier: {scope: {id: .pier, kind: \"account\"}};\n");
    let path = placed("tried/adapter.toml", bytes);
    if let Err(wrong) = Adapter::find(&path.parent().unwrap_or(Path::new("")).to_string_lossy()) {
        told(wrong);
    }
}

const MANIFEST: &str = r#"
adapter = 1
name = "mine"
about = "piers"
program = "program.jq"
[[ask]]
name = "piers"
path = "piers"
items = ".piers[]?, .[]?"
entities = "{scope: {id: .pier, kind: \"account\", owner: .owner}}, (.cranes[]? | {function: {id: .name, in: .pier}})"
keep = "{pier}"
paging = { by = "token", token = ".more", parameter = "from" }
"#;

/// A saved answer, through an adapter.
fn answer(bytes: &[u8]) {
    placed("mine/program.jq", b"");
    let adapter = placed("mine/adapter.toml", MANIFEST.as_bytes());
    let answer = placed("saved/piers.json", bytes);
    let adapter = adapter.parent().unwrap_or(Path::new("")).to_string_lossy().into_owned();
    if let Err(wrong) = check(&adapter, &[answer], None) {
        told(wrong);
    }
}

/// A file of acceptances; one that is read can be changed, and is read again.
fn acceptances(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    match accepted::read("accepted.toml", text) {
        Err(wrong) => told(wrong),
        Ok(all) => {
            let findings: Vec<u64> = all.iter().map(|it| it.finding).collect();
            let without = accepted::without(text, &findings).expect("it is TOML");
            assert!(accepted::read("accepted.toml", &without).is_ok_and(|left| left.is_empty()), "{without}");
            let again = accepted::with(&without, &all).expect("it is TOML");
            let read = accepted::read("accepted.toml", &again);
            assert!(read.is_ok_and(|read| read.len() == all.len()), "{again}");
        }
    }
}

/// An audit that was saved.
fn saved_audit(bytes: &[u8]) {
    let _ = Saved::read(bytes);
}

/// A configuration; what it says can be shown.
fn configuration(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    match config::read("pasaporte.toml", text) {
        Err(wrong) => told(wrong),
        Ok(config) => {
            let lines = text.lines().count() as u32;
            for said in &config.said {
                assert!((1..=lines).contains(&said.line), "{said:?}");
                assert!(!said.value.chars().any(is_unprintable), "{said:?}");
            }
        }
    }
}

/// Goes through what is wrong as a view does.
fn told(wrong: Diagnostics) {
    assert!(wrong.count() > 0);
    for each in wrong.sorted() {
        assert!(!each.message.is_empty());
        for mark in std::iter::once(&each.mark).chain(&each.also) {
            shown(mark);
        }
    }
}

fn shown(mark: &Mark) {
    let Some(line) = &mark.text else { return };
    assert!(!line.text.chars().any(is_unprintable), "{line:?}");
    assert!(line.text.chars().count() <= 160 && mark.column > 0, "{mark:?}");
}

/// A seal of no secret.
fn seal() -> pasaporte_read::seal::Seal {
    pasaporte_read::seal::Seal::new(b"a seal of thirty-two bytes, or so".to_vec()).expect("it is long enough")
}

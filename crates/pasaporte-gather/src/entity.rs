//! Entities as lines of NDJSON: checked, each once, in an order that does not depend on who was first.

use std::collections::HashMap;
use std::io::{self, BufWriter, Write};
use std::path::Path;

use pasaporte_read::diagnostic::Diagnostics;
use pasaporte_read::estate::{KINDS, check};
use pasaporte_read::files::{self, For};
use pasaporte_read::seal::Seal;
use pasaporte_read::text::{Form, Source};
use pasaporte_read::{covered, plain};
use serde_json::value::RawValue;

/// The entities of a source.
#[derive(Debug, Default)]
pub(crate) struct Entities(Vec<Entity>);

/// One entity: what it is ordered by, then its line.
#[derive(Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Entity {
    kind: u8,
    id: Box<str>,
    line: Box<str>,
}

impl Entities {
    /// How many there are.
    pub(crate) fn len(&self) -> usize {
        self.0.len()
    }

    /// Adds some, each `{"kind": {…}}`.
    pub(crate) fn add(&mut self, lines: Vec<Box<RawValue>>) {
        self.0.extend(lines.into_iter().map(|line| {
            let line: Box<str> = line.get().into();
            let (kind, id) = kind_and_id(&line);
            Entity { kind, id: id.into(), line }
        }));
    }

    /// Writes them to a file: it is the old one or the new one, at any moment.
    pub(crate) fn write(mut self, path: &Path, declared: bool, seal: Option<&Seal>) -> io::Result<()> {
        self.settle();
        let fingerprint = KINDS.iter().position(|kind| *kind == "fingerprint").unwrap_or_default() as u8;
        let seal = seal.filter(|_| self.0.iter().any(|entity| entity.kind == fingerprint));
        files::replace(path, For::All, |file| {
            let mut out = BufWriter::with_capacity(1 << 16, file);
            let mut first = "{\"estate\":1".to_owned();
            if declared {
                first.push_str(",\"declared\":true");
            }
            if let Some(seal) = seal {
                first.push_str(&format!(",\"seal\":\"{}\"", seal.id()));
            }
            out.write_all(first.as_bytes())?;
            out.write_all(b"}\n")?;
            for entity in &self.0 {
                out.write_all(entity.line.as_bytes())?;
                out.write_all(b"\n")?;
            }
            out.flush()
        })
    }

    /// Puts them in order. What two pages say alike is kept once; where they say different things of one id, the
    /// last in order is kept, and that it was so becomes a blind spot.
    fn settle(&mut self) {
        self.0.sort_unstable();
        self.0.dedup();
        let blind_spot = KINDS.iter().position(|kind| *kind == "blind_spot").unwrap_or_default() as u8;
        let mut torn = Vec::new();
        self.0.dedup_by(|later, first| {
            let same = later.kind == first.kind && !later.id.is_empty() && later.id == first.id;
            if same {
                let kind = KINDS[first.kind as usize];
                torn.push(format!("{kind}:{} was read twice, and differently", first.id));
                std::mem::swap(&mut later.line, &mut first.line);
            }
            same
        });
        torn.sort();
        torn.dedup();
        for what in torn {
            let line = blind_spot_of(&what, None, "which of the two it is now", None).into();
            self.0.push(Entity { kind: blind_spot, id: "".into(), line });
        }
        self.0.sort_unstable();
    }
}

/// A blind spot as a line of an estate, with texts that the format takes; the account only where its id is one.
pub(crate) fn blind_spot_of(what: &str, why: Option<&str>, hides: &str, account: Option<&str>) -> String {
    let line = |account: Option<&str>| {
        let mut spot = serde_json::json!({"what": plain(what), "hides": plain(hides)});
        if let Some(why) = why {
            spot["why"] = covered(&plain(why)).into();
        }
        if let Some(account) = account {
            spot["in"] = account.into();
        }
        serde_json::json!({ "blind_spot": spot }).to_string()
    };
    let text = |line: &str| format!("{{\"estate\":1}}\n{line}\n");
    let source = |line: &str| Source::Text { name: String::new(), text: text(line), form: Form::Ndjson };
    Some(line(account)).filter(|line| check(source(line)).is_ok()).unwrap_or_else(|| line(None))
}

/// The kind of an entity, by its place in the format, and its id.
pub(crate) fn kind_and_id(line: &str) -> (u8, String) {
    #[derive(serde::Deserialize)]
    struct Named {
        id: Option<String>,
    }
    let Ok(entity) = serde_json::from_str::<std::collections::BTreeMap<&str, Named>>(line) else {
        return (u8::MAX, String::new());
    };
    let Some((kind, named)) = entity.into_iter().next() else { return (u8::MAX, String::new()) };
    let kind = KINDS.iter().position(|each| *each == kind).map_or(u8::MAX, |index| index as u8);
    (kind, named.id.unwrap_or_default())
}

/// Checks that entities are what the format takes; `name` says where they come from.
///
/// What is said of one thing twice is settled later, on one page as on two; so each is checked with what is said of others.
pub(crate) fn checked(name: &str, entities: &[Box<RawValue>]) -> Result<(), Diagnostics> {
    let mut rounds: Vec<String> = vec!["{\"estate\":1}\n".to_owned()];
    let mut met: HashMap<(u8, String), usize> = HashMap::new();
    for entity in entities {
        let of = kind_and_id(entity.get());
        let round =
            if of.1.is_empty() { 0 } else { *met.entry(of).and_modify(|round| *round += 1).or_insert(0) };
        if round == rounds.len() {
            rounds.push(rounds[0].lines().take(1).map(|line| format!("{line}\n")).collect());
        }
        rounds[round].push_str(entity.get());
        rounds[round].push('\n');
    }
    rounds
        .into_iter()
        .try_for_each(|text| check(Source::Text { name: name.to_owned(), text, form: Form::Ndjson }))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn written(lines: &[&str]) -> String {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("x.ndjson");
        let raw = |line: &&str| RawValue::from_string((*line).to_owned()).unwrap();
        let mut entities = Entities::default();
        entities.add(lines.iter().map(raw).collect());
        entities.write(&path, false, None).unwrap();
        std::fs::read_to_string(path).unwrap()
    }

    #[test]
    fn the_order_of_arrival_does_not_show() {
        let one = r#"{"scope":{"id":"tides","kind":"account"}}"#;
        let two = r#"{"scope":{"id":"berths","kind":"app"}}"#;
        let three = r#"{"function":{"id":"a"}}"#;
        let all = written(&[three, one, two, one]);
        assert_eq!(all, written(&[one, two, three]));
        assert_eq!(all, format!("{{\"estate\":1}}\n{two}\n{one}\n{three}\n"));
    }

    #[test]
    fn what_a_platform_says_makes_no_blind_spot_that_is_refused() {
        for text in ["a\u{202e}b", "a\nb", "\0", &"tide ".repeat(10_000), "\"}}", "\u{e0041}"] {
            let line = blind_spot_of(text, Some(text), text, Some(text));
            let text = format!("{{\"estate\":1}}\n{line}\n");
            assert!(check(Source::Text { name: String::new(), text, form: Form::Ndjson }).is_ok(), "{line}");
        }
    }

    #[test]
    fn what_is_said_twice_and_differently_is_a_blind_spot() {
        let all = written(&[r#"{"function":{"id":"a","in":"x"}}"#, r#"{"function":{"id":"a","in":"y"}}"#]);
        assert_eq!(all.matches("\"function\"").count(), 1);
        assert!(all.contains("function:a was read twice, and differently"), "{all}");
    }
}

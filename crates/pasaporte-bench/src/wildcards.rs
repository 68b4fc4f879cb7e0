//! A small made-up estate that is hard to judge: many permission sets of many statements with wildcards of every shape,
//! and a catalogue of actions whose patterns lie across them.

use std::io::{self, Write};

use fastrand::Rng;
use serde_json::{Value, json};

const KINDS: [&str; 6] = ["table", "bucket", "queue", "topic", "secret", "database"];
const WORDS: [&str; 16] = [
    "read", "write", "delete", "list", "scan", "send", "take", "publish", "rotate", "manage", "describe",
    "export", "restore", "share", "copy", "tag",
];
const CLASSES: [&str; 7] = ["read", "write", "delete", "list", "manage", "secret", "invoke"];
const SENSITIVITIES: [&str; 3] = ["internal", "confidential", "public"];
const SETS: usize = 90;
const STATEMENTS: usize = 400;
const LINES: usize = 100;
/// How many lines of the catalogue are about every service.
const OF_EVERY_SERVICE: usize = 12;

/// What the catalogue of such an estate is like.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub enum Lines {
    /// There is none.
    None,
    /// Most of its patterns begin with a letter.
    Plain,
    /// Most of its patterns overlap with most others.
    Overlapping,
}

/// Writes such an estate as NDJSON.
///
/// # Errors
///
/// What `out` says of writing.
pub fn wildcards(lines: Lines, seed: u64, out: &mut impl Write) -> io::Result<()> {
    let mut rng = Rng::with_seed(seed);
    let mut entry = |value: &Value| writeln!(out, "{value}");
    entry(&json!({"estate": 1, "as_of": "2026-11-20"}))?;
    entry(&json!({"scope": {"id": "tickets", "kind": "account"}}))?;
    for kind in KINDS {
        for at in 0..40 {
            let sensitivity = pick(&mut rng, &SENSITIVITIES);
            entry(
                &json!({"resource": {"id": format!("{kind}:r{at}"), "in": "tickets", "sensitivity": sensitivity}}),
            )?;
        }
    }
    for set in 0..SETS {
        let statements: Vec<Value> = (0..STATEMENTS).map(|_| statement(&mut rng)).collect();
        entry(&json!({"permission_set": {"id": format!("set-{set}"), "statements": statements}}))?;
        let grant = json!({"set": format!("set-{set}"), "at": "account:tickets"});
        let role = format!("role-{set}");
        entry(
            &json!({"identity": {"id": role, "in": "tickets", "kind": "execution-role", "grants": [grant]}}),
        )?;
        entry(&json!({"function": {"id": format!("work-{set}"), "in": "tickets", "runs_as": role}}))?;
    }
    let count = if lines == Lines::None { 0 } else { LINES };
    for at in 0..count {
        let (action, class) = (line(&mut rng, lines, at), pick(&mut rng, &CLASSES));
        entry(&json!({"action": {"action": action, "class": class}}))?;
    }
    Ok(())
}

fn pick<'w>(rng: &mut Rng, words: &[&'w str]) -> &'w str {
    words[rng.usize(..words.len())]
}

fn statement(rng: &mut Rng) -> Value {
    let (kind, word) = (pick(rng, &KINDS), pick(rng, &WORDS));
    let action = match rng.u8(..6) {
        0 => format!("{kind}/{word}{}", rng.u8(..30)),
        1 => format!("{kind}/{word}*"),
        2 => format!("{kind}/*{word}"),
        3 => format!("{kind}/{}*{}", &word[..2], rng.u8(..9)),
        4 => format!("*/{word}*"),
        _ => format!("{kind}/{word}"),
    };
    let on = match rng.u8(..3) {
        0 => format!("{kind}:*"),
        1 => format!("{kind}:r{}", rng.u8(..40)),
        _ => format!("{kind}:r{}*", rng.u8(..9)),
    };
    json!({"allow": [action], "on": [on]})
}

fn line(rng: &mut Rng, lines: Lines, at: usize) -> String {
    let (kind, word) = (pick(rng, &KINDS), pick(rng, &WORDS));
    let digit = at % 10;
    let wide = at < OF_EVERY_SERVICE;
    match (lines, rng.u8(..3)) {
        (Lines::Overlapping, _) if wide => format!("*/*{}*{}*", &word[..2], at % 5),
        (Lines::Overlapping, 0) => format!("{kind}/*{}*{digit}*", &word[1..3]),
        (Lines::Overlapping, 1) => format!("{kind}/*{word}*"),
        (Lines::Overlapping, _) => format!("{kind}/{}*{digit}*", &word[..2]),
        _ if wide => format!("*/{word}{}*", at % 7),
        (_, 0) => format!("{kind}/{word}{digit}*"),
        (_, 1) => format!("{kind}/*{word}{digit}"),
        _ => format!("{kind}/{}*{digit}*", &word[..3]),
    }
}

//! A card says what the decision says, looks only at what it rests on, and finds what an audit of everything does.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use pasaporte_audit::{Audit, Catalogue, Settings, judge};
use pasaporte_core::access::{Context, INVOKE, Verdict};
use pasaporte_core::estate::{Estate, FunctionId, Principal, Thing};
use pasaporte_core::reach::Reaches;
use pasaporte_read::diagnostic::Diagnostics;
use pasaporte_read::estate::{Beside, load};
use pasaporte_read::text::Source;
use pasaporte_report::finding::NoTexts;
use pasaporte_report::{Card, looked_at};
use rstest::rstest;
use serde_json::Value;

fn estate(paths: &[PathBuf]) -> Estate {
    let mut diagnostics = Diagnostics::default();
    let sources = Source::find(paths, &mut diagnostics);
    load(&sources, &Beside::default(), diagnostics).unwrap_or_else(|_| panic!("{paths:?} is right"))
}

fn demo() -> Estate {
    estate(&[Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo")])
}

/// An estate of every kind of thing, made up.
fn made_up() -> Estate {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("estate.ndjson");
    pasaporte_bench::generate(300, 11, &mut fs::File::create(&file).unwrap()).unwrap();
    estate(&[file])
}

/// What a card says of its function's exits, of whom it can become and of who gets in, the decision says too.
#[rstest]
#[case::demo(demo())]
#[case::made_up(made_up())]
fn every_card_is_confirmed(#[case] estate: Estate) {
    let audit = Audit::new(&estate, Settings::default());
    let effects = audit.effects();
    let reaches = Reaches::new(effects);
    let mut told = 0;
    for (function, it) in estate.all::<FunctionId>() {
        let name = estate.id(function);
        for way in effects.ways_in(function).all {
            // From wherever the endpoint can be reached, by whatever a condition names.
            let given = Context::at(estate.as_of());
            let enters = effects.enters(way.caller.who, function, &given);
            assert!(way.caller.verdict != Verdict::Yes || enters != Verdict::No, "{name}: {way:?}");
            told += 1;
        }
        let Some(identity) = estate.runs_as(it) else { continue };
        let who = Principal::Identity(identity);
        let reach = reaches.of(who);
        for service in reach.own.iter().chain(reach.common.iter()) {
            // What nobody named stands for others of its class, each on things of its own.
            for act in service.acts.iter().filter(|act| !act.is_wild) {
                let Some(example) = act.example else { continue };
                let decided = effects.may(who, &act.action, example);
                let verdict = match example {
                    Thing::Function(of) if &*act.action == INVOKE => {
                        decided.max(effects.enters(who, of, effects.given(who)))
                    }
                    _ => decided,
                };
                let is_so = if act.perhaps == 0 { verdict == Verdict::Yes } else { verdict != Verdict::No };
                assert!(is_so, "{name}: {act:?} on {}: {verdict:?}", estate.label(example));
                told += 1;
            }
        }
        for it in reach.becoming {
            let verdict =
                effects.may(it.from, effects.assuming(it.to).unwrap().text(), it.to.thing().unwrap());
            assert!(verdict >= it.verdict, "{name}: {it:?}");
            told += 1;
        }
    }
    assert!(told > 100, "{told}");
}

#[test]
fn every_card_of_the_sample_estate_has_what_the_whole_audit_finds() {
    let estate = demo();
    let every_rule = Catalogue::shipped().ids().collect();
    let whole = Audit::new(&estate, Settings::default());
    let all = judge(&whole, &every_rule);
    // Of what one grant gives on many functions another function may lead in the whole.
    let told = |card: &Card| {
        let card = serde_json::to_value(card).unwrap();
        let leading = card["findings"].as_array().unwrap();
        let each = leading.iter().flat_map(|it| std::iter::once(it).chain(it["beneath"].as_array().unwrap()));
        let say = |it: &Value| {
            let fields =
                ["fingerprint", "rule", "thing", "severity", "sureness", "situation", "fix", "evidence"];
            fields.map(|field| it[field].to_string()).join("\n")
        };
        each.map(|it| (it["thing"].as_str().unwrap_or_default().to_owned(), say(it)))
            .collect::<BTreeSet<(String, String)>>()
    };
    for (function, _) in estate.all::<FunctionId>() {
        let mut narrow = Audit::new(&estate, Settings::default());
        narrow.look_at_only(looked_at(narrow.effects(), function));
        let few = judge(&narrow, &every_rule);
        let (few, all) =
            (Card::new(&narrow, &few, function, &NoTexts), Card::new(&whole, &all, function, &NoTexts));
        let (mut few, mut all) = (told(&few), told(&all));
        let things = looked_at(whole.effects(), function).into_iter();
        let about: BTreeSet<String> = things.map(|thing| estate.label(thing)).collect();
        few.retain(|(thing, _)| about.contains(thing));
        all.retain(|(thing, _)| about.contains(thing));
        assert_eq!(few, all, "{}", estate.id(function));
    }
}

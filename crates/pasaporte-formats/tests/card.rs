//! A card looks only at what it rests on, and finds what an audit of everything does.

use std::collections::BTreeSet;
use std::path::Path;

use pasaporte_core::estate::FunctionId;
use pasaporte_core::rules::{self, Audit, Settings, judge};
use pasaporte_formats::answer::{Card, looked_at};
use pasaporte_formats::diagnostic::Diagnostics;
use pasaporte_formats::estate::load;
use pasaporte_formats::text::Source;
use serde_json::Value;

#[test]
fn every_card_of_the_sample_estate_has_what_the_whole_audit_finds() {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    let mut diagnostics = Diagnostics::default();
    let sources = Source::find(&[demo], &mut diagnostics);
    let estate = load(&sources, None, diagnostics).unwrap_or_else(|_| panic!("the sample estate is right"));
    let every_rule = rules::all().map(|rule| rule.id).collect();
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
        let (few, all) = (Card::new(&narrow, &few, function), Card::new(&whole, &all, function));
        let (mut few, mut all) = (told(&few), told(&all));
        let things = looked_at(whole.effects(), function).into_iter();
        let about: BTreeSet<String> = things.map(|thing| estate.label(thing)).collect();
        few.retain(|(thing, _)| about.contains(thing));
        all.retain(|(thing, _)| about.contains(thing));
        assert_eq!(few, all, "{}", estate.id(function));
    }
}

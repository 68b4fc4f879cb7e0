//! A changed line is the same entry with one field set: whatever its style, its order and what stands around it.

use pasaporte_core::estate::{Check, Endpoint, EndpointId, Estate, Network, Setting};
use pasaporte_read::diagnostic::Diagnostics;
use pasaporte_read::edit::{Change, Changed, Lines};
use pasaporte_read::estate::{Beside, load};
use pasaporte_read::text::{Form, Source};
use proptest::prelude::*;

/// How an endpoint is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Style {
    Braces,
    Block,
    Json,
    Line,
}

/// Fields of an endpoint, apart from its check, as YAML and as JSON.
const FIELDS: [(&str, &str); 5] = [
    ("path", "\"/a,{b}:c\""),
    ("methods", "[\"GET\", \"POST\"]"),
    ("network", "[\"10.0.0.0/8\"]"),
    ("url", "\"https://tides.example/x\""),
    ("id", "\"bell/direct\""),
];

const CHECKS: [&str; 3] = ["\"none\"", "{\"key\": \"function\"}", "\"identity\""];

fn written(style: Style, fields: &[(&str, &str)]) -> String {
    let yaml: Vec<String> = fields.iter().map(|(name, value)| format!("{name}: {value}")).collect();
    let json: Vec<String> = fields.iter().map(|(name, value)| format!("\"{name}\": {value}")).collect();
    match style {
        Style::Braces => format!(
            "estate: 1\nfunctions: [{{id: bell}}]\nendpoints:\n  - {{{}}}  # the bell\n",
            yaml.join(", ")
        ),
        Style::Block => {
            format!("estate: 1\nendpoints:\n  - {}\nfunctions: [{{id: bell}}]\n", yaml.join("\n    "))
        }
        Style::Json => format!(
            "{{\"estate\": 1, \"functions\": [{{\"id\": \"bell\"}}],\n \"endpoints\": [\n  {{{}}}]}}\n",
            json.join(", ")
        ),
        Style::Line => format!(
            "{{\"estate\": 1}}\n{{\"function\": {{\"id\": \"bell\"}}}}\n{{\"endpoint\": {{{}}}}}\n",
            json.join(", ")
        ),
    }
}

fn estate(style: Style, text: &str) -> Estate {
    let form = match style {
        Style::Braces | Style::Block => Form::Yaml,
        Style::Json => Form::Json,
        Style::Line => Form::Ndjson,
    };
    let source = Source::Text { name: "a".to_owned(), text: text.to_owned(), form };
    load(&[source], &Beside::default(), Diagnostics::default())
        .unwrap_or_else(|wrong| panic!("{text}\n{wrong:?}"))
}

fn endpoint(estate: &Estate) -> (EndpointId, &Endpoint) {
    estate.all::<EndpointId>().next().unwrap()
}

/// All that an endpoint says but its check, in words.
fn others(estate: &Estate) -> String {
    let (id, it) = endpoint(estate);
    let methods: Vec<&str> = estate.list(it.methods).iter().map(|name| estate.text(*name)).collect();
    let network = match &it.network {
        Network::Listed(all) => all.iter().map(ToString::to_string).collect(),
        other => format!("{other:?}"),
    };
    format!(
        "{} {:?} {methods:?} {network} {:?}",
        estate.id(id),
        it.path.map(|path| estate.text(path)),
        it.url.map(|url| estate.text(url))
    )
}

fn after(text: &str, Changed { line, was, reads }: &Changed) -> String {
    let mut lines: Vec<&str> = text.split('\n').collect();
    let at = *line as usize - 1;
    match was {
        Some(was) => {
            assert_eq!(lines[at], was);
            lines[at] = reads;
        }
        None => lines.insert(at, reads),
    }
    lines.join("\n")
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn a_field_is_set_and_nothing_else_changes(
        style in prop::sample::select(vec![Style::Braces, Style::Block, Style::Json, Style::Line]),
        check in prop::sample::select(CHECKS.to_vec()),
        fields in prop::sample::subsequence(FIELDS.to_vec(), 0..=FIELDS.len()).prop_shuffle(),
        at in 0..7_usize,
    ) {
        let mut fields = fields;
        fields.insert(at.min(fields.len()), ("check", check));
        fields.insert(0, ("function", "\"bell\""));
        let text = written(style, &fields);
        let before = estate(style, &text);
        let origin = endpoint(&before).1.origin;
        let form = match style {
            Style::Braces | Style::Block => Form::Yaml,
            Style::Json => Form::Json,
            Style::Line => Form::Ndjson,
        };
        let to = Setting::word("identity");
        let change = Change { line: origin.line, column: origin.column, field: "check", to, stands_for: None };
        let changed = Lines::new(text.clone(), form).changed(&change);
        prop_assert!(changed.is_some(), "{}", text);
        let then = estate(style, &after(&text, &changed.unwrap()));
        prop_assert_eq!(&endpoint(&then).1.check, &Check::Identity);
        prop_assert_eq!(others(&then), others(&before));
    }

    #[test]
    fn a_field_that_is_not_there_is_added(
        style in prop::sample::select(vec![Style::Braces, Style::Block, Style::Json, Style::Line]),
        fields in prop::sample::subsequence(FIELDS.to_vec(), 0..=FIELDS.len()).prop_shuffle(),
    ) {
        let mut fields: Vec<(&str, &str)> = fields.into_iter().filter(|(name, _)| *name != "network").collect();
        fields.insert(0, ("function", "\"bell\""));
        fields.push(("check", "\"none\""));
        let text = written(style, &fields);
        let before = estate(style, &text);
        let origin = endpoint(&before).1.origin;
        let form = match style {
            Style::Braces | Style::Block => Form::Yaml,
            Style::Json => Form::Json,
            Style::Line => Form::Ndjson,
        };
        let to = Setting::word("internal");
        let change = Change { line: origin.line, column: origin.column, field: "network", to, stands_for: None };
        let changed = Lines::new(text.clone(), form).changed(&change).unwrap();
        let then = estate(style, &after(&text, &changed));
        prop_assert_eq!(&endpoint(&then).1.network, &Network::Internal);
        prop_assert_eq!(&endpoint(&then).1.check, &Check::None);
    }

    /// Whatever the text and the place: a line or nothing, and no harm.
    #[test]
    fn any_place_in_any_text_is_survived(text in ".{0,80}(\n.{0,80}){0,6}", line in 0..9_u32, column in 0..90_u32, json in any::<bool>()) {
        let form = if json { Form::Json } else { Form::Yaml };
        let change = Change { line, column, field: "check", to: Setting::word("identity"), stands_for: Some("to") };
        let _ = Lines::new(text, form).changed(&change);
    }
}

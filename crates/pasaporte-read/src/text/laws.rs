//! What is read of a text is what stands in it, in JSON and in YAML, with the place of each value; and any text is survived.

use bumpalo::Bump;
use proptest::prelude::*;
use serde_json::Value as Json;

use super::json::Cursor;
use super::tape::DEEPEST;
use super::{Position, Tape, Value, View, Writer, yaml};

/// Any document that is not too deep: strings with escapes, line breaks and letters of several bytes, numbers of every sort.
fn document() -> impl Strategy<Value = Json> {
    let text = prop_oneof![
        3 => "[a-z/:*-]{0,8}",
        1 => "[\\PC\n\t\"\\\\\u{0}\u{7f}áß日🛳]{0,6}",
    ];
    let number = prop_oneof![
        any::<i64>().prop_map(Json::from),
        any::<u64>().prop_map(Json::from),
        (-1_000_000..1_000_000_i32).prop_map(|number| Json::from(f64::from(number) / 4.0)),
    ];
    let leaf = prop_oneof![
        1 => Just(Json::Null),
        1 => any::<bool>().prop_map(Json::from),
        2 => number,
        4 => text.clone().prop_map(Json::from),
    ];
    leaf.prop_recursive(5, 40, 6, move |inner| {
        let map = prop::collection::btree_map(text.clone(), inner.clone(), 0..5);
        prop_oneof![
            prop::collection::vec(inner, 0..5).prop_map(Json::from),
            map.prop_map(|map| Json::Object(map.into_iter().collect())),
        ]
    })
}

/// The document in one of the ways in which programs write it.
fn written(document: &Json, pretty: bool) -> String {
    if pretty { serde_json::to_string_pretty(document) } else { serde_json::to_string(document) }.unwrap()
}

/// What is on a tape.
fn told(view: View<'_, '_>) -> Json {
    match view.value() {
        Value::Null => Json::Null,
        Value::Bool(value) => Json::from(value),
        Value::Number(text) | Value::Plain(text) => serde_json::from_str(text).unwrap(),
        Value::Text(text) => Json::from(text),
        Value::List => view.inside().map(told).collect(),
        Value::Map => {
            let key = |view: View<'_, '_>| match view.value() {
                Value::Text(text) | Value::Plain(text) => text.to_owned(),
                other => panic!("{other:?} is no key"),
            };
            Json::Object(view.entries().map(|(name, value)| (key(name), told(value))).collect())
        }
        Value::Alias(_) => panic!("nothing is repeated"),
    }
}

/// Reads a text as JSON, and gives what is on the tape to somebody.
fn of_json<R>(text: &str, each: impl FnOnce(View<'_, '_>) -> R) -> Result<R, (String, Position)> {
    let (mut tape, arena) = (Tape::default(), Bump::new());
    let mut cursor = Cursor::new(text, 1);
    let read = cursor.value(&mut Writer::new(&mut tape, &arena)).and_then(|()| cursor.finish());
    read.map_err(|error| (error.message, error.at))?;
    Ok(each(tape.root(&arena)))
}

/// The text from a place on; columns of JSON are bytes.
fn from(text: &str, at: Position) -> &str {
    let line = text.split('\n').nth(at.line as usize - 1).unwrap();
    &line[at.column as usize - 1..]
}

/// That each value stands where it is said to stand: what begins there is what it is.
fn stands(text: &str, view: View<'_, '_>) -> Result<(), TestCaseError> {
    let rest = from(text, view.at());
    let begins = match view.value() {
        Value::Null => rest.starts_with("null"),
        Value::Bool(value) => rest.starts_with(if value { "true" } else { "false" }),
        Value::Number(number) => rest.starts_with(number),
        Value::Text(_) => rest.starts_with('"'),
        Value::List => rest.starts_with('['),
        Value::Map => rest.starts_with('{'),
        Value::Plain(_) | Value::Alias(_) => false,
    };
    prop_assert!(begins, "{:?} is not at {:?} of {text}", view.value(), view.at());
    if view.value() == Value::Map {
        // A key with escapes is told near enough.
        return view.entries().try_for_each(|(_, value)| stands(text, value));
    }
    view.inside().try_for_each(|view| stands(text, view))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn json_is_read_as_it_stands(document in document(), pretty in any::<bool>()) {
        let text = written(&document, pretty);
        let read = of_json(&text, |root| (told(root), stands(&text, root)));
        let (value, placed) = read.map_err(|error| TestCaseError::fail(format!("{error:?}: {text}")))?;
        prop_assert_eq!(value, document);
        placed?;
    }

    /// What is JSON is YAML too, and says the same.
    #[test]
    fn yaml_is_read_as_json_is(document in document(), pretty in any::<bool>()) {
        let text = written(&document, pretty);
        let arena = Bump::new();
        let mut all = Vec::new();
        let read = yaml::documents(&text, &arena, |tape| all.push(told(tape.root(&arena))));
        read.map_err(|error| TestCaseError::fail(format!("{} at {:?}: {text}", error.message, error.at)))?;
        prop_assert_eq!(all, [document]);
    }

    /// A text that is cut off, or has a letter too many, is refused where another reader refuses it, and at a place in it.
    #[test]
    fn what_is_no_json_is_refused(
        document in document(),
        pretty in any::<bool>(),
        at in any::<prop::sample::Index>(),
        put in prop::option::of("[\\[\\]{}\",:0-9ntf \\\\]"),
    ) {
        let mut text = written(&document, pretty);
        let places: Vec<usize> = text.char_indices().map(|(at, _)| at).collect();
        let at = *at.get(&places);
        match put {
            Some(put) => text.insert_str(at, &put),
            None => text.truncate(at),
        }
        let other: Result<Json, _> = serde_json::from_str(&text);
        match of_json(&text, told) {
            Ok(value) => prop_assert_eq!(Some(value), other.ok(), "{}", text),
            Err((message, at)) => {
                prop_assert!(other.is_err(), "refused ({message} at {at:?}): {text}");
                prop_assert!(!message.is_empty() && at.line >= 1 && at.column >= 1);
                prop_assert!(at.line as usize <= text.split('\n').count() + 1, "{at:?} in {text}");
            }
        }
    }

    #[test]
    fn any_text_is_survived(text in "[\\[\\]{}\",:\\-*&!|>%@`#? \n\tanytrue0-9\\\\é]{0,60}") {
        let _ = of_json(&text, |root| (root.at(), root.width()));
        let arena = Bump::new();
        let _ = yaml::documents(&text, &arena, |tape| {
            let root = tape.root(&arena);
            // A lone colon or question mark is a map of nothing to nothing.
            assert!(root.at().line >= 1 && root.inside().count() <= 2 * text.len());
        });
    }

    #[test]
    fn what_is_nested_is_read_down_to_the_bound(depth in 1..2 * DEEPEST, map in any::<bool>()) {
        let (open, close) = if map { ("{\"a\":", "}") } else { ("[", "]") };
        let text = format!("{}null{}", open.repeat(depth), close.repeat(depth));
        let arena = Bump::new();
        let by_yaml = yaml::documents(&text, &arena, |_| {});
        let by_json = of_json(&text, |_| {});
        prop_assert_eq!(by_json.is_ok(), depth <= DEEPEST);
        prop_assert_eq!(by_yaml.is_ok(), depth <= DEEPEST);
    }
}

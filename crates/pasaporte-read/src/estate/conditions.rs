//! Conditions, as entries write them.

use std::borrow::Cow;

use bumpalo::collections::Vec as ArenaVec;
use pasaporte_core::estate::Attribute;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::ser::{Serialize, SerializeMap, Serializer};
use smallvec::SmallVec;

use super::values::{AnyPattern, Many, Moment, Net, Text};
use crate::nearest::nearest;
use crate::read::{Read, Report, record, scalar_text};
use crate::shown;
use crate::text::{Position, Value, View};

/// What must be true of one attribute, as written: a value it must equal, or operators with values.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(crate) struct When<'a> {
    pub(crate) tests: &'a [(&'a str, Test<'a>)],
    pub(crate) opaque: &'a [Text<'a>],
}

/// A test of an attribute.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Test<'a> {
    Equals(&'a [Text<'a>]),
    NotEquals(&'a [Text<'a>]),
    Like(&'a [AnyPattern<'a>]),
    InNetwork(&'a [Net]),
    Before(Moment),
    After(Moment),
    Present(bool),
}

record! {
    /// Operators on an attribute; several mean "all of", several values of one "any of".
    Operators: "a condition" {
        must {}
        may {
            /// Is one of these.
            "equals" equals: Many<'a, Text<'a>>,
            /// Is none of these.
            "not_equals" not_equals: Many<'a, Text<'a>>,
            /// Matches one of these patterns.
            "like" like: Many<'a, AnyPattern<'a>>,
            /// Lies in one of these networks.
            "in_network" in_network: Many<'a, Net>,
            /// Is earlier than this.
            "before" before: Option<Moment>,
            /// Is this or later.
            "after" after: Option<Moment>,
            /// Is given at all, or is not.
            "present" present: Option<bool>,
        }
    }
}

/// The field for what a reader could not translate.
const OPAQUE: &str = "opaque";

impl<'a> Read<'a> for When<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        if !matches!(view.value(), Value::Map) {
            report.expected(view, "conditions, as a map of attributes");
            return None;
        }
        let (mut all, mut opaque) = (ArenaVec::new_in(view.arena()), ArenaVec::new_in(view.arena()));
        let mut sound = true;
        for (key, value) in view.entries() {
            let Some(name) = scalar_text(key.value()) else {
                report.expected(key, "the name of an attribute");
                sound = false;
                continue;
            };
            if name == OPAQUE {
                match Many::read(value, report) {
                    Some(Many(texts)) => opaque.extend_from_slice(texts),
                    None => sound = false,
                }
                continue;
            }
            let known = Attribute::WORDS.iter().any(|known| match known.strip_suffix('/') {
                Some(prefix) => {
                    name.split_once('/').is_some_and(|(start, tag)| start == prefix && !tag.is_empty())
                }
                None => *known == name,
            });
            if !known {
                let help = match nearest(name, Attribute::WORDS.iter().copied()) {
                    Some(near) => format!("did you mean `{near}`?"),
                    None => format!(
                        "the attributes are {}; keep what does not translate in `{OPAQUE}`",
                        Attribute::WORDS.join(", ").replace('/', "/NAME")
                    ),
                };
                report.wrong(key, format!("{} is not an attribute", shown::name(name)), help);
                sound = false;
                continue;
            }
            match tests(value, report) {
                Some(tests) => all.extend(tests.into_iter().map(|test| (name, test))),
                None => sound = false,
            }
        }
        sound.then(|| Self { tests: all.into_bump_slice(), opaque: opaque.into_bump_slice() })
    }
}

/// What must be true of one attribute: an operator or several.
type Tests<'a> = SmallVec<[Test<'a>; 2]>;

fn tests<'a>(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Tests<'a>> {
    if !matches!(view.value(), Value::Map) {
        let equals = Many::<Text<'a>>::read(view, report)?.0;
        if equals.is_empty() {
            report.wrong(view, "an empty list: the condition can never hold", "name a value, or take it out");
            return None;
        }
        return Some(Tests::from_iter([Test::Equals(equals)]));
    }
    let operators = Operators::read(view, report)?;
    let mut tests = Tests::new();
    let many = |values: &'a [Text<'a>], test: fn(&'a [Text<'a>]) -> Test<'a>| {
        (!values.is_empty()).then(|| test(values))
    };
    tests.extend(many(operators.equals.0, Test::Equals));
    tests.extend(many(operators.not_equals.0, Test::NotEquals));
    tests.extend((!operators.like.0.is_empty()).then_some(Test::Like(operators.like.0)));
    tests.extend((!operators.in_network.0.is_empty()).then_some(Test::InNetwork(operators.in_network.0)));
    tests.extend(operators.before.map(Test::Before));
    tests.extend(operators.after.map(Test::After));
    tests.extend(operators.present.map(Test::Present));
    if tests.is_empty() {
        report.wrong(
            view,
            "a condition without an operator or without values",
            "say what must be true, or take it out",
        );
        return None;
    }
    Some(tests)
}

impl Serialize for When<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut names: Vec<&str> = self.tests.iter().map(|(name, _)| *name).collect();
        names.dedup();
        let mut map = serializer.serialize_map(None)?;
        for name in names {
            let mut operators = Operators::default_at();
            for (_, test) in self.tests.iter().filter(|(each, _)| *each == name) {
                match *test {
                    Test::Equals(values) => operators.equals = Many(values),
                    Test::NotEquals(values) => operators.not_equals = Many(values),
                    Test::Like(patterns) => operators.like = Many(patterns),
                    Test::InNetwork(nets) => operators.in_network = Many(nets),
                    Test::Before(time) => operators.before = Some(time),
                    Test::After(time) => operators.after = Some(time),
                    Test::Present(present) => operators.present = Some(present),
                }
            }
            map.serialize_entry(name, &operators)?;
        }
        if !self.opaque.is_empty() {
            map.serialize_entry(OPAQUE, &self.opaque)?;
        }
        map.end()
    }
}

impl Operators<'_> {
    fn default_at() -> Self {
        Self {
            at: Position::default(),
            text: std::marker::PhantomData,
            equals: Many::default(),
            not_equals: Many::default(),
            like: Many::default(),
            in_network: Many::default(),
            before: None,
            after: None,
            present: None,
        }
    }
}

impl JsonSchema for When<'_> {
    fn schema_name() -> Cow<'static, str> {
        "When".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let operators = generator.subschema_for::<Operators<'_>>();
        let values = generator.subschema_for::<Many<Text<'_>>>();
        let test = json_schema!({"anyOf": [values, {"type": "boolean"}, operators]});
        let plain: serde_json::Map<String, serde_json::Value> = Attribute::WORDS
            .iter()
            .filter(|name| !name.ends_with('/'))
            .map(|name| ((*name).to_owned(), test.clone().into()))
            .chain([(OPAQUE.to_owned(), values.into())])
            .collect();
        json_schema!({
            "description": "Conditions by attribute; a value is what the attribute must equal. All must hold.",
            "type": "object",
            "properties": plain,
            "patternProperties": {"^(caller_tag|resource_tag)/.+$": test},
            "additionalProperties": false
        })
    }
}

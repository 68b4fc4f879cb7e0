//! Statements and selections as written.

use std::borrow::Cow;

use bumpalo::Bump;
use bumpalo::collections::Vec as ArenaVec;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::ser::{Serialize, SerializeMap, Serializer};

use super::conditions::When;
use super::values::{ActionPattern, AnyPattern, Many, Name, PrincipalName, ResourcePattern, ThingName};
use crate::read::{Read, Report, record, scalar_text};
use crate::text::{Position, Value, View};

record! {
    /// Everything but what these patterns match.
    AllExcept: "an all-except selection" {
        must {
            /// What is left out.
            "all_except" except: Many<'a, AnyPattern<'a>>,
        }
        may {}
    }

    /// A statement in full.
    FullStatement: "a statement" {
        must {}
        may {
            /// Actions that it gives.
            "allow" allow: Option<Actions<'a>>,
            /// Actions that it takes away.
            "deny" deny: Option<Actions<'a>>,
            /// Resources that it is about; all, if left out.
            "on" on: Option<Resources<'a>>,
            /// Conditions, all of which must hold.
            "when" when: When<'a>,
        }
    }

    /// A statement on a thing, in full.
    FullAdmission: "a statement on a thing" {
        must {
            /// Whom it names.
            "to" to: Many<'a, PrincipalName<'a>>,
        }
        may {
            /// The id its platform gave it.
            "id" id: Option<Name<'a>>,
            /// The thing that it is on, as `kind:id`; only where it does not stand within that thing's entry.
            "on" on: Option<ThingName<'a>>,
            /// Actions that it gives; if neither `allow` nor `deny` is there, the one action that the thing is for.
            "allow" allow: Option<Actions<'a>>,
            /// Actions that it takes away.
            "deny" deny: Option<Actions<'a>>,
            /// Conditions, all of which must hold.
            "when" when: When<'a>,
        }
    }
}

/// Patterns, or all but some patterns.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Picked<'a, P> {
    pub(crate) any: &'a [P],
    pub(crate) except: &'a [P],
}

/// Actions that a statement is about.
pub(crate) type Actions<'a> = Picked<'a, ActionPattern<'a>>;
/// Resources that a statement is about.
pub(crate) type Resources<'a> = Picked<'a, ResourcePattern<'a>>;

/// A statement: in full, or as a line of text (`allow bucket/read on bucket:tide-tables`).
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Statement<'a> {
    pub(crate) at: Position,
    pub(crate) allows: bool,
    pub(crate) actions: Actions<'a>,
    pub(crate) on: Option<Resources<'a>>,
    pub(crate) when: When<'a>,
}

/// A statement on a thing: in full, or the principal that it admits.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Admission<'a> {
    pub(crate) at: Position,
    pub(crate) id: Option<Name<'a>>,
    pub(crate) on: Option<ThingName<'a>>,
    pub(crate) to: &'a [PrincipalName<'a>],
    pub(crate) allows: bool,
    pub(crate) actions: Option<Actions<'a>>,
    pub(crate) when: When<'a>,
}

impl<'a, P: Read<'a>> Read<'a> for Picked<'a, P> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        if matches!(view.value(), Value::Map) {
            // The name of the field is checked by the record; its patterns by their own kind.
            AllExcept::read(view, report)?;
            let (_, except) = view.entries().next()?;
            let except = Many::<P>::read(except, report)?.0;
            return Some(Self { any: &[], except });
        }
        let any = Many::<P>::read(view, report)?.0;
        if any.is_empty() {
            report.wrong(
                view,
                "an empty list: the statement is about nothing",
                "name something, or take it out",
            );
            return None;
        }
        Some(Self { any, except: &[] })
    }
}

impl<P: Serialize> Serialize for Picked<'_, P> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match (self.any, self.except) {
            ([], except) => {
                let mut map = serializer.serialize_map(Some(1))?;
                map.serialize_entry("all_except", except)?;
                map.end()
            }
            ([only], _) => only.serialize(serializer),
            (any, _) => any.serialize(serializer),
        }
    }
}

impl<P: JsonSchema> JsonSchema for Picked<'_, P> {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> Cow<'static, str> {
        format!("Selection{}", P::schema_name()).into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let some = generator.subschema_for::<Many<P>>();
        let except = generator.subschema_for::<AllExcept<'_>>();
        json_schema!({"anyOf": [some, except]})
    }
}

impl<'a> Read<'a> for Statement<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        if let Some(text) = scalar_text(view.value()) {
            return match line(text, view.arena()) {
                Ok((allows, actions, on)) => {
                    Some(Self { at: view.at(), allows, actions, on, when: When::default() })
                }
                Err((message, help)) => {
                    report.wrong(view, message, help);
                    None
                }
            };
        }
        let full = FullStatement::read(view, report)?;
        let (allows, actions) = match (full.allow, full.deny) {
            (Some(actions), None) => (true, actions),
            (None, Some(actions)) => (false, actions),
            (Some(_), Some(_)) => {
                let help = "make them two statements; a deny always wins";
                report.wrong(view, "a statement cannot both allow and deny", help);
                return None;
            }
            (None, None) => {
                report.wrong(view, "a statement needs `allow` or `deny`", "say which actions it is about");
                return None;
            }
        };
        Some(Self { at: full.at, allows, actions, on: full.on, when: full.when })
    }
}

type Line<'a> = (bool, Actions<'a>, Option<Resources<'a>>);

/// Reads `allow|deny ACTIONS [on RESOURCES]`, lists divided by commas.
fn line<'a>(text: &str, arena: &'a Bump) -> Result<Line<'a>, (String, String)> {
    const FORM: &str = "write `allow ACTION, ACTION on RESOURCE, RESOURCE`, or a map with allow, on and when";
    let wrong = |what: &str| (format!("not a statement: {what}"), FORM.to_owned());
    let mut words = text.split_whitespace();
    let allows = match words.next() {
        Some("allow") => true,
        Some("deny") => false,
        _ => return Err(wrong("it begins with neither allow nor deny")),
    };
    let rest: Vec<&str> = words.collect();
    let on = rest.iter().position(|word| *word == "on");
    let (actions, resources) = rest.split_at(on.unwrap_or(rest.len()));
    let joined = |words: &[&str]| &*arena.alloc_str(&words.join(" "));
    let actions = listed(joined(actions), arena, ActionPattern::part, wrong)?;
    let on = match resources.split_first() {
        None => None,
        Some((_, resources)) => Some(listed(joined(resources), arena, ResourcePattern::part, wrong)?),
    };
    Ok((allows, actions, on))
}

/// Reads patterns that are divided by commas.
fn listed<'a, P>(
    text: &'a str,
    arena: &'a Bump,
    part: impl Fn(&'a str) -> Result<P, (String, String)>,
    wrong: impl Fn(&str) -> (String, String),
) -> Result<Picked<'a, P>, (String, String)> {
    let mut any = ArenaVec::new_in(arena);
    for each in text.split(',').map(str::trim) {
        if each.is_empty() || each.contains(' ') {
            return Err(wrong("its parts are divided by commas"));
        }
        any.push(part(each)?);
    }
    Ok(Picked { any: any.into_bump_slice(), except: &[] })
}

impl Serialize for Statement<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        map.serialize_entry(if self.allows { "allow" } else { "deny" }, &self.actions)?;
        if let Some(on) = &self.on {
            map.serialize_entry("on", on)?;
        }
        if self.when != When::default() {
            map.serialize_entry("when", &self.when)?;
        }
        map.end()
    }
}

impl JsonSchema for Statement<'_> {
    fn schema_name() -> Cow<'static, str> {
        "Statement".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let full = generator.subschema_for::<FullStatement<'_>>();
        json_schema!({
            "description": "A statement: in full, or as a line of text (`allow bucket/read on bucket:tide-tables`).",
            "anyOf": [{"type": "string", "pattern": "^\\s*(allow|deny)\\s"}, full]
        })
    }
}

impl<'a> Read<'a> for Admission<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let empty = |to| Self {
            at: view.at(),
            id: None,
            on: None,
            to,
            allows: true,
            actions: None,
            when: When::default(),
        };
        if scalar_text(view.value()).is_some() {
            return Many::read(view, report).map(|only| empty(only.0));
        }
        let full = FullAdmission::read(view, report)?;
        let (allows, actions) = match (full.allow, full.deny) {
            (actions, None) => (true, actions),
            (None, actions) => (false, actions),
            (Some(_), Some(_)) => {
                let help = "make them two statements; a deny always wins";
                report.wrong(view, "a statement cannot both allow and deny", help);
                return None;
            }
        };
        if full.to.0.is_empty() {
            report.wrong(view, "it names nobody", "name a principal in `to`, or take the statement out");
            return None;
        }
        Some(Self { at: full.at, id: full.id, on: full.on, to: full.to.0, allows, actions, when: full.when })
    }
}

impl Serialize for Admission<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        if let Some(id) = &self.id {
            map.serialize_entry("id", id)?;
        }
        if let Some(on) = &self.on {
            map.serialize_entry("on", on)?;
        }
        map.serialize_entry("to", &self.to)?;
        if let Some(actions) = &self.actions {
            map.serialize_entry(if self.allows { "allow" } else { "deny" }, actions)?;
        }
        if self.when != When::default() {
            map.serialize_entry("when", &self.when)?;
        }
        map.end()
    }
}

impl JsonSchema for Admission<'_> {
    fn schema_name() -> Cow<'static, str> {
        "Admission".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let one = generator.subschema_for::<PrincipalName<'_>>();
        let full = generator.subschema_for::<FullAdmission<'_>>();
        json_schema!({
            "description": "A statement on a thing: in full, or the principal that it admits.",
            "anyOf": [one, full]
        })
    }
}

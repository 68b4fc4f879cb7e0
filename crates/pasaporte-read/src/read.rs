//! From a value with its place to a typed entry, noting all that is wrong on the way.
//!
//! Reading does not stop at the first mistake: every field of every entry is looked at, each mistake
//! is noted with its line, and an entry with a mistake is left out. Structs that are read are defined
//! with [`record!`], in one list that is also what the JSON Schema and the documentation come from.

use std::collections::HashSet;

use bumpalo::Bump;
use bumpalo::collections::Vec as ArenaVec;

use crate::diagnostic::{Diagnostic, Diagnostics, LineText, Mark};
use crate::nearest::nearest;
use crate::shown;
use crate::text::json::{Cursor, JsonError};
use crate::text::{Form, Position, Tape, Value, View, Writer, yaml};

/// Reading one text: where its lines are, and what was wrong so far.
pub(crate) struct Report<'d> {
    file: &'d str,
    /// The text from `first_line` on; a single line where entries are read line by line.
    text: &'d str,
    first_line: u32,
    diagnostics: &'d mut Diagnostics,
}

/// A value that can be read.
pub(crate) trait Read<'a>: Sized {
    /// Reads it, or notes what is wrong and gives nothing.
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self>;
}

impl<'d> Report<'d> {
    pub(crate) fn new(
        file: &'d str,
        text: &'d str,
        first_line: u32,
        diagnostics: &'d mut Diagnostics,
    ) -> Self {
        Self { file, text, first_line, diagnostics }
    }

    /// Notes that a value is wrong.
    pub(crate) fn wrong(&mut self, view: View<'_, '_>, message: impl Into<String>, help: impl Into<String>) {
        self.wrong_at(view.at(), view.width(), message, help);
    }

    /// Notes that a place is wrong.
    pub(crate) fn wrong_at(
        &mut self,
        at: Position,
        width: u32,
        message: impl Into<String>,
        help: impl Into<String>,
    ) {
        let mark = self.mark(at, width);
        let help = Some(help.into()).filter(|help: &String| !help.is_empty());
        self.diagnostics.push(Diagnostic { mark, message: message.into(), also: None, help });
    }

    /// Notes that a value is of the wrong type.
    pub(crate) fn expected(&mut self, view: View<'_, '_>, expected: &str) {
        let found = kind_of(view.value());
        self.wrong(view, format!("expected {expected}, found {found}"), "");
    }

    /// Notes a word that is not one of those known, with the nearest of them.
    pub(crate) fn unknown<'w>(
        &mut self,
        view: View<'_, '_>,
        what: &str,
        word: &str,
        known: impl Iterator<Item = &'w str> + Clone,
    ) {
        if let Some(near) = nearest(word, known.clone()) {
            self.wrong(view, format!("`{word}` is not {what}"), format!("did you mean `{near}`?"));
        } else {
            self.wrong(view, format!("not {what}"), one_of(known));
        }
    }

    /// Notes a field that is not one of those known, with the nearest of them.
    pub(crate) fn unknown_field<'w>(
        &mut self,
        key: View<'_, '_>,
        what: &str,
        name: &str,
        known: impl Iterator<Item = &'w str> + Clone,
    ) {
        let help = match nearest(name, known.clone()) {
            Some(near) => format!("did you mean `{near}`?"),
            None => one_of(known),
        };
        self.wrong(key, format!("{} is not {what}", shown::name(name)), help);
    }

    fn mark(&self, at: Position, width: u32) -> Mark {
        let number = at.line.saturating_sub(self.first_line) as usize;
        let line = self.diagnostics.wants_line().then(|| self.text.lines().nth(number)).flatten();
        let text = line.and_then(|line| LineText::new(line, at.column, width));
        Mark {
            file: self.file.to_owned(),
            line: Some(at.line),
            column: at.column,
            text,
            label: String::new(),
        }
    }
}

/// Reads a text that is one value, or several YAML documents; `each` gets each. What is not of its form is noted.
pub(crate) fn whole(
    name: &str,
    text: &str,
    form: Form,
    diagnostics: &mut Diagnostics,
    mut each: impl FnMut(View<'_, '_>, &mut Report<'_>),
) {
    let arena = Bump::new();
    let (kind, wrong) = match form {
        Form::Yaml => {
            let done = yaml::documents(text, &arena, |tape| {
                each(tape.root(&arena), &mut Report::new(name, text, 1, diagnostics));
            });
            ("YAML", done.err().map(|error| (error.message, error.at)))
        }
        Form::Json | Form::Ndjson => {
            let mut tape = Tape::default();
            let mut cursor = Cursor::new(text, 1);
            let done = cursor.value(&mut Writer::new(&mut tape, &arena)).and_then(|()| cursor.finish());
            if done.is_ok() {
                each(tape.root(&arena), &mut Report::new(name, text, 1, diagnostics));
            }
            ("JSON", done.err().map(|error: JsonError| (error.message, error.at)))
        }
    };
    if let Some((message, at)) = wrong {
        let message = format!("not {kind} that is accepted: {message}");
        Report::new(name, text, 1, diagnostics).wrong_at(at, 1, message, "");
    }
}

fn one_of<'w>(known: impl Iterator<Item = &'w str>) -> String {
    format!("expected one of: {}", known.collect::<Vec<_>>().join(", "))
}

/// What a value is, for messages.
pub(crate) fn kind_of(value: Value<'_>) -> String {
    match value {
        Value::Null => "nothing".to_owned(),
        Value::Bool(value) => format!("`{value}`"),
        Value::Number(_) => "a number".to_owned(),
        Value::Text("") => "an empty text".to_owned(),
        Value::Text(_) | Value::Plain(_) => "a text".to_owned(),
        Value::List => "a list".to_owned(),
        Value::Map => "a map of fields".to_owned(),
        Value::Alias(_) => "an alias".to_owned(),
    }
}

/// A scalar as text: quoted, or a plain YAML scalar of any look.
pub(crate) fn scalar_text(value: Value<'_>) -> Option<&str> {
    match value {
        Value::Text(text) | Value::Plain(text) => Some(text),
        _ => None,
    }
}

/// A field of a map; none where it has no value. What a map merges in (`<<`, as much hand-written YAML has it) counts
/// after what it says itself.
pub(crate) fn field<'t, 'a>(map: View<'t, 'a>, name: &str) -> Option<View<'t, 'a>> {
    let own = |map: View<'t, 'a>| map.entries().find(|(key, _)| scalar_text(key.value()) == Some(name));
    let mut found = own(map);
    let mut more = merged(map);
    while found.is_none() {
        let map = more.pop()?;
        found = own(map);
        more.extend(merged(map));
    }
    found.map(|(_, value)| value).filter(|value| !matches!(value.value(), Value::Null))
}

/// A field that a map has twice: which of the two is meant is not known.
pub(crate) fn doubled<'v>(map: View<'v, '_>) -> Option<&'v str> {
    let mut seen = HashSet::new();
    map.entries().filter_map(|(key, _)| scalar_text(key.value())).find(|name| !seen.insert(*name))
}

/// The maps that a map merges in, the last one first.
pub(crate) fn merged<'t, 'a>(map: View<'t, 'a>) -> Vec<View<'t, 'a>> {
    let merges = map.entries().filter(|(key, _)| matches!(key.value(), Value::Plain(text) if text == "<<"));
    let each = merges.flat_map(|(_, value)| match value.value() {
        Value::List => value.inside().collect(),
        _ => vec![value],
    });
    let mut all: Vec<View<'t, 'a>> = each.collect();
    all.reverse();
    all
}

/// Defines structs that are read from maps: each field with its written name, what must be there
/// and what may. A field that may be left out has the default of its type.
macro_rules! record {
    ($(
        $(#[$doc:meta])*
        $name:ident: $what:literal {
            must { $($(#[$rdoc:meta])* $rname:literal $rfield:ident: $rtype:ty,)* }
            may { $($(#[$odoc:meta])* $oname:literal $ofield:ident: $otype:ty,)* }
        }
    )*) => {$(
        $(#[$doc])*
        #[derive(Debug, Clone, PartialEq, serde::Serialize, schemars::JsonSchema)]
        #[schemars(deny_unknown_fields)]
        pub(crate) struct $name<'a> {
            /// Where it stands.
            #[serde(skip)]
            #[schemars(skip)]
            pub(crate) at: $crate::text::Position,
            /// All content is borrowed from the text, where it can be.
            #[serde(skip)]
            #[schemars(skip)]
            pub(crate) text: std::marker::PhantomData<&'a str>,
            $($(#[$rdoc])* #[serde(rename = $rname)] pub(crate) $rfield: $rtype,)*
            $(
                $(#[$odoc])*
                #[serde(rename = $oname, default, skip_serializing_if = "crate::read::is_default")]
                pub(crate) $ofield: $otype,
            )*
        }

        impl<'a> $crate::read::Read<'a> for $name<'a> {
            fn read(
                view: $crate::text::View<'_, 'a>,
                report: &mut $crate::read::Report<'_>,
            ) -> Option<Self> {
                const FIELDS: &[&str] = &[$($rname,)* $($oname,)*];
                if !matches!(view.value(), $crate::text::Value::Map) {
                    report.expected(view, $what);
                    return None;
                }
                let mut sound = true;
                $(let mut $rfield: $crate::read::Slot<$rtype> = Default::default();)*
                $(let mut $ofield: $crate::read::Slot<$otype> = Default::default();)*
                for (key, value) in view.entries() {
                    let Some(name) = $crate::read::scalar_text(key.value()) else {
                        report.expected(key, "the name of a field");
                        sound = false;
                        continue;
                    };
                    sound &= match name {
                        $($rname => $rfield.fill(key, value, report, false),)*
                        $($oname => $ofield.fill(key, value, report, true),)*
                        _ => {
                            report.unknown_field(
                                key,
                                concat!("a field of ", $what),
                                name,
                                FIELDS.iter().copied(),
                            );
                            false
                        }
                    };
                }
                $(if !$rfield.seen {
                    report.wrong(view, concat!($what, " needs the field `", $rname, "`"), "");
                    sound = false;
                })*
                if !sound {
                    return None;
                }
                Some(Self {
                    at: view.at(),
                    text: std::marker::PhantomData,
                    $($rfield: $rfield.value?,)*
                    $($ofield: $ofield.value.unwrap_or_default(),)*
                })
            }
        }
    )*};
}
pub(crate) use record;

/// A field of a record as it is being read.
pub(crate) struct Slot<T> {
    pub(crate) seen: bool,
    pub(crate) value: Option<T>,
}

impl<T> Default for Slot<T> {
    fn default() -> Self {
        Self { seen: false, value: None }
    }
}

impl<'a, T: Read<'a>> Slot<T> {
    /// Reads the field; whether that went well.
    pub(crate) fn fill(
        &mut self,
        key: View<'_, 'a>,
        value: View<'_, 'a>,
        report: &mut Report<'_>,
        may_be_empty: bool,
    ) -> bool {
        if self.seen {
            let name = scalar_text(key.value()).unwrap_or_default();
            report.wrong(key, format!("`{name}` is given twice"), "keep one of them");
            return false;
        }
        self.seen = true;
        // A field that may be left out and is there without a value is as good as left out.
        if may_be_empty && matches!(value.value(), Value::Null) {
            return true;
        }
        self.value = T::read(value, report);
        self.value.is_some()
    }
}

/// Whether a field has the value that it would have if left out.
pub(crate) fn is_default<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

impl<'a, T: Read<'a>> Read<'a> for Option<T> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        T::read(view, report).map(Some)
    }
}

impl<'a, T: Read<'a>> Read<'a> for &'a [T] {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        if !matches!(view.value(), Value::List) {
            report.expected(view, "a list");
            return None;
        }
        let mut sound = true;
        let mut all = ArenaVec::with_capacity_in(view.inside().count(), view.arena());
        for item in view.inside() {
            match T::read(item, report) {
                Some(read) => all.push(read),
                None => sound = false,
            }
        }
        sound.then(|| all.into_bump_slice())
    }
}

impl<'a> Read<'a> for bool {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        if let Value::Bool(value) = view.value() {
            return Some(value);
        }
        report.expected(view, "`true` or `false`");
        None
    }
}

impl<'a> Read<'a> for u64 {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let number = match view.value() {
            Value::Number(text) | Value::Plain(text) => text.parse().ok(),
            _ => None,
        };
        if number.is_none() {
            report.expected(view, "a whole number");
        }
        number
    }
}

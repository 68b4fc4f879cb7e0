//! The jq programs of an adapter, compiled once and run by jaq.
//!
//! All expressions of an adapter are one program, in which `$part` chooses: compiling the standard definitions
//! takes longer than compiling an adapter, and so it is done once. An expression that is run often gets a program
//! of its own, in which nothing has to be chosen.

use std::sync::OnceLock;
use std::sync::atomic::{AtomicU32, Ordering};

use jaq_core::load::{self, Arena, File, Loader, lex};
use jaq_core::{Compiler, Ctx, Vars, data, unwrap_valr};
use jaq_json::{Val, read, write};
use pasaporte_read::diagnostic::{Diagnostic, Diagnostics, LineText, Mark};
use pasaporte_read::shown_name;

use crate::{failure, given, json, stack};

type Filter = jaq_core::Filter<data::JustLut<Val>>;

/// What expressions can refer to.
const VARIABLES: &[&str] = &["$parent", "$source", "$range", "$part"];
/// Most values that a program may give for one input; an adapter gives a few.
const MOST_VALUES: usize = 1_000_000;

/// Where an expression stands: its name in messages, and its text.
pub(crate) struct Part {
    pub(crate) place: String,
    pub(crate) text: String,
}

/// How often an expression is run before it gets a program of its own.
const OFTEN: u32 = 64;

/// A compiled program.
pub(crate) struct Program {
    definitions: String,
    all: Filter,
    parts: Vec<Compiled>,
}

/// An expression, and the program that it has for itself.
struct Compiled {
    part: Part,
    runs: AtomicU32,
    alone: OnceLock<Option<Filter>>,
}

/// One expression of a program.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct PartId(usize);

/// What an expression can refer to beside its input.
#[derive(Debug, Clone, Default)]
pub(crate) struct Known {
    /// `$parent`: what was kept of the item that is asked about.
    pub(crate) parent: Val,
    /// `$source`: what the configuration says of the source.
    pub(crate) source: Val,
    /// `$range`: the time that a log is asked for; null where none is.
    pub(crate) range: Val,
}

impl Program {
    /// Compiles definitions, from a file of that name, and the expressions that use them.
    pub(crate) fn compile(file: &str, definitions: &str, parts: Vec<Part>) -> Result<Self, Diagnostics> {
        let mut diagnostics = Diagnostics::default();
        // The definitions by themselves first: a mistake in them has a line, one in an expression a place.
        if let Err(errors) = compiled(&format!("{definitions}\n."), VARIABLES) {
            for (at, message) in errors {
                diagnostics.push(in_file(file, definitions, at, &message));
            }
            return Err(diagnostics);
        }
        let places = parts.iter().map(|part| (Some(part), given::expression_calls_itself(&part.text)));
        for (part, name) in [(None, given::calls_itself(definitions))].into_iter().chain(places) {
            if let Some(name) = name {
                let place = part.map(|part| format!("{}: ", part.place)).unwrap_or_default();
                diagnostics.push(Diagnostic::of_file(
                    file,
                    format!("{place}the filter `{name}` calls itself"),
                    "go through a list with map, reduce or `..`: a filter that calls itself may never end",
                ));
            }
        }
        if !diagnostics.is_empty() {
            return Err(diagnostics);
        }
        let mut text = format!("{definitions}\n");
        for (index, part) in parts.iter().enumerate() {
            let branch = if index == 0 { "if" } else { "elif" };
            text.push_str(&format!("{branch} $part == {index} then ({}\n)\n", part.text));
        }
        text.push_str(if parts.is_empty() { "empty" } else { "else empty end" });
        let Ok(all) = compiled(&text, VARIABLES) else {
            for part in &parts {
                let alone = format!("{definitions}\n({}\n)", part.text);
                if let Err(errors) = compiled(&alone, VARIABLES) {
                    let message = errors.into_iter().next().map_or_else(String::new, |error| error.1);
                    diagnostics.push(Diagnostic::of_file(
                        file,
                        format!("{}: not a jq program: {message}", part.place),
                        "see docs/write-an-adapter.md for how an adapter is written",
                    ));
                }
            }
            return Err(diagnostics);
        };
        let parts =
            parts.into_iter().map(|part| Compiled { part, runs: AtomicU32::new(0), alone: OnceLock::new() });
        Ok(Self { definitions: definitions.to_owned(), all, parts: parts.collect() })
    }

    /// The expression of a place, in the order in which they were given.
    pub(crate) fn part(index: usize) -> PartId {
        PartId(index)
    }

    /// All that an expression gives for an input, or why it failed.
    pub(crate) fn run(&self, part: PartId, known: &Known, input: Val) -> Result<Vec<Val>, String> {
        let number = Val::from(part.0.cast_signed());
        let vars = Vars::new([known.parent.clone(), known.source.clone(), known.range.clone(), number]);
        let filter = self.filter(part);
        let place = &self.parts[part.0].part.place;
        let context = Ctx::<data::JustLut<Val>>::new(&filter.lut, vars);
        let mut all = Vec::new();
        for value in filter.id.run((context, input)).map(unwrap_valr) {
            if all.len() == MOST_VALUES {
                return Err(format!("{place} gives more than {MOST_VALUES} values"));
            }
            let value = value.map_err(|error| format!("{place}: {}", failure::told(&error)))?;
            all.push(stack::not_too_deep(value).map_err(|why| format!("{place}: {why}"))?);
        }
        Ok(all)
    }

    /// The program that runs an expression.
    fn filter(&self, part: PartId) -> &Filter {
        let it = &self.parts[part.0];
        if it.runs.fetch_add(1, Ordering::Relaxed) < OFTEN {
            return &self.all;
        }
        let alone = || compiled(&format!("{}\n({}\n)", self.definitions, it.part.text), VARIABLES).ok();
        it.alone.get_or_init(alone).as_ref().unwrap_or(&self.all)
    }

    /// The one text that an expression gives.
    pub(crate) fn text(&self, part: PartId, known: &Known, input: Val) -> Result<String, String> {
        let place = &self.parts[part.0].part.place;
        match self.run(part, known, input)?.as_slice() {
            [Val::TStr(text)] => Ok(String::from_utf8_lossy(text).into_owned()),
            [Val::Null] | [] => Err(format!("{place}: gives nothing where a text is needed")),
            [_] => Err(format!("{place}: gives something else where a text is needed")),
            several => Err(format!("{place}: gives {} values where a text is needed", several.len())),
        }
    }
}

/// A body as a value.
pub(crate) fn parse(body: &[u8]) -> Result<Val, String> {
    json::check(body)?;
    read::parse_single(body).map_err(|error| error.to_string())
}

/// A value as JSON, on one line.
pub(crate) fn json(value: &Val) -> String {
    let mut out = Vec::new();
    match write::write(&mut out, &write::Pp::default(), 0, value) {
        Ok(()) => String::from_utf8_lossy(&out).into_owned(),
        Err(_) => String::new(),
    }
}

/// A mistake: at which byte of the text, and what.
type Mistake = (usize, String);

fn compiled(text: &str, variables: &[&str]) -> Result<Filter, Vec<Mistake>> {
    let arena = Arena::default();
    let expected = |what: &str| format!("expected {what}");
    let loader = Loader::new(given::defs());
    let modules = loader.load(&arena, File { code: text, path: () }).map_err(|errors| {
        let mut all = Vec::new();
        for (file, error) in errors {
            // Positions are in the copy that the loader reads.
            let at = |part: &str| (part.as_ptr() as usize).saturating_sub(file.code.as_ptr() as usize);
            match error {
                load::Error::Io(errors) => all.extend(
                    errors.into_iter().map(|(part, _)| (at(part), "a program cannot include others".into())),
                ),
                load::Error::Lex(errors) => {
                    all.extend(errors.into_iter().map(|(what, part)| match what {
                        // What is not closed is told where it opens.
                        lex::Expect::Delim(opened) => (at(opened), format!("nothing closes this `{opened}`")),
                        _ => (at(part), expected(what.as_str())),
                    }));
                }
                load::Error::Parse(errors) => {
                    all.extend(errors.into_iter().map(|(what, part)| (at(part), expected(what.as_str()))));
                }
            }
        }
        all
    })?;
    let compiler = Compiler::default().with_funs(given::funs()).with_global_vars(variables.iter().copied());
    compiler.compile(modules).map_err(|errors| {
        let mut all = Vec::new();
        for (file, errors) in errors {
            for (name, kind) in errors {
                let at = (name.as_ptr() as usize).saturating_sub(file.code.as_ptr() as usize);
                all.push((at, format!("there is no {} `{}`", kind.as_str(), shown_name(name))));
            }
        }
        all
    })
}

/// A mistake in a program's file, with its line.
fn in_file(file: &str, text: &str, at: usize, message: &str) -> Box<Diagnostic> {
    let before = text.get(..at.min(text.len())).unwrap_or(text);
    let line = before.matches('\n').count() as u32 + 1;
    let start = before.rfind('\n').map_or(0, |newline| newline + 1);
    let column = before[start..].chars().count() as u32 + 1;
    let mark = Mark {
        file: file.to_owned(),
        line: Some(line),
        column,
        text: text.lines().nth(line as usize - 1).map(|line| LineText::of_program(line, column)),
        label: String::new(),
    };
    let help = "see docs/write-an-adapter.md for how an adapter is written".to_owned();
    Box::new(Diagnostic {
        mark,
        message: format!("not a jq program: {message}"),
        also: None,
        help: Some(help),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn part(text: &str) -> Part {
        Part { place: "ask boats, items".to_owned(), text: text.to_owned() }
    }

    #[test]
    fn runs_the_part_that_is_asked_for() {
        let parts = vec![part("doubled"), part("$parent.quay, .name")];
        let program = Program::compile("boats.jq", "def doubled: .name + .name;", parts).unwrap();
        let known = Known { parent: parse(br#"{"quay": 3}"#).unwrap(), ..Known::default() };
        let input = parse(br#"{"name": "vela"}"#).unwrap();
        let told = |index| {
            let all = program.run(Program::part(index), &known, input.clone()).unwrap();
            all.iter().map(json).collect::<Vec<_>>()
        };
        assert_eq!(told(0), [r#""velavela""#]);
        assert_eq!(told(1), ["3", r#""vela""#]);
    }

    #[test]
    fn what_a_program_has_no_business_with_is_not_given_to_it() {
        for name in given::NOT_GIVEN {
            let call = if name.starts_with("strf") { format!("{name}(\"%Y\")") } else { name.to_owned() };
            let wrong = Program::compile("boats.jq", "", vec![part(&call)]);
            let all = wrong.err().unwrap_or_else(|| panic!("{name} is given")).sorted();
            assert!(all[0].message.contains(&format!("there is no filter `{name}`")), "{}", all[0].message);
        }
        // What is said in the guide to be at hand is.
        let given = "select(.), map(.), test(\"a\"), capture(\"a\"), split(\"a\"), tojson, fromdateiso8601, ascii_downcase, \
                     limit(1; .), reduce .[] as $x (0; .), $ENV";
        let wrong = Program::compile("boats.jq", "", vec![part(&given.replace(", $ENV", ""))]);
        assert!(wrong.is_ok(), "{:?}", wrong.err());
        assert!(Program::compile("boats.jq", "", vec![part("$ENV")]).is_err());
    }

    #[test]
    fn a_mistake_in_the_file_is_told_with_its_line() {
        let wrong = Program::compile("boats.jq", "def one: .a;\ndef two: nowhere;\n", vec![part(".")]);
        let all = wrong.err().unwrap().sorted();
        assert_eq!((all[0].mark.line, all[0].mark.column), (Some(2), 10));
        assert_eq!(all[0].message, "not a jq program: there is no filter `nowhere`");
        let wrong = Program::compile("boats.jq", "def one: .a;\ndef two: .a + ;\n", vec![part(".")]);
        assert_eq!(wrong.err().unwrap().sorted()[0].mark.line, Some(2));
    }

    #[test]
    fn a_mistake_in_an_expression_is_told_with_its_place() {
        let wrong = Program::compile("boats.jq", "def one: .a;", vec![part("one"), part("two")]);
        let all = wrong.err().unwrap().sorted();
        assert_eq!(all.len(), 1);
        assert_eq!(all[0].message, "ask boats, items: not a jq program: there is no filter `two`");
    }
}

//! What of the jq language an adapter is given: nothing that reads what it has no business with or ends the program, and
//! nothing whose depth has no end.

use jaq_core::load::parse::{BinaryOp, Def, Pattern, Term};
use jaq_core::load::{self, lex};
use jaq_core::native::{self, Fun};
use jaq_core::{DataT, path};
use jaq_json::{Error, Val, read};

/// Filters of the language that an adapter is not given: they read what it has no business with (the environment, the clock,
/// other input), write around what is told, or end the program.
pub(crate) const NOT_GIVEN: [&str; 13] = [
    "env",
    "now",
    "localtime",
    "strflocaltime",
    "input",
    "inputs",
    "debug",
    "debug_empty",
    "stderr",
    "stderr_empty",
    "halt",
    "halt_error",
    "input_line_number",
];

fn is_given(name: &str) -> bool {
    !NOT_GIVEN.contains(&name)
}

/// The filters that are defined in the language.
pub(crate) fn defs() -> impl Iterator<Item = Def> {
    jaq_core::defs().chain(jaq_std::defs()).chain(jaq_json::defs()).filter(|def| is_given(def.name))
}

/// The filters that are not.
pub(crate) fn funs<D: for<'a> DataT<V<'a> = Val>>() -> impl Iterator<Item = Fun<D>> {
    let others = jaq_core::funs().chain(jaq_std::funs()).chain(jaq_json::funs());
    let from_json = native::run(("fromjson", native::v(0), |cv| {
        let text = match &cv.1 {
            Val::TStr(text) => crate::json::check(text)
                .and_then(|()| read::parse_single(text).map_err(|error| error.to_string())),
            _ => Err("not a text".to_owned()),
        };
        native::bome(text.map_err(|why| Error::str(format_args!("not JSON: {why}"))))
    }));
    others.filter(|fun| is_given(fun.0) && fun.0 != "fromjson").chain([from_json])
}

/// A filter of a text of definitions that calls itself, if one does: how deep it goes nobody can say, and a program that
/// goes too deep is ended by the system.
pub(crate) fn calls_itself(definitions: &str) -> Option<String> {
    let tokens = lex::Lexer::new(definitions).lex().ok()?;
    let defs = load::Parser::new(&tokens).parse(load::Parser::defs).ok()?;
    defs.iter().find_map(in_definition)
}

/// As [`calls_itself`], for an expression.
pub(crate) fn expression_calls_itself(expression: &str) -> Option<String> {
    let tokens = lex::Lexer::new(expression).lex().ok()?;
    let term = load::Parser::new(&tokens).parse(load::Parser::term).ok()?;
    in_term(&term)
}

fn in_definition(def: &Def<&str>) -> Option<String> {
    calls(&def.body, def.name).then(|| def.name.to_owned()).or_else(|| in_term(&def.body))
}

/// A definition within a term that calls itself.
fn in_term(term: &Term<&str>) -> Option<String> {
    if let Term::Def(defs, _) = term
        && let Some(found) = defs.iter().find_map(in_definition)
    {
        return Some(found);
    }
    let mut found = None;
    inside(term, &mut |term| found = found.take().or_else(|| in_term(term)));
    found
}

/// Whether a term calls a filter of that name.
fn calls(term: &Term<&str>, name: &str) -> bool {
    if matches!(term, Term::Call(called, _) if *called == name) {
        return true;
    }
    let mut found = false;
    if let Term::Def(defs, _) = term {
        found |= defs.iter().any(|def| calls(&def.body, name));
    }
    inside(term, &mut |term| found |= calls(term, name));
    found
}

/// Goes through the terms right within a term, but for the bodies of definitions.
fn inside<'t>(term: &'t Term<&'t str>, each: &mut dyn FnMut(&'t Term<&'t str>)) {
    match term {
        Term::Id | Term::Recurse | Term::Num(_) | Term::Break(_) | Term::Var(_) | Term::Arr(None) => {}
        Term::Str(_, parts) => {
            for part in parts {
                if let lex::StrPart::Term(term) = part {
                    each(term);
                }
            }
        }
        Term::Arr(Some(term)) | Term::Neg(term) | Term::Label(_, term) | Term::Def(_, term) => each(term),
        Term::Obj(all) => {
            for (key, value) in all {
                each(key);
                value.iter().for_each(&mut *each);
            }
        }
        Term::BinOp(left, operator, right) => {
            each(left);
            if let BinaryOp::Pipe(Some(pattern)) = operator {
                in_pattern(pattern, each);
            }
            each(right);
        }
        Term::Fold(_, over, pattern, all) => {
            each(over);
            in_pattern(pattern, each);
            all.iter().for_each(each);
        }
        Term::TryCatch(term, catch) => {
            each(term);
            if let Some(term) = catch {
                each(term);
            }
        }
        Term::IfThenElse(all, other) => {
            for (condition, then) in all {
                each(condition);
                each(then);
            }
            if let Some(term) = other {
                each(term);
            }
        }
        Term::Call(_, all) => all.iter().for_each(each),
        Term::Path(term, path) => {
            each(term);
            for (part, _) in &path.0 {
                match part {
                    path::Part::Index(term) => each(term),
                    path::Part::Range(from, to) => from.iter().chain(to).for_each(&mut *each),
                }
            }
        }
    }
}

fn in_pattern<'t>(pattern: &'t Pattern<&'t str>, each: &mut dyn FnMut(&'t Term<&'t str>)) {
    match pattern {
        Pattern::Var(_) => {}
        Pattern::Arr(all) => all.iter().for_each(|pattern| in_pattern(pattern, each)),
        Pattern::Obj(all) => {
            for (key, pattern) in all {
                each(key);
                in_pattern(pattern, each);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("def f: 1 + f;", Some("f"))]
    #[case("def g: .a; def f: [.[] | {x: (if . then f else g end)}];", Some("f"))]
    #[case("def g: def h: \"\\(h)\"; h;", Some("h"))]
    #[case("def f: def g: f; g;", Some("f"))]
    #[case("def f: reduce .[] as {a: $x} (0; . + $x) | .f | {f};", None)]
    #[case("def f: .f; def g: f | f;", None)]
    #[case("def f(g): g; def h: f(.a);", None)]
    #[case("def f: try f catch .;", Some("f"))]
    #[case("def f: .[f];", Some("f"))]
    fn finds_what_calls_itself(#[case] text: &str, #[case] name: Option<&str>) {
        assert_eq!(calls_itself(text).as_deref(), name);
    }
}

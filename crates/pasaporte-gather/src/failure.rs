//! Why a jq program failed, without what it failed on: errors of the language repeat the values, and those are a platform's.

use std::fmt::{self, Display, Write};

/// How much of an error is looked at, at either end.
const LOOKED_AT: usize = 80;

/// An error of the language, by the kinds of its values.
pub(crate) fn told(error: &impl Display) -> String {
    let mut ends = Ends::default();
    // It never fails to write.
    let _ = write!(ends, "{error}");
    let (start, end) = (ends.start.as_str(), ends.end.iter().collect::<String>());
    if let Some(rest) = start.strip_prefix("cannot index ") {
        return format!("cannot index {} with {}", kind_by_start(rest), kind_by_end(&end));
    }
    if let Some(rest) = start.strip_prefix("cannot calculate ") {
        return format!("cannot calculate with {} and {}", kind_by_start(rest), kind_by_end(&end));
    }
    if let Some(rest) = start.strip_prefix("cannot use ") {
        let wanted = end.rsplit_once(" as ").map_or("", |(_, wanted)| wanted);
        let is_word = |text: &str| {
            !text.is_empty() && text.chars().all(|each| each.is_ascii_lowercase() || each == ' ')
        };
        let wanted = if is_word(wanted) { wanted } else { "what is wanted" };
        return format!("cannot use {} as {wanted}", kind_by_start(rest));
    }
    if start.starts_with("invalid path expression") {
        return "not an expression that leads to a place".to_owned();
    }
    "it fails with an error of its own".to_owned()
}

/// The beginning and the end of what is written.
#[derive(Default)]
struct Ends {
    start: String,
    end: std::collections::VecDeque<char>,
}

impl Write for Ends {
    fn write_str(&mut self, text: &str) -> fmt::Result {
        let room = LOOKED_AT.saturating_sub(self.start.len());
        self.start.push_str(&text[..text.floor_char_boundary(room)]);
        let from = text.floor_char_boundary(text.len().saturating_sub(LOOKED_AT));
        self.end.extend(text[from..].chars());
        while self.end.len() > LOOKED_AT {
            self.end.pop_front();
        }
        Ok(())
    }
}

/// What a value is, by how its JSON begins.
fn kind_by_start(json: &str) -> &'static str {
    match json.chars().next() {
        Some('{') => "an object",
        Some('[') => "a list",
        Some('"' | 'b') => "a text",
        Some('t' | 'f') => "a boolean",
        Some('n') => "null",
        Some(each) if each.is_ascii_digit() || each == '-' => "a number",
        _ => "a value",
    }
}

/// What a value is, by how its JSON ends.
fn kind_by_end(json: &str) -> &'static str {
    match json.chars().next_back() {
        Some('}') => "an object",
        Some(']') => "a list",
        Some('"') => "a text",
        Some('e') => "a boolean",
        Some('l') => "null",
        Some(each) if each.is_ascii_digit() => "a number",
        _ => "a value",
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("cannot index \"hunter2\" with \"password\"", "cannot index a text with a text")]
    #[case("cannot index [\"hunter2\"] with \"x\"", "cannot index a list with a text")]
    #[case(
        "cannot use {\"token\":\"hunter2\"} as iterable (array or object)",
        "cannot use an object as what is wanted"
    )]
    #[case("cannot use \"hunter2\" as number", "cannot use a text as number")]
    #[case("cannot calculate \"hunter2\" - 5", "cannot calculate with a text and a number")]
    #[case("hunter2 is not allowed", "it fails with an error of its own")]
    #[case("\"hunter2\"", "it fails with an error of its own")]
    fn no_value_is_repeated(#[case] error: &str, #[case] shown: &str) {
        assert_eq!(told(&error), shown);
    }

    #[test]
    fn a_long_error_is_told_in_short() {
        let long = format!("cannot index {{\"a\":\"{}\"}} with 0", "ü".repeat(100_000));
        assert_eq!(told(&long), "cannot index an object with a number");
    }
}

//! One field of an entry set to another value, in the text as it is written: the line as it would read.
//!
//! This works on the letters of a text that was read before, at the place where an entry was found. Where what stands
//! there is not on one line, nothing is said.

use pasaporte_core::estate::Setting;

use crate::redact::covered;
use crate::text::Form;

/// The longest line that is shown as it would read, in bytes: nobody pastes one that is longer, and a large document may
/// be all on one.
const LONGEST: usize = 1 << 10;

/// A field of an entry, and what it should be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// The line of the entry, from 1.
    pub line: u32,
    /// Its column, from 1: characters in YAML, bytes in JSON.
    pub column: u32,
    /// The field.
    pub field: &'static str,
    /// What it should be.
    pub to: Setting,
    /// The field that an entry which is written as one word stands for.
    pub stands_for: Option<&'static str>,
}

/// A line as it would read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Changed {
    /// The line, from 1.
    pub line: u32,
    /// As it reads now; none where the line is to be put in before.
    pub was: Option<String>,
    /// As it would read.
    pub reads: String,
}

/// The lines of a text, to be changed.
#[derive(Debug)]
pub struct Lines {
    text: String,
    form: Form,
    starts: Vec<usize>,
}

impl Lines {
    /// Of a text in some form.
    pub fn new(text: String, form: Form) -> Self {
        let starts = std::iter::once(0).chain(text.match_indices('\n').map(|(at, _)| at + 1)).collect();
        Self { text, form, starts }
    }

    fn line(&self, number: u32) -> Option<&str> {
        let place = (number as usize).checked_sub(1)?;
        let start = *self.starts.get(place)?;
        let end = self.starts.get(place + 1).map_or(self.text.len(), |next| next - 1);
        self.text.get(start..end).filter(|line| line.len() <= LONGEST).map(|line| line.trim_end_matches('\r'))
    }

    /// A change of them; none where it cannot be made on one line, or where the line must not be shown.
    pub fn changed(&self, change: &Change) -> Option<Changed> {
        let line = self.line(change.line)?;
        let column = (change.column as usize).checked_sub(1)?;
        let at = match self.form {
            Form::Yaml => line.char_indices().map(|(at, _)| at).nth(column)?,
            Form::Json | Form::Ndjson => column,
        };
        let entry = line.get(at..)?;
        let changed = if entry.starts_with('{') {
            let reads = self.in_braces(entry, change)?;
            Changed {
                line: change.line,
                was: Some(line.to_owned()),
                reads: format!("{}{reads}", &line[..at]),
            }
        } else if self.form == Form::Yaml && key_of(entry).is_some() {
            self.in_a_block(line, at, change)?
        } else {
            let (word, rest) = entry.split_at(end_of_value(entry)?);
            let field = self.written_key(change.stands_for?);
            let setting = self.member(change);
            let reads = format!("{}{{{field}: {word}, {setting}}}{rest}", &line[..at]);
            Changed { line: change.line, was: Some(line.to_owned()), reads }
        };
        let is_shown = |text: &str| covered(text) == text;
        (is_shown(&changed.reads) && changed.was.as_deref().is_none_or(is_shown)).then_some(changed)
    }

    /// In a map in braces: the field's value, or the field as its last.
    fn in_braces(&self, entry: &str, change: &Change) -> Option<String> {
        let mut at = 1;
        loop {
            at += blank(&entry[at..]);
            if entry[at..].starts_with('}') {
                let (before, after) = entry.split_at(at);
                let comma = if before.trim_end() == "{" { "" } else { ", " };
                return Some(format!("{}{comma}{}{after}", before.trim_end(), self.member(change)));
            }
            let key_end = at + end_of_key(&entry[at..])?;
            let is_field = unquoted(entry[at..key_end].trim_end()) == change.field;
            let value = key_end + 1 + blank(&entry[key_end + 1..]);
            let value_end = value + end_of_value(&entry[value..])?;
            if is_field {
                return Some(format!(
                    "{}{}{}",
                    &entry[..value],
                    self.written(&change.to),
                    &entry[value_end..]
                ));
            }
            at = value_end + blank(&entry[value_end..]);
            if entry[at..].starts_with(',') {
                at += 1;
            } else if !entry[at..].starts_with('}') {
                return None;
            }
        }
    }

    /// In a map whose fields stand below each other: the line of the field, or a new one after the first.
    fn in_a_block(&self, line: &str, at: usize, change: &Change) -> Option<Changed> {
        let indent = line[..at].chars().count();
        let mut number = change.line;
        let mut here = line;
        loop {
            let own = here.char_indices().nth(indent).map_or("", |(at, _)| &here[at..]);
            let (key, value) = key_of(own)?;
            if key == change.field {
                let begins = here.len() - own.len() + own.len() - value.len();
                let end = begins + end_of_value(value).filter(|end| *end > 0)?;
                let reads = format!("{}{}{}", &here[..begins], self.written(&change.to), &here[end..]);
                return Some(Changed { line: number, was: Some(here.to_owned()), reads });
            }
            // On to the next field of the same map: what is further in belongs to the one before.
            let next =
                (number + 1..).map_while(|number| Some((number, self.line(number)?))).find(|(_, line)| {
                    let inside = line.len() - line.trim_start().len();
                    !line.trim().is_empty() && !line.trim_start().starts_with('#') && inside <= indent
                });
            match next {
                Some((next, line))
                    if line.len() - line.trim_start().len() == indent
                        && !line.trim_start().starts_with("- ") =>
                {
                    (number, here) = (next, line);
                }
                _ => {
                    let reads =
                        format!("{}{}: {}", " ".repeat(indent), change.field, self.written(&change.to));
                    return Some(Changed { line: change.line + 1, was: None, reads });
                }
            }
        }
    }

    fn member(&self, change: &Change) -> String {
        format!("{}: {}", self.written_key(change.field), self.written(&change.to))
    }

    fn written_key(&self, key: &str) -> String {
        if self.form == Form::Yaml { key.to_owned() } else { serde_json::Value::from(key).to_string() }
    }

    fn written(&self, setting: &Setting) -> String {
        match setting {
            Setting::Word(word) => {
                let is_plain = word.starts_with(|first: char| first.is_ascii_alphanumeric())
                    && word
                        .chars()
                        .all(|each| each.is_ascii_alphanumeric() || matches!(each, '-' | '_' | '.' | '/'));
                if self.form == Form::Yaml && is_plain {
                    word.clone()
                } else {
                    serde_json::Value::from(word.as_str()).to_string()
                }
            }
            Setting::List(words) => {
                let words: Vec<String> =
                    words.iter().map(|word| self.written(&Setting::Word(word.clone()))).collect();
                format!("[{}]", words.join(", "))
            }
            Setting::Map(fields) => {
                let fields: Vec<String> = fields
                    .iter()
                    .map(|(key, value)| format!("{}: {}", self.written_key(key), self.written(value)))
                    .collect();
                format!("{{{}}}", fields.join(", "))
            }
        }
    }
}

fn blank(text: &str) -> usize {
    text.len() - text.trim_start().len()
}

fn unquoted(key: &str) -> &str {
    key.trim_matches(['"', '\''])
}

/// The key that a line begins with, and what stands after it.
fn key_of(text: &str) -> Option<(&str, &str)> {
    let end = end_of_key(text)?;
    let rest = &text[end + 1..];
    (rest.is_empty() || rest.starts_with(' ')).then(|| (unquoted(text[..end].trim_end()), rest.trim_start()))
}

/// Where the colon after a key is.
fn end_of_key(text: &str) -> Option<usize> {
    let quote = text.chars().next().filter(|first| matches!(first, '"' | '\''));
    let after = match quote {
        Some(quote) => 1 + end_of_quoted(&text[1..], quote)?,
        None => 0,
    };
    let colons = text[after..].match_indices(':').map(|(at, _)| after + at);
    let ends = |at: usize| quote.is_some() || text[at + 1..].chars().next().is_none_or(char::is_whitespace);
    let end = colons.into_iter().find(|at| ends(*at))?;
    let key = &text[after..end];
    (!key.contains([',', '{', '}', '[', ']'])).then_some(end)
}

/// Where a quoted text ends, after its last quote.
fn end_of_quoted(text: &str, quote: char) -> Option<usize> {
    let mut escaped = false;
    for (at, each) in text.char_indices() {
        match each {
            _ if escaped => escaped = false,
            '\\' if quote == '"' => escaped = true,
            _ if each == quote => return Some(at + 1),
            _ => {}
        }
    }
    None
}

/// Where a value ends that begins here and is whole on this line.
fn end_of_value(text: &str) -> Option<usize> {
    match text.chars().next() {
        Some(quote @ ('"' | '\'')) => Some(1 + end_of_quoted(&text[1..], quote)?),
        Some('{' | '[') => {
            let (mut depth, mut at) = (0usize, 0);
            while let Some(each) = text[at..].chars().next() {
                at += match each {
                    '"' | '\'' => 1 + end_of_quoted(&text[at + 1..], each)?,
                    _ => each.len_utf8(),
                };
                match each {
                    '{' | '[' => depth += 1,
                    '}' | ']' => depth -= 1,
                    _ => {}
                }
                if depth == 0 {
                    return Some(at);
                }
            }
            None
        }
        _ => {
            let stops = text
                .char_indices()
                .find(|(at, each)| matches!(each, ',' | '}' | ']') || text[*at..].starts_with(" #"));
            Some(text[..stops.map_or(text.len(), |(at, _)| at)].trim_end().len())
        }
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn word(text: &str) -> Setting {
        Setting::Word(text.to_owned())
    }

    fn pin() -> Setting {
        Setting::Map(vec![("source_resource", word("bucket:tides")), ("account_of_source", word("tides"))])
    }

    #[rstest]
    #[case::in_braces(
        "  - {id: a, check: none, url: x}",
        5,
        "check",
        word("identity"),
        "  - {id: a, check: identity, url: x}"
    )]
    #[case::a_map_in_braces(
        "  - {check: {key: function}, id: a}",
        5,
        "check",
        word("identity"),
        "  - {check: identity, id: a}"
    )]
    #[case::not_there(
        "  - {id: a}  # why",
        5,
        "network",
        word("internal"),
        "  - {id: a, network: internal}  # why"
    )]
    #[case::nothing_there("endpoints: [{}]", 13, "check", word("identity"), "endpoints: [{check: identity}]")]
    #[case::quoted_before(
        "  - {id: \"a, check: none\", check: none}",
        5,
        "check",
        word("identity"),
        "  - {id: \"a, check: none\", check: identity}"
    )]
    #[case::a_list("  - {methods: [GET, POST], id: a}", 5, "methods", Setting::List(vec!["GET".to_owned()]),
        "  - {methods: [GET], id: a}")]
    #[case::a_word_that_stands_for_more(
        "    invoke: [service:store, user:ana]",
        14,
        "when",
        pin(),
        "    invoke: [{to: service:store, when: {source_resource: \"bucket:tides\", account_of_source: tides}}, user:ana]"
    )]
    #[case::letters_of_more_bytes(
        "  - {id: ñandú, x: [{check: none}]}",
        21,
        "check",
        word("identity"),
        "  - {id: ñandú, x: [{check: identity}]}"
    )]
    fn a_line_of_yaml(
        #[case] line: &str,
        #[case] column: u32,
        #[case] field: &'static str,
        #[case] to: Setting,
        #[case] reads: &str,
    ) {
        let change = Change { line: 2, column, field, to, stands_for: Some("to") };
        let changed =
            Lines::new(format!("estate: 1\n{line}\nmore: []\n"), Form::Yaml).changed(&change).unwrap();
        assert_eq!(changed, Changed { line: 2, was: Some(line.to_owned()), reads: reads.to_owned() });
    }

    #[rstest]
    #[case::there(
        "  - id: a\n    check: none # for now\n    url: x\n",
        2,
        Some("    check: none # for now"),
        "    check: identity # for now"
    )]
    #[case::the_first("  - check: none\n    id: a\n", 1, Some("  - check: none"), "  - check: identity")]
    #[case::after_what_is_further_in(
        "  - id: a\n    tags:\n      check: no\n    check: none\n",
        4,
        Some("    check: none"),
        "    check: identity"
    )]
    #[case::not_there("  - id: a\n    url: x\n  - id: b\n    check: none\n", 2, None, "    check: identity")]
    fn a_block_of_yaml(
        #[case] text: &str,
        #[case] line: u32,
        #[case] was: Option<&str>,
        #[case] reads: &str,
    ) {
        let change = Change { line: 1, column: 5, field: "check", to: word("identity"), stands_for: None };
        let changed = Lines::new(text.to_owned(), Form::Yaml).changed(&change).unwrap();
        assert_eq!(changed, Changed { line, was: was.map(str::to_owned), reads: reads.to_owned() });
    }

    #[rstest]
    #[case::there(
        "{\"key\": {\"id\": \"k\", \"state\": \"enabled\"}}",
        9,
        "{\"key\": {\"id\": \"k\", \"state\": \"disabled\"}}"
    )]
    #[case::not_there("{\"key\":{\"id\":\"k\"}}", 8, "{\"key\":{\"id\":\"k\", \"state\": \"disabled\"}}")]
    fn a_line_of_json(#[case] line: &str, #[case] column: u32, #[case] reads: &str) {
        let change = Change { line: 1, column, field: "state", to: word("disabled"), stands_for: None };
        let changed = Lines::new(line.to_owned(), Form::Ndjson).changed(&change).unwrap();
        assert_eq!(changed.reads, reads);
    }

    #[rstest]
    #[case::on_several_lines("  - {id: a,\n     check: none}\n", 1, 5)]
    #[case::a_value_on_several_lines("  - id: a\n    check:\n      key: function\n", 1, 5)]
    #[case::a_secret("  - {id: a, password: Tr0ub4dor, check: none}\n", 1, 5)]
    #[case::beyond_the_text("  - {id: a}\n", 7, 5)]
    #[case::beyond_the_line("  - {id: a}\n", 1, 50)]
    fn what_cannot_be_changed_is_not_shown(#[case] text: &str, #[case] line: u32, #[case] column: u32) {
        let change = Change { line, column, field: "check", to: word("identity"), stands_for: None };
        assert_eq!(Lines::new(text.to_owned(), Form::Yaml).changed(&change), None);
    }

    #[test]
    fn a_document_on_one_line_is_not_shown_as_a_whole() {
        let text = format!("[{}{{\"check\": \"none\"}}]", "{\"check\": \"none\"}, ".repeat(100));
        let change = Change { line: 1, column: 2, field: "check", to: word("identity"), stands_for: None };
        assert_eq!(Lines::new(text, Form::Json).changed(&change), None);
    }
}

//! Patterns over actions and resource ids (access-model §3).
//!
//! `*` is any run of characters, also none; `?` is exactly one; `\` takes the next character as it
//! is. A pattern matches whole strings. Sets of patterns are compared exactly, in [`search`].

mod search;
mod sorts;

use std::borrow::Cow;

use thiserror::Error;

pub use search::{Found, covers, find, overlaps};
pub use sorts::{Samples, Sorts};

/// Longest pattern that is accepted, in characters.
pub const LONGEST_PATTERN: usize = 10_000;

/// Why a text is not a pattern.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
pub enum BadPattern {
    /// Nothing at all.
    #[error("a pattern must not be empty")]
    Empty,
    /// A `\` with nothing after it.
    #[error("a pattern must not end in a lone `\\`")]
    LoneEscape,
    /// More than [`LONGEST_PATTERN`] characters.
    #[error("a pattern must not be longer than {LONGEST_PATTERN} characters")]
    TooLong,
}

/// One step of a pattern.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) enum Step {
    /// This character.
    One(char),
    /// Any one character.
    Any,
    /// Any run of characters.
    Run,
}

/// What a pattern comes to, so that the common kinds need no general matching.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Shape {
    Everything,
    /// Matches its own text only.
    Exactly,
    /// Has escapes and no wildcard: matches this text only.
    Unescaped(Box<str>),
    /// Whatever begins and ends like its text, whose only wildcard is the `*` at this byte.
    Around(usize),
    /// Whatever has the parts of its text between several `*`, in turn; there is no other wildcard and no escape.
    Parts,
    General,
}

/// A parsed pattern. It keeps its text and what kind it is; the steps of the text are read as they are
/// needed, since most patterns of an estate are plain names.
#[derive(Debug, Clone)]
pub struct Pattern {
    text: Box<str>,
    shape: Shape,
}

impl PartialEq for Pattern {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text || self.steps().eq(other.steps())
    }
}

impl Eq for Pattern {}

impl std::fmt::Display for Pattern {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.text)
    }
}

/// The steps of a pattern's text, in turn.
#[derive(Clone)]
pub(crate) struct Steps<'p>(std::str::Chars<'p>);

impl Iterator for Steps<'_> {
    type Item = Step;

    fn next(&mut self) -> Option<Step> {
        Some(match self.0.next()? {
            '*' => {
                // A second `*` in a row adds nothing.
                while self.0.as_str().starts_with('*') {
                    self.0.next();
                }
                Step::Run
            }
            '?' => Step::Any,
            '\\' => Step::One(self.0.next()?),
            other => Step::One(other),
        })
    }
}

impl Pattern {
    /// Parses a pattern.
    ///
    /// ```
    /// use pasaporte_core::pattern::Pattern;
    /// let pattern = Pattern::parse(r"bucket:tide-?\*").unwrap();
    /// assert!(pattern.matches("bucket:tide-1*"));
    /// assert!(!pattern.matches("bucket:tide-10"));
    /// ```
    pub fn parse(text: &str) -> Result<Self, BadPattern> {
        if text.is_empty() {
            return Err(BadPattern::Empty);
        }
        let escapes = text.bytes().rev().take_while(|byte| *byte == b'\\').count();
        if escapes % 2 == 1 {
            return Err(BadPattern::LoneEscape);
        }
        if text.len() > LONGEST_PATTERN && Steps(text.chars()).count() > LONGEST_PATTERN {
            return Err(BadPattern::TooLong);
        }
        Ok(Self { text: text.into(), shape: shape(text) })
    }

    /// Whether a text is a pattern that matches itself and nothing else, with no escapes in it.
    pub fn is_plain(text: &str) -> bool {
        !text.is_empty() && text.len() <= LONGEST_PATTERN && !text.bytes().any(is_special)
    }

    /// A pattern that matches exactly `text`.
    pub fn literal(text: &str) -> Self {
        let mut escaped = String::with_capacity(text.len());
        for each in text.chars() {
            if matches!(each, '*' | '?' | '\\') {
                escaped.push('\\');
            }
            escaped.push(each);
        }
        Self { shape: shape(&escaped), text: escaped.into() }
    }

    /// The pattern as written.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Whether every string matches.
    pub fn is_everything(&self) -> bool {
        self.shape == Shape::Everything
    }

    /// The one string that matches, if there is just one.
    pub fn as_literal(&self) -> Option<&str> {
        match &self.shape {
            Shape::Exactly => Some(&self.text),
            Shape::Unescaped(text) => Some(text),
            Shape::Everything | Shape::Around(_) | Shape::Parts | Shape::General => None,
        }
    }

    /// The characters before the first wildcard.
    pub fn literal_start(&self) -> Cow<'_, str> {
        let plain = self.text.bytes().position(is_special).unwrap_or(self.text.len());
        if self.text.as_bytes().get(plain) != Some(&b'\\') {
            return Cow::Borrowed(&self.text[..plain]);
        }
        self.steps()
            .map_while(|step| match step {
                Step::One(one) => Some(one),
                Step::Any | Step::Run => None,
            })
            .collect()
    }

    /// Whether the whole of `text` matches.
    pub fn matches(&self, text: &str) -> bool {
        match &self.shape {
            Shape::Everything => true,
            Shape::Exactly => *self.text == *text,
            Shape::Unescaped(only) => **only == *text,
            Shape::Around(at) => {
                let (start, end) = (&self.text[..*at], &self.text[at + 1..]);
                text.len() >= start.len() + end.len() && text.starts_with(start) && text.ends_with(end)
            }
            Shape::Parts => has_parts(&self.text, text),
            Shape::General => self.matches_by(text, |a, b| a == b),
        }
    }

    /// Whether the whole of `text` matches, where case counts or where it does not.
    pub(crate) fn takes(&self, text: &str, any_case: bool) -> bool {
        if any_case { self.matches_any_case(text) } else { self.matches(text) }
    }

    /// Like [`Pattern::matches`], taking upper and lower case as one.
    pub fn matches_any_case(&self, text: &str) -> bool {
        self.is_everything() || self.matches_by(text, |a, b| a == b || lower(a) == lower(b))
    }

    /// The two-pointer walk: on a mismatch, the latest run takes one more character. No other run
    /// ever needs to change, so the cost is at most steps × characters.
    fn matches_by(&self, text: &str, same: impl Fn(char, char) -> bool) -> bool {
        let mut steps = self.steps();
        let mut rest = text.chars();
        // The steps after the latest run, and the text that it has not taken.
        let mut retry: Option<(Steps<'_>, std::str::Chars<'_>)> = None;
        loop {
            let fits = match steps.next() {
                Some(Step::Run) => {
                    retry = Some((steps.clone(), rest.clone()));
                    if steps.0.as_str().is_empty() {
                        return true;
                    }
                    continue;
                }
                Some(Step::Any) => rest.next().is_some(),
                Some(Step::One(one)) => rest.next().is_some_and(|next| same(one, next)),
                None => match rest.next() {
                    None => return true,
                    Some(_) => false,
                },
            };
            if fits {
                continue;
            }
            let Some((after, from)) = &mut retry else { return false };
            if from.next().is_none() {
                return false;
            }
            steps = after.clone();
            rest = from.clone();
        }
    }

    pub(crate) fn steps(&self) -> Steps<'_> {
        Steps(self.text.chars())
    }
}

/// Whether a text begins with what is before the first `*`, ends with what is after the last, and has what is between two
/// of them in turn; each as early as it can be, which leaves most to the others.
fn has_parts(pattern: &str, text: &str) -> bool {
    let mut parts = pattern.split('*');
    let (first, last) = (parts.next().unwrap_or_default(), parts.next_back().unwrap_or_default());
    let inner = text.strip_prefix(first).and_then(|rest| rest.strip_suffix(last));
    let Some(mut rest) = inner else { return false };
    for part in parts {
        let Some(at) = rest.find(part) else { return false };
        rest = &rest[at + part.len()..];
    }
    true
}

fn is_special(byte: u8) -> bool {
    matches!(byte, b'*' | b'?' | b'\\')
}

fn shape(text: &str) -> Shape {
    match text.bytes().position(is_special) {
        None => Shape::Exactly,
        Some(0) if text.bytes().all(|each| each == b'*') => Shape::Everything,
        Some(at) if text.as_bytes()[at] == b'*' && !text[at + 1..].bytes().any(is_special) => {
            Shape::Around(at)
        }
        Some(_) if text.bytes().all(|each| each == b'*' || !is_special(each)) => Shape::Parts,
        Some(_) => {
            let one = |step| if let Step::One(one) = step { Some(one) } else { None };
            let literal: Option<String> = Steps(text.chars()).map(one).collect();
            literal.map_or(Shape::General, |literal| Shape::Unescaped(literal.into()))
        }
    }
}

/// Lower case of a character where that is one character; itself otherwise.
pub(crate) fn lower(one: char) -> char {
    if one.is_ascii() {
        return one.to_ascii_lowercase();
    }
    let mut lower = one.to_lowercase();
    match (lower.next(), lower.next()) {
        (Some(only), None) => only,
        _ => one,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("*", "", true)]
    #[case("**", "anything", true)]
    #[case("bucket/read", "bucket/read", true)]
    #[case("bucket/read", "bucket/reads", false)]
    #[case("bucket/*", "bucket/", true)]
    #[case("bucket/?*", "bucket/", false)]
    #[case("*/read", "bucket/read", true)]
    #[case("*a*b", "xaxbxab", true)]
    #[case("*a*b", "xaxbxa", false)]
    #[case("?", "é", true)]
    #[case("?", "", false)]
    #[case("??", "é", false)]
    #[case(r"\*", "*", true)]
    #[case(r"\*", "x", false)]
    #[case(r"a\?*", "a?b", true)]
    #[case("a*", "A", false)]
    fn matches_whole_strings(#[case] pattern: &str, #[case] text: &str, #[case] expected: bool) {
        assert_eq!(Pattern::parse(pattern).unwrap().matches(text), expected);
    }

    #[rstest]
    #[case("", BadPattern::Empty)]
    #[case(r"abc\", BadPattern::LoneEscape)]
    fn refuses(#[case] pattern: &str, #[case] why: BadPattern) {
        assert_eq!(Pattern::parse(pattern).unwrap_err(), why);
    }

    #[test]
    fn case_can_be_ignored() {
        let pattern = Pattern::parse("Bucket/Ré*").unwrap();
        assert!(pattern.matches_any_case("bucket/RÉAD"));
        assert!(!pattern.matches_any_case("bucket/write"));
    }

    #[test]
    fn many_runs_take_no_exponential_time() {
        let pattern = Pattern::parse(&"a*".repeat(3000)).unwrap();
        assert!(!pattern.matches(&format!("{}b", "a".repeat(2999))));
    }

    #[test]
    fn a_literal_matches_only_itself() {
        let literal = Pattern::literal(r"odd*na?me\");
        assert!(literal.matches(r"odd*na?me\"));
        assert!(!literal.matches("oddxname\\"));
        assert_eq!(Pattern::parse(literal.text()).unwrap(), literal);
    }
}

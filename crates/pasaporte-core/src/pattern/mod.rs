//! Patterns over actions and resource ids (access-model §3).
//!
//! `*` is any run of characters, also none; `?` is exactly one; `\` takes the next character as it
//! is. A pattern matches whole strings. Sets of patterns are compared exactly, in [`search`].

mod search;

use thiserror::Error;

pub use search::{Found, covers, find, overlaps};

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
    Exactly(Box<str>),
    StartingWith(Box<str>),
    General,
}

/// A parsed pattern.
#[derive(Debug, Clone)]
pub struct Pattern {
    text: Box<str>,
    steps: Box<[Step]>,
    shape: Shape,
}

impl PartialEq for Pattern {
    fn eq(&self, other: &Self) -> bool {
        self.steps == other.steps
    }
}

impl Eq for Pattern {}

impl std::fmt::Display for Pattern {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.text)
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
        let mut steps = Vec::with_capacity(text.len());
        let mut chars = text.chars();
        while let Some(next) = chars.next() {
            steps.push(match next {
                // A second `*` in a row adds nothing.
                '*' if steps.last() == Some(&Step::Run) => continue,
                '*' => Step::Run,
                '?' => Step::Any,
                '\\' => Step::One(chars.next().ok_or(BadPattern::LoneEscape)?),
                other => Step::One(other),
            });
        }
        if steps.len() > LONGEST_PATTERN {
            return Err(BadPattern::TooLong);
        }
        let shape = shape(&steps);
        Ok(Self { text: text.into(), steps: steps.into(), shape })
    }

    /// A pattern that matches exactly `text`.
    pub fn literal(text: &str) -> Self {
        let steps: Box<[Step]> = text.chars().map(Step::One).collect();
        let mut escaped = String::with_capacity(text.len());
        for each in text.chars() {
            if matches!(each, '*' | '?' | '\\') {
                escaped.push('\\');
            }
            escaped.push(each);
        }
        Self { text: escaped.into(), shape: shape(&steps), steps }
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
            Shape::Exactly(text) => Some(text),
            _ => None,
        }
    }

    /// The characters before the first wildcard.
    pub fn literal_start(&self) -> String {
        self.steps
            .iter()
            .map_while(|step| match step {
                Step::One(one) => Some(*one),
                Step::Any | Step::Run => None,
            })
            .collect()
    }

    /// Whether the whole of `text` matches.
    pub fn matches(&self, text: &str) -> bool {
        match &self.shape {
            Shape::Everything => true,
            Shape::Exactly(only) => **only == *text,
            Shape::StartingWith(start) => text.starts_with(&**start),
            Shape::General => self.matches_by(text, |a, b| a == b),
        }
    }

    /// Like [`Pattern::matches`], taking upper and lower case as one.
    pub fn matches_any_case(&self, text: &str) -> bool {
        self.is_everything() || self.matches_by(text, |a, b| a == b || lower(a) == lower(b))
    }

    /// The two-pointer walk: on a mismatch, the latest run takes one more character. No other run
    /// ever needs to change, so the cost is at most steps × characters.
    fn matches_by(&self, text: &str, same: impl Fn(char, char) -> bool) -> bool {
        let mut at = 0;
        let mut rest = text.chars();
        let mut retry: Option<(usize, std::str::Chars<'_>)> = None;
        loop {
            let before = rest.clone();
            let fits = match (self.steps.get(at), rest.next()) {
                (None, None) => return true,
                (Some(Step::Run), next) => {
                    retry = Some((at, before.clone()));
                    rest = before;
                    at += 1;
                    if next.is_none() && at == self.steps.len() {
                        return true;
                    }
                    continue;
                }
                (Some(Step::Any), Some(_)) => true,
                (Some(Step::One(one)), Some(next)) => same(*one, next),
                (None, Some(_)) | (Some(_), None) => false,
            };
            if fits {
                at += 1;
                continue;
            }
            let Some((run, from)) = &mut retry else { return false };
            if from.next().is_none() {
                return false;
            }
            at = *run + 1;
            rest = from.clone();
        }
    }

    pub(crate) fn steps(&self) -> &[Step] {
        &self.steps
    }
}

fn shape(steps: &[Step]) -> Shape {
    let literal = |steps: &[Step]| -> Option<Box<str>> {
        let one = |step: &Step| if let Step::One(one) = step { Some(*one) } else { None };
        steps.iter().map(one).collect::<Option<String>>().map(String::into_boxed_str)
    };
    match steps {
        [Step::Run] => Shape::Everything,
        [start @ .., Step::Run] => literal(start).map_or(Shape::General, Shape::StartingWith),
        all => literal(all).map_or(Shape::General, Shape::Exactly),
    }
}

/// Lower case of a character where that is one character; itself otherwise.
pub(crate) fn lower(one: char) -> char {
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

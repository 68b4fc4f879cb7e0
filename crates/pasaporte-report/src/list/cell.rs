//! What stands in a list: texts, numbers, or nothing.

use std::cmp::Ordering;

use pasaporte_core::access::Verdict;
use serde::{Serialize, Serializer};

/// How much a text must be noticed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Tone {
    /// Not more than others.
    Plain,
    /// As something that is open to whoever is in an internal network.
    Inside,
    /// As something that must not be overlooked.
    Alarming,
}

/// A text, and how much it must be noticed.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Said {
    /// The text.
    pub text: String,
    /// How much it must be noticed.
    pub tone: Tone,
    /// Whether it is so only perhaps.
    pub perhaps: bool,
}

impl Said {
    /// A plain text.
    pub fn plain(text: impl Into<String>) -> Self {
        Self { text: text.into(), tone: Tone::Plain, perhaps: false }
    }

    /// The same in another tone.
    pub fn tone(self, tone: Tone) -> Self {
        Self { tone, ..self }
    }

    /// The same, as sure as a verdict.
    pub fn as_sure_as(self, verdict: Verdict) -> Self {
        Self { perhaps: verdict == Verdict::Depends, ..self }
    }

    /// As it is written: "signed-in (perhaps)".
    pub fn written(&self) -> String {
        if self.perhaps { format!("{} (perhaps)", self.text) } else { self.text.clone() }
    }
}

/// One cell.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Cell {
    /// A text.
    Text(Said),
    /// A number.
    Number(i64),
    /// Several texts.
    Many(Vec<Said>),
    /// Not known, or not there.
    Nothing,
}

impl Cell {
    /// A plain text.
    pub fn text(text: impl Into<String>) -> Self {
        Self::Text(Said::plain(text))
    }

    /// A text that must not be overlooked.
    pub fn alarming(text: impl Into<String>) -> Self {
        Self::Text(Said::plain(text).tone(Tone::Alarming))
    }

    /// Plain texts.
    pub fn many(texts: impl IntoIterator<Item = impl Into<String>>) -> Self {
        Self::Many(texts.into_iter().map(Said::plain).collect())
    }

    /// A plain text, if there is one.
    pub fn maybe(text: Option<impl Into<String>>) -> Self {
        text.map_or(Self::Nothing, Self::text)
    }

    /// A count.
    pub fn count(count: usize) -> Self {
        Self::Number(i64::try_from(count).unwrap_or(i64::MAX))
    }

    /// "yes" or "no".
    pub fn yes(is: bool) -> Self {
        Self::text(if is { "yes" } else { "no" })
    }

    /// The texts in it, without what is said of their sureness.
    pub fn texts(&self) -> Vec<String> {
        match self {
            Self::Text(said) => vec![said.text.clone()],
            Self::Number(number) => vec![number.to_string()],
            Self::Many(all) => all.iter().map(|said| said.text.clone()).collect(),
            Self::Nothing => Vec::new(),
        }
    }

    /// Whether nothing stands in it.
    pub fn is_empty(&self) -> bool {
        match self {
            Self::Text(_) | Self::Number(_) => false,
            Self::Many(all) => all.is_empty(),
            Self::Nothing => true,
        }
    }

    /// The number in it.
    pub fn number(&self) -> Option<i64> {
        if let Self::Number(number) = self { Some(*number) } else { None }
    }

    /// As it stands in CSV, for programs that may take a text for a formula or read line by line.
    pub(crate) fn in_csv(&self) -> String {
        let text = match self {
            Self::Text(said) => said.written(),
            Self::Number(number) => return number.to_string(),
            Self::Many(all) => all.iter().map(Said::written).collect::<Vec<_>>().join("; "),
            Self::Nothing => String::new(),
        };
        // Some programs skip what is blank, and take full-width letters for the plain ones.
        let first = text.trim_start().chars().next();
        let begins_oddly = text.starts_with(char::is_whitespace);
        let is_formula = begins_oddly
            || matches!(
                first,
                Some('=' | '+' | '-' | '@' | '\u{ff1d}' | '\u{ff0b}' | '\u{ff0d}' | '\u{ff20}')
            );
        let text = pasaporte_read::visible(&text);
        if is_formula { format!("'{text}") } else { text }
    }

    /// Numbers before texts, and nothing last.
    pub(super) fn compare(&self, other: &Self) -> Ordering {
        match (self.number(), other.number()) {
            (Some(one), Some(other)) => one.cmp(&other),
            (Some(_), None) => Ordering::Less,
            (None, Some(_)) => Ordering::Greater,
            (None, None) => {
                let (one, other) = (self.texts(), other.texts());
                one.is_empty().cmp(&other.is_empty()).then_with(|| one.cmp(&other))
            }
        }
    }
}

impl Serialize for Cell {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Text(said) => serializer.serialize_str(&said.written()),
            Self::Number(number) => serializer.serialize_i64(*number),
            Self::Many(all) => serializer.collect_seq(all.iter().map(Said::written)),
            Self::Nothing => serializer.serialize_none(),
        }
    }
}

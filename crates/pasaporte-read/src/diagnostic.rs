//! What is wrong with an input, with its place and the line itself.

use crate::shown;

/// A place in a file and the words for what stands there.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Mark {
    /// The file, as given on the command line or found in a folder.
    pub file: String,
    /// Line, from 1; none where the file as a whole is meant.
    pub line: Option<u32>,
    /// Column, from 1: characters in YAML, bytes in JSON.
    pub column: u32,
    /// The line, where it was at hand.
    pub text: Option<LineText>,
    /// What is said of the place.
    pub label: String,
}

/// A line as messages show it: of a long one the part around the place, with nothing in it that would do something to a
/// terminal, and values covered unless they may be shown.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct LineText {
    /// What is shown.
    pub text: String,
    /// The character of it that is meant, from 0.
    pub start: usize,
    /// How many characters are meant.
    pub width: usize,
    /// Whether the line is longer than what is shown of it.
    pub is_part: bool,
}

impl LineText {
    /// The line around so many characters at a column; none of one that is too long to be looked at.
    pub fn new(line: &str, column: u32, width: u32) -> Option<Self> {
        shown::line(line, place(column, width)).map(|shown| Self::around(&shown))
    }

    /// A line of a program around a column.
    pub fn of_program(line: &str, column: u32) -> Self {
        Self::around(&shown::program(line, place(column, 1)))
    }

    fn around(shown: &shown::Line) -> Self {
        const WIDEST: usize = 160;
        let is_part = shown.text.chars().nth(WIDEST).is_some();
        let from = if is_part { shown.place.start.saturating_sub(60) } else { 0 };
        let text = shown.text.chars().skip(from).take(WIDEST).collect();
        Self { text, start: shown.place.start - from, width: shown.place.len(), is_part }
    }
}

fn place(column: u32, width: u32) -> std::ops::Range<usize> {
    let start = column as usize - 1;
    start..start + width as usize
}

/// One thing that is wrong.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Diagnostic {
    /// Where.
    pub mark: Mark,
    /// What.
    pub message: String,
    /// Another place that matters: where an id was first used.
    pub also: Option<Mark>,
    /// What to do.
    pub help: Option<String>,
}

impl Diagnostic {
    /// Something wrong with a file as a whole.
    pub fn of_file(file: &str, message: impl Into<String>, help: impl Into<String>) -> Box<Self> {
        let mark = Mark { file: file.to_owned(), line: None, column: 1, text: None, label: String::new() };
        Box::new(Self { mark, message: message.into(), also: None, help: Some(help.into()) })
    }
}

/// All that is wrong, up to a limit beyond which it is only counted.
#[derive(Debug, Default)]
pub struct Diagnostics {
    kept: Vec<Diagnostic>,
    beyond: usize,
}

/// How many diagnostics are kept; a file of the wrong kind would otherwise fill the memory.
const MOST: usize = 1000;
/// How many diagnostics come with their line; finding a line takes time, and nobody reads more.
const MOST_WITH_LINE: usize = 100;

impl Diagnostics {
    /// Adds one.
    pub fn push(&mut self, diagnostic: impl Into<Box<Diagnostic>>) {
        if self.kept.len() < MOST {
            self.kept.push(*diagnostic.into());
        } else {
            self.beyond += 1;
        }
    }

    /// Adds one that is made only if it is kept; it is told whether it should come with its line.
    pub(crate) fn push_with(&mut self, make: impl FnOnce(bool) -> Diagnostic) {
        if self.kept.len() < MOST {
            self.kept.push(make(self.wants_line()));
        } else {
            self.beyond += 1;
        }
    }

    /// Adds all of another.
    pub fn absorb(&mut self, other: Self) {
        let room = MOST.saturating_sub(self.kept.len());
        self.beyond += other.beyond + other.kept.len().saturating_sub(room);
        self.kept.extend(other.kept.into_iter().take(room));
    }

    /// Whether the next one should come with its line.
    pub(crate) fn wants_line(&self) -> bool {
        self.kept.len() < MOST_WITH_LINE
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.kept.is_empty()
    }

    /// How many there are in all.
    pub fn count(&self) -> usize {
        self.kept.len() + self.beyond
    }

    /// Those kept, by file and place.
    pub fn sorted(mut self) -> Vec<Diagnostic> {
        self.kept.sort();
        self.kept
    }
}

//! What is wrong with an input, with its place and the line itself.

/// A place in a file and the words for what stands there.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Mark {
    /// The file, as given on the command line or found in a folder.
    pub file: String,
    /// Line, from 1; none where the file as a whole is meant.
    pub line: Option<u32>,
    /// Column in characters, from 1.
    pub column: u32,
    /// How many characters are meant.
    pub width: u32,
    /// The line, where it was at hand.
    pub text: Option<String>,
    /// What is said of the place.
    pub label: String,
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
    pub fn of_file(file: &str, message: impl Into<String>, help: impl Into<String>) -> Self {
        let mark = Mark {
            file: file.to_owned(),
            line: None,
            column: 1,
            width: 1,
            text: None,
            label: String::new(),
        };
        Self { mark, message: message.into(), also: None, help: Some(help.into()) }
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

impl Diagnostics {
    /// Adds one.
    pub fn push(&mut self, diagnostic: Diagnostic) {
        if self.kept.len() < MOST {
            self.kept.push(diagnostic);
        } else {
            self.beyond += 1;
        }
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

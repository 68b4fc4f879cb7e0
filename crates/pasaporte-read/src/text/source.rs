//! Texts to read: their names, their form, and what must be true of any of them.

use std::fs;
use std::io::Read;
use std::path::{Path, PathBuf};

use walkdir::WalkDir;

use crate::diagnostic::{Diagnostic, Diagnostics};
use crate::edit::Lines;
use crate::files;

/// Largest YAML file that is read; machines write JSON or NDJSON.
const LARGEST_YAML: u64 = 64 << 20;
/// Largest JSON file that is read; NDJSON has no limit.
const LARGEST_JSON: u64 = u32::MAX as u64 - 1;

/// How a text is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Form {
    /// YAML 1.2.
    Yaml,
    /// One JSON value (RFC 8259).
    Json,
    /// One JSON value a line.
    Ndjson,
}

/// A text to read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Source {
    /// A file.
    File {
        /// As reports show it.
        name: String,
        /// Where it is.
        path: PathBuf,
        /// How it is written.
        form: Form,
    },
    /// A text at hand.
    Text {
        /// As reports show it.
        name: String,
        /// The text.
        text: String,
        /// How it is written.
        form: Form,
    },
    /// Standard input, written in whichever form it begins in.
    Standard,
}

/// The most bytes of a file whose lines are shown as they would read.
const MOST_LINES: u64 = 8 << 20;
/// How far into a file it is looked whether it claims to be an estate.
const NEAR: u64 = 16 << 10;

impl Source {
    /// The name that reports show.
    pub fn name(&self) -> &str {
        match self {
            Self::File { name, .. } | Self::Text { name, .. } => name,
            Self::Standard => "<stdin>",
        }
    }

    /// How many bytes there are to read, where that is known before.
    pub fn size(&self) -> Option<u64> {
        match self {
            Self::File { path, .. } => fs::metadata(path).ok().map(|file| file.len()),
            Self::Text { text, .. } => Some(text.len() as u64),
            Self::Standard => None,
        }
    }

    /// Its lines, to be changed one by one; none of what is large, or was read from standard input.
    pub fn lines(&self) -> Option<Lines> {
        let (text, form) = match self {
            Self::File { path, form, .. } if self.size()? <= MOST_LINES => {
                (files::read_text(path).ok()?, *form)
            }
            Self::Text { text, form, .. } => (text.clone(), *form),
            Self::File { .. } | Self::Standard => return None,
        };
        Some(Lines::new(text, form))
    }

    /// Whether a file says, near its beginning, that it is an estate.
    pub fn claims_an_estate(&self) -> bool {
        let Self::File { path, form, .. } = self else { return true };
        let mut beginning = Vec::new();
        let read = files::open(path).and_then(|file| file.take(NEAR).read_to_end(&mut beginning));
        let text = String::from_utf8_lossy(&beginning);
        read.is_ok()
            && match form {
                Form::Yaml => {
                    text.lines().any(|line| line.starts_with("estate:")) || text.contains("\"estate\"")
                }
                Form::Json | Form::Ndjson => text.contains("\"estate\""),
            }
    }

    /// The files that some paths stand for: themselves, or all estate files in a folder and those
    /// below it. Each file once, in the order of their names.
    pub fn find(paths: &[PathBuf], diagnostics: &mut Diagnostics) -> Vec<Self> {
        let mut found: Vec<(PathBuf, Self)> = Vec::new();
        for path in paths {
            let name = shown(path);
            match fs::metadata(path) {
                Ok(metadata) if metadata.is_dir() => find_in_folder(path, &name, &mut found, diagnostics),
                Ok(metadata) if metadata.is_file() => match Form::of(path) {
                    Some(form) => found.push((identity(path), Self::File { name, path: path.clone(), form })),
                    None => diagnostics.push(Diagnostic::of_file(
                        &name,
                        "not a kind of file that holds an estate",
                        "name it .yaml, .yml, .json or .ndjson; or send it to `-`, standard input",
                    )),
                },
                Ok(_) => diagnostics.push(Diagnostic::of_file(
                    &name,
                    "neither a file nor a folder",
                    "send what it gives to `-`, standard input",
                )),
                Err(error) => {
                    let help = "check the path; `pasaporte demo FOLDER` writes an estate to try things on";
                    diagnostics.push(Diagnostic::of_file(
                        &name,
                        format!("cannot be read: {}", reason(&error)),
                        help,
                    ));
                }
            }
        }
        found.sort_by(|(one, a), (other, b)| a.name().cmp(b.name()).then(one.cmp(other)));
        let mut seen = std::collections::BTreeSet::new();
        found.into_iter().filter(|(path, _)| seen.insert(path.clone())).map(|(_, source)| source).collect()
    }

    /// The text, if it is one that can be read; NDJSON as lines, so that it need not fit into memory.
    pub(crate) fn open(&self) -> Result<Opened, Box<Diagnostic>> {
        let name = self.name();
        match self {
            Self::File { path, form, .. } => {
                let file = files::open(path).map_err(|error| unreadable(name, &error))?;
                open(name, *form, Box::new(file))
            }
            Self::Text { text, form, .. } => open(name, *form, Box::new(std::io::Cursor::new(text.clone()))),
            Self::Standard => {
                let mut start = Vec::new();
                let mut input = std::io::stdin();
                let begun = Read::by_ref(&mut input).take(START).read_to_end(&mut start);
                begun.map_err(|error| unreadable(name, &error))?;
                open(name, Form::guess(&start), Box::new(std::io::Cursor::new(start).chain(input)))
            }
        }
    }
}

/// How much of standard input is looked at to see its form.
const START: u64 = 1 << 16;

fn open(name: &str, form: Form, mut reader: Box<dyn Read + Send>) -> Result<Opened, Box<Diagnostic>> {
    let limit = match form {
        Form::Ndjson => return Ok(Opened::Lines(reader)),
        Form::Json => LARGEST_JSON,
        Form::Yaml => LARGEST_YAML,
    };
    let mut bytes = Vec::new();
    reader.by_ref().take(limit + 1).read_to_end(&mut bytes).map_err(|error| unreadable(name, &error))?;
    if bytes.len() as u64 > limit {
        return Err(Diagnostic::of_file(
            name,
            format!("larger than {} MiB", limit >> 20),
            "write it as NDJSON, one entity a line: that has no limit",
        ));
    }
    Ok(Opened::Whole(form, text(name, bytes)?))
}

/// A text ready to read.
pub(crate) enum Opened {
    Whole(Form, String),
    Lines(Box<dyn Read + Send>),
}

impl Form {
    /// By the ending of a file's name.
    pub fn of(path: &Path) -> Option<Self> {
        match path.extension()?.to_str()?.to_ascii_lowercase().as_str() {
            "yaml" | "yml" => Some(Self::Yaml),
            "json" => Some(Self::Json),
            "ndjson" | "jsonl" => Some(Self::Ndjson),
            _ => None,
        }
    }

    /// By how a text begins: JSON opens with a brace, and NDJSON closes it on the same line.
    fn guess(bytes: &[u8]) -> Self {
        let start = bytes.trim_ascii_start();
        if start.first() != Some(&b'{') {
            return Self::Yaml;
        }
        let mut lines = start.split(|byte| *byte == b'\n').map(<[u8]>::trim_ascii);
        let first = lines.next().unwrap_or_default();
        let more = lines.any(|line| line.first() == Some(&b'{'));
        if first.last() == Some(&b'}') && more { Self::Ndjson } else { Self::Json }
    }
}

fn find_in_folder(
    folder: &Path,
    name: &str,
    found: &mut Vec<(PathBuf, Source)>,
    diagnostics: &mut Diagnostics,
) {
    let before = found.len();
    let hidden =
        |entry: &walkdir::DirEntry| entry.depth() > 0 && entry.file_name().to_string_lossy().starts_with('.');
    for entry in WalkDir::new(folder).sort_by_file_name().into_iter().filter_entry(|entry| !hidden(entry)) {
        match entry {
            Ok(entry) => {
                let path = entry.path();
                let form = Form::of(path);
                let leads_out = entry.path_is_symlink() && !files::is_inside(folder, path);
                if leads_out && (form.is_some() || path.is_dir()) {
                    diagnostics.push(Diagnostic::of_file(
                        &shown(path),
                        "a link that leads out of this folder, or to nothing",
                        "copy what it should lead to into the folder, or name that beside it",
                    ));
                } else if let Some(form) = form.filter(|_| path.is_file()) {
                    found.push((
                        identity(path),
                        Source::File { name: shown(path), path: path.to_owned(), form },
                    ));
                } else if form.is_some() && !path.is_dir() {
                    diagnostics.push(Diagnostic::of_file(
                        &shown(path),
                        "neither a file nor a folder",
                        "take it out of the folder; send what it gives to `-`, standard input",
                    ));
                }
            }
            Err(error) => {
                let place = error.path().map_or_else(|| name.to_owned(), shown);
                let why = error.io_error().map_or_else(|| "cannot be read".to_owned(), reason);
                diagnostics.push(Diagnostic::of_file(
                    &place,
                    why,
                    "give it a folder whose files can all be read",
                ));
            }
        }
    }
    if found.len() == before {
        diagnostics.push(Diagnostic::of_file(
            name,
            "no estate in this folder",
            "it holds no .yaml, .yml, .json or .ndjson file; name a file, or another folder",
        ));
    }
}

/// The file itself, so that one that is named twice is read once.
pub(crate) fn identity(path: &Path) -> PathBuf {
    fs::canonicalize(path).unwrap_or_else(|_| path.to_owned())
}

/// A path as reports show it: with control characters made visible.
pub(crate) fn shown(path: &Path) -> String {
    crate::redact::visible(&path.to_string_lossy())
}

fn unreadable(name: &str, error: &std::io::Error) -> Box<Diagnostic> {
    Diagnostic::of_file(
        name,
        format!("cannot be read: {}", reason(error)),
        "check the path and its permissions",
    )
}

/// The system's words without its error number.
fn reason(error: &std::io::Error) -> String {
    let text = error.to_string();
    text.split(" (os error").next().unwrap_or(&text).to_lowercase()
}

/// The text of a file: UTF-8, no byte order mark, no NUL, not empty.
pub(crate) fn text(name: &str, bytes: Vec<u8>) -> Result<String, Box<Diagnostic>> {
    if bytes.starts_with(&[0xff, 0xfe]) || bytes.starts_with(&[0xfe, 0xff]) {
        return Err(Diagnostic::of_file(
            name,
            "written in UTF-16",
            "save it as UTF-8, without a byte order mark",
        ));
    }
    if bytes.starts_with(&[0xef, 0xbb, 0xbf]) {
        return Err(Diagnostic::of_file(
            name,
            "begins with a byte order mark",
            "save it as UTF-8 without a byte order mark",
        ));
    }
    let text = String::from_utf8(bytes).map_err(|error| {
        let at = error.utf8_error().valid_up_to();
        at_byte(
            name,
            error.as_bytes(),
            at,
            "not UTF-8: this byte begins no character",
            "save the file as UTF-8",
        )
    })?;
    if let Some(at) = memchr::memchr(0, text.as_bytes()) {
        let help = "it may be a binary file; if not, take the NUL out";
        return Err(at_byte(name, text.as_bytes(), at, "a NUL byte", help));
    }
    if text.trim().is_empty() {
        return Err(Diagnostic::of_file(
            name,
            "an empty file",
            "an estate begins with `estate: 1`; see docs/estate-format.md",
        ));
    }
    Ok(text)
}

fn at_byte(name: &str, bytes: &[u8], at: usize, message: &str, help: &str) -> Box<Diagnostic> {
    let before = &bytes[..at];
    let line = memchr::memchr_iter(b'\n', before).count() as u32 + 1;
    let start = memchr::memrchr(b'\n', before).map_or(0, |newline| newline + 1);
    let mut diagnostic = Diagnostic::of_file(name, message, help);
    diagnostic.mark.line = Some(line);
    diagnostic.mark.column = String::from_utf8_lossy(&bytes[start..at]).chars().count() as u32 + 1;
    diagnostic
}

//! Logs as batches of whole lines, whether they are compressed or not. What a log held is told by a hash of its text, so
//! that the same log is known again, packed or not.

use std::fs;
use std::hash::{BuildHasher, Hasher};
use std::io::{self, BufRead, BufReader, Read};
use std::path::{Path, PathBuf};

use flate2::bufread::MultiGzDecoder;
use rustc_hash::FxBuildHasher;

use crate::format::Format;

/// Longest line that is read; what is longer is passed over and counted.
pub(crate) const LONGEST_LINE: usize = 16 << 20;
/// Longest document that is not lines.
pub(crate) const LONGEST_DOCUMENT: usize = 64 << 20;
/// About how much text a batch has.
const BATCH: usize = 256 << 10;

/// A log.
#[derive(Debug, Clone)]
pub enum Input {
    /// A file, and the name that is shown of it.
    File(PathBuf, String),
    /// Text at hand, and a name for it.
    Text(Vec<u8>, String),
    /// Standard input.
    Standard,
    /// What came of a platform's log.
    Collected(Collected),
}

/// A log that was collected from a platform.
#[derive(Debug, Clone)]
pub struct Collected {
    /// The name that is shown.
    pub name: String,
    /// Its lines; they may be packed.
    pub text: Vec<u8>,
    /// How they are written.
    pub read_as: Format,
    /// What it holds all of: lines of our own with `covers`.
    pub covers: Vec<String>,
    /// Whether all of it came, so that it may cover a time.
    pub is_whole: bool,
}

/// Why a log cannot be read.
#[derive(Debug)]
pub struct InputError {
    /// Which.
    pub name: String,
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub help: &'static str,
}

impl Input {
    /// The name that is shown.
    pub fn name(&self) -> &str {
        match self {
            Self::File(_, name) | Self::Text(_, name) => name,
            Self::Standard => "<stdin>",
            Self::Collected(log) => &log.name,
        }
    }

    /// How it is written, where that is known.
    pub(crate) fn read_as(&self) -> Option<Format> {
        match self {
            Self::Collected(log) => Some(log.read_as),
            _ => None,
        }
    }

    /// What it holds all of, where that is said beside it.
    pub(crate) fn covers(&self) -> &[String] {
        match self {
            Self::Collected(log) => &log.covers,
            _ => &[],
        }
    }

    /// Whether all of it is there, as far as is known.
    pub(crate) fn is_whole(&self) -> bool {
        !matches!(self, Self::Collected(Collected { is_whole: false, .. }))
    }

    /// The logs that some paths stand for: files, all files below folders, `-`. In the order of their names, each once.
    pub fn find(paths: &[PathBuf]) -> Result<Vec<Self>, InputError> {
        let mut all: Vec<(PathBuf, String)> = Vec::new();
        let mut standard = false;
        for path in paths {
            if path.as_os_str() == "-" {
                standard = true;
                continue;
            }
            let name = path.to_string_lossy().into_owned();
            let failed = |message: String| InputError { name: name.clone(), message, help: "check the path" };
            let metadata = fs::metadata(path).map_err(|error| failed(format!("cannot be read: {error}")))?;
            if metadata.is_dir() {
                below(path, &mut all, 0).map_err(|error| failed(format!("cannot be read: {error}")))?;
            } else if metadata.is_file() {
                all.push((path.clone(), name));
            } else {
                return Err(failed("neither a file nor a folder".to_owned()));
            }
        }
        all.sort();
        all.dedup_by(|one, other| fs::canonicalize(&one.0).ok() == fs::canonicalize(&other.0).ok());
        let mut all: Vec<Self> = all.into_iter().map(|(path, name)| Self::File(path, name)).collect();
        if standard {
            all.push(Self::Standard);
        }
        Ok(all)
    }

    /// Its text, unpacked.
    pub fn open(&self) -> io::Result<Box<dyn BufRead + Send + '_>> {
        match self {
            Self::File(path, _) => {
                unpacked(BufReader::with_capacity(BATCH, pasaporte_read::files::open(path)?))
            }
            Self::Text(text, _) => unpacked(text.as_slice()),
            Self::Collected(log) => unpacked(log.text.as_slice()),
            Self::Standard => unpacked(BufReader::with_capacity(BATCH, io::stdin())),
        }
    }
}

/// Folders in folders that are looked into.
const DEEPEST: usize = 32;

fn below(folder: &Path, all: &mut Vec<(PathBuf, String)>, depth: usize) -> io::Result<()> {
    for entry in fs::read_dir(folder)? {
        let entry = entry?;
        let path = entry.path();
        let hidden = entry.file_name().to_string_lossy().starts_with('.');
        let kind = entry.file_type()?;
        // What a link leads to is not in the folder.
        if kind.is_dir() && depth < DEEPEST && !hidden {
            below(&path, all, depth + 1)?;
        } else if kind.is_file() && !hidden {
            let name = path.to_string_lossy().into_owned();
            all.push((path, name));
        }
    }
    Ok(())
}

/// A text by how it begins: gzip (RFC 1952), Zstandard (RFC 8878), or as it is.
fn unpacked<'r>(mut reader: impl BufRead + Send + 'r) -> io::Result<Box<dyn BufRead + Send + 'r>> {
    let start = reader.fill_buf()?;
    if start.starts_with(&[0x1f, 0x8b]) {
        return Ok(Box::new(BufReader::with_capacity(BATCH, MultiGzDecoder::new(reader))));
    }
    let frame = start.starts_with(&[0x28, 0xb5, 0x2f, 0xfd]);
    let skippable =
        start.len() >= 4 && (0x50..=0x5f).contains(&start[0]) && start[1..4] == [0x2a, 0x4d, 0x18];
    if frame || skippable {
        return Ok(Box::new(BufReader::with_capacity(BATCH, zstd::Decoder::with_buffer(reader)?)));
    }
    Ok(Box::new(reader))
}

/// Lines that were cut off.
#[derive(Debug, Default)]
pub(crate) struct Batch {
    /// The number of the first line, from 1.
    pub(crate) first_line: u64,
    /// Whole lines.
    pub(crate) bytes: Vec<u8>,
    /// Lines among them that were too long to read, by their numbers.
    pub(crate) too_long: Vec<u64>,
}

/// Cuts batches of whole lines off a text.
pub(crate) struct Cutter<'r> {
    input: Box<dyn BufRead + Send + 'r>,
    next_line: u64,
    done: bool,
    hash: rustc_hash::FxHasher,
    length: u64,
}

impl<'r> Cutter<'r> {
    pub(crate) fn new(input: Box<dyn BufRead + Send + 'r>) -> Self {
        Self { input, next_line: 1, done: false, hash: FxBuildHasher.build_hasher(), length: 0 }
    }

    /// The next lines, in the memory of others; none at the end. After a mistake there are no more.
    pub(crate) fn cut(&mut self, spare: Batch) -> io::Result<Option<Batch>> {
        let Batch { mut bytes, mut too_long, .. } = spare;
        bytes.clear();
        too_long.clear();
        if self.done {
            return Ok(None);
        }
        let first_line = self.next_line;
        let filled = self.fill(&mut bytes, &mut too_long);
        // What came before a mistake is read.
        self.done |= filled.is_err();
        self.hash.write(&bytes);
        self.length += bytes.len() as u64;
        self.next_line += memchr::memchr_iter(b'\n', &bytes).count() as u64;
        match filled {
            Err(error) if bytes.is_empty() => Err(error),
            Err(error) => {
                self.input = Box::new(BufReader::new(Broken(Some(error))));
                self.done = false;
                Ok(Some(Batch { first_line, bytes, too_long }))
            }
            Ok(()) if bytes.is_empty() => Ok(None),
            Ok(()) => Ok(Some(Batch { first_line, bytes, too_long })),
        }
    }

    fn fill(&mut self, bytes: &mut Vec<u8>, too_long: &mut Vec<u64>) -> io::Result<()> {
        Read::by_ref(&mut self.input).take(BATCH as u64).read_to_end(bytes)?;
        self.done = bytes.len() < BATCH;
        if self.done || bytes.last() == Some(&b'\n') {
            return Ok(());
        }
        let rest = Read::by_ref(&mut self.input).take(LONGEST_LINE as u64).read_until(b'\n', bytes)?;
        if bytes.last() == Some(&b'\n') || rest < LONGEST_LINE {
            return Ok(());
        }
        // Passed over to its end, and its beginning with it.
        let start = memchr::memrchr(b'\n', &bytes[..bytes.len() - 1]).map_or(0, |newline| newline + 1);
        bytes.truncate(start);
        bytes.push(b'\n');
        too_long.push(self.next_line + memchr::memchr_iter(b'\n', &bytes[..start]).count() as u64);
        loop {
            let buffer = self.input.fill_buf()?;
            if buffer.is_empty() {
                break;
            }
            self.length += buffer.len() as u64;
            let end = memchr::memchr(b'\n', buffer).map(|at| at + 1);
            let used = end.unwrap_or(buffer.len());
            self.input.consume(used);
            if end.is_some() {
                break;
            }
        }
        Ok(())
    }

    /// The text as one document, where it is not lines; what was cut before stands at its beginning.
    pub(crate) fn whole(&mut self, start: Vec<u8>) -> io::Result<Option<Vec<u8>>> {
        let mut bytes = start;
        let before = bytes.len();
        let room = (LONGEST_DOCUMENT + 1).saturating_sub(before) as u64;
        Read::by_ref(&mut self.input).take(room).read_to_end(&mut bytes)?;
        self.hash.write(&bytes[before..]);
        self.length += (bytes.len() - before) as u64;
        self.done = true;
        Ok((bytes.len() <= LONGEST_DOCUMENT).then_some(bytes))
    }

    /// What tells what was read from any other text.
    pub(crate) fn id(&self) -> String {
        format!("{:016x}-{:x}", self.hash.finish(), self.length)
    }
}

/// An input that ended with a mistake, told once it is asked for more.
struct Broken(Option<io::Error>);

impl Read for Broken {
    fn read(&mut self, _: &mut [u8]) -> io::Result<usize> {
        self.0.take().map_or(Ok(0), Err)
    }
}

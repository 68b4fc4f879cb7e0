//! What was collected so far, kept on disk, so that a collection that was cut off goes on where it was.
//!
//! A journal is NDJSON: a first line that says what is being collected, then a line for each page that was read.
//! A line that was torn when the program was killed is passed over. It holds what the adapter made of a page and
//! never the page itself, so that nothing stays that an adapter does not take.

use std::collections::{BTreeSet, HashMap};
use std::fs::{self, File, OpenOptions};
use std::io::{self, BufRead, BufReader, Write};
use std::path::{Path, PathBuf};
use std::sync::Mutex;

use crate::log::Lines;
use jiff::{SignedDuration, Timestamp};
use pasaporte_read::files;
use serde::{Deserialize, Serialize};
use serde_json::value::RawValue;

/// The folder within an estate's that journals are kept in.
pub(crate) const FOLDER: &str = ".gather";

/// How lines are written.
const VERSION: u32 = 2;

/// A page that was read.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub(crate) struct Page {
    /// Which state of the thing it is of.
    pub(crate) etag: Option<String>,
    /// Where the next page is.
    pub(crate) next: Option<String>,
    /// How many requests it took.
    pub(crate) tries: u32,
    /// How many items came back.
    pub(crate) items: usize,
    /// What was kept of items, for what is asked about them.
    pub(crate) kept: Vec<Box<RawValue>>,
    /// The entities that the adapter made.
    pub(crate) entities: Vec<Box<RawValue>>,
    /// A document to stand beside the estate: its name and its text.
    #[serde(default)]
    pub(crate) document: Option<(String, String)>,
    /// Fields beside its items that nothing reads.
    #[serde(default)]
    pub(crate) unread: BTreeSet<String>,
    /// Lines of a log. They are in no journal: they may hold what nobody should keep.
    #[serde(skip)]
    pub(crate) lines: Box<Lines>,
}

#[derive(Serialize, Deserialize)]
struct Line<'p> {
    of: std::borrow::Cow<'p, str>,
    page: std::borrow::Cow<'p, Page>,
}

#[derive(Debug, Serialize, Deserialize)]
struct First {
    journal: u32,
    of: String,
    as_of: Timestamp,
}

/// What a journal is of.
#[derive(Debug, Clone)]
pub(crate) struct Of {
    /// Of what is being collected, to know it again.
    pub(crate) digest: String,
    /// When it is true.
    pub(crate) as_of: Timestamp,
}

/// How old a journal may be to be gone on with: an estate is of one day.
const OLDEST: SignedDuration = SignedDuration::from_hours(24);

/// The journal of one source.
pub(crate) struct Journal {
    path: PathBuf,
    known: HashMap<String, Page>,
    file: Mutex<File>,
    /// When the first of what is in it is true.
    begun: Timestamp,
    /// The time of one that lay there and was too old.
    too_old: Option<Timestamp>,
}

impl Journal {
    /// Goes on with the journal of a folder, if it is of the same and not too old; else begins one.
    pub(crate) fn open(folder: &Path, source: &str, of: Of, fresh: bool) -> io::Result<Self> {
        let path = files::place(folder, &Path::new(FOLDER).join(format!("{source}.journal")))?;
        let mut first = First { journal: VERSION, of: of.digest, as_of: of.as_of };
        let mut known = HashMap::new();
        let mut goes_on = false;
        let mut too_old = None;
        if !fresh && let Ok(file) = files::open(&path) {
            let mut lines = BufReader::new(file).split(b'\n').map_while(Result::ok);
            let begun = lines.next().and_then(|line| serde_json::from_slice::<First>(&line).ok());
            if let Some(begun) = begun.filter(|it| it.journal == VERSION && it.of == first.of) {
                goes_on = begun.as_of.duration_until(first.as_of).abs() <= OLDEST;
                if goes_on {
                    first.as_of = begun.as_of.min(first.as_of);
                } else {
                    too_old = Some(begun.as_of);
                }
            }
            if goes_on {
                for line in lines {
                    // The last one may be torn.
                    if let Ok(Line { of, page }) = serde_json::from_slice::<Line<'_>>(&line) {
                        known.insert(of.into_owned(), page.into_owned());
                    }
                }
            }
        }
        let mut file = OpenOptions::new().create(true).append(true).open(&path)?;
        if goes_on {
            // What follows a torn line begins on a line of its own.
            file.write_all(b"\n")?;
        } else {
            file.set_len(0)?;
            let mut line = serde_json::to_vec(&first)?;
            line.push(b'\n');
            file.write_all(&line)?;
        }
        Ok(Self { path, known, file: Mutex::new(file), begun: first.as_of, too_old })
    }

    /// When the first of what is in it is true.
    pub(crate) fn begun(&self) -> Timestamp {
        self.begun
    }

    /// The time of one that lay there and was too old to be gone on with.
    pub(crate) fn too_old(&self) -> Option<Timestamp> {
        self.too_old
    }

    /// How many pages are known already.
    pub(crate) fn len(&self) -> usize {
        self.known.len()
    }

    /// A page that was read before.
    pub(crate) fn get(&self, of: &str) -> Option<&Page> {
        self.known.get(of)
    }

    /// Keeps a page.
    pub(crate) fn keep(&self, of: &str, page: &Page) -> io::Result<()> {
        let line = Line { of: of.into(), page: std::borrow::Cow::Borrowed(page) };
        let mut text = serde_json::to_vec(&line)?;
        text.push(b'\n');
        self.file.lock().expect("nobody panics while holding it").write_all(&text)
    }

    /// Ends a collection that is complete and written.
    pub(crate) fn end(self) -> io::Result<()> {
        drop(self.file);
        fs::remove_file(&self.path)?;
        // The folder goes with the last journal in it.
        if let Some(folder) = self.path.parent() {
            let _ = fs::remove_dir(folder);
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn page(items: usize) -> Page {
        let entities = vec![RawValue::from_string(r#"{"scope":{"id":"tides"}}"#.to_owned()).unwrap()];
        Page {
            etag: None,
            next: None,
            tries: 1,
            items,
            kept: Vec::new(),
            entities,
            document: None,
            unread: BTreeSet::new(),
            lines: Box::default(),
        }
    }

    fn open(folder: &Path, of: &str, as_of: &str) -> Journal {
        let of = Of { digest: of.to_owned(), as_of: as_of.parse().unwrap() };
        Journal::open(folder, "levante", of, false).unwrap()
    }

    #[test]
    fn what_is_more_than_a_day_older_than_the_estate_is_begun_anew() {
        let folder = tempfile::tempdir().unwrap();
        let at = |as_of| open(folder.path(), "one", as_of);
        let begun = Some("2026-11-20T06:00:00Z".parse().unwrap());
        at("2026-11-20T06:00:00Z").keep("a", &page(1)).unwrap();
        let journal = at("2026-11-21T06:00:00Z");
        assert_eq!((journal.len(), Some(journal.begun()), journal.too_old()), (1, begun, None));
        // Going on with it does not make it younger.
        let journal = at("2026-11-21T06:00:01Z");
        assert_eq!((journal.len(), journal.too_old()), (0, begun));
        // Nor is it one of the past that is yet to come.
        assert_eq!(at("2026-11-19T06:00:00Z").len(), 0);
    }

    #[test]
    fn goes_on_after_a_torn_line_and_only_with_the_same() {
        let folder = tempfile::tempdir().unwrap();
        let open = |of: &str| open(folder.path(), of, "2026-11-20T06:00:00Z");
        let journal = open("one");
        journal.keep("a", &page(1)).unwrap();
        journal.file.lock().unwrap().write_all(br#"{"of":"b","etag":"#).unwrap();
        drop(journal);
        let journal = open("one");
        assert_eq!(journal.get("a").map(|page| page.items), Some(1));
        assert!(journal.get("b").is_none());
        journal.keep("b", &page(2)).unwrap();
        drop(journal);
        assert_eq!(open("one").get("b").map(|page| page.items), Some(2));
        assert_eq!(open("another").len(), 0);
    }
}

//! Digesting logs into a file of the estate: what `usage` does with files, and `gather` with what platforms answered.

use std::path::Path;

use pasaporte_core::estate::Estate;
use pasaporte_read::files;
use pasaporte_read::seal::Seal;
use pasaporte_report::{Digested, LogOut, UnattributedOut};
use pasaporte_usage::{
    Covers, Digest, FileTold, Format as LogFormat, Input as Log, Places, Secrets, Wanted, digest, write,
};

use super::{Sheet, Stop, now, seal, unwritable};
use crate::view;

/// Clocks of those who write logs may be wrong by so much, in seconds.
const DAY: i64 = 24 * 60 * 60;

/// How to digest.
#[derive(Default)]
pub(super) struct Asked {
    /// The key of fingerprints, where there is one.
    pub(super) seal: Option<Seal>,
    /// Other parameters and headers that carry keys.
    pub(super) key_in: Vec<String>,
    /// How all logs are written, where that is said.
    pub(super) read_as: Option<LogFormat>,
    /// What the logs hold all of.
    pub(super) covers: Vec<Covers>,
    /// The host that was called where a log does not say.
    pub(super) host: Option<String>,
    /// Of so many in a hundred lines that cannot be read, the rest is a blind spot.
    pub(super) bad_lines: u32,
}

/// Of so many in a hundred lines that cannot be read, the rest is a blind spot, where nothing else is said.
pub(super) const BAD_LINES: u32 = 1;

/// An estate that logs can be held against.
pub(super) struct Digesting<'e> {
    places: Places<'e>,
    secrets: Secrets,
    wanted: Wanted,
    bad_lines: u32,
    sealed: bool,
}

impl<'e> Digesting<'e> {
    /// Prepares an estate.
    pub(super) fn new(estate: &'e Estate, asked: Asked, sheet: &Sheet<'_>) -> Result<Self, Stop> {
        let heeded = sheet.configured()?;
        let key_in = [&asked.key_in[..], &heeded.config.keys_in].concat();
        let sealed = asked.seal.is_some();
        let seal = match asked.seal {
            Some(seal) => seal,
            None => seal::for_once()?,
        };
        let until = estate.as_of().map_or(now(), |time| time.max(now())).as_second() + DAY;
        let places = Places::new(estate);
        if let Some(unknown) = asked.covers.iter().find(|it| !places.has_scope(&it.scope)) {
            return Err(Stop::Misused {
                message: format!(
                    "--covers names {}, which is no scope of the estate",
                    view::safe(&unknown.scope)
                ),
                help: "`pasaporte list scopes` shows them".to_owned(),
            });
        }
        Ok(Self {
            places,
            secrets: Secrets::new(estate, seal, &key_in),
            wanted: Wanted { read_as: asked.read_as, covers: asked.covers, host: asked.host, until },
            bad_lines: asked.bad_lines,
            sealed,
        })
    }

    /// Digests logs into a file, which is not written where nothing in them is about the estate.
    pub(super) fn run(
        &self,
        logs: &[Log],
        out: &Path,
        sheet: &mut Sheet<'_>,
    ) -> Result<(Digest, Digested), Stop> {
        let made =
            sheet.while_waiting("digesting", || digest(logs, &self.places, &self.secrets, &self.wanted));
        if made.told.rows > 0 {
            let written = files::replace(out, files::For::All, |file| {
                let mut out = std::io::BufWriter::new(file);
                write(&made, &self.secrets.seal().id(), self.bad_lines, &mut out)?;
                std::io::Write::flush(&mut out)
            });
            written.map_err(|error| unwritable(out, &error))?;
        }
        let told = told(&made, out, self.sealed);
        Ok((made, told))
    }
}

/// Why there is nothing to write.
pub(super) fn nothing(made: &Digest) -> Stop {
    let lines: u64 = made.told.files.iter().map(|file| file.lines).sum();
    let bad: u64 = made.told.files.iter().map(|file| file.bad).sum();
    let commonest = made.told.commonest.first().map(|it| format!("; most often {}", view::safe(&it.what)));
    let unknown = made.told.files.iter().find(|file| file.format.is_none());
    let (message, help) = if let Some(file) = unknown.filter(|_| lines == 0) {
        let why = file.broke_off.as_deref().unwrap_or("its format was not recognised");
        (
            format!("{}: {}", view::safe(&file.name), view::safe(why)),
            "say how it is written with --read-as; docs/logs.md has the formats",
        )
    } else if bad == lines {
        (
            format!("none of {lines} lines could be read"),
            "say how they are written with --read-as; docs/logs.md has the formats",
        )
    } else {
        (
            format!(
                "none of {} events is about anything in the estate{}",
                made.told.events,
                commonest.unwrap_or_default()
            ),
            "name the estate that these logs are of; nothing was written, and nothing is called unused by them",
        )
    };
    Stop::Misused { message, help: help.to_owned() }
}

fn told(made: &Digest, out: &Path, sealed: bool) -> Digested {
    let log = |file: &FileTold| LogOut {
        log: file.name.clone(),
        format: file.format.map(LogFormat::word),
        lines: file.lines,
        bad: file.bad,
        first_bad: file.bad_lines.iter().map(|bad| (bad.line, bad.why)).collect(),
        twice: file.twice,
        repeated: file.repeated,
        broke_off: file.broke_off.clone(),
        trouble: None,
    };
    let unattributed = made.told.commonest.iter();
    Digested::new(
        out.to_string_lossy().into_owned(),
        made.told.files.iter().map(log).collect(),
        made.told.events,
        made.told.unplaced,
        unattributed.map(|it| UnattributedOut { what: it.what.clone(), count: it.count }).collect(),
        made.told.rows,
        sealed,
    )
}

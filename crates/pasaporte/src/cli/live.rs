//! `pasaporte demo --live`: the sample estate, gathered from the stand-ins instead of carried.

use std::fs;
use std::path::{Path, PathBuf};
use std::time::Duration;

use jiff::{SignedDuration, Timestamp};
use pasaporte_core::estate::{EndpointId, Estate};
use pasaporte_gather::{Range, Reaching, Secret};
use pasaporte_read::diagnostic::Diagnostics;
use pasaporte_read::estate::{Beside, load};
use pasaporte_read::seal::Seal;
use pasaporte_read::text::Source;
use pasaporte_report::LoggedOut;
use pasaporte_stand_in::{CLIENT, Options, SAMPLE_END, SAMPLE_SEAL, names, start};

use super::demo::{Demo, write};
use super::digesting::{Asked, BAD_LINES, Digesting};
use super::sample::{self, FILES};
use super::{Done, Sheet, Stop, gather, knock, stand_in, unwritable};
use crate::session::Session;
use crate::view;

/// What no platform knows: the company's tree, its people, what actions do, what contracts promise, what definition
/// files declare. What came back from endpoints is found out anew, and so is what logs show.
fn own() -> impl Iterator<Item = (&'static str, &'static str)> {
    let gathered = |name: &str| names().any(|platform| name == format!("{platform}.yaml"));
    FILES.iter().copied().filter(move |(name, _)| !gathered(name) && ![KNOCKS, USAGE].contains(name))
}

/// What the logs of the sample world show.
const USAGE: &str = "usage.ndjson";

/// What came back from the endpoints of the sample estate.
const KNOCKS: &str = "knocks.ndjson";

impl Demo {
    /// The same from the platforms themselves.
    pub(super) fn live(&self, sheet: &mut Sheet<'_>) -> Done {
        let secret = stand_in::secret();
        let options = Options {
            secret: secret.clone(),
            doors: stand_in::doors(sample::session(Path::new("demo"))?.estate()),
            logs_until: SAMPLE_END,
            ..Options::default()
        };
        let running = start(options).map_err(|error| Stop::Misused {
            message: format!("the platforms cannot be served: {error}"),
            help: "leave out --live to read the estate that the program carries".to_owned(),
        })?;
        let scratch;
        let folder = if let Some(folder) = &self.folder {
            folder
        } else {
            scratch = Scratch::new()?;
            &scratch.0
        };
        write(folder, &own().collect::<Vec<_>>())?;
        let source = |name| {
            let url = format!("http://{}/{name}", running.address());
            pasaporte_gather::Source::at(name, name, &url, CLIENT, Some(Secret::new(secret.clone())))
        };
        let sources: Vec<_> = names().map(source).collect();
        let wanted = gather::Wanted {
            out: folder,
            fresh: true,
            as_of: super::now(),
            save: None,
            seal: None,
            range: Some(logged()?),
            quiet: sheet.quiet,
        };
        let (told, logs) = gather::collect(&sources, wanted, Reaching::default())?;
        let shown = self.folder.as_deref().unwrap_or(Path::new("demo"));
        sheet.text(&view::gathered(sheet.page, &told, shown))?;
        sheet.text("\n")?;
        let session = read(folder, shown)?;
        let logs = digested(session.estate(), logs, folder, sheet)?;
        sheet.text(&view::logged(sheet.page, &logs))?;
        sheet.text("\n")?;
        try_doors(sheet, session.estate(), folder, &format!("http://{}/", running.address()))?;
        self.show(sheet, &read(folder, shown)?)
    }
}

/// The time that the logs of the sample world are of, which ends when its estate is true.
fn logged() -> Result<Range, Stop> {
    let to = Timestamp::from_second(SAMPLE_END).map_err(std::io::Error::other)?;
    Ok(Range { from: to - SignedDuration::from_hours(24 * 90), to })
}

/// What logs show, under the seal of the sample world.
fn digested(
    estate: &Estate,
    logs: Vec<gather::Logs>,
    folder: &Path,
    sheet: &mut Sheet<'_>,
) -> Result<Vec<LoggedOut>, Stop> {
    let asked = Asked { seal: Seal::new(SAMPLE_SEAL.to_vec()), bad_lines: BAD_LINES, ..Asked::default() };
    let digesting = Digesting::new(estate, asked, sheet)?;
    gather::digested(&digesting, logs, folder, sheet)
}

/// Tries the endpoints that the platforms serve at an address of this machine, and no other that the folder may name.
fn try_doors(sheet: &mut Sheet<'_>, estate: &Estate, folder: &Path, served: &str) -> Result<(), Stop> {
    let mut all: Vec<EndpointId> = estate.all::<EndpointId>().map(|(id, _)| id).collect();
    all.sort_by_key(|id| estate.id(*id));
    let (mut doors, _) = knock::doors(estate, &all, false);
    doors.retain(|door| door.url.starts_with(served));
    let tried = knock::tried(&doors, &Reaching::default(), Duration::ZERO, sheet.quiet)?;
    gather::write(&folder.join(KNOCKS), &knock::evidence(&tried))?;
    let told = view::knock_summary(sheet.page, &knock::held(estate, &tried, Vec::new()));
    sheet.text(&format!("{told}\n"))
}

/// The estate in a folder, under the name that is shown of it.
fn read(folder: &Path, shown: &Path) -> Result<Session, Stop> {
    let mut diagnostics = Diagnostics::default();
    let sources =
        Source::find(&[folder.to_owned()], &mut diagnostics).into_iter().map(|source| match source {
            Source::File { path, form, .. } => {
                let inside = path.strip_prefix(folder).unwrap_or(&path);
                Source::File { name: view::safe(&shown.join(inside).to_string_lossy()), path, form }
            }
            other => other,
        });
    let sources: Vec<Source> = sources.collect();
    let estate = load(&sources, &Beside::default(), diagnostics).map_err(Stop::Wrong)?;
    Ok(Session::new(estate, sources, Beside::default()))
}

/// A folder that goes when it is no longer needed.
struct Scratch(PathBuf);

impl Scratch {
    fn new() -> Result<Self, Stop> {
        let path = std::env::temp_dir().join(format!("pasaporte-{}", stand_in::secret()));
        fs::create_dir(&path).map_err(|error| unwritable(&path, &error))?;
        Ok(Self(path))
    }
}

impl Drop for Scratch {
    fn drop(&mut self) {
        // What cannot be taken away is left in the folder for such things.
        let _ = fs::remove_dir_all(&self.0);
    }
}

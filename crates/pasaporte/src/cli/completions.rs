//! `pasaporte completions` and `pasaporte man`: what a shell and a manual need to know of the program.

use std::ffi::OsStr;
use std::fs;
use std::path::{Path, PathBuf};

use clap::{Args, Command, CommandFactory};
use clap_complete::env::Shells;
use clap_complete::{CompleteEnv, CompletionCandidate};
use pasaporte_audit::Catalogue;
use pasaporte_core::estate::{Estate, FunctionId, GroupId, IdentityId, Kept, KeyId, ResourceId, UserId};
use pasaporte_read::diagnostic::Diagnostics;
use pasaporte_read::estate::{Beside, load};
use pasaporte_read::files::{self, For};
use pasaporte_read::text::Source;

use super::config::Which;
use super::{Cli, Done, Input, Sheet, unwritable};

/// By this a shell asks the program itself what may come next.
const ASKED_BY: &str = "PASAPORTE_COMPLETE";

/// An estate of more bytes than this is not read while somebody waits for a completion.
const MOST_READ: u64 = 32 << 20;

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    pasaporte completions bash >> ~/.bashrc\n  \
    pasaporte completions fish > ~/.config/fish/completions/pasaporte.fish\n\n\
    Ids are those of the estate in PASAPORTE_ESTATE, or of this folder.")]
pub(crate) struct Completions {
    /// The shell
    #[arg(value_parser = ["bash", "zsh", "fish", "powershell", "elvish"])]
    shell: String,
}

impl Completions {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let shells = Shells::builtins();
        if let Some(shell) = shells.completer(&self.shell) {
            shell.write_registration(ASKED_BY, "pasaporte", "pasaporte", "pasaporte", sheet.out)?;
        }
        Ok(0)
    }
}

/// Answers a shell that asks what may come next, and ends; else does nothing.
pub(super) fn answer() {
    CompleteEnv::with_factory(Cli::command).var(ASKED_BY).complete();
}

#[derive(Debug, Args)]
#[command(after_help = "Example:\n  pasaporte man ~/.local/share/man/man1")]
pub(crate) struct Man {
    /// The folder to write the pages into, one for each command
    folder: PathBuf,
}

impl Man {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let mut command = Cli::command().disable_help_subcommand(true);
        command.build();
        let written = fs::create_dir_all(&self.folder).and_then(|()| self.write(&command));
        written.map_err(|error| unwritable(&self.folder, &error))?;
        sheet
            .text(&format!("Manual pages are in {}.\n", crate::view::safe(&self.folder.to_string_lossy())))?;
        Ok(0)
    }

    /// Writes the page of a command, and those of the commands below it.
    fn write(&self, command: &Command) -> std::io::Result<()> {
        for below in command.get_subcommands().filter(|below| !below.is_hide_set()) {
            self.write(below)?;
        }
        let page = clap_mangen::Man::new(command.clone());
        let path = self.folder.join(page.get_filename());
        files::replace(&path, For::All, |file| page.render(file))
    }
}

/// The estate that is being asked about, where it is at hand and not too large.
fn estate() -> Option<Estate> {
    let given = std::env::args_os().skip(1).map(PathBuf::from).filter(|path| path.exists());
    let mut paths: Vec<PathBuf> = given.filter(|path| path != Path::new(".") && !is_program(path)).collect();
    if paths.is_empty() {
        paths = Input::default_paths(&Which::default().read().ok()?).ok()?;
    }
    let sources = Source::find(&paths, &mut Diagnostics::default());
    let size: u64 = sources.iter().filter_map(Source::size).sum();
    if size > MOST_READ {
        return None;
    }
    load(&sources, &Beside::default(), Diagnostics::default()).ok()
}

fn is_program(path: &Path) -> bool {
    std::env::current_exe().is_ok_and(|program| fs::canonicalize(path).is_ok_and(|path| path == program))
}

fn beginning_with(current: &OsStr, all: impl IntoIterator<Item = String>) -> Vec<CompletionCandidate> {
    let begun = current.to_string_lossy();
    let mut all: Vec<String> = all.into_iter().filter(|id| id.starts_with(&*begun)).collect();
    all.sort_unstable();
    all.dedup();
    all.into_iter().map(CompletionCandidate::new).collect()
}

/// Ids without their kinds: that is enough where nothing else is meant, and some shells end a word at a colon.
fn ids<K: Kept>(estate: &Estate) -> impl Iterator<Item = String> {
    let bare = |id: &str| id.split_once(':').map_or(id, |(_, id)| id).to_owned();
    estate.all::<K>().map(move |(id, _)| bare(estate.id(id)))
}

/// Functions.
pub(super) fn functions(current: &OsStr) -> Vec<CompletionCandidate> {
    estate().map_or_else(Vec::new, |estate| beginning_with(current, ids::<FunctionId>(&estate)))
}

/// Endpoints.
#[cfg(feature = "network")]
pub(super) fn endpoints(current: &OsStr) -> Vec<CompletionCandidate> {
    estate().map_or_else(Vec::new, |estate| {
        beginning_with(current, ids::<pasaporte_core::estate::EndpointId>(&estate))
    })
}

/// Whoever may do something.
pub(super) fn principals(current: &OsStr) -> Vec<CompletionCandidate> {
    estate().map_or_else(Vec::new, |estate| {
        let all = ids::<FunctionId>(&estate)
            .chain(ids::<IdentityId>(&estate))
            .chain(ids::<UserId>(&estate))
            .chain(ids::<GroupId>(&estate))
            .chain(ids::<KeyId>(&estate))
            .chain(["anyone", "signed-in"].map(str::to_owned));
        beginning_with(current, all)
    })
}

/// Whatever something may be done to.
pub(super) fn resources(current: &OsStr) -> Vec<CompletionCandidate> {
    estate().map_or_else(Vec::new, |estate| {
        let all = ids::<ResourceId>(&estate)
            .chain(ids::<FunctionId>(&estate))
            .chain(ids::<IdentityId>(&estate))
            .chain(ids::<KeyId>(&estate));
        beginning_with(current, all)
    })
}

/// Actions of which something speaks.
pub(super) fn actions(current: &OsStr) -> Vec<CompletionCandidate> {
    estate().map_or_else(Vec::new, |estate| {
        let effects = pasaporte_core::effect::Effects::new(&estate);
        beginning_with(current, effects.known_actions().all())
    })
}

/// Rules.
pub(super) fn rules(current: &OsStr) -> Vec<CompletionCandidate> {
    beginning_with(current, Catalogue::shipped().ids().map(str::to_owned))
}

//! The seal: a file with the key of fingerprints, and values that come on standard input to be sealed.

use std::fs;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};

use pasaporte_read::files::{self, owned_alone};
use pasaporte_read::seal::{LEAST, Seal};

use super::{Sheet, Stop};
use crate::view;

/// The longest value that is read.
const LONGEST: u64 = 64 << 10;

/// The seal in the file that is named, or else in that of the configuration, if there is one.
pub(super) fn maybe(path: Option<&PathBuf>, sheet: &Sheet<'_>) -> Result<Option<Seal>, Stop> {
    let path = match path {
        Some(path) => Some(path.clone()),
        None => sheet.configured()?.seal(),
    };
    path.map(|path| of_file(&path)).transpose()
}

/// The seal in the file that is named, or else in that of the configuration.
pub(super) fn named(path: Option<&PathBuf>, sheet: &Sheet<'_>) -> Result<Seal, Stop> {
    maybe(path, sheet)?.ok_or_else(|| Stop::Misused {
        message: "no file with the key of fingerprints is named".to_owned(),
        help: "name one with --seal, or as `seal` in pasaporte.toml; it is made if it is not there"
            .to_owned(),
    })
}

/// The seal in a file; a new one where there is none.
pub(super) fn of_file(path: &Path) -> Result<Seal, Stop> {
    let name = view::safe(&path.to_string_lossy());
    let failed =
        |why: &str, help: &str| Stop::Misused { message: format!("{name} {why}"), help: help.to_owned() };
    if !path.exists() {
        let bytes = random(&failed)?;
        let mut open = fs::OpenOptions::new();
        open.write(true).create_new(true);
        #[cfg(unix)]
        std::os::unix::fs::OpenOptionsExt::mode(&mut open, 0o600);
        let made = open.open(path).and_then(|mut file| file.write_all(&bytes));
        made.map_err(|error| failed(&format!("cannot be made: {error}"), "name a file that you may write"))?;
        return Ok(sealing(bytes));
    }
    owned_alone(path).map_err(|(why, help)| failed(&why, &help))?;
    let bytes =
        files::read(path).map_err(|error| failed(&format!("cannot be read: {error}"), "check its name"))?;
    let help = "name a file of 32 random bytes or more, or one to be made";
    Seal::new(bytes).ok_or_else(|| failed("is too short for a seal", help))
}

/// A seal for once: what is made under it matches nothing else.
pub(super) fn for_once() -> Result<Seal, Stop> {
    let failed =
        |why: &str, help: &str| Stop::Misused { message: format!("a seal {why}"), help: help.to_owned() };
    Ok(sealing(random(&failed)?))
}

fn random(failed: &impl Fn(&str, &str) -> Stop) -> Result<Vec<u8>, Stop> {
    let mut key = vec![0; LEAST];
    getrandom::fill(&mut key).map_err(|_| failed("cannot be made: there is no randomness", "try again"))?;
    Ok(key)
}

fn sealing(bytes: Vec<u8>) -> Seal {
    Seal::new(bytes).expect("it was made long enough")
}

/// A value from standard input, that is to be sealed.
pub(super) fn value(what: &str, help: &str) -> Result<String, Stop> {
    let mut value = String::new();
    let read = std::io::stdin().lock().take(LONGEST + 1).read_to_string(&mut value);
    if read.is_err() || value.len() as u64 > LONGEST {
        return Err(Stop::Misused {
            message: format!("not a {what}: what came on standard input is no text, or too long"),
            help: help.to_owned(),
        });
    }
    Ok(value)
}

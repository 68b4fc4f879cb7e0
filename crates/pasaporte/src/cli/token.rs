//! `pasaporte token`: register a token by what it claims and a keyed fingerprint; it is kept nowhere.

use std::fs;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};

use clap::Args;
use pasaporte_read::files::{self, owned_alone};
use pasaporte_read::token::{Registration, register};

use super::{Done, Sheet, Stop};
use crate::view;

/// The longest token that is read.
const LONGEST: u64 = 64 << 10;
/// The length of a seal that is made, in bytes.
const SEAL: usize = 32;

#[derive(Debug, Args)]
#[command(after_help = "The token comes on standard input, and its entry goes to standard output:\n\n  \
                        pasaporte token --id web-client --public --seal ~/.pasaporte-seal < token > estate/web-client.ndjson")]
pub(crate) struct Token {
    /// The id that it gets in the estate
    #[arg(long)]
    id: String,
    /// The verifier that it was made for
    #[arg(long)]
    verifier: Option<String>,
    /// It is handed to public clients: it stands in pages or apps
    #[arg(long)]
    public: bool,
    /// The file with the key of fingerprints, which only its owner may read; made if it is not there
    #[arg(long, value_name = "FILE")]
    seal: PathBuf,
}

impl Token {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let mut token = String::new();
        let read = std::io::stdin().lock().take(LONGEST + 1).read_to_string(&mut token);
        if read.is_err() || token.len() as u64 > LONGEST {
            return Err(Stop::Misused {
                message: "not a token: what came on standard input is no text, or too long".to_owned(),
                help: "give one JSON Web Token (RFC 7519)".to_owned(),
            });
        }
        let seal = seal(&self.seal)?;
        let as_what = Registration { id: &self.id, verifier: self.verifier.as_deref(), public: self.public };
        let lines =
            register(&token, as_what, &seal).map_err(|(message, help)| Stop::Misused { message, help })?;
        sheet.text(&lines)?;
        Ok(0)
    }
}

/// The key of fingerprints; a new one where there is none.
fn seal(path: &Path) -> Result<Vec<u8>, Stop> {
    let name = view::safe(&path.to_string_lossy());
    let failed =
        |why: &str, help: &str| Stop::Misused { message: format!("{name} {why}"), help: help.to_owned() };
    if !path.exists() {
        let mut key = [0; SEAL];
        getrandom::fill(&mut key)
            .map_err(|_| failed("cannot be made: there is no randomness", "try again"))?;
        let mut open = fs::OpenOptions::new();
        open.write(true).create_new(true);
        #[cfg(unix)]
        std::os::unix::fs::OpenOptionsExt::mode(&mut open, 0o600);
        let made = open.open(path).and_then(|mut file| file.write_all(&key));
        made.map_err(|error| failed(&format!("cannot be made: {error}"), "name a file that you may write"))?;
        return Ok(key.to_vec());
    }
    owned_alone(path).map_err(|(why, help)| failed(&why, &help))?;
    let key =
        files::read(path).map_err(|error| failed(&format!("cannot be read: {error}"), "check its name"))?;
    if key.len() < SEAL {
        return Err(failed(
            "is too short for a seal",
            "name a file of 32 random bytes or more, or one to be made",
        ));
    }
    Ok(key)
}

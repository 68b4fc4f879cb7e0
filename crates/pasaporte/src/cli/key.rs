//! `pasaporte key`: give a key of the estate its fingerprint, so that its value is known where logs have it.

use std::path::PathBuf;

use clap::Args;
use pasaporte_read::shown_name;

use super::{Done, Sheet, Stop, seal};

#[derive(Debug, Args)]
#[command(
    after_help = "The value comes on standard input, and its fingerprint goes to standard output:\n\n  \
                        pasaporte key sell-key --seal ~/.pasaporte-seal < value > estate/sell-key.ndjson"
)]
pub(crate) struct Key {
    /// The key, by its id in the estate
    #[arg(value_name = "KEY")]
    id: String,
    /// The file with the key of fingerprints, which only its owner may read; made if it is not there [default: that of
    /// the configuration]
    #[arg(long, value_name = "FILE")]
    seal: Option<PathBuf>,
}

impl Key {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let id = self.id.strip_prefix("key:").unwrap_or(&self.id);
        if shown_name(id) != id || id.is_empty() {
            return Err(Stop::Misused {
                message: "not the id of a key".to_owned(),
                help: "`pasaporte list keys` shows them; the value comes on standard input".to_owned(),
            });
        }
        let value = seal::value("key", "give the value of one key, and nothing else")?;
        let value = value.trim();
        if value.is_empty() || value.chars().any(char::is_whitespace) {
            return Err(Stop::Misused {
                message: "not a key: it is empty, or has blanks".to_owned(),
                help: "give the value of one key, and nothing else".to_owned(),
            });
        }
        let seal = seal::named(self.seal.as_ref(), sheet)?;
        let header = serde_json::json!({ "estate": 1, "seal": seal.id() });
        let entry = serde_json::json!({ "of": format!("key:{id}"), "is": seal.fingerprint(value) });
        sheet.text(&format!("{header}\n{}\n", serde_json::json!({ "fingerprint": entry })))?;
        Ok(0)
    }
}

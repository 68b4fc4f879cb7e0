//! `pasaporte token`: register a token by what it claims and a keyed fingerprint; it is kept nowhere.

use std::path::PathBuf;

use clap::Args;
use pasaporte_read::token::{Registration, register};

use super::{Done, Sheet, Stop, seal};

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
    /// The file with the key of fingerprints, which only its owner may read; made if it is not there [default: that of
    /// the configuration]
    #[arg(long, value_name = "FILE")]
    seal: Option<PathBuf>,
}

impl Token {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let token = seal::value("token", "give one JSON Web Token (RFC 7519)")?;
        let seal = seal::named(self.seal.as_ref(), sheet)?;
        let as_what = Registration { id: &self.id, verifier: self.verifier.as_deref(), public: self.public };
        let lines =
            register(&token, as_what, &seal).map_err(|(message, help)| Stop::Misused { message, help })?;
        sheet.text(&lines)?;
        Ok(0)
    }
}

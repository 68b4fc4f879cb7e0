//! API contracts: OpenAPI 3.0 and 3.1, as far as they say who may call what.
//!
//! Real documents are large and odd, so only what is asked for is looked at, and what cannot be understood is noted
//! at its line while the rest goes on: the document as a whole fails only where it is not OpenAPI 3.

mod openapi;
mod reference;
mod security;
mod servers;

use pasaporte_core::estate::KeyPlace;

use crate::diagnostic::Diagnostics;
use crate::text::Position;

pub(crate) use openapi::read;

/// A contract as a document says it.
#[derive(Debug, Default, PartialEq)]
pub(crate) struct Document {
    pub(crate) operations: Vec<Operation>,
    pub(crate) unread: Vec<Unread>,
}

/// A method on a path.
#[derive(Debug, PartialEq)]
pub(crate) struct Operation {
    pub(crate) method: &'static str,
    pub(crate) path: String,
    pub(crate) prefixes: Vec<String>,
    /// The alternatives; none where they could not be understood.
    pub(crate) asks: Option<Vec<Vec<Scheme>>>,
    pub(crate) at: Position,
}

/// Something that a caller shows.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Scheme {
    pub(crate) kind: Kind,
    pub(crate) scopes: Vec<String>,
}

/// A kind of proof (OpenAPI 3.1, Security Scheme Object).
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Kind {
    Key(KeyPlace, String),
    Bearer,
    Http(String),
    OAuth2,
    OpenIdConnect,
    MutualTls,
}

/// What could not be understood, and where.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Unread {
    pub(crate) what: String,
    pub(crate) at: Position,
}

/// How many contracts' operations a document has, and what of it could not be read: for measuring.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Measured {
    /// Operations.
    pub operations: usize,
    /// Things that could not be understood.
    pub unread: usize,
}

/// Reads a contract from a text, as attaching it to an estate does.
pub fn measure(name: &str, text: &str, form: crate::text::Form) -> Result<Measured, Diagnostics> {
    let mut diagnostics = Diagnostics::default();
    let document = read(name, text, form, &mut diagnostics);
    match document {
        Some(it) if diagnostics.is_empty() => {
            Ok(Measured { operations: it.operations.len(), unread: it.unread.len() })
        }
        _ => Err(diagnostics),
    }
}

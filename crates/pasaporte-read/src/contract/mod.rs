//! API contracts: OpenAPI 3.0 and 3.1, as far as they say who may call what.
//!
//! Real documents are large and odd, so only what is asked for is looked at, and what cannot be understood is noted
//! at its line while the rest goes on: the document as a whole fails only where it is not OpenAPI 3.

mod openapi;
mod reference;
mod security;
mod servers;

use std::rc::Rc;

use pasaporte_core::estate::KeyPlace;

use crate::text::Position;

pub(crate) use openapi::read;

/// A contract as a document says it.
#[derive(Debug, Default, PartialEq)]
pub(crate) struct Document {
    pub(crate) operations: Vec<Operation>,
    pub(crate) unread: Vec<Unread>,
}

/// Alternatives, each of schemes that are shown together. Many operations share what stands once.
pub(crate) type Asks = Rc<Vec<Vec<Scheme>>>;

/// A method on a path.
#[derive(Debug, PartialEq)]
pub(crate) struct Operation {
    pub(crate) method: &'static str,
    pub(crate) path: String,
    pub(crate) prefixes: Rc<[String]>,
    /// The alternatives; none where they could not be understood.
    pub(crate) asks: Option<Asks>,
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
    /// The part of the document: "GET /fares".
    pub(crate) part: String,
    pub(crate) why: String,
    pub(crate) at: Position,
}

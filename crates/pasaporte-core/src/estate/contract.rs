//! API contracts: what callers of a gateway or a function should have to show, operation by operation.

use std::sync::Arc;

use super::{FunctionId, Name, Origin};

/// A document that says what operations a gateway or a function has, and what each asks of callers (OpenAPI 3).
#[derive(Debug, Clone)]
pub struct Contract {
    /// What it is a contract of.
    pub of: ContractOf,
    /// The document, as the estate names it.
    pub document: Name,
    /// The operations that could be read, in the order of the document.
    pub operations: Vec<Operation>,
    /// What of the document could not be understood.
    pub unread: Vec<Unread>,
    /// Where the contract was attached.
    pub origin: Origin,
}

/// What a contract is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ContractOf {
    /// All routes of a gateway.
    Gateway(Name),
    /// The endpoints of a function.
    Function(FunctionId),
}

/// One operation: a method on a path.
#[derive(Debug, Clone)]
pub struct Operation {
    /// The HTTP method, upper case.
    pub method: Name,
    /// The path, with blanks in braces.
    pub path: Name,
    /// What servers put before the path; empty where nothing is.
    pub prefixes: Arc<[Name]>,
    /// What it asks of callers.
    pub asks: Arc<Asked>,
    /// Where it was read.
    pub origin: Origin,
}

/// What an operation asks of callers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Asked {
    /// One of these; nothing at all where there is none, or where one of them asks for nothing.
    OneOf(Vec<Requirement>),
    /// That could not be understood.
    Unread,
}

/// What must be shown together; nothing where it is empty.
pub type Requirement = Vec<Scheme>;

/// Something that a caller shows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Scheme {
    /// What kind of proof it is.
    pub kind: SchemeKind,
    /// The scopes or roles that it must have.
    pub scopes: Vec<Name>,
}

/// A kind of proof that callers show (OpenAPI 3.1, Security Scheme Object).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SchemeKind {
    /// A key, in a parameter of that name.
    Key(KeyPlace, Name),
    /// A token in the `Authorization` header.
    Bearer,
    /// Another scheme of the `Authorization` header.
    Http(Name),
    /// A token got by OAuth 2.0.
    OAuth2,
    /// A token got by OpenID Connect.
    OpenIdConnect,
    /// A certificate of the client's own.
    MutualTls,
}

super::vocabulary! {
    /// Where a key is shown.
    KeyPlace: "a place of a key" {
        /// In the URL, and so in every log.
        Query = "query",
        /// In a header.
        Header = "header",
        /// In a cookie.
        Cookie = "cookie",
    }
}

/// A part of a document that could not be understood.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unread {
    /// Which part it is: "GET /fares".
    pub part: Name,
    /// What is wrong with it.
    pub why: Name,
    /// Where.
    pub origin: Origin,
}

impl Asked {
    /// Whether a caller needs to show nothing; not known where it was not understood.
    pub fn is_open(&self) -> Option<bool> {
        match self {
            Self::OneOf(all) => Some(all.is_empty() || all.iter().any(Vec::is_empty)),
            Self::Unread => None,
        }
    }
}

impl super::Estate {
    /// What an operation asks, in words: "a key in the header berth-key, or a bearer token".
    pub fn asked(&self, asked: &Asked) -> String {
        let Asked::OneOf(all) = asked else { return "not understood".to_owned() };
        if all.is_empty() {
            return "nothing".to_owned();
        }
        let requirement = |all: &Requirement| {
            let each: Vec<String> = all.iter().map(|scheme| self.scheme(scheme)).collect();
            if each.is_empty() { "nothing".to_owned() } else { each.join(" and ") }
        };
        all.iter().map(requirement).collect::<Vec<_>>().join(", or ")
    }

    fn scheme(&self, scheme: &Scheme) -> String {
        let kind = match scheme.kind {
            SchemeKind::Key(KeyPlace::Query, name) => format!("a key in the URL ({})", self.text(name)),
            SchemeKind::Key(place, name) => format!("a key in the {place} {}", self.text(name)),
            SchemeKind::Bearer => "a bearer token".to_owned(),
            SchemeKind::Http(name) => format!("HTTP {}", self.text(name)),
            SchemeKind::OAuth2 => "an OAuth 2.0 token".to_owned(),
            SchemeKind::OpenIdConnect => "an OpenID Connect token".to_owned(),
            SchemeKind::MutualTls => "a client certificate".to_owned(),
        };
        let scopes: Vec<&str> = scheme.scopes.iter().map(|scope| self.text(*scope)).collect();
        if scopes.is_empty() { kind } else { format!("{kind} with {}", scopes.join(" ")) }
    }
}

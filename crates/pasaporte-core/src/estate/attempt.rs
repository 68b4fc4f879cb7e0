//! Tries: what came back when somebody knocked at an endpoint with no credential.

use jiff::Timestamp;

use super::{EndpointId, Name, Origin};

/// One try of an endpoint, with no credential.
#[derive(Debug, Clone)]
pub struct Attempt {
    /// The endpoint.
    pub endpoint: EndpointId,
    /// The HTTP method, upper case.
    pub method: Name,
    /// When.
    pub at: Timestamp,
    /// What came back.
    pub came: Came,
    /// Where it was read.
    pub origin: Origin,
}

/// What came back.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Came {
    /// An HTTP status (RFC 9110 §15).
    Status(u16),
    /// No answer, and why.
    Nothing(Name),
}

super::vocabulary! {
    /// What a try shows of an endpoint's check, from least to most open.
    Shows: "what a try shows" {
        /// Whoever knocks without a credential is turned away.
        TurnedAway = "turned-away",
        /// Nothing either way.
        Unclear = "unclear",
        /// The request went past the check, since something behind it found fault with the request.
        PerhapsThrough = "perhaps-through",
        /// The request got through.
        Through = "through",
    }
}

impl Shows {
    /// What an answer to a request without a credential shows. A good answer to `OPTIONS` shows nothing: browsers ask
    /// so before they show who they are.
    pub fn of(method: &str, status: Option<u16>) -> Self {
        let asks_only = method == "OPTIONS";
        match status {
            Some(401 | 403 | 407) => Self::TurnedAway,
            Some(200..=299) if !asks_only => Self::Through,
            Some(400 | 409 | 411 | 412 | 413 | 415 | 422) if !asks_only => Self::PerhapsThrough,
            Some(_) | None => Self::Unclear,
        }
    }
}

impl super::Estate {
    /// What a try shows of its endpoint's check.
    pub fn shows(&self, attempt: &Attempt) -> Shows {
        let status = match attempt.came {
            Came::Status(status) => Some(status),
            Came::Nothing(_) => None,
        };
        Shows::of(self.text(attempt.method), status)
    }
}

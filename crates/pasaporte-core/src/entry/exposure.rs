//! How exposed something is: the widest circle of those who can use it (access-model §10).

use crate::estate::{EndpointId, FunctionId, Vocabulary};

crate::estate::vocabulary! {
    /// Who can use a weakness, from the widest circle to the narrowest (access-model §10).
    Exposure: "an exposure" {
        /// Anyone on the network.
        Anyone = "anyone",
        /// Any signed-in caller of the platform, or whoever has a public token.
        SignedIn = "signed-in",
        /// A party outside the estate.
        Outsider = "outsider",
        /// Holders of a key or token.
        KeyHolders = "key-holders",
        /// Those inside.
        Insiders = "insiders",
    }
}

/// An exposure and what makes it so.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Exposed {
    /// How wide the circle is, perhaps.
    pub to: Exposure,
    /// Whether it is surely that wide.
    pub surely: bool,
    /// How wide it surely is.
    pub surely_to: Exposure,
    /// The function that lets them in, and the endpoint where it is one.
    pub through: Option<(FunctionId, Option<EndpointId>)>,
}

impl Exposed {
    /// Exposed to nobody but insiders.
    pub const INSIDE: Self = Self::surely(Exposure::Insiders);

    /// Surely exposed to a circle.
    pub const fn surely(to: Exposure) -> Self {
        Self { to, surely: true, surely_to: to, through: None }
    }

    /// The exposure of what the code holds: callers influence it, they do not control it
    /// (access-model §7), so each circle counts as the next narrower one.
    pub fn through_code(self) -> Self {
        Self { to: self.to.narrower(), surely_to: self.surely_to.narrower(), ..self }
    }

    /// The wider of two; of two that are as wide, the surer.
    pub fn wider(self, other: Self) -> Self {
        // The order of exposures is from wide to narrow; a sure one is worse than one that depends.
        let wider = if (other.to, !other.surely) < (self.to, !self.surely) { other } else { self };
        Self { surely_to: self.surely_to.min(other.surely_to), ..wider }
    }
}

impl Exposure {
    /// "anyone on the internet", "holders of a key".
    pub fn phrase(self) -> &'static str {
        match self {
            Self::Anyone => "anyone",
            Self::SignedIn => "any signed-in caller",
            Self::Outsider => "a party outside the estate",
            Self::KeyHolders => "whoever holds a key or token",
            Self::Insiders => "insiders only",
        }
    }

    /// All exposures, widest first.
    pub fn all() -> impl Iterator<Item = Self> {
        Self::ALL.iter().map(|(_, exposure)| *exposure)
    }

    fn narrower(self) -> Self {
        match self {
            Self::Anyone => Self::SignedIn,
            Self::SignedIn => Self::Outsider,
            Self::Outsider => Self::KeyHolders,
            Self::KeyHolders | Self::Insiders => Self::Insiders,
        }
    }
}

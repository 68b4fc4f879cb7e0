//! Three-valued logic after Kleene: what is unknown stays unknown unless the rest decides.

use std::ops::Not;

/// False, unknown or true. The order is that of "how much": `or` is the greater, `and` the lesser.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Truth {
    /// Certainly not.
    False,
    /// Depends on what is not known.
    Unknown,
    /// Certainly.
    True,
}

impl Truth {
    /// Both.
    pub fn and(self, other: Self) -> Self {
        self.min(other)
    }

    /// Either.
    pub fn or(self, other: Self) -> Self {
        self.max(other)
    }

    /// All of them; true of none.
    pub fn all(truths: impl IntoIterator<Item = Self>) -> Self {
        truths.into_iter().fold(Self::True, Self::and)
    }

    /// Any of them; false of none.
    pub fn any(truths: impl IntoIterator<Item = Self>) -> Self {
        truths.into_iter().fold(Self::False, Self::or)
    }
}

impl From<bool> for Truth {
    fn from(value: bool) -> Self {
        if value { Self::True } else { Self::False }
    }
}

impl From<Option<bool>> for Truth {
    fn from(value: Option<bool>) -> Self {
        value.map_or(Self::Unknown, Self::from)
    }
}

impl Not for Truth {
    type Output = Self;
    fn not(self) -> Self {
        match self {
            Self::False => Self::True,
            Self::Unknown => Self::Unknown,
            Self::True => Self::False,
        }
    }
}

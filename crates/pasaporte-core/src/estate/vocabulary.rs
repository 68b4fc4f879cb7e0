//! Closed sets of words: each an enum that knows its own spelling.

/// A closed set of words, with the spelling that files and reports use.
pub trait Vocabulary: Copy + Eq + 'static {
    /// What one of these words is, for messages: "an endpoint's network".
    const WHAT: &'static str;
    /// Every word with its meaning, in the order in which documentation lists them.
    const ALL: &'static [(&'static str, Self)];

    /// The word as written.
    fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, each)| *each == self).map_or("", |(word, _)| word)
    }

    /// The meaning of a written word.
    fn parse(word: &str) -> Option<Self> {
        Self::ALL.iter().find(|(each, _)| *each == word).map(|(_, meaning)| *meaning)
    }
}

/// Defines an enum and its spelling in one list; a closed set of another crate is defined so too.
#[macro_export]
macro_rules! vocabulary {
    ($(#[$doc:meta])* $name:ident: $what:literal { $($(#[$vdoc:meta])* $variant:ident = $word:literal,)* }) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        pub enum $name { $($(#[$vdoc])* $variant,)* }
        impl $crate::estate::Vocabulary for $name {
            const WHAT: &'static str = $what;
            const ALL: &'static [(&'static str, Self)] = &[$(($word, Self::$variant),)*];
        }
        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str($crate::estate::Vocabulary::word(*self))
            }
        }
    };
}

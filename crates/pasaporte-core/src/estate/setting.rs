//! A value of a field, apart from how it is written down.

/// What a field of an entry is set to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Setting {
    /// One word, id or date.
    Word(String),
    /// Several.
    List(Vec<String>),
    /// Several, each under a name.
    Map(Vec<(&'static str, Setting)>),
}

impl Setting {
    /// One word.
    pub fn word(text: impl Into<String>) -> Self {
        Self::Word(text.into())
    }

    /// A word, or a list of several.
    pub fn one_or_more(mut all: Vec<String>) -> Self {
        match all.as_mut_slice() {
            [only] => Self::Word(std::mem::take(only)),
            _ => Self::List(all),
        }
    }
}

//! The adapters that the program carries with it; `adapters/` in the repository.

/// The texts of one.
pub(crate) struct Shipped {
    name: &'static str,
    pub(crate) manifest: &'static str,
    pub(crate) program: &'static str,
    /// What the words of its platform do.
    pub(crate) catalogue: &'static str,
}

macro_rules! shipped {
    ($($name:literal,)*) => {
        const ALL: &[Shipped] = &[$(Shipped {
            name: $name,
            manifest: include_str!(concat!("../../../adapters/", $name, "/adapter.toml")),
            program: include_str!(concat!("../../../adapters/", $name, "/", $name, ".jq")),
            catalogue: include_str!(concat!("../../../adapters/", $name, "/catalogue.yaml")),
        },)*];
    };
}

shipped! {
    "gregal",
    "lebeche",
    "levante",
    "poniente",
    "siroco",
    "tramontana",
}

/// Their names.
pub fn names() -> impl Iterator<Item = &'static str> {
    ALL.iter().map(|it| it.name)
}

/// The texts of one.
pub(crate) fn adapter(name: &str) -> Option<&'static Shipped> {
    ALL.iter().find(|it| it.name == name)
}

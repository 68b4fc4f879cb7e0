//! The adapters that the program carries with it; `adapters/` in the repository.

macro_rules! shipped {
    ($($name:literal,)*) => {
        const ALL: &[(&str, &str, &str)] = &[$((
            $name,
            include_str!(concat!("../../../adapters/", $name, "/adapter.toml")),
            include_str!(concat!("../../../adapters/", $name, "/", $name, ".jq")),
        ),)*];
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
    ALL.iter().map(|(name, _, _)| *name)
}

/// Manifest and program of one.
pub(crate) fn adapter(name: &str) -> Option<(&'static str, &'static str)> {
    ALL.iter().find(|(each, _, _)| *each == name).map(|(_, manifest, program)| (*manifest, *program))
}

//! What people write in TOML: lists of sources, manifests of adapters, acceptances. A mistake is told with its line and without
//! the value that is wrong.

use serde::de::DeserializeOwned;

use crate::diagnostic::{Diagnostic, LineText, Mark};

/// Reads a text; `what` is what it should be, and `help` where to read how it is written.
pub fn read<T: DeserializeOwned>(
    file: &str,
    text: &str,
    what: &str,
    help: &str,
) -> Result<T, Box<Diagnostic>> {
    toml::from_str(text).map_err(|error| {
        let mark = mark(file, text, error.span().map_or(0, |span| span.start));
        let message = format!("not {what}: {}", without_values(error.message()));
        let help = match nearest_field(error.message()) {
            Some(near) => format!("did you mean `{near}`? {help}"),
            None => help.to_owned(),
        };
        Box::new(Diagnostic { mark, message, also: None, help: Some(help) })
    })
}

/// The field that is nearest to one that is not known, of those that the message names.
fn nearest_field(message: &str) -> Option<&str> {
    let mut names = message.strip_prefix("unknown field `")?.split('`').step_by(2);
    let word = names.next()?;
    crate::nearest::nearest(word, names)
}

/// A place in a text, by its byte.
pub fn mark(file: &str, text: &str, at: usize) -> Mark {
    let before = text.get(..at).unwrap_or_default();
    let start = before.rfind('\n').map_or(0, |newline| newline + 1);
    let (line, column) =
        (before.matches('\n').count() as u32 + 1, before[start..].chars().count() as u32 + 1);
    Mark {
        file: file.to_owned(),
        line: Some(line),
        column,
        text: text.lines().nth(line as usize - 1).and_then(|line| LineText::new(line, column, 1)),
        label: String::new(),
    }
}

/// A message of the parser without the values in it: what stands in quotes, and a word that is not known.
fn without_values(message: &str) -> String {
    let mut out = String::new();
    for (at, part) in message.split('"').enumerate() {
        out.push_str(if at % 2 == 1 { "•••" } else { part });
    }
    let mut parts = out.split('`').map(str::to_owned).collect::<Vec<_>>();
    let is_value = out.starts_with("unknown variant")
        || out.starts_with("invalid value")
        || out.starts_with("invalid type");
    for (at, part) in parts.iter_mut().enumerate() {
        let is_name = part.chars().all(|each| each.is_ascii_lowercase() || each == '_') && part.len() <= 40;
        if at % 2 == 1 && ((is_value && at == 1) || !is_name) {
            "•••".clone_into(part);
        }
    }
    parts.join("`").lines().next().unwrap_or_default().to_owned()
}

#[cfg(test)]
mod tests {
    use serde::Deserialize;

    use super::*;

    #[derive(Debug, Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Written {
        #[serde(default)]
        _at_once: u32,
        _kind: Option<Kind>,
    }

    #[derive(Debug, Deserialize)]
    #[serde(rename_all = "kebab-case")]
    enum Kind {
        Ferry,
    }

    #[test]
    fn mistakes_are_told_without_values() {
        for (text, told) in [
            ("_at_once = \"hunter2\"", "invalid type: string •••, expected u32"),
            ("_at_once = 5550123\n_kind = \"hunter\"", "unknown variant `•••`"),
            ("_kind = 5550123", ""),
            ("_password = 1", "unknown field `_password`"),
            ("_kind = hunter2", ""),
            ("Hunter2.x", ""),
            ("_at_once = -5550123", ""),
        ] {
            let wrong = read::<Written>("a.toml", text, "a list", "see").unwrap_err();
            let shown = format!("{wrong:?}");
            assert!(wrong.message.contains(told), "{}", wrong.message);
            assert!(!shown.to_lowercase().contains("hunter"), "{shown}");
            assert!(!wrong.message.contains("5550123"), "{shown}");
        }
    }
}

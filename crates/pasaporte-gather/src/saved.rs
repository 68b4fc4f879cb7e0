//! Answers that were saved to files: the path that gave an answer, with `.json`; a second page is `.2.json`. What looks
//! like a secret is covered before an answer is kept.

use std::io::{self, Write};
use std::path::{Path, PathBuf};

use pasaporte_read::files::{self, For};
use serde_json::Value;

use crate::http::{Answer, LARGEST};

/// A page of what a path gave, with the name of its file; or why it is not there.
pub(crate) fn page(folder: &Path, path: &str, number: usize) -> Result<(String, Answer), String> {
    let file = file(folder, path, number).ok_or("its path leads out of the folder")?;
    if !file.exists() {
        return Err("not among the saved answers".to_owned());
    }
    if !files::is_inside(folder, &file) {
        return Err("it lies behind a link that leads out of the folder".to_owned());
    }
    let body = files::read_up_to(&file, LARGEST).map_err(|error| format!("cannot be read: {error}"))?;
    let next = self::file(folder, path, number + 1).filter(|file| file.is_file());
    let next = next.map(|_| path.to_owned());
    Ok((file.to_string_lossy().into_owned(), Answer { body, etag: None, next, tries: 0 }))
}

/// Keeps a page of what a path gave.
pub(crate) fn keep(folder: &Path, path: &str, number: usize, body: &[u8]) -> io::Result<()> {
    // What leads out of the folder is kept nowhere.
    let Some(file) = file(Path::new(""), path, number) else { return Ok(()) };
    let covered = covered(body);
    files::replace(&files::place(folder, &file)?, For::All, |file| file.write_all(&covered))
}

/// An answer without what looks like a secret.
pub(crate) fn covered(body: &[u8]) -> Vec<u8> {
    match serde_json::from_slice::<Value>(body) {
        Ok(mut value) => {
            cover(&mut value);
            let mut text = serde_json::to_vec_pretty(&value).unwrap_or_default();
            text.push(b'\n');
            text
        }
        Err(_) => String::from_utf8_lossy(body)
            .lines()
            .map(|line| pasaporte_read::covered(line) + "\n")
            .collect::<String>()
            .into_bytes(),
    }
}

/// The members of a JSON Web Key that are private (RFC 7518 §6).
const PRIVATE: [&str; 8] = ["d", "p", "q", "dp", "dq", "qi", "oth", "k"];

fn cover(value: &mut Value) {
    match value {
        Value::Array(all) => all.iter_mut().for_each(cover),
        Value::Object(map) => {
            let is_key = map.contains_key("kty");
            for (name, value) in map {
                if (is_key && PRIVATE.contains(&name.as_str())) || pasaporte_read::is_secret_field(name) {
                    *value = Value::from("•••");
                } else {
                    cover(value);
                }
            }
        }
        Value::String(text) => *text = pasaporte_read::covered(text),
        Value::Null | Value::Bool(_) | Value::Number(_) => {}
    }
}

fn file(folder: &Path, path: &str, number: usize) -> Option<PathBuf> {
    let mut file = folder.to_owned();
    for step in path.split('/').filter(|step| !step.is_empty()) {
        if step == ".." || step == "." || step.contains(['\\', ':']) {
            return None;
        }
        file.push(step);
    }
    let name = file.file_name()?.to_str()?.to_owned();
    let ending = if number == 1 { ".json".to_owned() } else { format!(".{number}.json") };
    file.set_file_name(format!("{name}{ending}"));
    Some(file)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_looks_like_a_secret_is_covered() {
        let body = r#"{"rows": [{"label": "k", "password": "tide-42", "note": "eyJhbGciOiJub25lIn0.eyJzdWIiOiJhIn0.x"}],
            "keys": [{"kty": "oct", "k": "AyM1SysPpbyDfgZld3umj1qzKObwVMko", "kid": "one"}], "pages": 2}"#;
        let kept = String::from_utf8(covered(body.as_bytes())).unwrap();
        for secret in ["tide-42", "eyJhbGci", "AyM1Sys"] {
            assert!(!kept.contains(secret), "{kept}");
        }
        let kept: Value = serde_json::from_str(&kept).unwrap();
        assert_eq!((&kept["rows"][0]["label"], &kept["pages"]), (&Value::from("k"), &Value::from(2)));
        assert_eq!((&kept["keys"][0]["kid"], kept["keys"][0]["k"].is_string()), (&Value::from("one"), true));
    }

    #[test]
    fn stays_in_its_folder() {
        let folder = Path::new("saved");
        assert_eq!(file(folder, "v1/yards", 1), Some(PathBuf::from("saved/v1/yards.json")));
        assert_eq!(file(folder, "v1/yards", 2), Some(PathBuf::from("saved/v1/yards.2.json")));
        assert_eq!(file(folder, "v1/../../yards", 1), None);
    }
}

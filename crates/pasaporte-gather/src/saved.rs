//! Answers that were saved to files: the path that gave an answer, with `.json`; a second page is `.2.json`.

use std::fs;
use std::path::{Path, PathBuf};

use crate::http::Answer;

/// Largest saved answer that is read.
const LARGEST: u64 = 1 << 30;

/// A page of what a path gave, with the name of its file; or why it is not there.
pub(crate) fn page(folder: &Path, path: &str, number: usize) -> Result<(String, Answer), String> {
    let file = file(folder, path, number).ok_or("its path leads out of the folder")?;
    let size = fs::metadata(&file).map_err(|_| "not among the saved answers".to_owned())?.len();
    if size > LARGEST {
        return Err(format!("a file of more than {} MiB", LARGEST >> 20));
    }
    let body = fs::read(&file).map_err(|error| format!("cannot be read: {error}"))?;
    let next = self::file(folder, path, number + 1).filter(|file| file.is_file());
    let next = next.map(|_| path.to_owned());
    Ok((file.to_string_lossy().into_owned(), Answer { body, etag: None, next, tries: 0 }))
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
    fn stays_in_its_folder() {
        let folder = Path::new("saved");
        assert_eq!(file(folder, "v1/yards", 1), Some(PathBuf::from("saved/v1/yards.json")));
        assert_eq!(file(folder, "v1/yards", 2), Some(PathBuf::from("saved/v1/yards.2.json")));
        assert_eq!(file(folder, "v1/../../yards", 1), None);
    }
}

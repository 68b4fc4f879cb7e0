//! One rule for all files: only regular ones are read, what is looked for in a folder stays in it, and nothing is written
//! through a link.

use std::fs::{self, File};
use std::io::{self, Read, Write};
use std::path::{Component, Path, PathBuf};

/// The most bytes of a file that is read as a whole where nothing else is said: lists and programs that people write.
const MOST: u64 = 64 << 20;

/// Opens a file to read it; a pipe or a device, which may never end or begin, is refused.
pub fn open(path: &Path) -> io::Result<File> {
    if !fs::metadata(path)?.is_file() {
        return Err(io::Error::other("not a regular file"));
    }
    File::open(path)
}

/// The whole of a file.
pub fn read(path: &Path) -> io::Result<Vec<u8>> {
    read_up_to(path, MOST)
}

/// The whole of a file, if it is no longer than so many bytes.
pub fn read_up_to(path: &Path, most: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    open(path)?.take(most + 1).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > most {
        return Err(io::Error::other(format!("a file of more than {} MiB", most >> 20)));
    }
    Ok(bytes)
}

/// The whole of a text.
pub fn read_text(path: &Path) -> io::Result<String> {
    String::from_utf8(read(path)?).map_err(|_| io::Error::other("not UTF-8"))
}

/// Whether a file that is there lies in a folder or below it, wherever links lead.
pub fn is_inside(folder: &Path, path: &Path) -> bool {
    let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    matches!((fs::canonicalize(folder), fs::canonicalize(path)), (Ok(folder), Ok(path)) if path.starts_with(&folder))
}

/// Where a file is to be written in a folder, with all folders on the way; refused where a link lies on the way or the
/// name leads out.
pub fn place(folder: &Path, name: &Path) -> io::Result<PathBuf> {
    fs::create_dir_all(folder)?;
    let mut path = folder.to_owned();
    let mut parts = name.components().peekable();
    while let Some(part) = parts.next() {
        let Component::Normal(part) = part else { return Err(io::Error::other("leads out of its folder")) };
        path.push(part);
        if fs::symlink_metadata(&path).is_ok_and(|it| it.is_symlink()) {
            return Err(io::Error::other("a link lies there, and nothing is written through links"));
        }
        if parts.peek().is_some() {
            fs::create_dir_all(&path)?;
        }
    }
    Ok(path)
}

/// Who may read a file that is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum For {
    /// Whoever may read new files.
    All,
    /// Its owner alone.
    Owner,
}

/// Writes a file: it is the old one or the new one at any moment. A link that lies there is replaced, not followed.
pub fn replace(path: &Path, who: For, write: impl FnOnce(&mut File) -> io::Result<()>) -> io::Result<()> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut new = tempfile::Builder::new();
    new.prefix(UNFINISHED);
    #[cfg(unix)]
    let readable = std::os::unix::fs::PermissionsExt::from_mode(if who == For::All { 0o666 } else { 0o600 });
    #[cfg(unix)]
    new.permissions(readable);
    #[cfg(not(unix))]
    let _ = who;
    let mut new = new.tempfile_in(folder)?;
    write(new.as_file_mut())?;
    new.as_file().sync_all()?;
    new.persist(path).map_err(|error| error.error)?;
    Ok(())
}

/// How names of files begin that are being written.
const UNFINISHED: &str = ".new-";

/// Takes away what was being written in a folder when a program was killed; for whoever alone writes there.
pub fn clear_unfinished(folder: &Path) -> io::Result<()> {
    for entry in fs::read_dir(folder)? {
        let entry = entry?;
        let is_ours = entry.file_name().to_str().is_some_and(|name| name.starts_with(UNFINISHED));
        if is_ours && entry.file_type()?.is_file() {
            fs::remove_file(entry.path())?;
        }
    }
    Ok(())
}

/// Writes a text as [`replace`] does.
pub fn replace_text(path: &Path, text: &str) -> io::Result<()> {
    replace(path, For::All, |file| file.write_all(text.as_bytes()))
}

/// That nobody but its owner may read a file; else what is wrong, and what to do.
#[cfg(unix)]
pub fn owned_alone(path: &Path) -> Result<(), (String, String)> {
    use std::os::unix::fs::PermissionsExt;
    match fs::metadata(path) {
        Ok(metadata) if metadata.permissions().mode() & 0o077 != 0 => Err((
            "can be read by others than its owner".to_owned(),
            "take their permission away: chmod 600".to_owned(),
        )),
        _ => Ok(()),
    }
}

/// That nobody but its owner may read a file: not known on this system.
#[cfg(not(unix))]
pub fn owned_alone(_: &Path) -> Result<(), (String, String)> {
    Ok(())
}

#[cfg(all(test, unix))]
mod tests {
    use std::os::unix::fs::symlink;

    use super::*;

    #[test]
    fn nothing_is_written_through_links() {
        let folder = tempfile::tempdir().unwrap();
        let (inside, outside) = (folder.path().join("in"), folder.path().join("out"));
        fs::create_dir_all(&inside).unwrap();
        fs::create_dir_all(&outside).unwrap();
        fs::write(outside.join("a"), "old").unwrap();
        symlink(&outside, inside.join("door")).unwrap();
        symlink(outside.join("a"), inside.join("a")).unwrap();
        assert!(place(&inside, Path::new("door/b/c")).is_err());
        assert!(place(&inside, Path::new("../out/b")).is_err());
        assert!(place(&inside, Path::new("a")).is_err());
        assert!(!outside.join("b").exists());
        replace_text(&inside.join("a"), "new").unwrap();
        assert_eq!(fs::read_to_string(outside.join("a")).unwrap(), "old");
        assert_eq!(fs::read_to_string(inside.join("a")).unwrap(), "new");
        assert!(!is_inside(&inside, &inside.join("door/a")));
        assert!(is_inside(&inside, &inside.join("a")));
        assert_eq!(fs::read_dir(&inside).unwrap().count(), 2, "nothing stays beside it");
    }

    #[test]
    fn what_is_no_file_is_not_opened() {
        let folder = tempfile::tempdir().unwrap();
        assert!(open(folder.path()).is_err());
        assert!(open(Path::new("/dev/zero")).is_err());
        assert!(read_up_to(Path::new(file!()), 0).is_err() || !Path::new(file!()).exists());
    }
}

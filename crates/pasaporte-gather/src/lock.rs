//! One collection into a folder at a time: a file in it is locked, and says who holds it.

use std::fs::{self, File, OpenOptions, TryLockError};
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};

use pasaporte_read::files;

use crate::journal::FOLDER;

/// A folder that nobody else collects into while this is held. The system lets go of it when the program ends,
/// however it ends.
#[derive(Debug)]
pub(crate) struct Lock {
    file: File,
    path: PathBuf,
}

impl Lock {
    /// Takes a folder, or says who has it.
    pub(crate) fn take(folder: &Path) -> io::Result<Self> {
        loop {
            let path = files::place(folder, &Path::new(FOLDER).join("lock"))?;
            let mut file =
                OpenOptions::new().read(true).write(true).create(true).truncate(false).open(&path)?;
            match file.try_lock() {
                Ok(()) => {}
                Err(TryLockError::Error(error)) => return Err(error),
                Err(TryLockError::WouldBlock) => {
                    let mut holder = String::new();
                    let _ = file.take(20).read_to_string(&mut holder);
                    let process: u32 = holder.trim().parse().unwrap_or_default();
                    let who = if process == 0 { String::new() } else { format!(" (process {process})") };
                    return Err(io::Error::other(format!("another collection into it is under way{who}")));
                }
            }
            // Whoever held it before took the file away when it ended, perhaps after it was opened here.
            if is_still_there(&file, &path) {
                file.set_len(0)?;
                write!(file, "{}", std::process::id())?;
                return Ok(Self { file, path });
            }
        }
    }
}

#[cfg(unix)]
fn is_still_there(file: &File, path: &Path) -> bool {
    use std::os::unix::fs::MetadataExt;
    matches!((file.metadata(), fs::metadata(path)), (Ok(one), Ok(other)) if (one.dev(), one.ino()) == (other.dev(), other.ino()))
}

#[cfg(not(unix))]
fn is_still_there(_: &File, path: &Path) -> bool {
    path.exists()
}

impl Drop for Lock {
    fn drop(&mut self) {
        let _ = fs::remove_file(&self.path);
        let _ = self.file.unlock();
        // The folder goes with the last file in it.
        if let Some(folder) = self.path.parent() {
            let _ = fs::remove_dir(folder);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_at_a_time_and_nothing_stays() {
        let folder = tempfile::tempdir().unwrap();
        let lock = Lock::take(folder.path()).unwrap();
        let refused = Lock::take(folder.path()).unwrap_err().to_string();
        assert_eq!(
            refused,
            format!("another collection into it is under way (process {})", std::process::id())
        );
        drop(lock);
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 0);
        Lock::take(folder.path()).unwrap();
    }
}

//! Files that hold a secret.

#[cfg(unix)]
use std::fs;
use std::path::Path;

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

#[cfg(not(unix))]
pub fn owned_alone(_: &Path) -> Result<(), (String, String)> {
    Ok(())
}

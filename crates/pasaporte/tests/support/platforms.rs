//! The six platforms, served for a test.

use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Stdio};

/// A `pasaporte stand-in` that ends with the test.
pub struct Platforms(Child);

impl Platforms {
    /// Serves with some options, and waits until they answer; gather.toml is then in the folder.
    pub fn serve(folder: &Path, options: &[&str]) -> Self {
        let mut child = Command::new(env!("CARGO_BIN_EXE_pasaporte"))
            .arg("stand-in")
            .arg(folder)
            .args(options)
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.as_mut().unwrap()).read_line(&mut line).unwrap();
        assert!(line.starts_with("Six platforms at http://127.0.0.1:"), "{line}");
        Self(child)
    }
}

impl Drop for Platforms {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

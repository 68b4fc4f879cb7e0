//! The six platforms, served for a test.

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpListener;
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

/// Answers every request with these bytes.
pub fn always(answer: &'static [u8]) -> String {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = listener.local_addr().unwrap();
    std::thread::spawn(move || {
        for stream in listener.incoming() {
            let Ok(mut stream) = stream else { continue };
            let mut buffer = [0; 4096];
            let _ = stream.read(&mut buffer);
            let _ = stream.write_all(answer);
        }
    });
    format!("http://{address}")
}

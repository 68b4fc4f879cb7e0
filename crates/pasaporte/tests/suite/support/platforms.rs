//! The six platforms, served for a test.

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpListener;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::Arc;

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
    answering(move |_| answer.to_vec())
}

/// Answers requests, each with what is made of its first line.
pub fn answering(answer: impl Fn(&str) -> Vec<u8> + Send + 'static) -> String {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = listener.local_addr().unwrap();
    std::thread::spawn(move || {
        for stream in listener.incoming() {
            let Ok(mut stream) = stream else { continue };
            let mut buffer = [0; 4096];
            let read = stream.read(&mut buffer).unwrap_or_default();
            let request = String::from_utf8_lossy(&buffer[..read]).into_owned();
            let _ = stream.write_all(&answer(request.lines().next().unwrap_or_default()));
        }
    });
    format!("http://{address}")
}

/// A TLS server whose certificate ran out long ago, and its authority.
pub fn expired() -> (String, String) {
    let mut authority = rcgen::CertificateParams::new(Vec::new()).unwrap();
    authority.is_ca = rcgen::IsCa::Ca(rcgen::BasicConstraints::Unconstrained);
    let authority_key = rcgen::KeyPair::generate().unwrap();
    let issuer = rcgen::CertifiedIssuer::self_signed(authority, authority_key).unwrap();
    let mut old = rcgen::CertificateParams::new(vec!["localhost".to_owned()]).unwrap();
    old.not_before = rcgen::date_time_ymd(2019, 1, 1);
    old.not_after = rcgen::date_time_ymd(2020, 1, 1);
    let key = rcgen::KeyPair::generate().unwrap();
    let certificate = old.signed_by(&key, &issuer).unwrap();
    let pem = issuer.pem();
    let private = rustls::pki_types::PrivateKeyDer::try_from(key.serialize_der()).unwrap();
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let config = rustls::ServerConfig::builder_with_provider(provider)
        .with_safe_default_protocol_versions()
        .unwrap()
        .with_no_client_auth()
        .with_single_cert(vec![certificate.der().clone()], private)
        .unwrap();
    let config = Arc::new(config);
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let port = listener.local_addr().unwrap().port();
    std::thread::spawn(move || {
        for stream in listener.incoming() {
            let Ok(mut stream) = stream else { continue };
            let Ok(mut connection) = rustls::ServerConnection::new(Arc::clone(&config)) else { continue };
            let _ = connection.complete_io(&mut stream);
        }
    });
    (format!("https://localhost:{port}"), pem)
}

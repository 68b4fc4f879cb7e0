//! Scratch.
use std::fs::File;
use std::io::BufReader;
use std::path::PathBuf;
use std::time::Instant;

use pasaporte_core::rules::{Audit, Settings};
use pasaporte_formats::diagnostic::Diagnostics;
use pasaporte_formats::estate::load;
use pasaporte_formats::text::{Form, Source};

fn hwm() -> String {
    std::fs::read_to_string("/proc/self/status")
        .unwrap()
        .lines()
        .find(|l| l.starts_with("VmHWM"))
        .unwrap()
        .to_owned()
}

fn main() {
    let path = std::env::var("ESTATE").unwrap();
    if std::env::var("BASE").is_ok() {
        for _ in 0..3 {
            let t = Instant::now();
            let all =
                pasaporte_bench::typed::parse(BufReader::with_capacity(1 << 20, File::open(&path).unwrap()))
                    .unwrap();
            println!("base {:?} {} {}", t.elapsed(), all.len(), hwm());
        }
        return;
    }
    let t = Instant::now();
    let source = Source::File { name: path.clone(), path: PathBuf::from(&path), form: Form::Ndjson };
    let estate = load(&[source], None, Diagnostics::default()).map_err(|d| d.count()).unwrap();
    println!("load {:?} {}", t.elapsed(), hwm());
    if std::env::var("LOAD").is_ok() {
        return;
    }
    let t = Instant::now();
    let audit = Audit::new(&estate, Settings::default());
    println!("prepare {:?} {}", t.elapsed(), hwm());
    let t = Instant::now();
    pasaporte_core::rules::judge(&audit, &[].into());
    println!("ahead {:?} {}", t.elapsed(), hwm());
    for rule in pasaporte_core::rules::all() {
        let t = Instant::now();
        let found = pasaporte_core::rules::judge(&audit, &[rule.id].into());
        println!("{:30} {:?} {}", rule.id, t.elapsed(), found.len());
    }
}

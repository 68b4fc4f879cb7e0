//! A small estate of Marivela Ferries, and logs digested against it.

#![allow(dead_code, reason = "each test uses some of it")]

use std::path::Path;

use pasaporte_core::estate::Estate;
use pasaporte_read::diagnostic::Diagnostics;
use pasaporte_read::estate::{Beside, load};
use pasaporte_read::seal::Seal;
use pasaporte_read::text::{Form, Source};
use pasaporte_usage::{Covers, Digest, Format, Input, Places, Secrets, Wanted, digest, write};
use serde_json::Value;

pub(crate) const ESTATE: &str = "estate: 1
as_of: 2026-11-20T06:00:00Z
scopes: [{id: marivela, kind: organization}, {id: tickets, kind: account, in: marivela}, {id: tides, kind: account, in: marivela}]
resources: [{id: \"table:bookings\", in: tickets}, {id: \"queue:refunds\", in: tickets}]
identities: [{id: sell-role, kind: execution-role, in: tickets, client_id: c-4711}]
users: [{id: ines, in: tickets}]
functions:
  - {id: sell, in: tickets, runs_as: sell-role, triggers: [{source: \"queue:refunds\"}],
     endpoints: [{check: {key: function}, path: \"/sell/{boat}\", methods: [GET, POST], url: \"https://tickets.marivela.example/sell/{boat}\", keys_in: [boarding-code]},
                 {id: sell/front/sell, gateway: front, path: /sell, check: none}]}
  - {id: tide, in: tides, endpoints: [{check: none, url: \"https://tides.marivela.example/board\"}]}
keys: [{id: kiosk, opens: \"function:sell\", reach: function}]
";

/// The value of key:kiosk.
pub(crate) const KIOSK: &str = "North-Quay-77-hatch";

pub(crate) fn seal() -> Seal {
    Seal::new(vec![7; 32]).unwrap()
}

/// An estate of some files, the small one among them.
pub(crate) fn estate(more: &[&str]) -> Estate {
    let fingerprint = format!(
        "{{\"estate\":1,\"seal\":\"{}\"}}\n{{\"fingerprint\":{{\"of\":\"key:kiosk\",\"is\":\"{}\"}}}}\n",
        seal().id(),
        seal().fingerprint(KIOSK)
    );
    let mut sources = vec![text("a.yaml", ESTATE), text("b.ndjson", &fingerprint)];
    for (number, more) in more.iter().enumerate() {
        sources.push(text(&format!("digest-{number}.ndjson"), more));
    }
    load(&sources, &Beside::default(), Diagnostics::default()).unwrap_or_else(|wrong| {
        panic!("an estate: {:?}", wrong.sorted().into_iter().map(|it| it.message).collect::<Vec<_>>())
    })
}

fn text(name: &str, text: &str) -> Source {
    Source::Text { name: name.to_owned(), text: text.to_owned(), form: Form::of(Path::new(name)).unwrap() }
}

pub(crate) fn wanted() -> Wanted {
    Wanted { read_as: None, covers: Vec::new(), host: None, until: 1_800_000_000 }
}

pub(crate) fn digested(estate: &Estate, logs: &[&[u8]], wanted: &Wanted) -> Digest {
    let inputs: Vec<Input> = logs
        .iter()
        .enumerate()
        .map(|(number, log)| Input::Text(log.to_vec(), format!("log-{number}")))
        .collect();
    digest(&inputs, &Places::new(estate), &Secrets::new(estate, seal(), &[]), wanted)
}

pub(crate) fn written(digest: &Digest) -> String {
    let mut out = Vec::new();
    write(digest, &seal().id(), 1, &mut out).unwrap();
    String::from_utf8(out).unwrap()
}

/// The digest of some logs, as it is written.
pub(crate) fn digest_of(logs: &[&[u8]]) -> String {
    written(&digested(&estate(&[]), logs, &wanted()))
}

/// The entities of one kind in a digest.
pub(crate) fn entities(digest: &str, kind: &str) -> Vec<Value> {
    digest
        .lines()
        .filter_map(|line| serde_json::from_str::<Value>(line).unwrap().get(kind).cloned())
        .collect()
}

/// What one line of a log comes to: the rows, without when and from whom.
pub(crate) fn rows(format: Option<Format>, log: &str) -> Vec<String> {
    let wanted = Wanted { read_as: format, ..wanted() };
    let digest = written(&digested(&estate(&[]), &[log.as_bytes()], &wanted));
    let mut all = Vec::new();
    for kind in ["used", "called", "seen"] {
        for mut row in entities(&digest, kind) {
            let map = row.as_object_mut().unwrap();
            for gone in ["first", "last", "clients"] {
                map.remove(gone);
            }
            if map["count"] == 1 {
                map.remove("count");
            }
            all.push(format!("{kind} {row}"));
        }
    }
    all
}

pub(crate) fn covers(text: &str) -> Covers {
    Covers::parse(text).unwrap()
}

//! Access logs: NCSA common and combined, perhaps with the virtual host before the address and a duration at the end.
//!
//! ```text
//! [VHOST] ADDRESS IDENT USER [DAY/MON/YEAR:TIME ZONE] "METHOD TARGET PROTOCOL" STATUS BYTES ["REFERRER" "AGENT" [MORE …]]
//! ```

use super::{Bad, Take};
use crate::event::Event;
use crate::time::common;

/// Whether a line is one of an access log.
pub(super) fn is_one(line: &str) -> bool {
    parts(line).is_some()
}

struct Parts<'l> {
    host: Option<&'l str>,
    client: &'l str,
    user: &'l str,
    time: &'l str,
    request: &'l str,
    status: &'l str,
}

fn parts(line: &str) -> Option<Parts<'_>> {
    let open = memchr::memchr(b'[', line.as_bytes())?;
    // An address of IPv6 may stand in brackets before the time.
    let open =
        if open == 0 || !line[..open].ends_with(' ') { line.find(" [").map(|at| at + 1)? } else { open };
    let close = open + memchr::memchr(b']', &line.as_bytes()[open..])?;
    let mut before = line[..open].split_ascii_whitespace();
    let (first, second, third, fourth) = (before.next()?, before.next()?, before.next()?, before.next());
    let (host, client, user) = match fourth {
        Some(user) => (Some(first), second, user),
        None => (None, first, third),
    };
    if before.next().is_some() {
        return None;
    }
    let rest = line[close + 1..].strip_prefix(" \"")?;
    let end = quote_end(rest)?;
    let mut after = rest[end + 1..].split_ascii_whitespace();
    let status = after.next()?;
    Some(Parts { host, client, user, time: &line[open + 1..close], request: &rest[..end], status })
}

/// Where a quoted text ends; a quote within it stands behind a backslash.
fn quote_end(text: &str) -> Option<usize> {
    let bytes = text.as_bytes();
    let mut from = 0;
    loop {
        let at = from + memchr::memchr2(b'"', b'\\', &bytes[from..])?;
        if bytes[at] == b'"' {
            return Some(at);
        }
        from = at + 2;
        if from > bytes.len() {
            return None;
        }
    }
}

/// Reads a line.
pub(super) fn read(line: &str, take: &mut dyn Take) -> Result<(), Bad> {
    let it = parts(line).ok_or(Bad::NotOfTheFormat)?;
    let time = common(it.time).ok_or(Bad::NoTime)?;
    let status: u16 = it.status.parse().map_err(|_| Bad::NotOfTheFormat)?;
    let mut request = it.request.split(' ');
    // What is no request was not answered by a function.
    let (Some(method), Some(target)) = (request.next(), request.next()) else {
        return Err(Bad::NotOfTheFormat);
    };
    let absolute = target.split_once("://").map(|(_, rest)| rest);
    let (host, path) = match absolute {
        Some(rest) => {
            let slash = rest.find('/').unwrap_or(rest.len());
            (Some(&rest[..slash]), if slash == rest.len() { "/" } else { &rest[slash..] })
        }
        None => (it.host, target),
    };
    take.event(&Event {
        first: Some(time),
        last: Some(time),
        client: Some(it.client),
        host,
        path: Some(path),
        method: Some(method),
        status: Some(status),
        user: Some(it.user).filter(|user| *user != "-"),
        ..Event::default()
    })
}

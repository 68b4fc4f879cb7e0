//! What somebody at a terminal gets besides the text: a sign that something is going on, a pager, links.

use std::collections::HashMap;
use std::io::{IsTerminal, Write};
use std::process::{Command, Stdio};
use std::sync::mpsc::{RecvTimeoutError, channel};
use std::time::Duration;

use indicatif::ProgressBar;
use url::Url;

/// How long nothing is said of what goes on.
const PATIENCE: Duration = Duration::from_secs(1);

/// Does some work; where it takes longer than a second and somebody watches, says that it goes on.
pub(crate) fn while_waiting<T>(quiet: bool, what: &'static str, work: impl FnOnce() -> T) -> T {
    if quiet || !std::io::stderr().is_terminal() {
        return work();
    }
    let (done, waits) = channel::<()>();
    let sign = std::thread::spawn(move || {
        if waits.recv_timeout(PATIENCE) != Err(RecvTimeoutError::Timeout) {
            return;
        }
        let bar = ProgressBar::new_spinner().with_message(what);
        while waits.recv_timeout(Duration::from_millis(100)) == Err(RecvTimeoutError::Timeout) {
            bar.tick();
        }
        bar.finish_and_clear();
    });
    let result = work();
    drop(done);
    // It only drew.
    let _ = sign.join();
    result
}

/// The pager that somebody at a terminal wants for a text longer than it: `PAGER`, else `less`; none where that is empty.
pub(crate) fn pager() -> Option<Vec<String>> {
    let wanted = std::env::var("PAGER").unwrap_or_else(|_| "less".to_owned());
    shlex::split(&wanted).filter(|words| !words.is_empty())
}

/// Whether a text has more lines than the terminal.
pub(crate) fn is_longer_than_the_terminal(text: &str) -> bool {
    let height = terminal_size::terminal_size_of(std::io::stdout()).map(|(_, height)| usize::from(height.0));
    height.is_some_and(|height| text.lines().count() >= height)
}

/// Shows a text in a pager, until whoever reads it has read enough; false where it cannot be started.
pub(crate) fn page(pager: &[String], text: &str) -> bool {
    let [program, arguments @ ..] = pager else { return false };
    let mut command = Command::new(program);
    command.args(arguments).stdin(Stdio::piped());
    if std::env::var_os("LESS").is_none() {
        // Styles are kept; a text that fits after all is left on the screen.
        command.env("LESS", "FRX");
    }
    let Ok(mut child) = command.spawn() else { return false };
    if let Some(mut input) = child.stdin.take() {
        // It may be closed before the end: that is reading enough.
        let _ = input.write_all(text.as_bytes());
    }
    let _ = child.wait();
    true
}

/// Whether the terminal makes links of what is told to be one.
pub(crate) fn takes_links() -> bool {
    supports_hyperlinks::on(supports_hyperlinks::Stream::Stdout)
}

/// Endings of files that places are in.
const ENDINGS: [&str; 5] = [".yaml:", ".yml:", ".ndjson:", ".json:", ".toml:"];

/// The text with each place in a file that is there, `path:line`, as a link to it.
pub(crate) fn linked(text: &str) -> String {
    let mut known: HashMap<String, Option<String>> = HashMap::new();
    let mut out = String::with_capacity(text.len() * 2);
    let mut rest = text;
    while let Some(at) = ENDINGS.iter().filter_map(|ending| Some(rest.find(ending)? + ending.len())).min() {
        let (before, after) = rest.split_at(at);
        let line = after.len() - after.trim_start_matches(|each: char| each.is_ascii_digit()).len();
        let begins = before
            .char_indices()
            .rfind(|(_, each)| each.is_whitespace() || matches!(each, '(' | '\u{1b}'))
            .map_or(0, |(at, each)| at + each.len_utf8());
        // After a style its own letters stand before the path.
        let begins = match before[begins..].strip_prefix('[').and_then(|it| it.find('m')) {
            Some(end) => begins + end + 2,
            None => begins,
        };
        let path = &before[begins..at - 1];
        let url = known.entry(path.to_owned()).or_insert_with(|| url_of(path));
        match url {
            Some(url) if line > 0 => {
                let number = &after[..line];
                out.push_str(&before[..begins]);
                out.push_str(&format!("\u{1b}]8;;{url}#L{number}\u{1b}\\{path}:{number}\u{1b}]8;;\u{1b}\\"));
            }
            _ => {
                out.push_str(before);
                out.push_str(&after[..line]);
            }
        }
        rest = &after[line..];
    }
    out + rest
}

fn url_of(path: &str) -> Option<String> {
    let path = std::fs::canonicalize(path).ok().filter(|path| path.is_file())?;
    Url::from_file_path(path).ok().map(Into::into)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_in_files_that_are_there_are_links() {
        let folder = tempfile::tempdir().unwrap();
        let there = folder.path().join("tides.yaml");
        std::fs::write(&there, "").unwrap();
        let path = there.to_str().unwrap();
        let text = format!("seen \u{1b}[2m{path}:12\u{1b}[0m the key · nowhere.yaml:3 and ({path}:7)\n");
        let linked = linked(&text);
        assert!(
            linked.contains(&format!("#L12\u{1b}\\{path}:12\u{1b}]8;;\u{1b}\\\u{1b}[0m the key")),
            "{linked:?}"
        );
        assert!(linked.contains("#L7\u{1b}\\"), "{linked:?}");
        assert!(linked.contains(" nowhere.yaml:3 "), "{linked:?}");
        assert_eq!(
            anstream::adapter::strip_str(&linked).to_string(),
            anstream::adapter::strip_str(&text).to_string()
        );
    }

    #[test]
    fn work_is_done_whether_anybody_watches_or_not() {
        assert_eq!(while_waiting(true, "reading", || 7), 7);
        assert_eq!(while_waiting(false, "reading", || 7), 7);
    }
}

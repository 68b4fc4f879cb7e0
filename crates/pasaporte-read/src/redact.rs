//! Keeping out of messages what must not be in them: secrets, and what would deceive a reader.
//!
//! An estate has no place for secret values, but a file with a mistake in it may hold one all the
//! same, and messages show lines. What looks like a secret is covered before a line is shown: the
//! value of a field named like one, signed tokens, and long runs of mixed letters and digits.

use icu_properties::CodePointSetData;
use icu_properties::props::{BidiControl, DefaultIgnorableCodePoint};

/// What covers a character of a secret.
const COVER: char = '•';
/// Names of fields, or endings of such names, whose values are covered.
const SECRET_FIELDS: [&str; 9] = [
    "value",
    "secret",
    "password",
    "passwd",
    "passphrase",
    "credential",
    "private_key",
    "api_key",
    "access_key",
];
/// A run of at least this many letters, digits and `+/_-=` with upper, lower and digit in it is covered.
const LONG_RUN: usize = 32;
/// What begins like a signed token and is longer than so many letters is taken for one.
const SHORTEST_TOKEN: usize = 16;

/// The text with what looks like a secret covered, character by character, so that columns stay.
pub fn covered(text: &str) -> String {
    let mut chars: Vec<char> = text.chars().collect();
    cover_runs(&mut chars);
    cover_values(&mut chars);
    cover_questions(&mut chars);
    chars.into_iter().collect()
}

/// A text with what is unprintable in it made visible.
pub fn visible(text: &str) -> String {
    // As nearly all are: all letters, digits and signs of ASCII can be printed.
    if text.bytes().all(|byte| byte == b' ' || byte.is_ascii_graphic()) {
        return text.to_owned();
    }
    text.chars().map(|each| if is_unprintable(each) { '\u{fffd}' } else { each }).collect()
}

/// A text as an estate can keep it: what is unprintable made visible, and no longer than anybody reads.
pub fn plain(text: &str) -> String {
    const MOST: usize = 2_000;
    match text.char_indices().nth(MOST) {
        Some((end, _)) => visible(&text[..end]) + "…",
        None => visible(text),
    }
}

/// Whether a field of that name holds a secret.
pub fn is_secret_field(name: &str) -> bool {
    let name = name.to_lowercase().replace('-', "_");
    SECRET_FIELDS.iter().any(|field| name == *field || name.ends_with(&format!("_{field}")))
}

/// Whether a text is like a signed token (RFC 7519): its header is JSON, in base64url.
pub(crate) fn is_signed_token(text: &str) -> bool {
    text.starts_with("eyJ") && text.len() > SHORTEST_TOKEN
}

fn cover_runs(chars: &mut [char]) {
    let in_run = |each: char| each.is_ascii_alphanumeric() || "+/_-=.".contains(each);
    let mut start = 0;
    while start < chars.len() {
        let end = start + chars[start..].iter().take_while(|each| in_run(**each)).count();
        let run = &mut chars[start..end];
        let has = |test: fn(&char) -> bool| run.iter().any(test);
        let mixed =
            has(char::is_ascii_uppercase) && has(char::is_ascii_lowercase) && has(char::is_ascii_digit);
        let signed = run.starts_with(&['e', 'y', 'J']) && run.len() > SHORTEST_TOKEN;
        if signed || (run.len() >= LONG_RUN && mixed) {
            run.fill(COVER);
        }
        start = end.max(start + 1);
    }
}

/// Covers what stands after `?` in a URL, and before `@`.
fn cover_questions(chars: &mut [char]) {
    let mut at = 0;
    while let Some(found) = chars[at..].windows(3).position(|three| three == [':', '/', '/']) {
        let start = at + found + 3;
        let stops = |each: &char| each.is_whitespace() || matches!(each, '"' | '\'' | '<' | '>' | ',' | '}');
        let end = start + chars[start..].iter().position(stops).unwrap_or(chars.len() - start);
        let url = &mut chars[start..end];
        if let Some(question) = url.iter().position(|each| *each == '?') {
            url[question + 1..].fill(COVER);
        }
        let host = url.iter().position(|each| *each == '/').unwrap_or(url.len());
        if let Some(name) = url[..host].iter().rposition(|each| *each == '@') {
            url[..name].fill(COVER);
        }
        at = end;
    }
}

fn cover_values(chars: &mut [char]) {
    let mut at = 0;
    while at < chars.len() {
        if !matches!(chars[at], ':' | '=') {
            at += 1;
            continue;
        }
        let before = &chars[..at];
        let name_end =
            before.iter().rposition(|each| !matches!(each, ' ' | '"' | '\'')).map_or(0, |last| last + 1);
        let is_name = |each: &char| each.is_alphanumeric() || matches!(each, '_' | '-');
        let name_start =
            before[..name_end].iter().rposition(|each| !is_name(each)).map_or(0, |last| last + 1);
        let is_secret = names_a_secret(&before[name_start..name_end]);
        at += 1;
        if !is_secret {
            continue;
        }
        while at < chars.len() && chars[at] == ' ' {
            at += 1;
        }
        let quote = chars.get(at).copied().filter(|each| matches!(each, '"' | '\''));
        let from = (at + usize::from(quote.is_some())).min(chars.len());
        let stops = |each: char| quote.map_or(matches!(each, ',' | '}' | ']'), |quote| each == quote);
        let length = chars[from..].iter().take_while(|each| !stops(**each)).count();
        chars[from..from + length].fill(COVER);
        at = from + length;
    }
}

/// Whether a name ends like that of a field whose value is covered; however its letters are cased.
fn names_a_secret(name: &[char]) -> bool {
    let is = |each: char, wanted: char| match each {
        '-' => wanted == '_',
        each => each.to_lowercase().eq([wanted]),
    };
    let ends_with = |field: &str| {
        let mut ending = name.iter().rev();
        field.chars().rev().all(|wanted| ending.next().is_some_and(|each| is(*each, wanted)))
    };
    SECRET_FIELDS.iter().any(|field| ends_with(field))
}

/// Control characters, and those that reorder, hide or break text: what could deceive a reader of a report. By the
/// properties that Unicode gives them, so that none is forgotten.
pub fn is_unprintable(each: char) -> bool {
    if each.is_ascii() {
        return each.is_ascii_control();
    }
    each.is_control()
        || matches!(each, '\u{2028}' | '\u{2029}')
        || CodePointSetData::new::<DefaultIgnorableCodePoint>().contains(each)
        || CodePointSetData::new::<BidiControl>().contains(each)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    fn what_cannot_be_seen_is_unprintable(
        #[values(
            '\0',
            '\u{7f}',
            '\u{85}',
            '\u{ad}',
            '\u{34f}',
            '\u{61c}',
            '\u{115f}',
            '\u{17b4}',
            '\u{180e}',
            '\u{200b}',
            '\u{200f}',
            '\u{2028}',
            '\u{2029}',
            '\u{202e}',
            '\u{2060}',
            '\u{2069}',
            '\u{206f}',
            '\u{3164}',
            '\u{fe0f}',
            '\u{feff}',
            '\u{fff0}',
            '\u{1d173}',
            '\u{e0001}',
            '\u{e0fff}'
        )]
        each: char,
    ) {
        assert!(is_unprintable(each), "{each:?}");
    }

    #[rstest]
    fn what_can_be_seen_is_not(
        #[values('a', ' ', 'ñ', 'é', '漢', 'ß', '€', '–', '…', '\u{a0}', '\u{300}')] each: char,
    ) {
        assert!(!is_unprintable(each), "{each:?}");
    }

    #[rstest]
    #[case("  - {id: k, value: hunter, reach: app}", "  - {id: k, value: ••••••, reach: app}")]
    #[case(r#"{"key":{"client-secret":"a, b","id":"k"}}"#, r#"{"key":{"client-secret":"••••","id":"k"}}"#)]
    #[case("settings: [DB_PASSWORD=hunter2]", "settings: [DB_PASSWORD=•••••••]")]
    #[case("owner: eyJhbGciOiJub25lIn0.e30.", "owner: ••••••••••••••••••••••••")]
    #[case("- a9B8c7D6e5F4a9B8c7D6e5F4a9B8c7D6", "- ••••••••••••••••••••••••••••••••")]
    #[case("runs_as: a-rather-long-but-harmless-role-name", "runs_as: a-rather-long-but-harmless-role-name")]
    #[case(
        "url: https://gate.marivela.example/open?code=abc, id: x",
        "url: https://gate.marivela.example/open?••••••••, id: x"
    )]
    #[case("url: \"http://me:it@gate.marivela.example\"", "url: \"http://•••••@gate.marivela.example\"")]
    #[case("value:", "value:")]
    fn covers(#[case] line: &str, #[case] shown: &str) {
        assert_eq!(covered(line), shown);
    }
}

//! Addresses of endpoints, as URLs.

use std::borrow::Cow;

use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Serialize, Serializer};

use super::values::{Text, text, written_as_text};
use crate::read::{Read, Report};
use crate::redact::is_signed_token;
use crate::text::View;

/// An absolute URL of a web server, without a name or password in it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Url<'a>(pub(crate) Text<'a>);

/// Whether a text is sure to be the address of a web server with nothing secret in it: what most are. It only looks at
/// letters; whatever else there may be is for those who know URLs.
pub(crate) fn is_plain_address(text: &str) -> bool {
    let Some(rest) = text.strip_prefix("https://").or_else(|| text.strip_prefix("http://")) else {
        return false;
    };
    let (host, path) = rest.split_at(memchr::memchr(b'/', rest.as_bytes()).unwrap_or(rest.len()));
    let last = memchr::memrchr(b'.', host.as_bytes()).map_or(host, |dot| &host[dot + 1..]);
    // A host whose last part begins with a digit may be a number, and one with two hyphens may be encoded.
    last.starts_with(|first: char| first.is_ascii_lowercase())
        && host.bytes().all(|byte| matches!(byte, b'a'..=b'z' | b'0'..=b'9' | b'.' | b'-'))
        && memchr::memmem::find(host.as_bytes(), b"--").is_none()
        && path.bytes().all(|byte| byte.is_ascii_alphanumeric() || matches!(byte, b'/' | b'-' | b'_' | b'.'))
}

/// The path of an endpoint, as of a URL, with blanks (`{id}`, `*`) and without a question.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct UrlPath<'a>(pub(crate) &'a str);

const WITH_MORE: &str = "an address with something secret in it, with a question or a fragment";
const LEAVE_OUT: &str =
    "leave out what stands before `@` and after `?` or `#`: secrets have no place in an estate";
/// The longest path, in bytes.
const LONGEST_PATH: usize = 2048;

impl<'a> Read<'a> for UrlPath<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let text = text(view, report, "a path", false)?;
        if !is_path(text) {
            let help = "write the path alone, as in /passes/{id}; what a question or a fragment holds has no place here";
            report.wrong(view, "not a path", help);
            return None;
        }
        Some(Self(text))
    }
}

/// Whether a text is a path. One without its first slash is of plain letters: else it may be anything.
fn is_path(text: &str) -> bool {
    let is_plain = |byte: u8| byte.is_ascii_alphanumeric() || b"/-_.~{}*:$".contains(&byte);
    text.len() <= LONGEST_PATH
        && !text.contains(|each: char| matches!(each, '?' | '#') || each.is_whitespace())
        && (text.starts_with(['/', '*', '{']) || text.bytes().all(is_plain) && !is_signed_token(text))
}

impl<'a> Read<'a> for Url<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let text = text(view, report, "an address, as a URL", false)?;
        if is_plain_address(text) {
            return Some(Self(Text(text)));
        }
        let wrong = match ::url::Url::parse(text) {
            Err(error) => Some((format!("not a URL: {error}"), "write it whole: https://HOST/PATH")),
            Ok(url) if !matches!(url.scheme(), "http" | "https") || url.host().is_none() => {
                Some(("not the URL of a web server".to_owned(), "write it whole: https://HOST/PATH"))
            }
            Ok(url) if !url.username().is_empty() || url.password().is_some() => {
                Some((WITH_MORE.to_owned(), LEAVE_OUT))
            }
            Ok(url) if url.query().is_some() || url.fragment().is_some() => {
                Some((WITH_MORE.to_owned(), LEAVE_OUT))
            }
            Ok(_) => None,
        };
        match wrong {
            None => Some(Self(Text(text))),
            Some((message, help)) => {
                report.wrong(view, message, help);
                None
            }
        }
    }
}

written_as_text! {
    Url {{"type": "string", "format": "uri", "pattern": "^https?://[^?#]+$"}} = it => it.0.0;
    UrlPath {{"type": "string", "maxLength": 2048, "pattern": "^([/*{][^?#\\s]*|[A-Za-z0-9/_.~{}*:$-]*)$"}} = it => it.0;
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(4096))]

        /// What is taken for an address at a glance is one to those who know URLs too, and hides nothing.
        #[test]
        fn plain_addresses_are_addresses(
            text in "https?://[a-z0-9.-]{0,6}(xn--[a-z0-9]{0,5})?[a-z0-9.-]{0,8}(\\.0x[a-f0-9]{1,4})?[/a-zA-Z0-9_.%?#@:-]{0,8}"
        ) {
            if is_plain_address(&text) {
                let url = ::url::Url::parse(&text).expect("a URL");
                prop_assert!(url.host().is_some() && url.query().is_none() && url.password().is_none());
                prop_assert!(url.username().is_empty());
            }
        }
    }

    #[test]
    fn most_addresses_are_plain() {
        assert!(is_plain_address("https://ferry-passes.levante.example/api/v1/passes"));
        for other in [
            "https://1.2.3.999/",
            "https://a.0xf/",
            "https://xn--0.example/",
            "ftp://a.example",
            "https:///x",
        ] {
            assert!(!is_plain_address(other), "{other}");
        }
    }
}

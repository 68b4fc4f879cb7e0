//! Addresses: parameters, and what must be escaped.

/// An address with a parameter set, in place of what it was before.
pub(crate) fn with_parameter(address: &str, name: &str, value: &str) -> String {
    let (path, query) = address.split_once('?').unwrap_or((address, ""));
    let own = format!("{name}=");
    let mut out = format!("{path}?");
    for each in query.split('&').filter(|each| !each.is_empty() && !each.starts_with(&own)) {
        out.push_str(each);
        out.push('&');
    }
    out.push_str(&own);
    escape(value, &mut out);
    out
}

/// An address as messages show it: what it asks may be anything, and is left out.
pub(crate) fn shown(address: &str) -> &str {
    address.split(['?', '#']).next().unwrap_or_default()
}

/// Percent-encodes all but what stands for itself anywhere in a URL (RFC 3986 §2.3).
pub(crate) fn escape(text: &str, out: &mut String) {
    for byte in text.bytes() {
        if byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'.' | b'_' | b'~') {
            out.push(byte as char);
        } else {
            out.push_str(&format!("%{byte:02X}"));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_parameter_replaces_its_earlier_value() {
        assert_eq!(with_parameter("http://a.example/x", "page", "2"), "http://a.example/x?page=2");
        assert_eq!(
            with_parameter("http://a.example/x?size=5&page=2", "page", "3 4"),
            "http://a.example/x?size=5&page=3%204"
        );
    }
}

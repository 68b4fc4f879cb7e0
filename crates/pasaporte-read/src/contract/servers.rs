//! What servers put before paths.

use crate::read::{field, scalar_text};
use crate::redact::is_unprintable;
use crate::text::{Position, Value, View};

/// Most servers of one place that are looked at.
const MOST: usize = 64;

/// The paths of servers, each once; none where no server has one.
pub(super) fn prefixes(servers: View<'_, '_>) -> Result<Vec<String>, (String, Position)> {
    if !matches!(servers.value(), Value::List) {
        return Err(("`servers` is not a list".to_owned(), servers.at()));
    }
    let mut all = Vec::new();
    for server in servers.inside().take(MOST) {
        let url = field(server, "url").and_then(|url| scalar_text(url.value()));
        let url = url.filter(|url| url.len() <= 2048 && !url.chars().any(is_unprintable));
        let url = url.ok_or_else(|| ("a server without a `url`".to_owned(), server.at()))?;
        let path = path_of(&filled(server, url)).to_owned();
        if !path.is_empty() && !all.contains(&path) {
            all.push(path);
        }
    }
    Ok(all)
}

/// A URL with what its blanks are filled with by default.
fn filled(server: View<'_, '_>, url: &str) -> String {
    let Some(variables) = field(server, "variables") else { return url.to_owned() };
    let mut url = url.to_owned();
    for (key, variable) in variables.entries().take(MOST) {
        let name = scalar_text(key.value()).unwrap_or_default();
        let default = field(variable, "default").and_then(|it| scalar_text(it.value()));
        if let Some(default) = default.filter(|text| text.len() <= 512 && !text.chars().any(is_unprintable))
            && url.len() <= 8192
        {
            url = url.replace(&format!("{{{name}}}"), default);
        }
    }
    url
}

/// The path of a URL, absolute or relative, without a slash at its end.
fn path_of(url: &str) -> &str {
    let url = url.split(['?', '#']).next().unwrap_or_default();
    let path = match url.find("://") {
        Some(scheme) => {
            let rest = &url[scheme + 3..];
            rest.find('/').map_or("", |slash| &rest[slash..])
        }
        None => url.strip_prefix('.').unwrap_or(url),
    };
    path.trim_end_matches('/')
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("https://api.marivela.example", "")]
    #[case("https://api.marivela.example/", "")]
    #[case("https://api.marivela.example/v2/", "/v2")]
    #[case("https://api.marivela.example:8443/v2?x=/y", "/v2")]
    #[case("/v1", "/v1")]
    #[case("./v1", "/v1")]
    #[case("/", "")]
    #[case("https://{island}.marivela.example/{version}", "/{version}")]
    fn paths_of_servers(#[case] url: &str, #[case] path: &str) {
        assert_eq!(path_of(url), path);
    }
}

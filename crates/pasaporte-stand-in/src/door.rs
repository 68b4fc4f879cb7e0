//! The functions' own endpoints: what a caller gets, by what they show.

/// An endpoint of a function.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Door {
    /// The platform it is on.
    pub platform: String,
    /// The function behind it.
    pub function: String,
    /// The path, with a slash before it.
    pub path: String,
    /// The methods it takes; all where none are named.
    pub methods: Vec<String>,
    /// What a caller must show.
    pub asks: Asks,
    /// The host and path that it has in the sample world.
    pub url: Option<(String, String)>,
    /// Whether the function is switched on.
    pub enabled: bool,
    /// Whether it can be reached from outside.
    pub outside: bool,
}

/// What a caller must show.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Asks {
    /// Nothing.
    Nothing,
    /// A key, in the header `function-key` or the parameter `code`.
    Key,
    /// Who they are, in the header `caller`; a `stranger` is known and not let in.
    Identity,
    /// A bearer token.
    Token,
}

/// What a caller shows.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Shown<'r> {
    pub(crate) key: Option<&'r str>,
    pub(crate) caller: Option<&'r str>,
    pub(crate) bearer: Option<&'r str>,
}

impl Door {
    /// The status that a caller gets.
    pub(crate) fn answer(&self, method: &str, shown: Shown<'_>, secret: &str) -> u16 {
        if !self.enabled {
            return 404;
        }
        if !self.outside {
            return 403;
        }
        // Whoever answers GET answers HEAD (RFC 9110 §9.3.2).
        let takes = |each: &String| {
            each.eq_ignore_ascii_case(method) || (method == "HEAD" && each.eq_ignore_ascii_case("GET"))
        };
        if !self.methods.is_empty() && method != "OPTIONS" && !self.methods.iter().any(takes) {
            return 405;
        }
        let held = |what: Option<&str>| match what {
            None => 401,
            Some(what) if what == secret => 200,
            Some(_) => 403,
        };
        match self.asks {
            Asks::Nothing => 200,
            Asks::Key => held(shown.key),
            Asks::Token => held(shown.bearer),
            Asks::Identity => match shown.caller {
                None => 401,
                Some("stranger") => 403,
                Some(_) => 200,
            },
        }
    }
}

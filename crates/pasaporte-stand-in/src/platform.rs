//! The six platforms, by what differs in how they talk: signing in, paging, and how a list is wrapped.

use crate::logs::{Moment, Ranged};

/// How a platform talks.
#[derive(Debug)]
pub(crate) struct Platform {
    pub(crate) name: &'static str,
    pub(crate) about: &'static str,
    pub(crate) sign_in: SignIn,
    pub(crate) paging: Paging,
    /// The paths that lists are at, with names for what differs.
    pub(crate) paths: &'static [&'static str],
    /// What it has, by path.
    pub(crate) world: &'static str,
    /// The paths that logs are at, of which not all have one.
    pub(crate) logs: &'static [&'static str],
    /// How logs are asked for a range of time.
    pub(crate) ranged: Ranged,
    /// The page of a list that is never answered.
    pub(crate) out_of_order: Option<(&'static str, usize)>,
    /// Functions whose endpoints answer anyone, whatever the platform says that they ask for.
    pub(crate) loose: &'static [&'static str],
    /// The list that is made longer when a large platform is asked for, and what its items look like.
    pub(crate) grows: Option<Growing>,
}

/// The path of a list, and its item of a number.
type Growing = (&'static str, fn(usize) -> String);

/// How callers sign in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum SignIn {
    Bearer,
    Header(&'static str),
    ClientCredentials,
}

/// How lists are cut, and wrapped.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Paging {
    /// `{"yards": […]}`, after the last step of the path; `Link`.
    NamedWithLink,
    /// `[…]`; `Link`.
    BareWithLink,
    /// `{"nodes": […], "more": TOKEN}`; `?from=`.
    Nodes,
    /// `{"data": {"entries": […], "next": TOKEN}}`; `?cursor=`.
    Entries,
    /// `{"rows": […], "page": N, "pages": N}`; `?page=`.
    Rows,
    /// `{"result": […], "page": {"number": N, "of": N}}`; `?page=`.
    Result,
}

impl Paging {
    /// The parameter that says which page.
    pub(crate) fn parameter(self) -> &'static str {
        match self {
            Self::NamedWithLink | Self::BareWithLink => "after",
            Self::Nodes => "from",
            Self::Entries => "cursor",
            Self::Rows | Self::Result => "page",
        }
    }
}

/// All of them.
pub(crate) const ALL: &[Platform] = &[
    Platform {
        name: "gregal",
        about: "bundles of parts under one role, and a gate with routes",
        sign_in: SignIn::ClientCredentials,
        paging: Paging::Entries,
        paths: &[
            "v2/skills",
            "v2/desks",
            "v2/desks/{desk}/skills",
            "v2/desks/{desk}/roles",
            "v2/desks/{desk}/codes",
            "v2/desks/{desk}/gates",
            "v2/desks/{desk}/bundles",
            "v2/desks/{desk}/bundles/{bundle}/stores",
            "v2/desks/{desk}/bundles/{bundle}/parts",
        ],
        world: include_str!("../worlds/gregal.json"),
        logs: &["v2/desks/{desk}/deeds", "v2/desks/{desk}/front-lines"],
        ranged: Ranged { from: "start", to: "stop", written: Moment::Rfc3339 },
        out_of_order: None,
        loose: &[],
        grows: None,
    },
    Platform {
        name: "lebeche",
        about: "sites with edges behind gatekeepers, passes and hooks",
        sign_in: SignIn::Header("site-pass"),
        paging: Paging::Result,
        paths: &[
            "kits",
            "sites",
            "sites/{site}/stores",
            "sites/{site}/gatekeepers",
            "sites/{site}/passes",
            "sites/{site}/kits",
            "sites/{site}/workers",
            "sites/{site}/holdings",
            "sites/{site}/edges",
            "sites/{site}/keys",
        ],
        world: include_str!("../worlds/lebeche.json"),
        logs: &["sites/{site}/events"],
        ranged: Ranged { from: "first_day", to: "last_day", written: Moment::Date },
        out_of_order: Some(("sites/notices/holdings", 2)),
        loose: &[],
        grows: None,
    },
    Platform {
        name: "levante",
        about: "yards with crafts that wear badges, charters and lids",
        sign_in: SignIn::ClientCredentials,
        paging: Paging::NamedWithLink,
        paths: &[
            "v1/charters",
            "v1/yards",
            "v1/yards/{yard}/stalls",
            "v1/yards/{yard}/charters",
            "v1/yards/{yard}/badges",
            "v1/yards/{yard}/badges/{badge}/wearers",
            "v1/yards/{yard}/lids",
            "v1/yards/{yard}/shores/{shore}/crafts",
            "v1/yards/{yard}/crafts/{craft}/callers",
        ],
        world: include_str!("../worlds/levante.json"),
        logs: &["v1/traces", "v1/yards/{yard}/footprints"],
        ranged: Ranged { from: "since", to: "until", written: Moment::Rfc3339 },
        out_of_order: None,
        loose: &[],
        grows: None,
    },
    Platform {
        name: "poniente",
        about: "tenancies with suites of workers, keys of three ranks, personas and titles",
        sign_in: SignIn::Header("poniente-pass"),
        paging: Paging::Rows,
        paths: &[
            "titles",
            "tenancies",
            "tenancies/{tenancy}/titles",
            "tenancies/{tenancy}/belongings",
            "tenancies/{tenancy}/personas",
            "tenancies/{tenancy}/circles",
            "tenancies/{tenancy}/appointments",
            "tenancies/{tenancy}/registrations",
            "tenancies/{tenancy}/suites",
            "tenancies/{tenancy}/workers",
            "tenancies/{tenancy}/keys",
            "tenancies/{tenancy}/workers/{worker}/keys",
            "tenancies/{tenancy}/suites/{suite}/workers",
            "tenancies/{tenancy}/suites/{suite}/keys",
            "tenancies/{tenancy}/suites/{suite}/workers/{worker}/keys",
        ],
        world: include_str!("../worlds/poniente.json"),
        logs: &[
            "tenancies/{tenancy}/requests",
            "tenancies/{tenancy}/writings",
            "tenancies/{tenancy}/proxy-lines",
            "tenancies/{tenancy}/deeds",
        ],
        ranged: Ranged { from: "notBefore", to: "notAfter", written: Moment::Milliseconds },
        out_of_order: None,
        loose: &["manifest-export"],
        grows: None,
    },
    Platform {
        name: "siroco",
        about: "basins with areas of hands, crews by rule, grades on kinds of things",
        sign_in: SignIn::Bearer,
        paging: Paging::BareWithLink,
        paths: &[
            "grades",
            "basins",
            "basins/{basin}/crews",
            "basins/{basin}/areas",
            "basins/{basin}/areas/{area}/things",
            "basins/{basin}/areas/{area}/hands",
        ],
        world: include_str!("../worlds/siroco.json"),
        logs: &["basins/{basin}/ledger"],
        ranged: Ranged { from: "since", to: "through", written: Moment::Date },
        out_of_order: None,
        loose: &[],
        grows: None,
    },
    Platform {
        name: "tramontana",
        about: "a tree of nodes with rights on them, agents and tasks",
        sign_in: SignIn::Bearer,
        paging: Paging::Nodes,
        paths: &[
            "tree/words",
            "tree/reaches",
            "tree/rights",
            "tree/reaches/{reach}/things",
            "tree/reaches/{reach}/agents",
            "tree/reaches/{reach}/tasks",
            "tree/reaches/{reach}/tasks/{task}/marks",
        ],
        world: include_str!("../worlds/tramontana.json"),
        logs: &["tree/reaches/{reach}/visits", "tree/reaches/{reach}/traces"],
        ranged: Ranged { from: "begin", to: "end", written: Moment::Seconds },
        out_of_order: None,
        loose: &[],
        grows: Some(("tree/reaches/tides/tasks", |number| {
            format!(
                r#"{{"node":"tides/task/gauge-{number:06}","agent":"tide-writer","wakes_on":"tide-clock"}}"#
            )
        })),
    },
];

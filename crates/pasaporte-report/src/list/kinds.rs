//! What can be listed, and what the lists share.

use pasaporte_audit::Audit;

use super::{Column, List, holders, places, proofs, seen, ways_in};

/// What can be listed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// Functions: what they run as, what makes them run, who can, the worst they may do.
    Functions,
    /// Endpoints: how callers are checked, and who gets through in effect.
    Endpoints,
    /// Operations of API contracts: what each declares, and how what is deployed stands to it.
    Operations,
    /// Triggers: what makes which function run.
    Triggers,
    /// Identities: who runs as them, and the worst they may do.
    Identities,
    /// People, and what they hold.
    Users,
    /// Groups: who is in them, and what they hold.
    Groups,
    /// Grants: who holds what, where, until when.
    Grants,
    /// Permission sets: what they include, and who holds them.
    PermissionSets,
    /// Keys: what they open, who holds them, their age and use.
    Keys,
    /// Token verifiers: what they accept, and what they guard.
    Verifiers,
    /// Tokens known by their claims: which verifiers they pass.
    Tokens,
    /// Resources: how sensitive they are, and whose.
    Resources,
    /// Organizations, folders, accounts and apps.
    Scopes,
    /// Records in other systems, and which identity has the client id.
    Enrolments,
    /// What somebody was seen to do, or to be refused, and why.
    Usage,
    /// Calls of endpoints that were seen: what callers showed.
    Calls,
    /// Keys and tokens that were seen where they should not be.
    Sightings,
}

/// All that can be listed.
pub const KINDS: &[Kind] = &[
    Kind::Functions,
    Kind::Endpoints,
    Kind::Operations,
    Kind::Triggers,
    Kind::Identities,
    Kind::Users,
    Kind::Groups,
    Kind::Grants,
    Kind::PermissionSets,
    Kind::Keys,
    Kind::Verifiers,
    Kind::Tokens,
    Kind::Resources,
    Kind::Scopes,
    Kind::Enrolments,
    Kind::Usage,
    Kind::Calls,
    Kind::Sightings,
];

impl Kind {
    /// As it is asked for.
    pub fn word(self) -> &'static str {
        match self {
            Self::Functions => "functions",
            Self::Endpoints => "endpoints",
            Self::Operations => "operations",
            Self::Triggers => "triggers",
            Self::Identities => "identities",
            Self::Users => "users",
            Self::Groups => "groups",
            Self::Grants => "grants",
            Self::PermissionSets => "permission-sets",
            Self::Keys => "keys",
            Self::Verifiers => "verifiers",
            Self::Tokens => "tokens",
            Self::Resources => "resources",
            Self::Scopes => "scopes",
            Self::Enrolments => "enrolments",
            Self::Usage => "usage",
            Self::Calls => "calls",
            Self::Sightings => "sightings",
        }
    }

    /// What is told of each, in a line.
    pub fn about(self) -> &'static str {
        match self {
            Self::Functions => {
                "Functions: what they run as, what makes them run, who can, the worst they may do"
            }
            Self::Endpoints => "Endpoints: how callers are checked, and who gets through in effect",
            Self::Operations => {
                "Operations of API contracts: what each declares, and how what is deployed stands to it"
            }
            Self::Triggers => "Triggers: what makes which function run",
            Self::Identities => "Identities: who runs as them, and the worst they may do",
            Self::Users => "People, and what they hold",
            Self::Groups => "Groups: who is in them, and what they hold",
            Self::Grants => "Grants: who holds what, where, until when",
            Self::PermissionSets => "Permission sets: what they include, and who holds them",
            Self::Keys => "Keys: what they open, who holds them, their age and use",
            Self::Verifiers => "Token verifiers: what they accept, and what they guard",
            Self::Tokens => "Tokens known by their claims: which verifiers they pass",
            Self::Resources => "Resources: how sensitive they are, and whose",
            Self::Scopes => "Organizations, folders, accounts and apps",
            Self::Enrolments => "Records in other systems, and which identity has the client id",
            Self::Usage => "What somebody was seen to do, or to be refused, and why",
            Self::Calls => "Calls of endpoints that were seen: what callers showed",
            Self::Sightings => "Keys and tokens that were seen where they should not be",
        }
    }

    /// Its columns.
    pub fn columns(self) -> &'static [Column] {
        match self {
            Self::Functions => ways_in::FUNCTIONS,
            Self::Endpoints => ways_in::ENDPOINTS,
            Self::Operations => ways_in::OPERATIONS,
            Self::Triggers => ways_in::TRIGGERS,
            Self::Identities => holders::IDENTITIES,
            Self::Users => holders::USERS,
            Self::Groups => holders::GROUPS,
            Self::Grants => holders::GRANTS,
            Self::PermissionSets => holders::PERMISSION_SETS,
            Self::Keys => proofs::KEYS,
            Self::Verifiers => proofs::VERIFIERS,
            Self::Tokens => proofs::TOKENS,
            Self::Resources => places::RESOURCES,
            Self::Scopes => places::SCOPES,
            Self::Enrolments => places::ENROLMENTS,
            Self::Usage => seen::USAGE,
            Self::Calls => seen::CALLS,
            Self::Sightings => seen::SIGHTINGS,
        }
    }

    /// Its rows, of an estate.
    pub fn list(self, audit: &Audit<'_>) -> List {
        let mut list = List::new(self.word(), self.columns());
        match self {
            Self::Functions => ways_in::functions(audit, &mut list),
            Self::Endpoints => ways_in::endpoints(audit, &mut list),
            Self::Operations => ways_in::operations(audit, &mut list),
            Self::Triggers => ways_in::triggers(audit, &mut list),
            Self::Identities => holders::identities(audit, &mut list),
            Self::Users => holders::users(audit, &mut list),
            Self::Groups => holders::groups(audit, &mut list),
            Self::Grants => holders::grants(audit, &mut list),
            Self::PermissionSets => holders::permission_sets(audit, &mut list),
            Self::Keys => proofs::keys(audit, &mut list),
            Self::Verifiers => proofs::verifiers(audit, &mut list),
            Self::Tokens => proofs::tokens(audit, &mut list),
            Self::Resources => places::resources(audit, &mut list),
            Self::Scopes => places::scopes(audit, &mut list),
            Self::Enrolments => places::enrolments(audit, &mut list),
            Self::Usage => seen::usage(audit, &mut list),
            Self::Calls => seen::calls(audit, &mut list),
            Self::Sightings => seen::sightings(audit, &mut list),
        }
        list
    }
}

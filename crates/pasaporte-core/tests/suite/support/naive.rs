//! A second evaluator, written from the access model clause by clause, that shares nothing with the first but the words
//! of the model: its own matching, its own membership, its own walk up the scopes, plain loops over everything.

use pasaporte_core::estate::*;

use super::recipe::{Cooked, Recipe};

/// No, perhaps, yes.
pub type Tri = i8;

/// What is fixed in a question: each attribute with its value, or that it is a stranger's.
#[derive(Debug, Clone, Default)]
pub struct Given {
    pub second_factor: Option<bool>,
    pub secure: Option<bool>,
    /// A network by name, `elsewhere` than any that is named, or `foreign`: anywhere outside.
    pub network: Option<&'static str>,
    /// An account by name, or `foreign`.
    pub account: Option<String>,
    /// A source by name, or `foreign`.
    pub source: Option<&'static str>,
    /// Whether it is a stranger's token.
    pub strange_token: bool,
}

impl Given {
    pub fn stranger() -> Self {
        Self {
            network: Some("elsewhere"),
            account: Some("foreign".to_owned()),
            source: Some("foreign"),
            strange_token: true,
            ..Self::default()
        }
    }
}

/// What is asked about: a thing, or one that may be made in a scope.
#[derive(Debug, Clone)]
pub enum Target {
    There(Thing),
    New(String, ScopeId),
}

pub struct Naive<'e> {
    pub estate: &'e Estate,
    grants: usize,
    ceilings: usize,
    /// What is left aside: statements by a grant, or on a thing itself.
    pub without: Vec<(Option<GrantId>, StatementId)>,
}

impl<'e> Naive<'e> {
    pub fn new(cooked: &'e Cooked, recipe: &Recipe) -> Self {
        let (grants, ceilings) = (recipe.grants.len(), recipe.ceilings.len());
        Self { estate: &cooked.estate, grants, ceilings, without: Vec::new() }
    }

    pub fn decide(&self, who: Principal, action: &str, on: Thing, given: &Given) -> Tri {
        self.decide_on(who, action, &Target::There(on), given)
    }

    pub fn decide_on(&self, who: Principal, action: &str, on: &Target, given: &Given) -> Tri {
        let names = self.names(who);
        let everybody = self.names(Principal::SignedIn);
        let anyone = self.names(Principal::Anyone);
        // Allowed and denied by the caller's side, by the resource's, and by what is given to everybody.
        let (mut caller, mut resource, mut to_all) = ((0, 0), (0, 0), (0, 0));
        for id in (0..self.grants).map(GrantId::new) {
            let grant = self.estate.grant(id);
            let holds_here = match grant.at {
                At::Everywhere => true,
                At::Thing(place) => self.chain_of(on).contains(&place),
            };
            let ended = grant.expires.is_some_and(|end| Some(end) <= self.estate.as_of());
            if names.contains(&grant.principal) && holds_here && !ended {
                let mut statements: Vec<StatementId> = grant.statements.ids().collect();
                let mut sets: Vec<_> = grant.set.into_iter().collect();
                while let Some(set) = sets.pop() {
                    if let Some(set) = self.estate.get(set) {
                        statements.extend(set.statements.ids());
                        sets.extend(&set.includes);
                    }
                }
                statements.retain(|statement| !self.without.contains(&(Some(id), *statement)));
                self.weigh(&statements, who, action, on, given, &mut caller);
                if everybody.contains(&grant.principal) {
                    self.weigh(&statements, who, action, on, given, &mut to_all);
                }
            }
        }
        for admission in self.estate.admissions() {
            let to = self.estate.list(admission.to);
            if matches!(on, Target::There(thing) if admission.on == *thing)
                && to.iter().any(|to| names.contains(to))
                && !self.without.contains(&(None, admission.statement))
            {
                self.weigh(&[admission.statement], who, action, on, given, &mut resource);
                if to.iter().any(|to| anyone.contains(to)) {
                    self.weigh(&[admission.statement], who, action, on, given, &mut to_all);
                }
            }
        }
        let by_sides = match who {
            Principal::Anyone
            | Principal::SignedIn
            | Principal::Service(_)
            | Principal::Key(_)
            | Principal::Token(_) => caller.0.max(resource.0),
            _ if self.one_side(on) => caller.0.max(resource.0),
            Principal::Outside(_) => resource.0,
            // An account that is not in the estate is an outsider as a whole.
            Principal::Account(id) if self.estate.get(id).is_none() => resource.0,
            _ => {
                let (within, across) = (caller.0.max(resource.0), caller.0.min(resource.0));
                match self.is_within(who, on) {
                    Some(true) => within,
                    Some(false) => across,
                    // Nobody knows: what both readings agree on.
                    None if within == across => within,
                    None => 1,
                }
            }
        };
        let mut answer = by_sides.max(to_all.0).min(2 - caller.1.max(resource.1));
        for ceiling in (0..self.ceilings).map(|index| self.estate.ceiling(CeilingId::new(index))) {
            let home = match who {
                Principal::Identity(id) => self.chain(Thing::Identity(id)),
                Principal::User(id) => self.chain(Thing::User(id)),
                Principal::Account(id) => self.chain(Thing::Scope(id)),
                _ => Vec::new(),
            };
            let binds = ceiling.over.iter().any(|over| match over {
                Bounded::Identity(id) => who == Principal::Identity(*id),
                Bounded::User(id) => who == Principal::User(*id),
                Bounded::Scope(id) => home.contains(&Thing::Scope(*id)),
            });
            if binds {
                let mut bound = (0, 0);
                self.weigh(&ceiling.statements.ids().collect::<Vec<_>>(), who, action, on, given, &mut bound);
                answer = answer.min(bound.0).min(2 - bound.1);
            }
        }
        answer
    }

    /// Raises (allowed, denied) by the statements that apply.
    fn weigh(
        &self,
        statements: &[StatementId],
        who: Principal,
        action: &str,
        on: &Target,
        given: &Given,
        weight: &mut (Tri, Tri),
    ) {
        let ignored = self.account_of(on).and_then(|account| self.estate.get(account));
        let ignored = ignored.is_some_and(|account| account.action_case == CaseOfActions::Ignored);
        let label = self.label(on);
        for statement in statements.iter().map(|id| self.estate.statement(*id)) {
            if self.picks(self.estate.actions_picked(statement.actions), action, ignored)
                && self.picks(self.estate.resources_picked(statement.resources), &label, false)
            {
                let holds = statement.conditions.iter().map(|each| self.holds(each, who, on, given)).min();
                match statement.effect {
                    Effect::Allow => weight.0 = weight.0.max(holds.unwrap_or(2)),
                    Effect::Deny => weight.1 = weight.1.max(holds.unwrap_or(2)),
                }
            }
        }
    }

    fn label(&self, on: &Target) -> String {
        match on {
            Target::There(thing) => self.estate.label(*thing),
            Target::New(label, _) => label.clone(),
        }
    }

    /// The conditions that recipes make, one by one.
    fn holds(&self, condition: &Condition, who: Principal, on: &Target, given: &Given) -> Tri {
        let Condition::Test(attribute, test) = condition else { return 1 };
        let yes = |holds: bool| if holds { 2 } else { 0 };
        match (attribute, test) {
            (Attribute::SecondFactor, _) => given.second_factor.map_or(1, yes),
            (Attribute::SecureTransport, _) => given.secure.map_or(1, yes),
            (Attribute::CallerTag(name), Test::Equals(wanted)) => {
                let tags = match who {
                    Principal::Identity(id) => self.estate.get(id).map(|it| it.tags),
                    Principal::User(id) => self.estate.get(id).map(|it| it.tags),
                    _ => None,
                };
                self.tag(tags, *name, wanted)
            }
            (Attribute::ResourceTag(name), Test::Equals(wanted)) => {
                let tags = match on {
                    Target::There(Thing::Resource(id)) => self.estate.get(*id).map(|it| it.tags),
                    Target::There(Thing::Function(id)) => self.estate.get(*id).map(|it| it.tags),
                    Target::There(Thing::Identity(id)) => self.estate.get(*id).map(|it| it.tags),
                    _ => None,
                };
                self.tag(tags, *name, wanted)
            }
            (Attribute::CallerNetwork, Test::InNetwork(nets)) => {
                let named = |network: &str| nets.iter().any(|net| net.to_string() == network);
                match given.network {
                    None => 1,
                    // A stranger's address may be in a public network.
                    Some("foreign") => Tri::from(named(super::recipe::PUBLIC)),
                    Some(network) => yes(named(network)),
                }
            }
            (Attribute::CallerAccount, Test::Equals(wanted)) => {
                let own = match who {
                    Principal::Group(_) => None,
                    _ => self.home(who).map(|id| self.estate.id(id).to_owned()),
                };
                let account = given.account.clone().or(own);
                account.map_or(1, |account| yes(wanted.iter().any(|name| self.estate.text(*name) == account)))
            }
            (Attribute::SourceResource, Test::Equals(wanted)) => given
                .source
                .map_or(1, |source| yes(wanted.iter().any(|name| self.estate.text(*name) == source))),
            _ => 1,
        }
    }

    fn tag(&self, tags: Option<List<(Name, Name)>>, name: Name, wanted: &[Name]) -> Tri {
        let tags = tags.map(|tags| self.estate.list(tags).to_vec()).unwrap_or_default();
        let value = tags.iter().find(|(each, _)| *each == name);
        value.map_or(1, |(_, value)| if wanted.contains(value) { 2 } else { 0 })
    }

    pub fn picks(&self, selection: &Selection, text: &str, ignored: bool) -> bool {
        let fold = |text: &str| if ignored { text.to_lowercase() } else { text.to_owned() };
        let text: Vec<char> = fold(text).chars().collect();
        let matched = |id: &_| {
            let pattern: Vec<char> = fold(self.estate.pattern(*id).text()).chars().collect();
            matches(&pattern, &text)
        };
        selection.any().iter().any(matched) && !selection.except().iter().any(matched)
    }

    pub fn names(&self, who: Principal) -> Vec<Principal> {
        let mut names = vec![who, Principal::Anyone];
        let home = match who {
            Principal::Identity(id) => Some(Thing::Identity(id)),
            Principal::User(id) => Some(Thing::User(id)),
            _ => None,
        };
        if let Some(home) = home {
            names.extend(self.chain(home).into_iter().filter_map(|thing| match thing {
                Thing::Scope(scope) if self.is_account(scope) => Some(Principal::Account(scope)),
                _ => None,
            }));
        }
        if matches!(
            who,
            Principal::Identity(_) | Principal::User(_) | Principal::Outside(_) | Principal::Account(_)
        ) {
            names.push(Principal::SignedIn);
        }
        loop {
            let before = names.len();
            for (id, group) in self.estate.all() {
                let group: &Group = group;
                let name = Principal::Group(id);
                let listed = group.members.iter().any(|member| names.contains(member));
                let ruled = group.rule.as_ref().is_some_and(|rule| self.rule_takes(rule, who));
                if !names.contains(&name) && (listed || ruled) {
                    names.push(name);
                }
            }
            if names.len() == before {
                return names;
            }
        }
    }

    /// All that a rule asks is true of the identity itself, or of one function that runs as it.
    fn rule_takes(&self, rule: &MembershipRule, who: Principal) -> bool {
        let fits = |thing: Thing, id: &str, tags: Vec<_>| {
            rule.within.is_none_or(|scope| self.chain(thing).contains(&Thing::Scope(scope)))
                && rule
                    .tag
                    .is_none_or(|(name, value)| tags.iter().any(|tag| *tag == (name, value.unwrap_or(name))))
                && rule.named.as_ref().is_none_or(|pattern| {
                    let pattern: Vec<char> = pattern.text().chars().collect();
                    matches(&pattern, &id.chars().collect::<Vec<_>>())
                })
        };
        match (rule.kind, who) {
            (MemberKind::User, Principal::User(id)) => fits(Thing::User(id), self.estate.id(id), Vec::new()),
            (MemberKind::Identity | MemberKind::Function, Principal::Identity(id)) => {
                let tags = self.estate.get(id).map(|it| self.estate.list(it.tags).to_vec());
                let itself = fits(Thing::Identity(id), self.estate.id(id), tags.unwrap_or_default());
                let running: Vec<FunctionId> = self
                    .estate
                    .all::<FunctionId>()
                    .filter(|(_, it)| it.runs_as == Some(id))
                    .map(|(function, _)| function)
                    .collect();
                let one = running
                    .iter()
                    .any(|function| fits(Thing::Function(*function), self.estate.id(*function), Vec::new()));
                let runs = rule.kind == MemberKind::Identity || !running.is_empty();
                runs && (itself || one)
            }
            _ => false,
        }
    }

    /// The thing, what it lies in, what that lies in …
    pub fn chain(&self, thing: Thing) -> Vec<Thing> {
        std::iter::successors(Some(thing), |at| self.estate.parent(*at)).collect()
    }

    fn chain_of(&self, on: &Target) -> Vec<Thing> {
        match on {
            Target::There(thing) => self.chain(*thing),
            Target::New(_, scope) => self.chain(Thing::Scope(*scope)),
        }
    }

    fn is_account(&self, scope: ScopeId) -> bool {
        self.estate.get(scope).is_some_and(|scope| scope.kind == ScopeKind::Account)
    }

    pub fn account_of(&self, on: &Target) -> Option<ScopeId> {
        self.chain_of(on).into_iter().find_map(|thing| match thing {
            Thing::Scope(scope) if self.is_account(scope) => Some(scope),
            _ => None,
        })
    }

    /// Whether a principal and something are of one account; none where a place that is not declared hides that.
    fn is_within(&self, who: Principal, on: &Target) -> Option<bool> {
        let is_lost = |chain: Vec<Thing>| {
            chain.iter().any(|at| matches!(at, Thing::Scope(scope) if self.estate.get(*scope).is_none()))
        };
        let lives_in = who.thing().map(|thing| self.chain(thing)).unwrap_or_default();
        if is_lost(lives_in) || is_lost(self.chain_of(on)) {
            return None;
        }
        Some(self.home(who) == self.account_of(on))
    }

    fn one_side(&self, on: &Target) -> bool {
        let account = self.account_of(on).and_then(|account| self.estate.get(account));
        account.is_some_and(|account| account.cross_account == CrossAccount::OneSide)
    }

    /// The account that a principal is of.
    pub fn home(&self, who: Principal) -> Option<ScopeId> {
        match who {
            Principal::Identity(id) => self.account_of(&Target::There(Thing::Identity(id))),
            Principal::User(id) => self.account_of(&Target::There(Thing::User(id))),
            Principal::Group(id) => self.account_of(&Target::There(Thing::Group(id))),
            Principal::Account(id) => Some(id),
            _ => None,
        }
    }
}

/// Matching by trying every split of a run.
fn matches(pattern: &[char], text: &[char]) -> bool {
    match pattern.split_first() {
        None => text.is_empty(),
        Some(('*', rest)) => (0..=text.len()).any(|taken| matches(rest, &text[taken..])),
        Some(('?', rest)) => text.split_first().is_some_and(|(_, left)| matches(rest, left)),
        Some((one, rest)) => {
            text.split_first().is_some_and(|(next, left)| next == one && matches(rest, left))
        }
    }
}

//! The estate: everything that was read, by typed index, with where it was read.
//!
//! A [`Builder`] takes entries in any order. A reference makes a slot and a declaration fills it, so
//! reading needs one pass and nothing is resolved twice; a slot that stays empty is a thing that is
//! referred to and not there, and whoever looks it up gets `None`.

mod attempt;
mod builder;
mod canonical;
mod condition;
mod contract;
mod function;
mod grouped;
mod identity;
mod ids;
mod key;
mod ledger;
mod lists;
mod names;
mod nesting;
mod observed;
mod origin;
mod overlay;
mod patterns;
mod permission;
mod principal;
mod references;
mod resource;
mod scope;
mod setting;
mod shared;
mod supplement;
mod table;
mod thing;
mod tree;
mod vocabulary;

use indexmap::IndexSet;
use jiff::Timestamp;
use rustc_hash::{FxBuildHasher, FxHashMap};

pub(crate) use crate::vocabulary;
pub use attempt::{Attempt, Came, Shows};
pub use builder::{Builder, Fault};
pub use canonical::{canonical, conditions};
pub use condition::{Attribute, Condition, Test};
pub use contract::{
    Asked, Contract, ContractOf, KeyPlace, Operation, Requirement, Scheme, SchemeKind, Unread,
};
pub use function::{Check, Endpoint, Function, Network, Presents, Trigger, Way};
pub(crate) use grouped::Grouped;
pub use identity::{
    Credential, Enrolment, Group, Identity, IdentityKind, KeySet, Life, MemberKind, MembershipRule, Token,
    User, Verifier,
};
pub use ids::{
    ActionsId, AdmissionId, CeilingId, ContractId, EndpointId, EnrolmentId, FunctionId, GrantId, GroupId, Id,
    IdentityId, KeyId, PatternId, ResourceId, ResourcesId, ScopeId, SetId, StatementId, TokenId, TriggerId,
    UserId, VerifierId,
};
pub use key::{Key, KeyOf, KeyReach, LastUse};
pub use ledger::Overlap;
pub use lists::{List, Listed};
pub use names::{Name, Names};
pub use observed::{
    Answered, Call, CameFrom, Client, LogCoverage, MOST_CLIENTS, Outcome, SeenIn, Showed, Sighting, Tally,
    Use, least_clients,
};
pub use origin::{FileId, Origin};
pub use permission::{
    Admission, At, Bounded, Ceiling, Effect, Grant, MadeBy, PermissionSet, Selection, Several, Statement,
    Statements,
};
pub use principal::{Principal, RUNNER_SERVICE};
pub use references::Reference;
pub use resource::{ActionClass, ActionEntry, BlindSpot, Need, Resource};
pub use scope::{Scope, ScopeKind};
pub use setting::Setting;
pub use shared::{CaseOfActions, CrossAccount, Environment, Sensitivity, State};
pub(crate) use supplement::is_private;
pub use supplement::{About, Supplement};
pub use table::Kept;
pub use thing::{AccountOf, Thing};
pub use tree::Tree;
pub use vocabulary::Vocabulary;

use crate::pattern::Pattern;
use lists::SharedLists;
use patterns::Patterns;
use table::Tables;

/// Everything that was read about functions and what surrounds them.
#[derive(Debug, Default)]
pub struct Estate {
    names: Names,
    files: Vec<Box<str>>,
    tables: Tables,
    claimed: FxHashMap<ScopeId, ScopeKind>,
    tree: Tree,
    lists: SharedLists,
    patterns: Patterns,
    actions_picked: IndexSet<Selection, FxBuildHasher>,
    resources_picked: IndexSet<Selection, FxBuildHasher>,
    statements: Vec<Statement>,
    grants: Vec<Grant>,
    admissions: Vec<Admission>,
    ceilings: Vec<Ceiling>,
    enrolments: Vec<Enrolment>,
    actions: Vec<ActionEntry>,
    needs: Vec<Need>,
    ledger: ledger::Ledger,
    /// Fingerprints of what is not there.
    loose_fingerprints: Vec<(Thing, Origin)>,
    blind_spots: Vec<BlindSpot>,
    attempts: Vec<Attempt>,
    declared: Option<Box<Self>>,
    as_of: Option<Timestamp>,
    inside: supplement::Inside,
    endpoints_of: Grouped<EndpointId>,
    triggers_of: Grouped<TriggerId>,
    functions_as: Grouped<FunctionId>,
}

impl Estate {
    /// When the estate was true.
    pub fn as_of(&self) -> Option<Timestamp> {
        self.as_of
    }

    /// Whether something that ends then had ended when the estate was true.
    pub fn has_ended(&self, expires: Option<Timestamp>) -> bool {
        matches!((expires, self.as_of()), (Some(end), Some(now)) if end <= now)
    }

    /// The thing of that id, or nothing where it is only mentioned.
    pub fn get<K: Kept>(&self, id: K) -> Option<&K::Value> {
        K::table(&self.tables).get(id.index())
    }

    /// The id as written, without its kind.
    pub fn id<K: Kept>(&self, id: K) -> &str {
        self.text(K::table(&self.tables).name(id.index()))
    }

    /// The thing of that written id, declared or mentioned.
    pub fn find<K: Kept>(&self, id: &str) -> Option<K> {
        self.names.find(id).and_then(|name| K::table(&self.tables).find(name)).map(K::new)
    }

    /// All declared things of a kind, in the order of their first mention.
    pub fn all<K: Kept>(&self) -> impl Iterator<Item = (K, &K::Value)> + Clone {
        let table = K::table(&self.tables);
        (0..table.len()).filter_map(move |index| table.get(index).map(|value| (K::new(index), value)))
    }

    /// How many things of a kind are declared or mentioned.
    pub fn count<K: Kept>(&self) -> usize {
        K::table(&self.tables).len()
    }

    /// The string behind a name.
    pub fn text(&self, name: Name) -> &str {
        self.names.text(name)
    }

    /// The name of a string, if the estate mentions it.
    pub fn name(&self, text: &str) -> Option<Name> {
        self.names.find(text)
    }

    /// The path of a file, as reports show it.
    pub fn path(&self, file: FileId) -> &str {
        &self.files[file.index()]
    }

    /// All files, in the order read.
    pub fn files(&self) -> impl Iterator<Item = &str> {
        self.files.iter().map(AsRef::as_ref)
    }

    /// A pattern by id.
    pub fn pattern(&self, id: PatternId) -> &Pattern {
        self.patterns.get(id)
    }

    /// What a statement's actions are.
    pub fn actions_picked(&self, id: ActionsId) -> &Selection {
        &self.actions_picked[id.index()]
    }

    /// All distinct choices of actions.
    pub fn all_actions_picked(&self) -> impl ExactSizeIterator<Item = (ActionsId, &Selection)> {
        self.actions_picked.iter().enumerate().map(|(index, selection)| (ActionsId::new(index), selection))
    }

    /// What a statement's resources are.
    pub fn resources_picked(&self, id: ResourcesId) -> &Selection {
        &self.resources_picked[id.index()]
    }

    /// All distinct choices of resources.
    pub fn all_resources_picked(&self) -> impl ExactSizeIterator<Item = (ResourcesId, &Selection)> {
        self.resources_picked
            .iter()
            .enumerate()
            .map(|(index, selection)| (ResourcesId::new(index), selection))
    }

    /// What is in a shared list.
    pub fn list<T: Listed>(&self, list: List<T>) -> &[T] {
        T::lists(&self.lists).get(list)
    }

    /// A statement by id.
    pub fn statement(&self, id: StatementId) -> &Statement {
        &self.statements[id.index()]
    }

    /// A grant by id.
    pub fn grant(&self, id: GrantId) -> &Grant {
        &self.grants[id.index()]
    }

    /// All grants, in the order read.
    pub fn grants(&self) -> impl ExactSizeIterator<Item = (GrantId, &Grant)> {
        self.grants.iter().enumerate().map(|(index, grant)| (GrantId::new(index), grant))
    }

    /// All invoke permissions, trusts and entries of access lists.
    pub fn admissions(&self) -> &[Admission] {
        &self.admissions
    }

    /// An admission by id.
    pub fn admission(&self, id: AdmissionId) -> &Admission {
        &self.admissions[id.index()]
    }

    /// All ceilings.
    pub fn ceilings(&self) -> impl Iterator<Item = (CeilingId, &Ceiling)> {
        self.ceilings.iter().enumerate().map(|(index, ceiling)| (CeilingId::new(index), ceiling))
    }

    /// All enrolments.
    pub fn enrolments(&self) -> &[Enrolment] {
        &self.enrolments
    }

    /// The catalogue of actions that the estate brings.
    pub fn actions(&self) -> &[ActionEntry] {
        &self.actions
    }

    /// What triggers take on their sources, as the estate's catalogue says.
    pub fn needs(&self) -> &[Need] {
        &self.needs
    }

    /// What collectors could not see.
    pub fn blind_spots(&self) -> &[BlindSpot] {
        &self.blind_spots
    }

    /// What came back from endpoints that were tried with no credential, in the order read.
    pub fn attempts(&self) -> &[Attempt] {
        &self.attempts
    }

    /// The estate as it is declared in source control, where that was read beside what is deployed. Its files are
    /// those of this estate.
    pub fn declared(&self) -> Option<&Self> {
        self.declared.as_deref()
    }

    /// Puts what is declared beside what is deployed.
    pub fn set_declared(&mut self, declared: Self) {
        self.declared = Some(Box::new(declared));
    }

    /// The scope tree.
    pub fn tree(&self) -> &Tree {
        &self.tree
    }

    /// The kind that a scope was referred to by.
    pub fn claimed_kind(&self, scope: ScopeId) -> Option<ScopeKind> {
        self.claimed.get(&scope).copied()
    }

    /// The scope and those above it, nearest first, as far as they are declared.
    pub fn upwards(&self, scope: Option<ScopeId>) -> impl Iterator<Item = (ScopeId, &Scope)> {
        let mut next = scope;
        std::iter::from_fn(move || {
            let id = next?;
            let scope = self.get(id)?;
            next = scope.parent;
            Some((id, scope))
        })
    }

    /// What a function runs as: its own identity, or that of the nearest scope which names one.
    pub fn runs_as(&self, function: &Function) -> Option<IdentityId> {
        function.runs_as.or_else(|| self.upwards(function.scope).find_map(|(_, scope)| scope.runs_as))
    }

    /// The environment of whatever lives in `scope` and says `own` of itself.
    pub fn environment(&self, own: Option<Environment>, scope: Option<ScopeId>) -> Option<Environment> {
        own.or_else(|| self.upwards(scope).find_map(|(_, scope)| scope.environment))
    }

    /// The owner of whatever lives in `scope` and says `own` of itself.
    pub fn owner(&self, own: Option<Name>, scope: Option<ScopeId>) -> Option<Name> {
        own.or_else(|| self.upwards(scope).find_map(|(_, scope)| scope.owner))
    }

    /// The platform of whatever lives in `scope`.
    pub fn platform(&self, scope: Option<ScopeId>) -> Option<Name> {
        self.upwards(scope).find_map(|(_, scope)| scope.platform)
    }

    /// The endpoints of a function, in the order read.
    pub fn endpoints_of(&self, function: FunctionId) -> &[EndpointId] {
        self.endpoints_of.get(function)
    }

    /// The triggers of a function, in the order read.
    pub fn triggers_of(&self, function: FunctionId) -> &[TriggerId] {
        self.triggers_of.get(function)
    }

    /// The functions that run as an identity, in the order read.
    pub fn functions_as(&self, identity: IdentityId) -> &[FunctionId] {
        self.functions_as.get(identity)
    }

    fn index(&mut self) {
        let endpoints = self.all::<EndpointId>().map(|(id, endpoint)| (endpoint.function, id));
        let triggers = self.all::<TriggerId>().map(|(id, trigger)| (trigger.function, id));
        let running = self.all::<FunctionId>().filter_map(|(id, it)| Some((self.runs_as(it)?, id)));
        let endpoints = Grouped::new(self.count::<FunctionId>(), endpoints);
        let triggers = Grouped::new(self.count::<FunctionId>(), triggers);
        let running = Grouped::new(self.count::<IdentityId>(), running);
        (self.endpoints_of, self.triggers_of, self.functions_as) = (endpoints, triggers, running);
    }
}

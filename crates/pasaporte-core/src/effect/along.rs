//! The worst along everybody whom somebody may become: control of one identity or one function is as bad as what that
//! one may do, so those are edges, and the worst is found along them.

use rustc_hash::FxHashSet;

use super::found::{Direct, Edge, Opened};
use super::worst::Survey;
use super::{Effects, Harm, Impact, Road};
use crate::access::Verdict;
use crate::estate::{FunctionId, IdentityId, KeyId, KeyReach, Principal};

impl Effects<'_> {
    /// The worst that a principal may do, with all it holds by any of its names, and as whomever it may become.
    pub fn harm(&self, who: Principal) -> Harm {
        use crate::estate::Id;
        match who {
            Principal::Identity(id) => *self.harms[id.index()].get_or_init(|| self.find_harm(who)),
            _ => self.find_harm(who),
        }
    }

    fn find_harm(&self, who: Principal) -> Harm {
        self.follow(who, self.direct_of(who), true).0
    }

    /// The worst along the edges of somebody, and whom one has to become for it: each step once. With `short`, what was
    /// worked out before stands for all that lies beyond; the steps are then not told, since they would hang on what
    /// was asked first.
    pub(super) fn follow(
        &self,
        who: Principal,
        direct: Direct,
        short: bool,
    ) -> (Harm, Vec<(Principal, bool)>) {
        use crate::estate::Id;
        let mut best = direct.harm;
        let mut path: Vec<(Principal, bool)> = Vec::new();
        if direct.edges.is_empty() {
            return (best, path);
        }
        // Sure steps first, near before far, then by name, so that the order of input does not matter.
        let mut reached: Vec<(Principal, usize, bool)> = vec![(who, 0, true)];
        let mut seen: FxHashSet<(Principal, bool)> = FxHashSet::from_iter([(who, true)]);
        let mut edges: Vec<Edge> = direct.edges.into_vec();
        let mut at = 0;
        loop {
            edges.sort_by_cached_key(|edge| (!edge.surely, self.estate().principal_label(edge.to)));
            let so_far = reached[at].2;
            for edge in edges.drain(..) {
                let surely = so_far && edge.surely;
                if seen.contains(&(edge.to, true)) || !seen.insert((edge.to, surely)) {
                    continue;
                }
                reached.push((edge.to, at, surely));
            }
            at += 1;
            let Some(&(next, _, surely)) = reached.get(at) else { break };
            let known = match next {
                Principal::Identity(id) if short => self.harms[id.index()].get().copied(),
                _ => None,
            };
            let (harm, beyond) = match (known, next) {
                (Some(harm), _) => (harm, Vec::new()),
                (None, Principal::Identity(id)) => {
                    let direct = self.direct(id);
                    (direct.harm, direct.edges.to_vec())
                }
                (None, _) => {
                    let direct = self.direct_of(next);
                    (direct.harm, direct.edges.into_vec())
                }
            };
            let harm = if surely { harm } else { harm.perhaps() };
            let together = best.or(harm);
            if (together.impact, !together.surely, together.inferred)
                != (best.impact, !best.surely, best.inferred)
            {
                path = steps(&reached, at);
            }
            best = together;
            if best.impact == Impact::ControlsAccess && best.surely && !best.inferred {
                break;
            }
            edges = beyond;
        }
        (best, path)
    }

    /// What an identity may do itself; kept.
    pub(super) fn direct(&self, id: IdentityId) -> &Direct {
        use crate::estate::Id;
        self.direct[id.index()].get_or_init(|| self.direct_of(Principal::Identity(id)))
    }

    pub(super) fn direct_of(&self, who: Principal) -> Direct {
        let mut survey = Survey::new(self, who, None);
        if let Principal::Key(key) = who {
            let Opened { direct, is_given_more } = self.of_key(key);
            if !is_given_more {
                return direct.clone();
            }
            survey.harm = direct.harm;
            survey.edges.extend(&direct.edges);
        }
        survey.go(&self.own_roads(who));
        survey.into_direct()
    }

    /// The roads by which somebody may do harm. What anyone may do with a key or without is no matter of the key.
    pub(super) fn own_roads(&self, who: Principal) -> Vec<Road> {
        let mut all = self.harmful_roads(who);
        if let Principal::Key(_) = who {
            all.retain(|road| !self.is_of_anyone(road.name()));
        }
        all
    }

    /// Whether somebody is given anything that is not given to anyone.
    pub fn is_given_something(&self, who: Principal) -> bool {
        let given =
            |name: &Principal| self.grants_of(*name).len() > 0 || self.admissions_naming(*name).len() > 0;
        self.names(who).iter().any(|name| !self.is_of_anyone(*name) && given(name))
    }

    /// What opens to the holder of a key, in effect: with an admin key everything in what it opens, else what the worst of
    /// the functions that let it in may. Nothing, where it is not accepted. Kept.
    pub(super) fn of_key(&self, key: KeyId) -> &Opened {
        use crate::estate::Id;
        self.of_keys[key.index()].get_or_init(|| {
            let is_given_more = self.is_given_something(Principal::Key(key));
            Opened { direct: self.opened(key), is_given_more }
        })
    }

    fn opened(&self, key: KeyId) -> Direct {
        let nothing = Direct { harm: Harm::RUNS_CODE, edges: Box::default() };
        let Some(it) = self.estate().get(key) else { return nothing };
        if it.reach == KeyReach::Admin {
            let harm = Harm::sure(Impact::ControlsAccess);
            return match self.accepted(key) {
                Verdict::Yes => Direct { harm, ..nothing },
                Verdict::Depends => Direct { harm: harm.perhaps(), ..nothing },
                Verdict::No => nothing,
            };
        }
        let influence = |(id, how)| {
            let edge = self.edge_to_function(id, how == Verdict::Yes)?;
            Some(Edge { control: false, ..edge })
        };
        let mut edges: Vec<Edge> = self.opened_by(key).into_iter().filter_map(influence).collect();
        edges.sort_unstable_by_key(|edge| (edge.to, !edge.surely));
        edges.dedup_by_key(|edge| edge.to);
        Direct { edges: edges.into(), ..nothing }
    }

    /// Whoever controls a function is what it runs as.
    pub(super) fn edge_to_function(&self, function: FunctionId, surely: bool) -> Option<Edge> {
        let identity = self.estate().get(function).and_then(|it| self.estate().runs_as(it))?;
        Some(Edge { to: Principal::Identity(identity), surely, control: true })
    }

    /// The worst that one road lets somebody do, in effect.
    pub fn harm_by(&self, who: Principal, road: Road) -> Harm {
        let mut survey = Survey::new(self, who, None).alone();
        survey.go(&[road]);
        let direct = survey.into_direct();
        self.follow(who, direct, true).0
    }
}

fn steps(reached: &[(Principal, usize, bool)], mut at: usize) -> Vec<(Principal, bool)> {
    let mut path = Vec::new();
    while at != 0 {
        path.push((reached[at].0, reached[at].2));
        at = reached[at].1;
    }
    path.reverse();
    path
}

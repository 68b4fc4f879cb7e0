//! One action of each sort that the statements of two estates tell apart.

use std::sync::{Arc, Mutex};

use rustc_hash::{FxHashMap, FxHashSet};

use super::{Side, numbers};
use crate::access::Dialect;
use crate::effect::{is_action, may_begin};
use crate::estate::{ActionClass, ActionsId, Estate, Selection};
use crate::pattern::{Pattern, Sorts};

/// One action of a sort.
#[derive(Debug)]
pub(super) struct Sample {
    pub(super) action: Box<str>,
    pub(super) class: Option<ActionClass>,
    pub(super) is_wild: bool,
}

/// What was found of choices of actions: by service, how both sides read actions, the choices that give, and those that tell
/// apart, of both sides.
type Known = FxHashMap<(Box<str>, [Dialect; 2], [Vec<u32>; 4]), Arc<Vec<Sample>>>;

/// Finds samples, each choice of actions once.
#[derive(Debug)]
pub(super) struct Samples<'d, 'a, 'o, 'n> {
    old: &'d Side<'a, 'o>,
    new: &'d Side<'a, 'n>,
    known: Mutex<Known>,
    complete: Mutex<bool>,
}

impl<'d, 'a, 'o, 'n> Samples<'d, 'a, 'o, 'n> {
    pub(super) fn new(old: &'d Side<'a, 'o>, new: &'d Side<'a, 'n>) -> Self {
        Self { old, new, known: Mutex::default(), complete: Mutex::new(true) }
    }

    /// Whether all sorts were told apart within the bound on work.
    pub(super) fn are_complete(&self) -> bool {
        *self.complete.lock().expect("nobody panics while holding it")
    }

    /// One action of each sort of a service that either side's choices have.
    pub(super) fn of(
        &self,
        service: &str,
        choices: &[[Vec<ActionsId>; 2]; 2],
        dialects: [Dialect; 2],
    ) -> Arc<Vec<Sample>> {
        let any_case = dialects.iter().any(|it| it.any_case);
        let [[old_give, old_apart], [new_give, new_apart]] = choices;
        let key = (
            Box::from(service),
            dialects,
            [numbers(old_give), numbers(old_apart), numbers(new_give), numbers(new_apart)],
        );
        let known = || self.known.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&key) {
            return Arc::clone(found);
        }
        let (old, new) = (self.old.estate(), self.new.estate());
        let of = |estate, ids: &[ActionsId]| -> Vec<(&Selection, &Estate)> {
            let estate: &Estate = estate;
            ids.iter().map(|id| (estate.actions_picked(*id), estate)).collect()
        };
        let give = [of(old, old_give), of(new, new_give)].concat();
        let apart = [of(old, old_apart), of(new, new_apart)].concat();
        let mut all: Vec<Sample> = Vec::new();
        let mut add = |(found, complete): (Vec<Sample>, bool)| {
            if !complete {
                *self.complete.lock().expect("nobody panics while holding it") = false;
            }
            all.extend(found);
        };
        let read = |any_case| dialects.map(|it| it.in_any_case(any_case));
        add(self.find(service, &give, &apart, read(false)));
        if any_case {
            add(self.find(service, &give, &apart, read(true)));
            // Case may count on one side only: as patterns spell it, and as none does.
            for spelled in spelled(service, give.iter().chain(&apart)) {
                add(self.find(&spelled, &give, &apart, read(false)));
            }
            let upper = |it: &Sample| Sample { action: it.action.to_uppercase().into(), ..*it };
            let upper: Vec<Sample> = all.iter().map(upper).collect();
            all.extend(upper);
        }
        all.sort_by(|one, other| (&one.action, one.is_wild).cmp(&(&other.action, other.is_wild)));
        all.dedup_by(|later, first| later.action == first.action);
        let all = Arc::new(all);
        known().insert(key, Arc::clone(&all));
        all
    }

    fn find(
        &self,
        service: &str,
        give: &[(&Selection, &Estate)],
        apart: &[(&Selection, &Estate)],
        dialects: [Dialect; 2],
    ) -> (Vec<Sample>, bool) {
        let any_case = dialects[0].any_case;
        let start = format!("{service}/");
        let patterns = |all: &[(&Selection, &Estate)], except: bool| -> Vec<Pattern> {
            let ids = all.iter().flat_map(|&(choice, estate)| {
                let out: &[_] = if except { choice.except() } else { &[] };
                choice.any().iter().chain(out).map(move |id| estate.pattern(*id).clone())
            });
            let mut all: Vec<Pattern> = ids.filter(|it| may_begin(it, &start, any_case)).collect();
            all.sort_unstable_by(|one, other| one.text().cmp(other.text()));
            all.dedup_by(|one, other| one.text() == other.text());
            all
        };
        let given = patterns(give, false);
        if given.is_empty() {
            return (Vec::new(), true);
        }
        let mut telling = patterns(give, true);
        telling.extend(patterns(apart, true));
        let (said, wild): (Vec<&Pattern>, Vec<&Pattern>) =
            given.iter().partition(|it| it.as_literal().is_some());
        let (more, apart): (Vec<&Pattern>, Vec<&Pattern>) =
            telling.iter().partition(|it| it.as_literal().is_some());
        let said: FxHashSet<String> =
            said.into_iter().chain(more).filter_map(Pattern::as_literal).map(str::to_owned).collect();
        let catalogues = [self.old, self.new].map(|side| side.effects.catalogue());
        let mut strings = said.clone();
        let mut first: Vec<&Pattern> = Vec::new();
        for (catalogue, dialect) in catalogues.into_iter().zip(dialects) {
            for (_, line) in catalogue.of_service(service, dialect) {
                match line.operation.as_literal() {
                    Some(operation) => {
                        strings.insert(format!("{start}{operation}"));
                    }
                    None => first.push(&line.operation),
                }
            }
        }
        let sorts = Sorts {
            start: &start,
            any: &wild,
            except: &[],
            apart: &apart,
            first: &first,
            taken: &strings,
            any_case,
        };
        let found = sorts.samples();
        let class = |text: &str| {
            let [old, new] = catalogues;
            new.class(text, dialects[1]).or_else(|| old.class(text, dialects[0]))
        };
        let sample = |text: &str, is_wild| Sample { action: text.into(), class: class(text), is_wild };
        let mut all: Vec<Sample> = found.strings.iter().map(|(text, _)| sample(text, true)).collect();
        let is_given = |text: &str| given.iter().any(|it| it.takes(text, any_case));
        let named = strings.iter().filter(|text| is_action(text) && is_given(text));
        all.extend(named.map(|text| sample(text, !said.contains(text))));
        (all, found.complete)
    }
}

/// How patterns spell a service, where that is not as it is called.
fn spelled<'s>(service: &str, choices: impl Iterator<Item = &'s (&'s Selection, &'s Estate)>) -> Vec<String> {
    let patterns = choices.flat_map(|&(choice, estate)| choice.any().iter().map(|id| estate.pattern(*id)));
    let services = patterns.filter_map(|it| Some(it.literal_start().split_once('/')?.0.to_owned()));
    let mut all: Vec<String> =
        services.filter(|it| it != service && it.to_lowercase() == service.to_lowercase()).collect();
    all.sort_unstable();
    all.dedup();
    all
}

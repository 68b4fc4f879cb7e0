//! Exact answers on sets of patterns.
//!
//! One question carries them all: *is there a string that some pattern of each required group
//! matches, and none of the excluded ones?* Overlap asks it of two required groups; "covers" asks
//! it of one required pattern with the covering set excluded.
//!
//! Each pattern is an automaton whose states are the positions between its steps. The search walks
//! all of them side by side, breadth first, one character at a time, over the characters that occur
//! in the patterns and one that stands for every other; so the first string found is a shortest one.
//! The walk is exact. It is exponential in the worst case, hence [`MOST_WORK`], past which the answer
//! is that it is not known.

use std::collections::BTreeSet;

use rustc_hash::FxHashSet;
use smallvec::SmallVec;

use super::{Pattern, Step, lower};

/// Bound on the work of one search, in words of state touched.
pub(super) const MOST_WORK: usize = 1_000_000;

/// What a search came to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Found {
    /// No such string exists.
    Nothing,
    /// This one does, and none is shorter.
    Example(String),
    /// The bound on work was hit first.
    Unknown,
}

impl Found {
    /// Whether such a string exists; none where that is not known.
    pub fn exists(&self) -> Option<bool> {
        match self {
            Self::Nothing => Some(false),
            Self::Example(_) => Some(true),
            Self::Unknown => None,
        }
    }
}

/// Whether there is a string that a pattern of `left` and one of `right` match.
pub fn overlaps(left: &[&Pattern], right: &[&Pattern], any_case: bool) -> Option<bool> {
    find(&[left, right], &[], any_case).exists()
}

/// Whether `set` matches every string that `pattern` matches.
pub fn covers(set: &[&Pattern], pattern: &Pattern, any_case: bool) -> Option<bool> {
    if set.iter().any(|each| each.is_everything() || *each == pattern) {
        return Some(true);
    }
    find(&[&[pattern]], set, any_case).exists().map(|exists| !exists)
}

/// Looks for a string that some pattern of each required group matches, and no excluded one.
pub fn find(required: &[&[&Pattern]], excluded: &[&Pattern], any_case: bool) -> Found {
    if required.iter().any(|group| group.is_empty()) || excluded.iter().any(|each| each.is_everything()) {
        return Found::Nothing;
    }
    // Most questions need no walk: what can never meet is left out, and where a group has come down to
    // single strings, those are tried.
    let groups = prune(required, any_case);
    if groups.iter().any(Vec::is_empty) {
        return Found::Nothing;
    }
    let excluded: Vec<&Pattern> = excluded
        .iter()
        .copied()
        .filter(|each| groups.iter().all(|group| group.iter().any(|other| may_meet(each, other, any_case))))
        .collect();
    let groups: Vec<&[&Pattern]> = groups.iter().map(Vec::as_slice).collect();
    try_literals(&groups, &excluded, any_case)
        .unwrap_or_else(|| Search::new(&groups, &excluded, any_case).run())
}

/// The groups without the patterns that meet none of another group.
fn prune<'p>(required: &[&[&'p Pattern]], any_case: bool) -> Vec<Vec<&'p Pattern>> {
    let mut groups: Vec<Vec<&Pattern>> = required.iter().map(|group| group.to_vec()).collect();
    for at in 0..groups.len() {
        let group = std::mem::take(&mut groups[at]);
        let meets_all = |pattern: &&Pattern| {
            let others = groups.iter().enumerate().filter(|(index, _)| *index != at);
            others.into_iter().all(|(_, other)| other.iter().any(|each| may_meet(pattern, each, any_case)))
        };
        groups[at] = group.into_iter().filter(meets_all).collect();
    }
    groups
}

/// Whether two patterns may match a common string, by what they begin with.
fn may_meet(left: &Pattern, right: &Pattern, any_case: bool) -> bool {
    agree(left.steps(), right.steps(), any_case)
}

/// Whether there is nothing in steps that stand side by side, up to a run, that no string can do both.
pub(super) fn agree(
    left: impl Iterator<Item = Step>,
    right: impl Iterator<Item = Step>,
    any_case: bool,
) -> bool {
    for pair in left.zip(right) {
        match pair {
            (Step::One(one), Step::One(other)) => {
                if one != other && !(any_case && lower(one) == lower(other)) {
                    return false;
                }
            }
            (Step::Run, _) | (_, Step::Run) => return true,
            (Step::Any, _) | (_, Step::Any) => {}
        }
    }
    true
}

/// The answer where some group has literals only: the shortest of them that fits.
fn try_literals(groups: &[&[&Pattern]], excluded: &[&Pattern], any_case: bool) -> Option<Found> {
    let literals = groups
        .iter()
        .find_map(|group| group.iter().map(|pattern| pattern.as_literal()).collect::<Option<Vec<&str>>>())?;
    let fits = literals.into_iter().filter(|text| {
        groups.iter().all(|group| group.iter().any(|pattern| pattern.takes(text, any_case)))
            && !excluded.iter().any(|pattern| pattern.takes(text, any_case))
    });
    let shortest = fits.min_by_key(|text| text.chars().count());
    Some(shortest.map_or(Found::Nothing, |text| Found::Example(text.to_owned())))
}

/// Sets of positions as bits, those of all patterns end to end: a pattern of n steps has n + 1 positions, the
/// last of which is its end.
pub(super) type Bits = SmallVec<[u64; 4]>;

pub(super) struct Search {
    pub(super) words: usize,
    /// Each letter, with the positions that it leads on from.
    pub(super) letters: Vec<(char, Bits)>,
    /// Positions of runs: they stay on any letter, and may be passed over.
    runs: Bits,
    /// For each required group, all its positions and its ends.
    groups: Vec<(Bits, Bits)>,
    /// The ends of excluded patterns.
    excluded: Bits,
    pub(super) start: Bits,
}

impl Search {
    pub(super) fn new(required: &[&[&Pattern]], excluded: &[&Pattern], any_case: bool) -> Self {
        let steps = |pattern: &&Pattern| pattern.steps().collect::<Vec<Step>>();
        let groups: Vec<Vec<Vec<Step>>> =
            required.iter().map(|group| group.iter().map(steps).collect()).collect();
        let excluded: Vec<Vec<Step>> = excluded.iter().map(steps).collect();
        let all = || groups.iter().flatten().chain(&excluded);
        let positions: usize = all().map(|steps| steps.len() + 1).sum();
        let words = positions.div_ceil(64);
        let none = || Bits::from_elem(0, words);
        let folded = |one: char| if any_case { lower(one) } else { one };
        let named: BTreeSet<char> = all()
            .flatten()
            .filter_map(|step| if let Step::One(one) = step { Some(folded(*one)) } else { None })
            .collect();
        // One character that no pattern names stands for all of those.
        let other = ('a'..='z')
            .chain('\u{100}'..=char::MAX)
            .find(|each| !named.contains(each) && lower(*each) == *each);
        let known = named.len();
        let mut letters: Vec<(char, Bits)> =
            named.into_iter().chain(other).map(|each| (each, none())).collect();
        let mut search = Self {
            words,
            letters: Vec::new(),
            runs: none(),
            groups: groups.iter().map(|_| (none(), none())).collect(),
            excluded: none(),
            start: none(),
        };
        let group_of =
            groups.iter().enumerate().flat_map(|(index, group)| group.iter().map(move |_| Some(index)));
        let mut offset = 0;
        for (steps, group) in all().zip(group_of.chain(std::iter::repeat(None))) {
            set(&mut search.start, offset);
            for (position, step) in (offset..).zip(steps) {
                match *step {
                    Step::Run => set(&mut search.runs, position),
                    Step::Any => letters.iter_mut().for_each(|(_, from)| set(from, position)),
                    Step::One(one) => {
                        // The letters that patterns name come first, in order.
                        let letter =
                            letters[..known].binary_search_by_key(&folded(one), |(letter, _)| *letter);
                        set(&mut letters[letter.expect("every letter is there")].1, position);
                    }
                }
            }
            let end = offset + steps.len();
            match group {
                Some(group) => {
                    (offset..=end).for_each(|position| set(&mut search.groups[group].0, position));
                    set(&mut search.groups[group].1, end);
                }
                None => set(&mut search.excluded, end),
            }
            offset = end + 1;
        }
        search.letters = letters;
        search.start = search.past_runs(search.start.clone());
        search
    }

    fn run(&self) -> Found {
        if self.accepts(&self.start) {
            return Found::Example(String::new());
        }
        let mut seen: FxHashSet<Bits> = FxHashSet::default();
        // Each state that was reached, the one before it, and the character between.
        let mut reached: Vec<(Bits, usize, char)> = vec![(self.start.clone(), 0, '\0')];
        seen.insert(self.start.clone());
        let mut work = 0;
        let mut at = 0;
        while at < reached.len() {
            for (letter, from) in &self.letters {
                work += self.words + 1;
                if work > MOST_WORK {
                    return Found::Unknown;
                }
                let next = self.step(&reached[at].0, from);
                if !self.is_alive(&next) || seen.contains(&next) {
                    continue;
                }
                if self.accepts(&next) {
                    return Found::Example(spell(&reached, at, *letter));
                }
                seen.insert(next.clone());
                reached.push((next, at, *letter));
            }
            at += 1;
        }
        Found::Nothing
    }

    /// The positions after a letter that leads on from some: one further from those, and where runs are.
    pub(super) fn step(&self, state: &Bits, from: &Bits) -> Bits {
        let mut carry = 0;
        let mut next = Bits::with_capacity(self.words);
        for word in 0..self.words {
            let on = state[word] & from[word];
            next.push((on << 1) | carry | (state[word] & self.runs[word]));
            carry = on >> 63;
        }
        self.past_runs(next)
    }

    /// The same and the positions behind runs, which may be empty. No run follows another.
    pub(super) fn past_runs(&self, mut state: Bits) -> Bits {
        let mut carry = 0;
        for word in 0..self.words {
            let on = state[word] & self.runs[word];
            state[word] |= (on << 1) | carry;
            carry = on >> 63;
        }
        state
    }

    /// Whether every required group can still match something.
    pub(super) fn is_alive(&self, state: &Bits) -> bool {
        self.groups.iter().all(|(positions, _)| meet(state, positions))
    }

    /// The positions that a letter leads on from.
    pub(super) fn letter(&self, letter: char) -> &Bits {
        let (other, named) = self.letters.split_last().expect("there is a letter that no pattern names");
        let at = named.binary_search_by_key(&letter, |(named, _)| *named);
        at.map_or(&other.1, |at| &named[at].1)
    }

    pub(super) fn accepts(&self, state: &Bits) -> bool {
        self.groups.iter().all(|(_, ends)| meet(state, ends)) && !meet(state, &self.excluded)
    }
}

pub(super) fn has(bits: &Bits, position: usize) -> bool {
    bits[position / 64] & (1 << (position % 64)) != 0
}

pub(super) fn set(bits: &mut Bits, position: usize) {
    bits[position / 64] |= 1 << (position % 64);
}

pub(super) fn meet(one: &Bits, other: &Bits) -> bool {
    one.iter().zip(other).any(|(one, other)| one & other != 0)
}

pub(super) fn spell(reached: &[(Bits, usize, char)], from: usize, last: char) -> String {
    let mut letters = vec![last];
    let mut at = from;
    while at != 0 {
        letters.push(reached[at].2);
        at = reached[at].1;
    }
    letters.iter().rev().collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn parse(texts: &[&str]) -> Vec<Pattern> {
        texts.iter().map(|text| Pattern::parse(text).unwrap()).collect()
    }

    #[rstest]
    #[case(&["*"], "bucket/*", true)]
    #[case(&["?*/?*"], "*/*", false)]
    #[case(&["*/*"], "?*/?*", true)]
    #[case(&["bucket/*", "queue/*"], "bucket/read*", true)]
    #[case(&["bucket/r*", "bucket/w*"], "bucket/*", false)]
    #[case(&["?", "??*"], "?*", true)]
    #[case(&["a*", "*b"], "a*b", true)]
    #[case(&["*a*"], "*b*", false)]
    #[case(&["buck*/*"], "bucket/?*", true)]
    fn covering(#[case] set: &[&str], #[case] pattern: &str, #[case] expected: bool) {
        let set = parse(set);
        let set: Vec<&Pattern> = set.iter().collect();
        assert_eq!(covers(&set, &Pattern::parse(pattern).unwrap(), false), Some(expected));
    }

    #[test]
    fn the_example_is_a_shortest_one() {
        let patterns = parse(&["bucket/*", "bucket/r*", "bucket/"]);
        let found = find(&[&[&patterns[0]]], &[&patterns[1], &patterns[2]], false);
        let Found::Example(example) = found else { panic!("{found:?}") };
        assert_eq!(example.len(), "bucket/".len() + 1);
        assert!(patterns[0].matches(&example) && !patterns[1].matches(&example));
    }

    #[test]
    fn case_counts_unless_told_otherwise() {
        let patterns = parse(&["Bucket/Read", "bucket/*"]);
        assert_eq!(overlaps(&[&patterns[0]], &[&patterns[1]], false), Some(false));
        assert_eq!(overlaps(&[&patterns[0]], &[&patterns[1]], true), Some(true));
    }

    #[test]
    fn past_the_bound_the_answer_is_unknown() {
        // The third character from the end of … needs every combination of the last characters.
        let patterns = parse(&[&format!("*a{}", "?".repeat(40)), &format!("*b{}", "?".repeat(41))]);
        let all = Pattern::parse("*c").unwrap();
        assert_eq!(
            find(&[&[&patterns[0]], &[&patterns[1]], &[&all]], &[&patterns[0]], false),
            Found::Unknown
        );
    }

    fn small_pattern() -> impl Strategy<Value = String> {
        proptest::collection::vec(prop_oneof!["[ab]", Just("*".to_owned()), Just("?".to_owned())], 1..6)
            .prop_map(|steps| steps.concat())
    }

    /// All strings over `abc` of up to six characters; `c` is in no pattern.
    fn short_strings() -> Vec<String> {
        let mut all = vec![String::new()];
        let mut from = 0;
        for _ in 0..6 {
            let to = all.len();
            for at in from..to {
                for letter in ['a', 'b', 'c'] {
                    let longer = format!("{}{letter}", all[at]);
                    all.push(longer);
                }
            }
            from = to;
        }
        all
    }

    proptest! {
        #[test]
        fn agrees_with_trying_every_short_string(
            first in proptest::collection::vec(small_pattern(), 1..3),
            second in proptest::collection::vec(small_pattern(), 1..3),
            without in proptest::collection::vec(small_pattern(), 0..3),
        ) {
            let parse = |texts: &[String]| -> Vec<Pattern> {
                texts.iter().map(|text| Pattern::parse(text).unwrap()).collect()
            };
            let (first, second, without) = (parse(&first), parse(&second), parse(&without));
            let refs = |all: &[Pattern]| -> Vec<Pattern> { all.to_vec() };
            let (a, b, c) = (refs(&first), refs(&second), refs(&without));
            let (a, b, c): (Vec<&Pattern>, Vec<&Pattern>, Vec<&Pattern>) =
                (a.iter().collect(), b.iter().collect(), c.iter().collect());
            let fits = |text: &str| {
                a.iter().any(|p| p.matches(text)) && b.iter().any(|p| p.matches(text)) && !c.iter().any(|p| p.matches(text))
            };
            match find(&[&a, &b], &c, false) {
                Found::Example(example) => prop_assert!(fits(&example), "{example:?} does not fit"),
                Found::Nothing => {
                    let missed = short_strings().into_iter().find(|text| fits(text));
                    prop_assert_eq!(missed, None);
                }
                Found::Unknown => prop_assert!(false, "small patterns are within the bound"),
            }
        }
    }
}

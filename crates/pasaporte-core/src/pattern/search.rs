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

use rustc_hash::FxHashMap;

use super::{Pattern, Step, lower};

/// Bound on the work of one search, in words of state touched.
const MOST_WORK: usize = 4_000_000;

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
    for pair in left.steps().zip(right.steps()) {
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
    let matches = |pattern: &Pattern, text: &str| {
        if any_case { pattern.matches_any_case(text) } else { pattern.matches(text) }
    };
    let fits = literals.into_iter().filter(|text| {
        groups.iter().all(|group| group.iter().any(|pattern| matches(pattern, text)))
            && !excluded.iter().any(|pattern| matches(pattern, text))
    });
    let shortest = fits.min_by_key(|text| text.chars().count());
    Some(shortest.map_or(Found::Nothing, |text| Found::Example(text.to_owned())))
}

struct Search {
    /// The steps of each pattern.
    patterns: Vec<Box<[Step]>>,
    /// For each required group, its range in `patterns`; those after the last range are excluded.
    groups: Vec<std::ops::Range<usize>>,
    /// Where each pattern's words begin in a state.
    offsets: Vec<usize>,
    words: usize,
    alphabet: Vec<char>,
    any_case: bool,
}

/// A set of positions for each pattern, as bits.
type State = Box<[u64]>;

impl Search {
    fn new(required: &[&[&Pattern]], excluded: &[&Pattern], any_case: bool) -> Self {
        let steps = |pattern: &&Pattern| pattern.steps().collect::<Box<[Step]>>();
        let mut patterns = Vec::new();
        let mut groups = Vec::new();
        for group in required {
            let start = patterns.len();
            patterns.extend(group.iter().map(steps));
            groups.push(start..patterns.len());
        }
        patterns.extend(excluded.iter().map(steps));
        let mut offsets = Vec::with_capacity(patterns.len());
        let mut words = 0;
        for pattern in &patterns {
            offsets.push(words);
            words += pattern.len() / 64 + 1;
        }
        let mut letters = BTreeSet::new();
        for step in patterns.iter().flat_map(|pattern| pattern.iter()) {
            if let Step::One(one) = step {
                letters.insert(if any_case { lower(*one) } else { *one });
            }
        }
        // One character that no pattern names stands for all of those.
        let other = ('a'..='z')
            .chain('\u{100}'..=char::MAX)
            .find(|each| !letters.contains(each) && lower(*each) == *each);
        let alphabet = letters.into_iter().chain(other).collect();
        Self { patterns, groups, offsets, words, alphabet, any_case }
    }

    fn run(&self) -> Found {
        let mut start = vec![0; self.words].into_boxed_slice();
        for index in 0..self.patterns.len() {
            self.enter(&mut start, index, 0);
        }
        if self.accepts(&start) {
            return Found::Example(String::new());
        }
        let mut seen: FxHashMap<State, usize> = FxHashMap::default();
        // Each state that was reached, the one before it, and the character between.
        let mut reached: Vec<(State, usize, char)> = vec![(start.clone(), 0, '\0')];
        seen.insert(start, 0);
        let mut work = 0;
        let mut at = 0;
        while at < reached.len() {
            for &letter in &self.alphabet {
                work += self.words + 1;
                if work > MOST_WORK {
                    return Found::Unknown;
                }
                let next = self.step(&reached[at].0, letter);
                if !self.is_alive(&next) || seen.contains_key(&next) {
                    continue;
                }
                if self.accepts(&next) {
                    return Found::Example(spell(&reached, at, letter));
                }
                seen.insert(next.clone(), reached.len());
                reached.push((next, at, letter));
            }
            at += 1;
        }
        Found::Nothing
    }

    /// Puts a pattern at a position, and past the runs that may be empty.
    fn enter(&self, state: &mut State, index: usize, position: usize) {
        let steps = &self.patterns[index];
        let mut position = position;
        loop {
            state[self.offsets[index] + position / 64] |= 1 << (position % 64);
            if steps.get(position) != Some(&Step::Run) {
                break;
            }
            position += 1;
        }
    }

    fn step(&self, state: &State, letter: char) -> State {
        let mut next = vec![0; self.words].into_boxed_slice();
        for (index, pattern) in self.patterns.iter().enumerate() {
            let steps = pattern;
            for word in 0..=steps.len() / 64 {
                let mut bits = state[self.offsets[index] + word];
                while bits != 0 {
                    let position = word * 64 + bits.trailing_zeros() as usize;
                    bits &= bits - 1;
                    match steps.get(position) {
                        Some(Step::One(one)) if self.same(*one, letter) => {
                            self.enter(&mut next, index, position + 1);
                        }
                        Some(Step::Any) => self.enter(&mut next, index, position + 1),
                        Some(Step::Run) => self.enter(&mut next, index, position),
                        Some(Step::One(_)) | None => {}
                    }
                }
            }
        }
        next
    }

    fn same(&self, one: char, letter: char) -> bool {
        one == letter || (self.any_case && lower(one) == letter)
    }

    /// Whether a required group can still match something.
    fn is_alive(&self, state: &State) -> bool {
        self.groups
            .iter()
            .all(|group| group.clone().any(|index| self.bits(state, index).any(|word| word != 0)))
    }

    fn accepts(&self, state: &State) -> bool {
        let done = |index: usize| {
            let end = self.patterns[index].len();
            state[self.offsets[index] + end / 64] & (1 << (end % 64)) != 0
        };
        let required = self.groups.iter().all(|group| group.clone().any(done));
        let first_excluded = self.groups.last().map_or(0, |group| group.end);
        required && !(first_excluded..self.patterns.len()).any(done)
    }

    fn bits<'s>(&self, state: &'s State, index: usize) -> impl Iterator<Item = u64> + 's {
        let start = self.offsets[index];
        state[start..=start + self.patterns[index].len() / 64].iter().copied()
    }
}

fn spell(reached: &[(State, usize, char)], from: usize, last: char) -> String {
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

//! One string of each sort that sets of patterns tell apart.

use std::collections::BTreeSet;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::search::{Bits, MOST_WORK, Search, agree, has, meet, set, spell};
use super::{Pattern, Step, lower};

/// How much work a walk along all patterns may be, in words of state touched.
const MOST_AT_ONCE: usize = 1_000;

/// Which strings are asked for, and what tells them apart.
#[derive(Debug, Clone, Copy)]
pub struct Sorts<'p> {
    /// What they begin with; they go on without another slash.
    pub start: &'p str,
    /// Some of these match them, …
    pub any: &'p [&'p Pattern],
    /// … and none of these.
    pub except: &'p [&'p Pattern],
    /// They are of one sort where the same of these match them …
    pub apart: &'p [&'p Pattern],
    /// … and the same of these is the first that matches what follows the start.
    pub first: &'p [&'p Pattern],
    /// Told apart by themselves: none of them is a sample.
    pub taken: &'p FxHashSet<String>,
    /// Whether case says nothing.
    pub any_case: bool,
}

/// Strings that stand for all of some, and whether they really stand for all: if the bound on work was hit first,
/// there may be more.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Samples {
    /// One of each sort, none of them longer than it needs to be, with the place of the first of [`Sorts::first`] that
    /// matches what follows the start.
    pub strings: Vec<(String, Option<usize>)>,
    /// Whether there is no other sort.
    pub complete: bool,
}

impl Sorts<'_> {
    /// One string of each sort.
    pub fn samples(&self) -> Samples {
        // What none of the strings can match tells nothing apart.
        let rests: Vec<Vec<Step>> = self.any.iter().flat_map(|it| self.rests(it)).collect();
        let meets = |steps: &[Step]| rests.iter().any(|rest| may_meet(rest, steps, self.any_case));
        let goes_on = |pattern: &&Pattern| self.rests(pattern).iter().any(|rest| meets(rest));
        let [any, except, apart] = [self.any, self.except, self.apart]
            .map(|all| all.iter().copied().filter(goes_on).collect::<Vec<&Pattern>>());
        let places =
            (0..self.first.len()).filter(|at| meets(&self.first[*at].steps().collect::<Vec<Step>>()));
        let places: Vec<usize> = places.collect();
        let first: Vec<&Pattern> = places.iter().map(|at| self.first[*at]).collect();
        if any.is_empty() {
            return Samples { strings: Vec::new(), complete: true };
        }
        let kept = Sorts { any: &any, except: &except, apart: &apart, first: &first, ..*self };
        let mut samples = kept.at_once().unwrap_or_else(|| kept.line_by_line());
        for (_, line) in &mut samples.strings {
            *line = line.map(|at| places[at]);
        }
        samples
    }

    /// One of each sort by a walk along all patterns, unless that is much work: where many of them overlap, it is as
    /// much as all ways of having matched parts of them.
    fn at_once(&self) -> Option<Samples> {
        let found = self.walk(Wanted::All, MOST_AT_ONCE)?;
        Some(Samples { strings: found.strings, complete: true })
    }

    /// The same for one line after the other, each walk along no more of the lines before it than come between.
    fn line_by_line(&self) -> Samples {
        let mut samples = Samples { strings: Vec::new(), complete: true };
        let mut left = MOST_WORK;
        for line in (0..self.first.len()).map(Some).chain([None]) {
            let mut between: BTreeSet<usize> = BTreeSet::new();
            loop {
                let places: Vec<usize> = between.iter().copied().chain(line).collect();
                let first: Vec<&Pattern> = places.iter().map(|at| self.first[*at]).collect();
                let wanted = line.map(|_| places.len() - 1);
                let Some(found) = Sorts { first: &first, ..*self }.walk(Wanted::Line(wanted), left) else {
                    samples.complete = false;
                    return samples;
                };
                left -= found.work;
                let (mut strings, mut nearer) = (Vec::new(), Vec::new());
                for (string, _) in found.strings.into_iter().filter(|(_, at)| *at == wanted) {
                    match self.first_line(&string) {
                        first if first == line => strings.push((string, line)),
                        first => nearer.extend(first),
                    }
                }
                if nearer.is_empty() {
                    samples.strings.extend(strings);
                    break;
                }
                between.extend(nearer);
            }
        }
        samples
    }

    /// A walk along all patterns: one of each sort, and how much work it was, if that was within bounds. Those that are
    /// taken are left out as they come.
    fn walk(&self, wanted: Wanted, most: usize) -> Option<Walked> {
        let mut taken: Vec<Pattern> = Vec::new();
        let mut work = 0;
        loop {
            let except: Vec<&Pattern> = self.except.iter().copied().chain(&taken).collect();
            let asked = Sorts { except: &except, ..*self };
            let found = Walk::new(&asked).run(wanted, most - work)?;
            work += found.work;
            if found.taken.is_empty() {
                return Some(Walked { work, ..found });
            }
            taken.extend(found.taken.iter().map(|text| Pattern::literal(text)));
        }
    }

    /// The first line that takes a string.
    fn first_line(&self, string: &str) -> Option<usize> {
        let rest = &string[self.start.len()..];
        self.first.iter().position(|line| line.takes(rest, self.any_case))
    }

    /// What must still follow once a pattern has matched the start: every way of going on.
    fn rests(&self, pattern: &Pattern) -> Vec<Vec<Step>> {
        let steps: Vec<Step> = pattern.steps().collect();
        let folded = |one: char| if self.any_case { lower(one) } else { one };
        // No run follows another.
        let past_run = |at: usize| (steps.get(at) == Some(&Step::Run)).then_some(at + 1);
        let mut at: Vec<usize> = std::iter::once(0).chain(past_run(0)).collect();
        for letter in self.start.chars() {
            let next = |from: &usize| match steps.get(*from) {
                Some(Step::Run) => Some(*from),
                Some(Step::Any) => Some(from + 1),
                Some(Step::One(one)) => (folded(*one) == folded(letter)).then_some(from + 1),
                None => None,
            };
            at = at.iter().filter_map(next).flat_map(|to| std::iter::once(to).chain(past_run(to))).collect();
            at.sort_unstable();
            at.dedup();
        }
        at.into_iter().map(|from| steps[from..].to_vec()).collect()
    }
}

/// Whether two patterns may match a common string, by what they begin and end with.
fn may_meet(left: &[Step], right: &[Step], any_case: bool) -> bool {
    let forward = agree(left.iter().copied(), right.iter().copied(), any_case);
    forward && agree(left.iter().rev().copied(), right.iter().rev().copied(), any_case)
}

/// Which sorts are looked for.
#[derive(Debug, Clone, Copy)]
enum Wanted {
    All,
    /// Those that this line tells apart, or those that none does.
    Line(Option<usize>),
}

/// What a walk came to.
struct Walked {
    /// One of each sort, with its line.
    strings: Vec<(String, Option<usize>)>,
    /// Those that are taken of sorts of which no other string was seen.
    taken: Vec<String>,
    /// How much work it was, in words of state touched.
    work: usize,
}

/// A walk through the strings that are asked for, the shortest first.
struct Walk<'p> {
    asked: &'p Sorts<'p>,
    search: Search,
    any: Vec<Span>,
    except: Vec<Span>,
    apart: Vec<Span>,
    first: Vec<Span>,
    /// What is settled once a position is reached, and what then still tells something apart.
    settled: Vec<(usize, Bits)>,
}

impl<'p> Walk<'p> {
    fn new(asked: &'p Sorts<'p>) -> Self {
        let others: Vec<&Pattern> = [asked.except, asked.apart, asked.first].concat();
        let search = Search::new(&[asked.any], &others, asked.any_case);
        let mut spans = Span::of(asked.any.iter().chain(&others)).into_iter();
        let mut next = |all: &[&Pattern]| spans.by_ref().take(all.len()).collect::<Vec<Span>>();
        let (any, except) = (next(asked.any), next(asked.except));
        let (apart, first) = (next(asked.apart), next(asked.first));
        let mut walk = Self { asked, search, any, except, apart, first, settled: Vec::new() };
        walk.settled = walk.settled();
        walk
    }

    /// Of a pattern that matches whatever follows, nothing matters but that. Where one of those that are asked for
    /// does, it does not matter which; where a line does, the lines behind it do not matter.
    fn settled(&self) -> Vec<(usize, Bits)> {
        let bounds =
            |spans: &[Span]| (spans.first().map_or(0, |it| it.start), spans.last().map_or(0, |it| it.end));
        let (any, (_, last)) = (bounds(&self.any), bounds(&self.first));
        let alone = self.except.iter().chain(&self.apart).map(|span| (span, (span.start, span.end)));
        let any = self.any.iter().map(|span| (span, any));
        let first = self.first.iter().map(|span| (span, (span.start, last)));
        let rule = |(span, (from, to)): (&Span, (usize, usize))| {
            let at = span.settled?;
            let mut rest = Bits::from_elem(u64::MAX, self.search.words);
            (from..=to).for_each(|position| clear(&mut rest, position));
            set(&mut rest, at);
            set(&mut rest, span.end);
            Some((at, rest))
        };
        alone.chain(any).chain(first).filter_map(rule).collect()
    }

    /// One string of each sort that is wanted, if that is within the bound on work.
    fn run(&self, wanted: Wanted, most: usize) -> Option<Walked> {
        let mut strings: Vec<(String, Option<usize>)> = Vec::new();
        let mut found: FxHashSet<(Bits, Option<usize>)> = FxHashSet::default();
        let mut taken: FxHashMap<(Bits, Option<usize>), String> = FxHashMap::default();
        let mut open = self.open(wanted);
        let here = self.here();
        let mut seen: FxHashSet<Bits> = FxHashSet::from_iter([here.clone()]);
        // Each state that was reached, the one before it, and the character between.
        let mut reached: Vec<(Bits, usize, char)> = vec![(here, 0, '\0')];
        // The letter that no pattern names comes first, so that a string says no more than it must.
        let (other, named) =
            self.search.letters.split_last().expect("there is a letter that no pattern names");
        let (mut at, mut work) = (0, 0);
        while at < reached.len() {
            if !meet(&reached[at].0, &open) {
                at += 1;
                continue;
            }
            let leads_elsewhere = |(letter, from): &&(char, Bits)| {
                let differs = |word: usize| reached[at].0[word] & (from[word] ^ other.1[word]) != 0;
                *letter != '/' && (0..self.search.words).any(differs)
            };
            let named: SmallVec<[_; 32]> = named.iter().rev().filter(leads_elsewhere).collect();
            for (letter, from) in std::iter::once(other).chain(named) {
                work += self.search.words + 1;
                if work > most {
                    return None;
                }
                let next = self.advance(&reached[at].0, from);
                if !self.is_alive(&next) {
                    continue;
                }
                if let Some(sort) = self.sort(&next).filter(|sort| !found.contains(sort)) {
                    let string = format!("{}{}", self.asked.start, spell(&reached, at, *letter));
                    if self.asked.taken.contains(&string) {
                        taken.insert(sort, string);
                    } else {
                        if sort.0.iter().all(|word| *word == 0) {
                            self.close(&mut open, sort.1);
                        }
                        strings.push((string, sort.1));
                        found.insert(sort);
                    }
                }
                if seen.insert(next.clone()) {
                    reached.push((next, at, *letter));
                }
            }
            at += 1;
        }
        taken.retain(|sort, _| !found.contains(sort));
        let mut taken: Vec<String> = taken.into_values().collect();
        taken.sort_unstable();
        Some(Walked { strings, taken, work })
    }

    /// The positions from which a sort that is wanted may be reached. Those of what is asked for lead to what nothing
    /// tells apart, those of a line to what it tells apart.
    fn open(&self, wanted: Wanted) -> Bits {
        let mut open = Bits::from_elem(0, self.search.words);
        let (any, lines) = match wanted {
            Wanted::All => (&self.any[..], &self.first[..]),
            Wanted::Line(None) => (&self.any[..], &[][..]),
            Wanted::Line(Some(at)) => (&[][..], std::slice::from_ref(&self.first[at])),
        };
        let all = any.iter().chain(&self.apart).chain(lines);
        all.flat_map(Span::positions).for_each(|position| set(&mut open, position));
        open
    }

    /// Closes what leads to nothing but a sort that was found: nothing but that line, or no line, tells it apart.
    fn close(&self, open: &mut Bits, line: Option<usize>) {
        let spans = line.map_or(&self.any[..], |at| std::slice::from_ref(&self.first[at]));
        spans.iter().flat_map(Span::positions).for_each(|position| clear(open, position));
    }

    /// The state behind the start. What follows it is matched from its own beginning by those that are about that.
    fn here(&self) -> Bits {
        let folded = |letter: char| if self.asked.any_case { lower(letter) } else { letter };
        let mut here = self.search.start.clone();
        for letter in self.asked.start.chars() {
            here = self.search.step(&here, self.search.letter(folded(letter)));
        }
        for span in &self.first {
            span.positions().for_each(|position| clear(&mut here, position));
            set(&mut here, span.start);
        }
        self.search.past_runs(here)
    }

    /// The state after a letter, without what no longer tells anything apart.
    fn advance(&self, state: &Bits, from: &Bits) -> Bits {
        let mut next = self.search.step(state, from);
        for (at, rest) in &self.settled {
            if has(&next, *at) {
                next.iter_mut().zip(rest).for_each(|(word, rest)| *word &= rest);
            }
        }
        next
    }

    /// Whether a string that is asked for can still come.
    fn is_alive(&self, state: &Bits) -> bool {
        let is_settled = |span: &Span| span.settled.is_some_and(|at| has(state, at));
        self.search.is_alive(state) && !self.except.iter().any(is_settled)
    }

    /// The sort of what was read, if it is asked for.
    fn sort(&self, state: &Bits) -> Option<(Bits, Option<usize>)> {
        let ends = |span: &Span| has(state, span.end);
        if !self.any.iter().any(ends) || self.except.iter().any(ends) {
            return None;
        }
        let mut sort = Bits::from_elem(0, self.search.words);
        self.apart.iter().filter(|span| ends(span)).for_each(|span| set(&mut sort, span.end));
        Some((sort, self.first.iter().position(ends)))
    }
}

/// Where the positions of a pattern stand among those of all.
struct Span {
    start: usize,
    end: usize,
    /// The position of a run at the end: once there, whatever follows matches.
    settled: Option<usize>,
}

impl Span {
    fn of<'p>(all: impl Iterator<Item = &'p &'p Pattern>) -> Vec<Self> {
        let mut start = 0;
        let span = |pattern: &&Pattern| {
            let steps: Vec<Step> = pattern.steps().collect();
            let end = start + steps.len();
            let settled = (steps.last() == Some(&Step::Run)).then(|| end - 1);
            let span = Self { start, end, settled };
            start = end + 1;
            span
        };
        all.map(span).collect()
    }

    fn positions(&self) -> std::ops::RangeInclusive<usize> {
        self.start..=self.end
    }
}

fn clear(bits: &mut Bits, position: usize) {
    bits[position / 64] &= !(1 << (position % 64));
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn patterns(most: usize) -> impl Strategy<Value = Vec<Pattern>> {
        let step = prop_oneof!["[ab]", Just("*".to_owned()), Just("?".to_owned())];
        let text = proptest::collection::vec(step, 1..5).prop_map(|steps| steps.concat());
        proptest::collection::vec(text.prop_map(|text| Pattern::parse(&text).unwrap()), 0..most)
    }

    fn sorts(samples: Samples, apart: &[&Pattern]) -> Vec<(Option<usize>, Vec<bool>)> {
        let sort = |(text, line): (String, Option<usize>)| {
            (line, apart.iter().map(|it| it.matches(&text)).collect())
        };
        let mut all: Vec<_> = samples.strings.into_iter().map(sort).collect();
        all.sort();
        all
    }

    proptest! {
        /// One line after the other finds what all at once find, and each sort once.
        #[test]
        fn either_way_finds_the_same_sorts(
            any in patterns(3),
            except in patterns(2),
            apart in patterns(3),
            first in patterns(6),
            taken in proptest::collection::vec("[ab]{1,4}", 0..4),
        ) {
            let [any, except, apart, first] =
                [&any, &except, &apart, &first].map(|all| all.iter().collect::<Vec<_>>());
            let taken = taken.into_iter().collect();
            let asked = Sorts {
                start: "",
                any: &any,
                except: &except,
                apart: &apart,
                first: &first,
                taken: &taken,
                any_case: false,
            };
            let at_once = asked.at_once().expect("few patterns are not much work");
            let one_by_one = asked.line_by_line();
            prop_assert!(one_by_one.complete);
            prop_assert!(one_by_one.strings.iter().all(|(text, _)| !taken.contains(text)));
            prop_assert_eq!(sorts(at_once, &apart), sorts(one_by_one, &apart));
        }
    }
}

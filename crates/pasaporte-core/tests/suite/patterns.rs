//! Patterns against a matcher that tries every split, and sets of them against every short string.

use std::collections::BTreeSet;

use pasaporte_core::pattern::{
    BadPattern, Found, LONGEST_PATTERN, Pattern, Samples, Sorts, covers, find, overlaps,
};
use proptest::prelude::*;
use rstest::rstest;
use rustc_hash::FxHashSet;

/// A pattern as the naive matcher sees it.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Part {
    One(char),
    Any,
    Run,
}

fn parts(text: &str) -> Vec<Part> {
    let mut chars = text.chars();
    let mut all = Vec::new();
    while let Some(next) = chars.next() {
        all.push(match next {
            '*' => Part::Run,
            '?' => Part::Any,
            '\\' => Part::One(chars.next().unwrap()),
            other => Part::One(other),
        });
    }
    all
}

fn matches(pattern: &[Part], text: &[char]) -> bool {
    match (pattern.split_first(), text.split_first()) {
        (None, None) => true,
        (Some((Part::Run, rest)), _) => (0..=text.len()).any(|taken| matches(rest, &text[taken..])),
        (None, Some(_)) | (Some(_), None) => false,
        (Some((Part::Any, rest)), Some((_, left))) => matches(rest, left),
        (Some((Part::One(one), rest)), Some((next, left))) => one == next && matches(rest, left),
    }
}

fn pattern_text() -> impl Strategy<Value = String> {
    let step =
        prop_oneof![4 => "[abé/:]", 2 => Just("*".to_owned()), 1 => Just("?".to_owned()), 1 => r"\\[*?a\\]"];
    proptest::collection::vec(step, 1..8).prop_map(|steps| steps.concat())
}

fn small_pattern() -> impl Strategy<Value = String> {
    let step = prop_oneof![3 => "[ab]", 2 => Just("*".to_owned()), 1 => Just("?".to_owned())];
    proptest::collection::vec(step, 1..6).prop_map(|steps| steps.concat())
}

/// All strings over `abc` of up to five characters; no small pattern names `c`.
fn short_strings() -> Vec<String> {
    let mut all = vec![String::new()];
    let mut last = 0..1;
    for _ in 0..5 {
        let longer: Vec<String> = all[last.clone()]
            .iter()
            .flat_map(|text| ['a', 'b', 'c'].map(|each| format!("{text}{each}")))
            .collect();
        last = all.len()..all.len() + longer.len();
        all.extend(longer);
    }
    all
}

fn all(texts: &[String]) -> Vec<Pattern> {
    texts.iter().map(|text| Pattern::parse(text).unwrap()).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(2000) })]

    #[test]
    fn matching_is_what_trying_every_split_says(pattern in pattern_text(), text in "[abé*?/:\\\\]{0,8}") {
        let chars: Vec<char> = text.chars().collect();
        let expected = matches(&parts(&pattern), &chars);
        prop_assert_eq!(Pattern::parse(&pattern).unwrap().matches(&text), expected);
    }

    #[test]
    fn case_is_ignored_on_both_sides(pattern in pattern_text(), text in "[abAB/:]{0,6}") {
        let parsed = Pattern::parse(&pattern).unwrap();
        let folded = Pattern::parse(&pattern.to_lowercase()).unwrap();
        prop_assert_eq!(parsed.matches_any_case(&text), folded.matches(&text.to_lowercase()));
        prop_assert!(!parsed.matches(&text) || parsed.matches_any_case(&text));
    }

    #[test]
    fn a_literal_matches_its_text_and_nothing_longer(text in ".{1,12}") {
        let literal = Pattern::literal(&text);
        prop_assert!(literal.matches(&text));
        let longer = format!("{text}x");
        prop_assert!(!literal.matches(&longer));
        prop_assert_eq!(literal.as_literal(), Some(text.as_str()));
        prop_assert_eq!(literal.literal_start(), text);
    }

    #[test]
    fn what_matches_begins_as_the_pattern_does(pattern in pattern_text(), text in "[abé/:]{0,8}") {
        let pattern = Pattern::parse(&pattern).unwrap();
        prop_assert!(!pattern.matches(&text) || text.starts_with(&*pattern.literal_start()));
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(400) })]

    #[test]
    fn covering_and_overlapping_agree_with_every_short_string(
        set in proptest::collection::vec(small_pattern(), 1..4),
        one in small_pattern(),
    ) {
        let (patterns, one) = (all(&set), Pattern::parse(&one).unwrap());
        let refs: Vec<&Pattern> = patterns.iter().collect();
        let strings = short_strings();
        let in_set = |text: &str| patterns.iter().any(|pattern| pattern.matches(text));
        let missed = strings.iter().find(|text| one.matches(text) && !in_set(text));
        let shared = strings.iter().find(|text| one.matches(text) && in_set(text));
        match covers(&refs, &one, false) {
            Some(true) => prop_assert_eq!(missed, None),
            Some(false) => {
                // A counterexample may be longer than the short strings; the search names one.
                let Found::Example(example) = find(&[&[&one]], &refs, false) else { panic!("no example") };
                prop_assert!(one.matches(&example) && !in_set(&example), "{example}");
            }
            None => prop_assert!(false, "small patterns are within the bound"),
        }
        if shared.is_some() {
            prop_assert_eq!(overlaps(&refs, &[&one], false), Some(true));
        }
    }

    #[test]
    fn a_set_covers_its_own_members(set in proptest::collection::vec(small_pattern(), 1..5)) {
        let patterns = all(&set);
        let refs: Vec<&Pattern> = patterns.iter().collect();
        for pattern in &patterns {
            prop_assert_eq!(covers(&refs, pattern, false), Some(true));
            prop_assert_eq!(overlaps(&refs, &[pattern], false), Some(true));
        }
    }

    #[test]
    fn overlapping_has_no_direction(one in small_pattern(), other in small_pattern()) {
        let (one, other) = (Pattern::parse(&one).unwrap(), Pattern::parse(&other).unwrap());
        prop_assert_eq!(overlaps(&[&one], &[&other], false), overlaps(&[&other], &[&one], false));
    }

    #[test]
    fn more_patterns_cover_no_less(set in proptest::collection::vec(small_pattern(), 2..5), one in small_pattern()) {
        let (patterns, one) = (all(&set), Pattern::parse(&one).unwrap());
        let refs: Vec<&Pattern> = patterns.iter().collect();
        prop_assert!(covers(&refs[1..], &one, false) != Some(true) || covers(&refs, &one, false) == Some(true));
    }
}

#[rstest]
#[case::a_service(&["table/*"], "table/?*", Some(true))]
#[case::every_service_by_two(&["?*/?*", "table/*"], "table/*", Some(true))]
#[case::all_but_one_word(&["table/?", "table/??", "table/???*"], "table/*", Some(false))]
#[case::the_empty_rest_too(&["table/", "table/?", "table/??*"], "table/*", Some(true))]
#[case::a_question_mark_is_not_a_run(&["?*"], "*", Some(false))]
#[case::an_escaped_star_is_a_letter(&["table/\\*"], "table/*", Some(false))]
#[case::escapes_on_both_sides(&["table/\\**"], "table/\\*x", Some(true))]
fn sets_cover(#[case] set: &[&str], #[case] pattern: &str, #[case] expected: Option<bool>) {
    let patterns: Vec<Pattern> = set.iter().map(|text| Pattern::parse(text).unwrap()).collect();
    let refs: Vec<&Pattern> = patterns.iter().collect();
    assert_eq!(covers(&refs, &Pattern::parse(pattern).unwrap(), false), expected);
}

/// Patterns with one `*` and with several, on texts in which the parts before and behind them share letters, stand too late
/// or too early, or come more than once.
#[rstest]
#[case::one_between("ab*ba", &["abba", "abcba", "ab-ab-ba"], &["aba", "abb", "xabba", "abbax"])]
#[case::one_at_the_end("ab*", &["ab", "abc"], &["a", "xab", ""])]
#[case::one_at_the_start("*ab", &["ab", "abab"], &["aba", "b", ""])]
#[case::a_part_between_two("a*b*c", &["abc", "axbxc", "abbc", "abcbc"], &["ac", "acb", "abcx", "ab"])]
#[case::both_ends_open("*-x-*", &["-x-", "a-x-b", "-x-x-"], &["-x", "x-", "--x"])]
#[case::the_same_part_twice("*aa*aa*", &["aaaa", "aabaa", "aaxaax"], &["aaa", "aabab"])]
#[case::ends_that_would_overlap("aba*c*aba", &["abacaba", "aba-c-aba"], &["abaca", "abaaba", "abcaba"])]
#[case::stars_in_a_row("a**b***c", &["abc", "a-b-c"], &["acb", "a"])]
#[case::letters_of_several_bytes("é*ü*é", &["éüé", "é-ü-é"], &["éé", "é-é", "üé"])]
#[case::an_escape_among_stars("a*\\**b", &["a*b", "a-*-b"], &["ab", "a-b"])]
fn parts_are_found_in_turn(#[case] pattern: &str, #[case] taken: &[&str], #[case] left: &[&str]) {
    let parsed = Pattern::parse(pattern).unwrap();
    for (texts, expected) in [(taken, true), (left, false)] {
        for text in texts {
            assert_eq!(parsed.matches(text), expected, "{pattern} on {text:?}");
            let chars: Vec<char> = text.chars().collect();
            assert_eq!(
                matches(&parts(pattern), &chars),
                expected,
                "the other matcher: {pattern} on {text:?}"
            );
        }
    }
}

#[rstest]
#[case("", BadPattern::Empty)]
#[case("table/\\", BadPattern::LoneEscape)]
#[case("\\\\\\", BadPattern::LoneEscape)]
fn what_is_no_pattern_is_refused(#[case] text: &str, #[case] why: BadPattern) {
    assert_eq!(Pattern::parse(text).unwrap_err(), why);
}

#[test]
fn length_is_counted_in_steps() {
    assert!(Pattern::parse(&"é".repeat(LONGEST_PATTERN)).is_ok());
    assert!(Pattern::parse(&"\\*".repeat(LONGEST_PATTERN)).is_ok());
    assert!(Pattern::parse(&"*".repeat(LONGEST_PATTERN * 3)).is_ok(), "stars in a row are one");
    assert_eq!(Pattern::parse(&"a".repeat(LONGEST_PATTERN + 1)).unwrap_err(), BadPattern::TooLong);
}

/// Past the bound on work the answer is that it is not known, and it comes soon.
#[test]
fn a_question_that_is_too_hard_has_no_answer() {
    let one = Pattern::parse(&format!("*a{}", "?".repeat(60))).unwrap();
    let other = Pattern::parse(&format!("*b{}", "?".repeat(61))).unwrap();
    let third = Pattern::parse("*ab*ba*").unwrap();
    assert_eq!(
        find(&[&[&one], &[&other], &[&third]], &[&Pattern::parse("*c*").unwrap(), &one], false),
        Found::Unknown
    );
}

#[test]
fn equal_patterns_may_be_written_differently() {
    let equal = [("a**b", "a*b"), ("\\a", "a"), ("***", "*")];
    for (one, other) in equal {
        assert_eq!(Pattern::parse(one).unwrap(), Pattern::parse(other).unwrap());
    }
    assert_ne!(Pattern::parse("\\*").unwrap(), Pattern::parse("*").unwrap());
    assert!(Pattern::parse("***").unwrap().is_everything());
}

/// One string of each sort: told apart by patterns over the whole, and by the first line that takes what follows.
#[rstest]
#[case::all_alike(&["*"], &[], &[], &[], &[], 1)]
#[case::one_pattern_more(&["*"], &[], &["t/r*"], &[], &[], 2)]
#[case::two_that_overlap(&["t/*"], &[], &["t/r*", "t/*d"], &[], &[], 4)]
#[case::lines_in_their_order(&["*"], &[], &[], &["r*", "*d"], &[], 3)]
#[case::a_line_that_another_hides(&["*"], &[], &[], &["*", "r*"], &[], 1)]
#[case::another_service(&["u/*"], &[], &[], &[], &[], 0)]
#[case::what_is_told_apart_by_itself_hides_no_sort(&["*"], &[], &[], &[], &["t/a", "t/b", "t/0"], 1)]
#[case::which_of_them_takes_it_does_not_matter(&["t/r*", "t/*d"], &[], &[], &[], &[], 1)]
#[case::what_is_left_out_is_no_sort(&["t/*"], &["t/r*"], &["t/*d", "t/r*d"], &[], &[], 2)]
#[case::all_is_left_out(&["t/r*"], &["t/?*"], &[], &[], &[], 0)]
#[case::what_can_never_meet(&["t/re*4"], &[], &["t/w*", "*5"], &["w*", "*5", "?"], &[], 1)]
#[case::a_line_that_begins_anywhere(&["t/re*4"], &[], &[], &["*a*", "*d4", "read*"], &[], 3)]
#[case::one_that_has_matched_before_the_slash(&["*e*"], &[], &["*t*t*"], &["t*"], &[], 3)]
fn there_is_a_sample_of_each_sort(
    #[case] any: &[&str],
    #[case] except: &[&str],
    #[case] apart: &[&str],
    #[case] first: &[&str],
    #[case] taken: &[&str],
    #[case] sorts: usize,
) {
    let [any, except, apart, first] = [any, except, apart, first].map(parsed);
    let taken: FxHashSet<String> = taken.iter().map(|text| (*text).to_owned()).collect();
    let found = samples(&any, &except, &apart, &first, &taken);
    assert!(found.complete);
    assert_eq!(found.strings.len(), sorts, "{:?}", found.strings);
    let told: BTreeSet<_> = found.strings.iter().map(|(text, _)| sort(text, &apart, &first)).collect();
    assert_eq!(told.len(), sorts, "{:?}", found.strings);
    for (text, line) in &found.strings {
        assert!(is_asked_for(text, &any, &except) && !taken.contains(text), "{text}");
        assert_eq!(*line, sort(text, &apart, &first).1, "{text}");
    }
}

fn parsed(all: &[&str]) -> Vec<Pattern> {
    all.iter().map(|it| Pattern::parse(it).unwrap()).collect()
}

fn samples(
    any: &[Pattern],
    except: &[Pattern],
    apart: &[Pattern],
    first: &[Pattern],
    taken: &FxHashSet<String>,
) -> Samples {
    let [any, except, apart, first] = [any, except, apart, first].map(|all| all.iter().collect::<Vec<_>>());
    let start = "t/";
    Sorts { start, any: &any, except: &except, apart: &apart, first: &first, taken, any_case: false }
        .samples()
}

/// What tells a string apart.
fn sort(text: &str, apart: &[Pattern], first: &[Pattern]) -> (Vec<bool>, Option<usize>) {
    let apart = apart.iter().map(|pattern| pattern.matches(text)).collect();
    (apart, first.iter().position(|line| line.matches(&text["t/".len()..])))
}

fn is_asked_for(text: &str, any: &[Pattern], except: &[Pattern]) -> bool {
    let takes = |all: &[Pattern]| all.iter().any(|pattern| pattern.matches(text));
    text.len() > 2 && text.starts_with("t/") && !text[2..].contains('/') && takes(any) && !takes(except)
}

fn over_whole() -> impl Strategy<Value = Vec<Pattern>> {
    let step = prop_oneof!["[ab]", Just("*".to_owned()), Just("?".to_owned()), Just("t/".to_owned())];
    let text = proptest::collection::vec(step, 1..5).prop_map(|steps| steps.concat());
    proptest::collection::vec(text.prop_map(|text| Pattern::parse(&text).unwrap()), 0..3)
}

proptest! {
    /// Whatever short string is tried: one of its sort was found, and what was found is asked for.
    #[test]
    fn no_sort_is_missed(
        any in over_whole(),
        except in over_whole(),
        apart in over_whole(),
        first in over_whole(),
        taken in proptest::collection::hash_set("t/[ab]{1,3}", 0..6),
    ) {
        let taken: FxHashSet<String> = taken.into_iter().collect();
        let found = samples(&any, &except, &apart, &first, &taken);
        prop_assert!(found.complete);
        let told: BTreeSet<_> = found.strings.iter().map(|(text, _)| sort(text, &apart, &first)).collect();
        prop_assert_eq!(told.len(), found.strings.len(), "one of each: {:?}", found.strings);
        for (text, line) in &found.strings {
            prop_assert!(is_asked_for(text, &any, &except) && !taken.contains(text), "{}", text);
            prop_assert_eq!(*line, sort(text, &apart, &first).1);
        }
        let mut all = vec!["t/".to_owned()];
        for _ in 0..5 {
            all = all.iter().flat_map(|text| ["a", "b", "t", "c"].map(|letter| format!("{text}{letter}"))).collect();
            for text in all.iter().filter(|text| is_asked_for(text, &any, &except) && !taken.contains(*text)) {
                prop_assert!(told.contains(&sort(text, &apart, &first)), "nothing stands for {}", text);
            }
        }
    }
}

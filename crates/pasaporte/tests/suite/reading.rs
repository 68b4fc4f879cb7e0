//! Bad input: every kind of it ends with exit code 2 and a message that says where, what and what to do.

use crate::support::Place;
use rstest::rstest;

/// Audits a file of that name and content, which must be refused, and gives what was said.
fn refused(name: &str, content: impl AsRef<[u8]>) -> String {
    let place = Place::with(name, content);
    let run = place.run(&["audit", name]);
    assert_eq!(run.code, 2, "{}", run.out);
    assert_eq!(run.out, "", "nothing is judged");
    assert!(run.err.contains(name), "names the file: {}", run.err);
    assert!(!run.err.contains('\u{1b}'), "no control characters: {}", run.err);
    run.err
}

#[track_caller]
fn says(said: &str, parts: &[&str]) {
    for part in parts {
        assert!(said.contains(part), "should say {part:?}:\n{said}");
    }
}

/// One mistake in an estate, on its third line, with the place, the message and the help.
#[rstest]
#[case::field(
    "functions:\n  - {id: f, runs-as: r}",
    "3:13",
    "`runs-as` is not a field of a function",
    "did you mean `runs_as`?"
)]
#[case::far_off_field(
    "functions:\n  - {id: f, colour: blue}",
    "3:13",
    "`colour` is not a field",
    "expected one of: id, in,"
)]
#[case::twice("functions:\n  - {id: f, id: g}", "3:13", "`id` is given twice", "keep one of them")]
#[case::missing("functions:\n  - {state: enabled}", "3:5", "a function needs the field `id`", "")]
#[case::list_for_text("functions:\n  - {id: [f]}", "3:10", "expected an id, found a list", "")]
#[case::text_for_map("functions:\n  - f", "3:5", "expected a function, found a text", "")]
#[case::text_for_list(
    "functions:\n  - {id: f, endpoints: none}",
    "3:24",
    "expected a list, found a text",
    ""
)]
#[case::text_for_bool(
    "identities:\n  - {id: i, kind: execution-role, default: perhaps}",
    "3:44",
    "expected `true` or `false`",
    ""
)]
#[case::word(
    "scopes:\n  - {id: a, kind: acount}",
    "3:19",
    "`acount` is not a scope's kind",
    "did you mean `account`?"
)]
#[case::far_off_word(
    "functions:\n  - {id: f, state: on}",
    "3:20",
    "not a state",
    "expected one of: enabled, disabled"
)]
#[case::id_with_a_space("functions:\n  - {id: sell ticket}", "3:10", "not an id", "an id is letters")]
#[case::id_with_its_kind(
    "functions:\n  - {id: f, in: account:a}",
    "3:17",
    "not an id",
    "write the id alone: a"
)]
#[case::thing_without_kind(
    "keys:\n  - {id: k, opens: desk, reach: app}",
    "3:20",
    "it does not name a thing",
    "write its kind too"
)]
#[case::principal(
    "functions:\n  - {id: f, invoke: [anyon]}",
    "3:22",
    "not a principal",
    "did you mean `anyone`?"
)]
#[case::kind_of_principal(
    "functions:\n  - {id: f, invoke: [identiy:x]}",
    "3:22",
    "not a principal",
    "did you mean `identity:x`?"
)]
#[case::outsider(
    "functions:\n  - {id: f, invoke: [\"outside:pay.example\"]}",
    "3:22",
    "not a principal",
    "outside:ISSUER/SUBJECT"
)]
#[case::attribute(
    "functions:\n  - {id: f, invoke: [{to: anyone, when: {source_resorce: x}}]}",
    "3:42",
    "`source_resorce` is not an attribute",
    "did you mean `source_resource`?"
)]
#[case::operator(
    "functions:\n  - {id: f, invoke: [{to: anyone, when: {time: {befor: 2026-01-01}}}]}",
    "3:49",
    "`befor` is not a field of a condition",
    "did you mean `before`?"
)]
#[case::no_operator(
    "functions:\n  - {id: f, invoke: [{to: anyone, when: {time: {}}}]}",
    "3:48",
    "a condition without an operator",
    "say what must be true"
)]
#[case::network(
    "functions:\n  - {id: f, endpoints: [{check: none, network: intranet}]}",
    "3:48",
    "`intranet` is not a network",
    "did you mean"
)]
#[case::bad_network(
    "functions:\n  - {id: f, endpoints: [{check: none, network: [10.0.0.0/99]}]}",
    "3:49",
    "expected a network",
    ""
)]
#[case::check(
    "functions:\n  - {id: f, endpoints: [{check: nome}]}",
    "3:33",
    "`nome` is not a check",
    "did you mean `none`?"
)]
#[case::two_checks(
    "functions:\n  - {id: f, endpoints: [{check: {key: app, token: v}}]}",
    "3:33",
    "exactly one of the fields key, token",
    ""
)]
#[case::lone_escape(
    "permission_sets:\n  - {id: s, statements: [{allow: \"table/\\\\\"}]}",
    "3:34",
    "must not end in a lone `\\`",
    "is a backslash"
)]
#[case::empty_pattern(
    "permission_sets:\n  - {id: s, statements: [{allow: \"\"}]}",
    "3:34",
    "must not be empty",
    ""
)]
#[case::action_without_service(
    "permission_sets:\n  - {id: s, statements: [allow read]}",
    "3:26",
    "a pattern that matches nothing",
    "an action is SERVICE/OPERATION"
)]
#[case::resource_without_kind(
    "permission_sets:\n  - {id: s, statements: [allow table/read on fares]}",
    "3:26",
    "a pattern that matches nothing",
    "a resource is KIND:ID"
)]
#[case::quotes_in_one_text(
    "permission_sets:\n  - {id: s, statements: [allow access/* on \"*\"]}",
    "3:26",
    "a pattern that matches nothing",
    "no name has quotes in it"
)]
#[case::quotes_in_an_action(
    "permission_sets:\n  - {id: s, statements: [{allow: '\"table/*\"'}]}",
    "3:34",
    "a pattern that matches nothing",
    "write it without"
)]
#[case::statement_line(
    "permission_sets:\n  - {id: s, statements: [permit table/read]}",
    "3:26",
    "begins with neither allow nor deny",
    "write `allow ACTION"
)]
#[case::allow_and_deny(
    "permission_sets:\n  - {id: s, statements: [{allow: a/b, deny: a/c}]}",
    "3:26",
    "cannot both allow and deny",
    "two statements"
)]
#[case::neither(
    "permission_sets:\n  - {id: s, statements: [{on: \"*\"}]}",
    "3:26",
    "needs `allow` or `deny`",
    ""
)]
#[case::about_nothing(
    "permission_sets:\n  - {id: s, statements: [{allow: []}]}",
    "3:34",
    "an empty list",
    "name something"
)]
#[case::time(
    "keys:\n  - {id: k, opens: app:a, reach: app, created: yesterday}",
    "3:48",
    "expected a time",
    ""
)]
#[case::impossible_date(
    "keys:\n  - {id: k, opens: app:a, reach: app, created: 2026-02-30}",
    "3:48",
    "expected a time",
    ""
)]
#[case::reach(
    "keys:\n  - {id: k, opens: app:a, reach: function}",
    "3:20",
    "a key of function reach does not open `app:a`",
    ""
)]
#[case::opens(
    "keys:\n  - {id: k, opens: \"bucket:a\", reach: app}",
    "3:20",
    "a key opens a function or a scope",
    ""
)]
#[case::grant_of_nothing("grants:\n  - {to: signed-in}", "3:5", "a grant that gives nothing", "")]
#[case::grant_to_nobody("grants:\n  - {set: s}", "3:5", "a grant needs the field `to`", "")]
#[case::grant_to_another(
    "users:\n  - {id: u, grants: [{set: s, to: user:v}]}",
    "3:35",
    "`to` does not belong here",
    "take it out"
)]
#[case::trigger_on_nothing(
    "functions:\n  - {id: f, triggers: [{filter: x}]}",
    "3:24",
    "needs `source` or `kind`",
    ""
)]
#[case::presents(
    "functions:\n  - {id: f, endpoints: [{check: none, presents: caller}]}",
    "3:25",
    "`presents` without a gateway",
    ""
)]
#[case::resource_kind("resources:\n  - {id: function:f}", "3:10", "`function` is not a kind of resource", "")]
#[case::trust_on_a_function(
    "trust:\n  - {on: function:f, to: anyone}",
    "3:10",
    "`function:f` is not an identity",
    ""
)]
#[case::access_without_actions(
    "access:\n  - {on: \"bucket:b\", to: anyone}",
    "3:5",
    "an access list needs `allow` or `deny`",
    ""
)]
#[case::ceiling_over_a_function(
    "ceilings:\n  - {over: function:f, statements: []}",
    "3:12",
    "a ceiling bounds identities, users and scopes",
    ""
)]
#[case::account_setting(
    "scopes:\n  - {id: a, kind: app, cross_account: one-side}",
    "3:5",
    "only an account has",
    ""
)]
#[case::logs(
    "logs:\n  - {in: a, from: 2026-02-01, to: 2026-01-01}",
    "3:5",
    "the logs end before they begin",
    ""
)]
#[case::setting(
    "functions:\n  - {id: f, settings: [MODE=fast]}",
    "3:24",
    "not the name of a setting",
    "its name alone"
)]
#[case::address(
    "endpoints:
  - {function: f, check: none, url: ferries.marivela.example}",
    "3:37",
    "not a URL: relative URL without a base",
    "https://HOST/PATH"
)]
#[case::address_of_something_else(
    "endpoints:
  - {function: f, check: none, url: \"ftp://ferries.marivela.example\"}",
    "3:37",
    "not the URL of a web server",
    "https://HOST/PATH"
)]
#[case::address_with_a_secret(
    "endpoints:
  - {function: f, check: none, url: \"https://ferries.marivela.example/?code=tide\"}",
    "3:37",
    "something secret in it",
    "after `?`"
)]
#[case::contract_of_nothing(
    "contracts:\n  - {id: c, document: c.yaml}",
    "3:5",
    "a contract is of one `gateway` or of one `function`",
    "name one of them"
)]
#[case::try_without_an_outcome(
    "tries:\n  - {endpoint: f/direct, method: HEAD, at: 2026-11-20}",
    "3:5",
    "a try has one outcome",
    "from 100 to 599"
)]
#[case::try_of_an_impossible_status(
    "tries:\n  - {endpoint: f/direct, method: HEAD, at: 2026-11-20, status: 700}",
    "3:5",
    "a try has one outcome",
    "from 100 to 599"
)]
#[case::declared_how("declared: perhaps", "2:11", "expected `true` or `false`, found a text", "")]
#[case::unseen(
    "functions:\n  - {id: f, owner: \"a\\u202Eb\"}",
    "3:20",
    "U+202E is not allowed",
    "take it out"
)]
#[case::section(
    "funktions:\n  - {id: f}",
    "2:1",
    "`funktions` is not a section",
    "did you mean `functions`?"
)]
#[case::section_twice("functions: []\nfunctions: []", "3:1", "`functions` is given twice", "one list")]
fn a_mistake_is_shown_where_it_is(
    #[case] text: &str,
    #[case] place: &str,
    #[case] what: &str,
    #[case] help: &str,
) {
    let said = refused("estate.yaml", format!("estate: 1\n{text}\n"));
    says(&said, &[&format!("estate.yaml:{place}"), what, help, "1 mistake in the input"]);
}

#[rstest]
#[case::utf8("a.yaml", b"estate: 1\nfunctions:\n  - id: \xff\n".to_vec(), "not UTF-8", "a.yaml:3:9")]
#[case::utf16("a.yaml", b"\xff\xfee\0s\0".to_vec(), "written in UTF-16", "a.yaml")]
#[case::nul("a.yaml", b"estate: 1\nfunctions: a\0b\n".to_vec(), "a NUL byte", "a.yaml:2:13")]
#[case::nul_json("a.json", b"{\"estate\": 1, \0}".to_vec(), "a NUL byte", "a.json:1:15")]
#[case::empty("a.yaml", b"".to_vec(), "an empty file", "a.yaml")]
#[case::blank("a.json", b" \n\n".to_vec(), "an empty file", "a.json")]
#[case::empty_lines("a.ndjson", b"\n\n".to_vec(), "an empty file", "a.ndjson")]
#[case::mark("a.yaml", b"\xef\xbb\xbfestate: 1\n".to_vec(), "a byte order mark", "a.yaml")]
#[case::mark_lines("a.ndjson", b"\xef\xbb\xbf{\"estate\": 1}\n".to_vec(), "a byte order mark", "a.ndjson:1")]
#[case::no_yaml("a.yaml", b"estate: 1\n b: : c\n".to_vec(), "not YAML that is accepted", "a.yaml:2")]
#[case::no_json("a.json", b"{\"estate\": 1,}".to_vec(), "not JSON that is accepted", "a.json:1:14")]
#[case::cut_off("a.json", b"{\"estate\": 1, \"functions\": [{\"id\": \"f\"}".to_vec(), "EOF", "a.json:1:40")]
#[case::more("a.json", b"{\"estate\": 1} x".to_vec(), "trailing", "a.json:1:15")]
#[case::list("a.json", b"[1]".to_vec(), "expected an estate", "a.json:1:1")]
#[case::other_version("a.yaml", b"estate: 2\n".to_vec(), "version 2 of the format is not known", "a.yaml:1:9")]
#[case::no_version("a.json", b"{\"functions\": []}".to_vec(), "does not say which version", "a.json:1:1")]
#[case::alias("a.yaml", b"estate: 1\nfunctions: &a [*a]\n".to_vec(), "an alias stands inside", "a.yaml:2:16")]
#[case::tag("a.yaml", b"estate: 1\nfunctions: [!thing x]\n".to_vec(), "is not known here", "a.yaml:2")]
#[case::line_kind("a.ndjson", b"{\"estate\": 1}\n{\"functoin\": {}}\n".to_vec(), "did you mean `function`?", "a.ndjson:2:2")]
#[case::two_on_a_line("a.ndjson", b"{\"estate\": 1}\n{\"user\": {\"id\": \"a\"}, \"id\": 1}\n".to_vec(), "one entity", "a.ndjson:2")]
#[case::no_header("a.ndjson", b"{\"user\": {\"id\": \"a\"}}\n".to_vec(), "does not say the version", "a.ndjson:1")]
fn a_bad_file_is_refused(
    #[case] name: &str,
    #[case] content: Vec<u8>,
    #[case] what: &str,
    #[case] place: &str,
) {
    says(&refused(name, content), &[what, place]);
}

#[rstest]
#[case::flow("a.yaml", "[", "]")]
#[case::flow_maps("a.yaml", "{a: ", "}")]
#[case::open_ended("a.yaml", "[", "")]
#[case::block("a.yaml", "- ", "")]
#[case::json("a.json", "[", "]")]
#[case::json_maps("a.json", "{\"a\":", "}")]
#[case::json_open_ended("a.json", "[", "")]
fn a_hundred_thousand_levels_are_refused(#[case] name: &str, #[case] open: &str, #[case] close: &str) {
    let deep = format!("{}1{}", open.repeat(100_000), close.repeat(100_000));
    let text = match (name, open) {
        ("a.json", _) => format!("{{\"estate\": 1, \"functions\": {deep}}}"),
        (_, "- ") => format!("estate: 1\nfunctions:\n{deep}\n"),
        _ => format!("estate: 1\nfunctions: {deep}\n"),
    };
    says(&refused(name, text), &["nested deeper than 64 levels"]);
}

#[test]
fn aliases_that_multiply_are_refused() {
    let mut text = String::from("estate: 1\nx0: &a0 [a, a, a, a, a, a, a, a, a, a]\n");
    for number in 1..30 {
        let previous = format!("*a{}, ", number - 1).repeat(9);
        text += &format!("x{number}: &a{number} [{previous}a]\n");
    }
    says(&refused("bomb.yaml", text), &["aliases expand to more than 1000000 values"]);
}

#[test]
fn honest_aliases_are_read() {
    let text = "estate: 1\nfunctions:\n  - {id: a, tags: &t {team: tides}}\n  - {id: b, tags: *t}\n";
    let place = Place::with("a.yaml", text);
    assert_eq!(place.audit(&["a.yaml"])["looked_at"]["things"]["functions"], 2);
}

#[test]
fn all_mistakes_of_all_files_are_reported_in_order() {
    let place = Place::new();
    place.write("b.yaml", "estate: 1\nfunctions:\n  - {id: f, x: 1}\n  - {id: g}\n  - {id: h, y: 1, z: 2}\n");
    place.write("a.json", "{\"estate\": 1, \"keys\": [{\"id\": 7}]}");
    place.write("c.ndjson", "{\"estate\": 1}\nnot json\n{\"user\": {\"id\": \"u\", \"w\": 1}}\n");
    let said = place.run(&["audit", "."]).err;
    let places: Vec<&str> = said.lines().filter_map(|line| line.trim().strip_prefix("--> ")).collect();
    let expected = [
        "./a.json:1:24",
        "./a.json:1:31",
        "./a.json:1:24",
        "./b.yaml:3:13",
        "./b.yaml:5:13",
        "./b.yaml:5:19",
        "./c.ndjson:2:2",
        "./c.ndjson:3:22",
    ];
    for place in expected {
        assert!(places.contains(&place), "{place} among {places:?}");
    }
    let mut sorted = places.clone();
    sorted.sort_by_key(|place| place.split(':').next().unwrap().to_owned());
    assert_eq!(places, sorted, "by file");
    says(&said, &["8 mistakes in the input; nothing was judged."]);
}

#[test]
fn a_hundred_thousand_mistakes_are_counted_and_not_all_told() {
    let text = format!("estate: 1\nfunctions:\n{}", "  - {id: f, x: 1}\n".repeat(100_000));
    let said = refused("many.yaml", text);
    says(&said, &["100000 mistakes in the input", "… and 99990 more; of each kind the first 10 are shown."]);
    assert!(said.lines().count() < 100, "{said}");
}

/// One kind of mistake on every line does not hide another that is on one.
#[test]
fn of_each_kind_of_mistake_some_are_told() {
    let many = "  - {id: f, x: 1}\n".repeat(40);
    let text = format!(
        "estate: 1\nfunctions:\n{many}  - {{id: g, in: a, runtme: x}}\nkeys:\n  - {{id: k, opens: 7}}\n"
    );
    let said = refused("many.yaml", text);
    says(
        &said,
        &[
            "43 mistakes in the input",
            "`runtme` is not a field of a function",
            "… and 30 more; of each kind the first 10 are shown.",
        ],
    );
    assert_eq!(said.matches("`x` is not a field of a function").count(), 10, "{said}");
}

#[test]
fn a_duplicate_names_both_places() {
    let place = Place::new();
    place.write("a.yaml", "estate: 1\nfunctions:\n  - id: sell-ticket\n");
    place.write("b.json", "{\"estate\": 1,\n \"functions\": [{\"id\": \"sell-ticket\"}]}");
    let run = place.run(&["audit", "b.json", "a.yaml"]);
    assert_eq!(run.code, 2);
    let parts = [
        "function:sell-ticket is declared twice",
        "a.yaml:3",
        "b.json:2",
        "first declared here",
        "id: sell-ticket",
    ];
    says(&run.err, &parts);
}

#[rstest]
#[case::scopes(
    "scopes:\n  - {id: b, kind: folder, in: a}\n  - {id: a, kind: folder, in: b}",
    "scopes form a circle: folder:a → folder:b → folder:a"
)]
#[case::groups(
    "groups:\n  - {id: h, members: [group:g]}\n  - {id: g, members: [group:h]}",
    "groups form a circle: group:g → group:h → group:g"
)]
#[case::sets(
    "permission_sets:\n  - {id: s, includes: s}",
    "permission sets form a circle: permission-set:s → permission-set:s"
)]
#[case::kind(
    "scopes:\n  - {id: desk, kind: app}\nkeys:\n  - {id: k, opens: account:desk, reach: app}",
    "account:desk is named here, but it is declared as app:desk"
)]
#[case::grants(
    "grants:\n  - {id: g, to: anyone, set: s}\n  - {id: g, to: anyone, set: t}",
    "grant:g is declared twice"
)]
#[case::endpoints(
    "functions:\n  - {id: f, endpoints: [{check: none}, {check: identity}]}",
    "endpoint:f/direct is declared twice"
)]
fn an_estate_that_cannot_be_is_refused(#[case] text: &str, #[case] what: &str) {
    says(&refused("a.yaml", format!("estate: 1\n{text}\n")), &[what, "a.yaml:"]);
}

#[test]
fn files_of_two_times_are_not_one_estate() {
    let place = Place::new();
    place.write("a.yaml", "estate: 1\nas_of: 2026-11-20\n");
    place.write("b.yaml", "estate: 1\nas_of: 2026-11-21\n");
    let run = place.run(&["audit", "."]);
    assert_eq!(run.code, 2);
    says(
        &run.err,
        &[
            "as_of is 2026-11-21T00:00:00Z, but another file says 2026-11-20T00:00:00Z",
            "a.yaml:2",
            "b.yaml:2",
        ],
    );
}

#[test]
fn places_without_an_estate_are_told_apart() {
    let place = Place::with("notes.txt", "nothing");
    std::fs::create_dir(place.path().join("empty")).unwrap();
    for (path, what) in [
        ("empty", "no estate in this folder"),
        ("gone.yaml", "cannot be read: no such file or directory"),
        ("notes.txt", "not a kind of file that holds an estate"),
    ] {
        let run = place.run(&["audit", path]);
        assert_eq!(run.code, 2, "{path}");
        says(&run.err, &[what, path, "help:"]);
    }
}

#[test]
fn names_of_files_cannot_write_to_the_terminal() {
    let place = Place::with("a\u{1b}[31m.yaml", "");
    let run = place.run(&["audit", "."]);
    assert_eq!(run.code, 2);
    says(&run.err, &["a\u{fffd}[31m.yaml"]);
}

#[rstest]
#[case::key_value(
    "estate: 1\nkeys:\n  - {id: k, opens: function:f, reach: function, value: hunter-two}\n",
    "hunter-two"
)]
#[case::setting("estate: 1\nfunctions:\n  - {id: f, settings: [CLIENT_SECRET=hunter-two]}\n", "hunter-two")]
#[case::token(
    "estate: 1\nfunctions:\n  - {id: f, onwer: eyJhbGciOiJFUzI1NiJ9.e30.c2lnbmF0dXJl}\n",
    "eyJhbGciOiJFUzI1NiJ9"
)]
#[case::long_run(
    "estate: 1\nfunctions:\n  - {id: \"a b\", runtime: Zk9QdXJ2c1pYcUxNd3R5VTRiNnpKaA8x}\n",
    "Zk9QdXJ2c1pYcUxNd3R5VTRiNnpKaA8x"
)]
fn secrets_in_files_with_mistakes_are_not_shown(#[case] text: &str, #[case] secret: &str) {
    let said = refused("a.yaml", text);
    assert!(!said.contains(secret), "{said}");
}

#[test]
fn endless_input_ends() {
    let place = Place::new();
    let run = place.run_with(&["audit", "-"], vec![b'y'; (64 << 20) + 10]);
    assert_eq!(run.code, 2);
    says(&run.err, &["<stdin>", "larger than 64 MiB", "NDJSON"]);
}

#[test]
fn a_pattern_of_ten_thousand_characters_is_read_and_a_longer_one_is_not() {
    let estate = |length: usize| {
        let pattern = format!("table/{}*", "a".repeat(length - 7));
        format!("estate: 1\npermission_sets:\n  - {{id: s, statements: [{{allow: {pattern}}}]}}\n")
    };
    let place = Place::with("a.yaml", estate(10_000));
    assert_eq!(place.run(&["audit", "a.yaml"]).code, 0);
    says(&refused("b.yaml", estate(10_001)), &["must not be longer than 10000 characters"]);
}

#[test]
fn a_reference_to_something_absent_is_a_blind_spot_and_no_mistake() {
    let place =
        Place::with("a.yaml", "estate: 1\nas_of: 2026-11-20\nfunctions:\n  - {id: f, runs_as: gone}\n");
    let audit = place.audit(&["a.yaml"]);
    assert_eq!(
        crate::support::findings(&audit),
        [("blind/missing-reference".to_owned(), "identity:gone".to_owned())]
    );
    assert_eq!(place.run(&["audit", "a.yaml", "--strict"]).code, 3);
}

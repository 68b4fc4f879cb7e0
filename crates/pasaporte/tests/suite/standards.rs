//! Reports held to their standards by others' validators: of the sample estate, of what is new and accepted, of nothing, and
//! of an estate whose every name would be mark-up.

use crate::support::{Place, standards};
use scraper::Selector;
use serde_json::Value;

const ALL: [&str; 7] = ["r.html", "r.sarif", "r.ocsf.ndjson", "r.junit.xml", "r.ndjson", "r.csv", "r.md"];

/// An audit, and what it was written to.
struct Written {
    place: Place,
    audit: Value,
}

impl Written {
    fn of(place: Place, args: &[&str]) -> Self {
        let files: Vec<&str> = ALL.iter().flat_map(|file| ["--report", file]).collect();
        let audit = place.audit(&[args, &files].concat());
        Self { place, audit }
    }

    fn demo() -> Self {
        Self::of(Place::with_demo(), &["demo"])
    }

    /// The sample estate with something new, some of it accepted, held against itself of before.
    fn later() -> Self {
        let place = Place::with_demo();
        place.run(&["audit", "demo", "--save", "then.json"]);
        let estate = std::fs::read_to_string(place.path().join("demo/poniente.yaml")).unwrap();
        place.write("demo/poniente.yaml", estate.replacen("check: {key: function}", "check: none", 1));
        let how = ["--owner", "crew", "--reason", "so", "--until", "2100-01-31", "--yes", "--estate", "demo"];
        assert_eq!(place.run(&[&["waive", "key/*@*"], &how[..]].concat()).code, 0);
        Self::of(place, &["demo", "--since", "then.json"])
    }

    /// An estate with no finding at all, and no time.
    fn nothing() -> Self {
        let estate = "estate: 1\nscopes: [{id: pier, kind: account}]\nfunctions: [{id: sail, in: pier}]\n";
        Self::of(Place::with("estate.yaml", estate), &["estate.yaml", "--skip", "blind/*"])
    }

    /// A saved audit in which every text that is free tries to be more than a text.
    fn hostile() -> Self {
        let written = Self::later();
        written.place.run(&["audit", "demo", "--since", "then.json", "--save", "now.json"]);
        let mut audit: Value = serde_json::from_str(&written.read("now.json")).unwrap();
        plant(&mut audit);
        written.place.write("now.json", audit.to_string());
        let files: Vec<&str> = ALL.iter().flat_map(|file| ["--to", file]).collect();
        let run = written.place.run(&[&["report", "now.json"], &files[..]].concat());
        assert_eq!(run.code, 0, "{}", run.err);
        Self { audit, place: written.place }
    }

    fn read(&self, name: &str) -> String {
        std::fs::read_to_string(self.place.path().join(name)).unwrap()
    }

    fn findings(&self) -> &Vec<Value> {
        self.audit["findings"].as_array().unwrap()
    }

    fn each() -> [(&'static str, Self); 4] {
        [
            ("demo", Self::demo()),
            ("later", Self::later()),
            ("nothing", Self::nothing()),
            ("hostile", Self::hostile()),
        ]
    }
}

/// Plants mark-up of all kinds into all texts that an estate may choose.
fn plant(it: &mut Value) {
    const PLANTED: &str = "</script><img src=x onerror=alert(1)><!-- [here](https://x.example) {0} ]]> & \\\"'\n=1+1\u{202e}\u{7}";
    const FREE: [&str; 22] = [
        "thing",
        "owner",
        "account",
        "platform",
        "situation",
        "fix",
        "what",
        "file",
        "function",
        "functions",
        "way",
        "who",
        "asks",
        "service",
        "may",
        "key",
        "told",
        "opens",
        "identity",
        "names",
        "reason",
        "reads",
    ];
    match it {
        Value::Object(members) => {
            for (name, value) in members {
                match value {
                    Value::String(text) if FREE.contains(&name.as_str()) => text.push_str(PLANTED),
                    Value::Array(all) if FREE.contains(&name.as_str()) => {
                        let texts =
                            all.iter_mut().filter_map(|it| Some(format!("{}{PLANTED}", it.as_str()?)));
                        *all = texts.map(Value::from).collect();
                    }
                    other => plant(other),
                }
            }
        }
        Value::Array(all) => all.iter_mut().for_each(plant),
        _ => {}
    }
}

#[test]
fn sarif_is_what_its_standard_says() {
    for (name, written) in Written::each() {
        let (log, wrong) = standards::sarif(&written.read("r.sarif"));
        assert_eq!(wrong, Vec::<String>::new(), "{name}");
        let results = log["runs"][0]["results"].as_array().unwrap();
        assert_eq!(results.len(), written.findings().len(), "{name}");
        for (result, finding) in results.iter().zip(written.findings()) {
            assert_eq!(result["partialFingerprints"]["pasaporte/v1"], finding["fingerprint"]);
            let state = match finding["since"].as_str() {
                None => Value::Null,
                Some("same") => "unchanged".into(),
                Some("worse") => "updated".into(),
                Some(new) => new.into(),
            };
            assert_eq!(result["baselineState"], state, "{name}");
            assert_eq!(result["suppressions"].is_array(), finding["accepted"]["in_force"] == true, "{name}");
        }
    }
}

#[test]
fn a_fix_in_sarif_makes_the_line_that_is_told() {
    let written = Written::demo();
    let (log, _) = standards::sarif(&written.read("r.sarif"));
    let mut made = 0;
    for (result, finding) in log["runs"][0]["results"].as_array().unwrap().iter().zip(written.findings()) {
        let paste = &finding["paste"];
        assert_eq!(result["fixes"].is_array(), paste.is_object());
        let change = &result["fixes"][0]["artifactChanges"][0];
        let Some(file) = change["artifactLocation"]["uri"].as_str() else { continue };
        let text = written.read(file);
        let replacement = &change["replacements"][0];
        let region = &replacement["deletedRegion"];
        let at = region["startLine"].as_u64().unwrap() as usize - 1;
        let line: Vec<char> = text.lines().nth(at).unwrap().chars().collect();
        let rest: String = line[region["endColumn"].as_u64().unwrap() as usize - 1..].iter().collect();
        let line = format!("{}{rest}", replacement["insertedContent"]["text"].as_str().unwrap());
        assert_eq!(line.lines().next(), paste["reads"].as_str());
        made += 1;
    }
    assert!(made > 10, "{made}");
}

#[test]
fn ocsf_is_what_its_class_says() {
    for (name, written) in Written::each() {
        let (events, wrong) = standards::ocsf(&written.read("r.ocsf.ndjson"));
        assert_eq!(wrong, Vec::<String>::new(), "{name}");
        assert_eq!(events.len(), written.findings().len(), "{name}");
        for (event, finding) in events.iter().zip(written.findings()) {
            assert_eq!(event["finding_info"]["uid"], finding["fingerprint"]);
            assert_eq!(event["status"] == "Suppressed", finding["accepted"]["in_force"] == true);
            let was_there = finding["since"] == "same" || finding["since"] == "worse";
            assert_eq!(event["activity_id"], if was_there { 2 } else { 1 });
        }
    }
}

#[test]
fn junit_fails_where_a_finding_counts() {
    for (name, written) in Written::each() {
        let (tests, wrong) = standards::junit(&written.read("r.junit.xml"));
        assert_eq!(wrong, Vec::<String>::new(), "{name}");
        let state = |wanted: &str| tests.values().filter(|state| **state == wanted).count();
        let skipped = |it: &&Value| it["since"] == "same" || it["accepted"]["in_force"] == true;
        let skips = written.findings().iter().filter(skipped).count();
        assert_eq!((state("failed"), state("skipped")), (written.findings().len() - skips, skips), "{name}");
        let quiet: Vec<&Value> = written.audit["rules"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|rule| written.findings().iter().all(|it| it["rule"] != rule["id"]))
            .collect();
        assert_eq!(state("passed"), quiet.len(), "{name}");
    }
}

#[test]
fn a_page_is_html_without_a_mistake_and_leads_where_it_says() {
    for (name, written) in Written::each() {
        let text = written.read("r.html");
        let (page, wrong) = standards::html(&text);
        assert_eq!(wrong, Vec::<String>::new(), "{name}");
        let all = |css: &str| page.select(&Selector::parse(css).unwrap()).count();
        assert_eq!(all(".finding"), written.findings().len(), "{name}");
        let functions = written.audit["looked_at"]["things"]["functions"].as_u64().unwrap() as usize;
        assert_eq!(all(".passport"), functions, "{name}");
        let in_cells: usize = page
            .select(&Selector::parse(".matrix td a").unwrap())
            .map(|cell| cell.text().next().unwrap().trim().parse::<usize>().unwrap())
            .sum();
        assert_eq!(in_cells, functions, "{name}: each function stands in one cell");
        let accepted = written.findings().iter().filter(|it| it["accepted"]["in_force"] == true).count();
        assert_eq!(all("#accepted .finding"), accepted, "{name}");
    }
}

#[test]
fn what_a_page_says_is_what_the_audit_says() {
    let written = Written::demo();
    let (page, _) = standards::html(&written.read("r.html"));
    let text = page.root_element().text().collect::<String>();
    let words = |text: &str| text.split_whitespace().collect::<Vec<_>>().join(" ");
    let text = words(&text);
    for finding in written.findings() {
        for field in ["situation", "fix"] {
            let told = words(finding[field].as_str().unwrap());
            assert!(text.contains(&told), "no `{told}`");
        }
    }
    // The policy allows the style and the script that are there, and nothing else.
    let html = written.read("r.html");
    let policy =
        html.split("Content-Security-Policy\" content=\"").nth(1).unwrap().split('"').next().unwrap();
    assert!(policy.starts_with("default-src 'none'; style-src 'sha256-"), "{policy}");
    assert!(!policy.contains("unsafe"), "{policy}");
}

#[test]
fn two_passports_with_one_digest_say_the_same() {
    let digests = |place: &Place| -> Vec<(String, String)> {
        place.run(&["audit", "demo", "--save", "a.json"]);
        let text = std::fs::read_to_string(place.path().join("a.json")).unwrap();
        let audit: Value = serde_json::from_str(&text).unwrap();
        let passports = audit["exhibits"]["passports"].as_array().unwrap().iter();
        let text = |it: &Value| it.as_str().unwrap().to_owned();
        let mut all: Vec<_> = passports.map(|it| (text(&it["function"]), text(&it["digest"]))).collect();
        all.sort();
        all
    };
    let place = Place::with_demo();
    let before = digests(&place);
    assert_eq!(digests(&place), before);
    let estate = std::fs::read_to_string(place.path().join("demo/poniente.yaml")).unwrap();
    place.write("demo/poniente.yaml", estate.replacen("check: {key: function}", "check: none", 1));
    let changed: Vec<_> = digests(&place).into_iter().zip(before).filter(|(now, then)| now != then).collect();
    assert!(!changed.is_empty() && changed.len() < 10, "{changed:?}");
}

#[test]
fn a_report_of_a_saved_audit_is_the_one_that_was_written_then() {
    let written = Written::later();
    let place = &written.place;
    place.run(&["audit", "demo", "--since", "then.json", "--save", "now.json"]);
    let files: Vec<String> = ALL.iter().map(|file| file.replace("r.", "later.")).collect();
    let args: Vec<&str> = files.iter().flat_map(|file| ["--to", file.as_str()]).collect();
    let run = place.run(&[&["report", "now.json"], &args[..]].concat());
    assert_eq!(run.code, 0, "{}", run.err);
    for (then, now) in ALL.iter().zip(&files) {
        assert!(written.read(then) == written.read(now), "{then} and {now} differ");
    }
}

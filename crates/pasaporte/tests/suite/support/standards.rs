//! Reports as those read them who hold them to a standard: all that is wrong with one.

use std::collections::{BTreeMap, BTreeSet};

use scraper::{Html, Node};
use serde_json::Value;

/// What values are not, of what a JSON Schema wants.
fn against(schema: &str, values: &[Value]) -> Vec<String> {
    let schema: Value = serde_json::from_str(schema).unwrap();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let wrong = values.iter().flat_map(|value| validator.iter_errors(value));
    wrong.map(|wrong| format!("{}: {wrong}", wrong.instance_path())).collect()
}

/// SARIF 2.1.0, by the schema of OASIS (a pattern of it that is no regular expression is mended); and where its rules and places point to.
pub fn sarif(text: &str) -> (Value, Vec<String>) {
    let log: Value = serde_json::from_str(text).unwrap();
    let mut wrong =
        against(include_str!("../../standards/sarif-2.1.0.schema.json"), std::slice::from_ref(&log));
    let run = &log["runs"][0];
    for result in run["results"].as_array().unwrap() {
        let rule = &run["tool"]["driver"]["rules"][result["ruleIndex"].as_u64().unwrap_or(9999) as usize];
        if rule["id"] != result["ruleId"] {
            wrong.push(format!("{} is not the rule at its index", result["ruleId"]));
        }
        let text = result["message"]["text"].as_str().unwrap();
        let braces = text.replace("{{", "").replace("}}", "");
        if braces.contains(['{', '}']) || text.contains("](") && !text.contains("\\](") {
            wrong.push(format!("a placeholder or a link in {text}"));
        }
        let place = &result["locations"][0]["physicalLocation"]["artifactLocation"]["uri"];
        if let Some(uri) = place.as_str()
            && !uri.bytes().all(|byte| byte.is_ascii_graphic() && !b"<>\"{}|\\^`".contains(&byte))
        {
            wrong.push(format!("{uri} is no URI"));
        }
    }
    (log, wrong)
}

/// OCSF events, by the exported schema of their class.
pub fn ocsf(text: &str) -> (Vec<Value>, Vec<String>) {
    let schema = include_str!("../../standards/ocsf-1.8.0-compliance-finding.schema.json");
    let events: Vec<Value> = text.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let wrong = against(schema, &events);
    (events, wrong)
}

/// `JUnit` XML, by the common XSD; of each test its name, and whether it passed, failed or was skipped.
pub fn junit(text: &str) -> (BTreeMap<String, &'static str>, Vec<String>) {
    let parse = |text: &'static str| uppsala::parse(text).unwrap();
    let schema = parse(include_str!("../../standards/junit.xsd"));
    let validator = uppsala::XsdValidator::from_schema(&schema).unwrap();
    let document = uppsala::parse(text).unwrap();
    let mut wrong: Vec<String> = validator.validate(&document).iter().map(ToString::to_string).collect();
    let mut tests = BTreeMap::new();
    for case in document.get_elements_by_tag_name("testcase") {
        let attribute =
            |name: &str| document.element(case).and_then(|it| it.get_attribute(name)).unwrap_or_default();
        let below = |name: &str| {
            document
                .children(case)
                .into_iter()
                .any(|child| document.element(child).is_some_and(|it| it.name.local_name == name))
        };
        let state = if below("failure") {
            "failed"
        } else if below("skipped") {
            "skipped"
        } else {
            "passed"
        };
        let name = format!("{} {}", attribute("classname"), attribute("name"));
        if tests.insert(name.clone(), state).is_some() {
            wrong.push(format!("two tests are called {name}"));
        }
    }
    (tests, wrong)
}

/// A page by an HTML5 parser: its mistakes, what is not ours in it, what is twice or leads nowhere.
pub fn html(text: &str) -> (Html, Vec<String>) {
    const OURS: [&str; 46] = [
        "html", "head", "meta", "title", "style", "body", "a", "i", "header", "div", "p", "h1", "h2", "h3",
        "h4", "nav", "main", "section", "ul", "ol", "li", "b", "span", "details", "summary", "table",
        "caption", "thead", "tbody", "tr", "th", "td", "article", "pre", "code", "dl", "dt", "dd", "svg",
        "path", "circle", "rect", "line", "small", "footer", "script",
    ];
    let page = Html::parse_document(text);
    let mut wrong: Vec<String> = page.errors.iter().map(ToString::to_string).collect();
    let (mut ids, mut links, mut scripts) = (BTreeSet::new(), Vec::new(), 0);
    for node in page.tree.nodes() {
        let Node::Element(element) = node.value() else { continue };
        let name = element.name();
        if !OURS.contains(&name) {
            wrong.push(format!("<{name}> is none of ours"));
        }
        scripts += usize::from(name == "script");
        for (attribute, value) in element.attrs() {
            if attribute.starts_with("on") || attribute == "style" || attribute == "src" {
                wrong.push(format!("<{name} {attribute}>"));
            }
            if attribute == "id" && !ids.insert(value.to_owned()) {
                wrong.push(format!("two are called {value}"));
            }
            if attribute == "href" {
                links.push(value.to_owned());
            }
        }
    }
    for link in links {
        match link.strip_prefix('#') {
            Some(id) if ids.contains(id) => {}
            _ => wrong.push(format!("{link} leads nowhere")),
        }
    }
    if scripts != 1 {
        wrong.push(format!("{scripts} scripts"));
    }
    (page, wrong)
}

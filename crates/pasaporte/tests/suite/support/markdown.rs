//! Markdown as those see it who show it.

use pulldown_cmark::{Event, Options, Parser, Tag, TagEnd};

/// What is in a text beside text, tables, lists and what our reports are made of: links, pictures, HTML of others.
pub fn beside_text(text: &str) -> Vec<String> {
    let ours = ["<details><summary>How to mend it</summary>", "</details>", "<sub>", "</sub>"];
    let is_ours = |html: &str| html.trim().is_empty() || ours.contains(&html.trim());
    Parser::new_ext(text, Options::ENABLE_TABLES | Options::ENABLE_GFM)
        .filter_map(|event| match event {
            Event::Html(html) | Event::InlineHtml(html) if !is_ours(&html) => Some(format!("HTML {html}")),
            Event::Start(
                tag @ (Tag::Link { .. } | Tag::Image { .. } | Tag::Emphasis | Tag::BlockQuote(_)),
            ) => Some(format!("{tag:?}")),
            Event::Code(code) => Some(format!("code {code}")),
            _ => None,
        })
        .collect()
}

/// How many rows the tables of a text have, without their heads.
pub fn rows(text: &str) -> usize {
    let events = Parser::new_ext(text, Options::ENABLE_TABLES);
    events.filter(|event| matches!(event, Event::End(TagEnd::TableRow))).count()
}

//! Flat JSON objects of texts and numbers, without escapes: what lines of our own mostly are. Lines of a log are mostly laid
//! out alike, so that what stands between their values is compared with that of lines before, and not read again.

use super::said::{FIELDS, Field, Said, field};

/// Layouts that lines had lately.
#[derive(Debug, Default)]
pub(super) struct Layouts {
    all: Vec<Layout>,
    /// The one of the line before.
    last: usize,
}

/// Layouts that are tried before a line is read without.
const KEPT: usize = 4;

/// What stands between the values of a line.
#[derive(Debug, Default)]
struct Layout {
    parts: Vec<Part>,
    end: String,
}

#[derive(Debug)]
struct Part {
    /// What stands before the value, with the quote that begins it.
    before: String,
    field: Option<Field>,
    is_quoted: bool,
}

impl Layouts {
    /// What a flat object without escapes says; none for anything else.
    pub(super) fn said<'l>(&mut self, line: &'l str) -> Option<Said<'l>> {
        if let Some(said) = self.all.get(self.last).and_then(|layout| layout.said(line)) {
            return Some(said);
        }
        for (place, layout) in self.all.iter().enumerate() {
            if let Some(said) = layout.said(line) {
                self.last = place;
                return Some(said);
            }
        }
        let layout = Layout::of(line)?;
        let said = layout.said(line);
        // The oldest makes room.
        if self.all.len() == KEPT {
            self.all.remove(0);
        }
        self.last = self.all.len();
        self.all.push(layout);
        said
    }
}

impl Layout {
    /// What a line that is laid out so says.
    fn said<'l>(&self, line: &'l str) -> Option<Said<'l>> {
        let mut said = Said::default();
        let mut at = 0;
        for part in &self.parts {
            at = part.end_in(line.as_bytes(), at)?;
            let end = if part.is_quoted { quote_end(line, at)? } else { number_end(line, at)? };
            if let Some(field) = part.field {
                said.say(field, &line[at..end]);
            }
            at = end;
        }
        (line.as_bytes()[at..] == *self.end.as_bytes()).then_some(said)
    }

    /// How a flat object without escapes is laid out; none for anything else, and where a field is there twice.
    fn of(line: &str) -> Option<Self> {
        let bytes = line.as_bytes();
        let mut layout = Self::default();
        let mut there = [false; FIELDS];
        let (mut at, mut before) = (1, 0);
        let blank = |at: &mut usize| {
            while matches!(bytes.get(*at), Some(b' ' | b'\t' | b'\r')) {
                *at += 1;
            }
        };
        if *bytes.first()? != b'{' {
            return None;
        }
        loop {
            blank(&mut at);
            if *bytes.get(at)? != b'"' {
                return None;
            }
            let name_end = quote_end(line, at + 1)?;
            let name = &line[at + 1..name_end];
            at = name_end + 1;
            blank(&mut at);
            if *bytes.get(at)? != b':' {
                return None;
            }
            at += 1;
            blank(&mut at);
            let is_quoted = *bytes.get(at)? == b'"';
            let start = at + usize::from(is_quoted);
            let end = if is_quoted { quote_end(line, start)? } else { number_end(line, start)? };
            let field = field(name);
            let is_twice = field.is_some_and(|field| std::mem::replace(&mut there[field as usize], true));
            if is_twice || name == "covers" {
                return None;
            }
            layout.parts.push(Part { before: line[before..start].to_owned(), field, is_quoted });
            before = end;
            at = end + usize::from(is_quoted);
            blank(&mut at);
            match *bytes.get(at)? {
                b',' => at += 1,
                b'}' => break,
                _ => return None,
            }
        }
        line[before..].clone_into(&mut layout.end);
        (at + 1 == bytes.len()).then_some(layout)
    }
}

impl Part {
    /// Where what stands before the value ends in a line, if it stands there.
    fn end_in(&self, line: &[u8], at: usize) -> Option<usize> {
        let before = self.before.as_bytes();
        let there = line.get(at..at + before.len())?;
        // Nearly all are of eight to sixteen bytes, which are two numbers.
        let is_same = match (before.first_chunk::<8>(), before.last_chunk::<8>()) {
            (Some(first), Some(last)) if before.len() <= 16 => {
                there.first_chunk() == Some(first) && there.last_chunk() == Some(last)
            }
            _ => there == before,
        };
        is_same.then_some(at + before.len())
    }
}

/// Where a number that begins at a place ends.
fn number_end(line: &str, start: usize) -> Option<usize> {
    let number = &line.as_bytes()[start..];
    if !matches!(number.first()?, b'-' | b'0'..=b'9') {
        return None;
    }
    let in_number = |byte: &u8| matches!(byte, b'-' | b'+' | b'.' | b'e' | b'E' | b'0'..=b'9');
    Some(start + number.iter().position(|byte| !in_number(byte))?)
}

/// Where a text that begins at a place ends: at a quote, with no escape and no control character before it.
fn quote_end(line: &str, start: usize) -> Option<usize> {
    let bytes = line.as_bytes();
    let mut end = start;
    // Eight at a time, as long as there are so many and none of them ends it.
    while let Some(eight) = bytes.get(end..).and_then(<[u8]>::first_chunk::<8>) {
        let ending = ending(u64::from_le_bytes(*eight));
        if ending != 0 {
            end += ending.trailing_zeros() as usize / 8;
            return (bytes[end] == b'"').then_some(end);
        }
        end += 8;
    }
    loop {
        match *bytes.get(end)? {
            b'"' => return Some(end),
            b'\\' | 0..=0x1f => return None,
            _ => end += 1,
        }
    }
}

/// Of eight bytes, the first of which is the lowest: the highest bit of the first that is a quote, a backslash or a control
/// character, and of none before it.
fn ending(eight: u64) -> u64 {
    const EACH: u64 = 0x0101_0101_0101_0101;
    // The highest bit of bytes below a bound, up to and with the first; what is not ASCII is not below it.
    let below = |it: u64, bound: u64| it.wrapping_sub(EACH * bound) & !it;
    let is = |byte: u8| below(eight ^ (EACH * u64::from(byte)), 1);
    (is(b'"') | is(b'\\') | below(eight, 0x20)) & (EACH << 7)
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use proptest::prelude::*;
    use rstest::rstest;

    use super::*;

    proptest! {
        #[test]
        fn a_text_ends_where_it_ends(text in "[a-z\"\\\\\u{0}-\u{21}é€\u{7f}]{0,40}") {
            let plain = text.find(|it: char| it == '"' || it == '\\' || it < ' ');
            prop_assert_eq!(quote_end(&text, 0), plain.filter(|end| text[*end..].starts_with('"')));
        }

        /// Whatever lines were before, a line is read as it is read alone; and as a real parser reads it, if at all.
        #[test]
        fn lines_before_change_nothing(
            lines in prop::collection::vec(
                "\\{\"(who|did|method|x|covers)\": ?(\"[a-z\\\\]{0,9}\"|-?[1-9]{1,3}|null)(, ?\"(who|to|y)\":(\"é?\"|7)){0,2} ?\\} ?",
                1..12,
            ),
        ) {
            let mut layouts = Layouts::default();
            for line in &lines {
                let said = layouts.said(line).map(|it| format!("{it:?}"));
                let alone = Layouts::default().said(line).map(|it| format!("{it:?}"));
                prop_assert_eq!(&said, &alone, "{}", line);
                let parsed: Option<BTreeMap<String, serde_json::Value>> = serde_json::from_str(line).ok();
                let Some((said, parsed)) = said.zip(parsed) else { continue };
                for (name, value) in parsed.iter().filter(|(name, _)| field(name).is_some()) {
                    let text = value.as_str().map_or_else(|| value.to_string(), str::to_owned);
                    let told = if text.is_empty() { format!("{name}: None") } else { format!("{name}: Some({text:?})") };
                    prop_assert!(said.contains(&told), "{} in {} of {}", told, said, line);
                }
            }
        }
    }

    /// The law above would hold of a reader that knows no line.
    #[rstest]
    #[case::first(r#"{"who":"user:nina","count":12}"#, Some(("user:nina", Some(12))))]
    #[case::alike(r#"{"who":"user:amir","count":7}"#, Some(("user:amir", Some(7))))]
    #[case::blanks(r#"{ "count" : 1000 , "who" : "é" }"#, Some(("é", Some(1000))))]
    #[case::long(r#"{"something that nobody asks for":"x","who":"é"}"#, Some(("é", None)))]
    #[case::cut_off(r#"{"who":"user:nina","count":12"#, None)]
    #[case::too_long(r#"{"who":"user:nina","count":12}}"#, None)]
    #[case::twice(r#"{"who":"a","count":1,"who":"b"}"#, None)]
    #[case::escaped(r#"{"who":"a\"b"}"#, None)]
    fn flat_lines_are_read(#[case] line: &str, #[case] expected: Option<(&str, Option<u64>)>) {
        let mut layouts = Layouts::default();
        assert!(layouts.said(r#"{"who":"user:dana","count":3}"#).is_some());
        let timed = layouts.said(line).map(|mut it| {
            it.say(Field::Time, "2026-11-20T06:00:00Z");
            it.event().ok().unwrap_or_default()
        });
        assert_eq!(timed.map(|it| (it.who.unwrap_or_default(), it.count)), expected);
    }
}

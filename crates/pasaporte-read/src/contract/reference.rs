//! Looking things up in a document: fields, and what `$ref` leads to within it (RFC 6901).

use std::borrow::Cow;
use std::cell::{Cell, RefCell};
use std::collections::HashMap;

use crate::read::{field, merged, scalar_text};
use crate::shown;
use crate::text::{Value, View};

/// The longest chain of references that is followed; a longer one leads round in a circle.
pub(super) const LONGEST_CHAIN: usize = 32;

/// How many fields of maps are looked at in one document, however many references lead to them: a hundred times what a
/// large one takes.
const MOST_FIELDS: usize = 5_000_000;

/// A document that references are looked up in.
pub(super) struct Tree<'t, 'a> {
    pub(super) root: View<'t, 'a>,
    /// The fields of maps that references lead through: a document may have many references into one large map.
    fields: RefCell<HashMap<usize, HashMap<&'t str, View<'t, 'a>>>>,
    /// How many fields maps have with those of all that they merge in.
    counts: RefCell<HashMap<usize, usize>>,
    left: Cell<usize>,
}

impl<'t, 'a> Tree<'t, 'a> {
    pub(super) fn new(root: View<'t, 'a>) -> Self {
        Self { root, fields: RefCell::default(), counts: RefCell::default(), left: Cell::new(MOST_FIELDS) }
    }

    /// The value itself, or what its `$ref` leads to in the end.
    pub(super) fn followed(&self, value: View<'t, 'a>) -> Result<View<'t, 'a>, String> {
        let mut value = value;
        for _ in 0..LONGEST_CHAIN {
            self.look_at(value)?;
            match field(value, "$ref") {
                None => return Ok(value),
                Some(reference) => value = self.target(reference)?,
            }
        }
        Err("its `$ref` leads round in a circle".to_owned())
    }

    /// Looks at the fields of a map; why not, where a document has had more than its share of looking.
    pub(super) fn look_at(&self, map: View<'t, 'a>) -> Result<(), String> {
        let count = 1 + self.count(map);
        self.left.set(self.left.get().saturating_sub(count));
        if self.left.get() == 0 {
            return Err("too many of its references lead to large maps".to_owned());
        }
        Ok(())
    }

    fn count(&self, map: View<'t, 'a>) -> usize {
        let known = self.counts.borrow().get(&map.place()).copied();
        known.unwrap_or_else(|| {
            let merged: usize = merged(map).into_iter().map(|it| self.count(it)).sum();
            let count = map.entries().count() + merged;
            self.counts.borrow_mut().insert(map.place(), count);
            count
        })
    }

    /// What one reference leads to.
    pub(super) fn target(&self, reference: View<'t, 'a>) -> Result<View<'t, 'a>, String> {
        let text = scalar_text(reference.value()).ok_or("its `$ref` is not a text")?;
        let shown = shown::path(text);
        let pointer = text
            .strip_prefix('#')
            .ok_or_else(|| format!("its `$ref` {shown} leads out of the document, which is not followed"))?;
        let mut at = self.root;
        for step in pointer.split('/').skip(1) {
            let step = unescaped(step);
            at = self.step(at, &step).ok_or_else(|| {
                format!("its `$ref` {shown} leads to nothing: there is no `{}`", shown::id(&step))
            })?;
        }
        Ok(at)
    }

    fn step(&self, at: View<'t, 'a>, step: &str) -> Option<View<'t, 'a>> {
        match at.value() {
            Value::List => at.inside().nth(step.parse().ok()?),
            Value::Map => {
                let mut fields = self.fields.borrow_mut();
                let of_map = fields.entry(at.place()).or_insert_with(|| {
                    let named =
                        at.entries().filter_map(|(key, value)| Some((scalar_text(key.value())?, value)));
                    // Of a name that stands twice the first counts, as everywhere.
                    let mut all = HashMap::new();
                    named.for_each(|(name, value)| {
                        all.entry(name).or_insert(value);
                    });
                    all
                });
                of_map.get(step).copied().or_else(|| field(at, step))
            }
            _ => None,
        }
    }
}

/// A step of a pointer: percent-decoded, then `~1` and `~0` undone (RFC 6901 §§3, 6).
fn unescaped(step: &str) -> Cow<'_, str> {
    if !step.contains(['%', '~']) {
        return Cow::Borrowed(step);
    }
    let mut bytes = Vec::with_capacity(step.len());
    let mut rest = step.as_bytes();
    while let Some((&first, after)) = rest.split_first() {
        let hex = |digits: &[u8]| u8::from_str_radix(std::str::from_utf8(digits).ok()?, 16).ok();
        if let (b'%', Some(byte)) = (first, after.get(..2).and_then(hex)) {
            bytes.push(byte);
            rest = &after[2..];
        } else {
            bytes.push(first);
            rest = after;
        }
    }
    Cow::Owned(String::from_utf8_lossy(&bytes).replace("~1", "/").replace("~0", "~"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("plain", "plain")]
    #[case("~1tides~1{island}", "/tides/{island}")]
    #[case("a~01", "a~1")]
    #[case("%7Eone%20two", "~one two")]
    #[case("50%", "50%")]
    #[case("%zz", "%zz")]
    fn steps_are_unescaped(#[case] written: &str, #[case] meant: &str) {
        assert_eq!(unescaped(written), meant);
    }
}

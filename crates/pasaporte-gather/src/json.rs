//! Whether what a platform answers is JSON as RFC 8259 has it, and no more than can be taken: no comments, no member twice,
//! no broken text, not endlessly deep.

use std::collections::HashSet;
use std::fmt;

use serde::de::{Deserialize, Deserializer, Error, MapAccess, SeqAccess, Visitor};

/// That a body is JSON; why it is not, without anything that it says.
pub(crate) fn check(body: &[u8]) -> Result<(), String> {
    let text = std::str::from_utf8(body)
        .map_err(|error| format!("the byte at {} begins no character of UTF-8", error.valid_up_to()))?;
    // It goes 127 levels deep, and no deeper.
    let read: Result<Checked, _> = serde_json::from_str(text);
    read.map(|Checked| ()).map_err(|error| error.to_string())
}

/// A value that was looked through, and of which nothing is kept.
struct Checked;

impl<'de> Deserialize<'de> for Checked {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        deserializer.deserialize_any(Looking)
    }
}

struct Looking;

impl<'de> Visitor<'de> for Looking {
    type Value = Checked;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a value")
    }

    fn visit_bool<E>(self, _: bool) -> Result<Checked, E> {
        Ok(Checked)
    }

    fn visit_i64<E>(self, _: i64) -> Result<Checked, E> {
        Ok(Checked)
    }

    fn visit_u64<E>(self, _: u64) -> Result<Checked, E> {
        Ok(Checked)
    }

    fn visit_f64<E>(self, _: f64) -> Result<Checked, E> {
        Ok(Checked)
    }

    fn visit_str<E>(self, _: &str) -> Result<Checked, E> {
        Ok(Checked)
    }

    fn visit_unit<E>(self) -> Result<Checked, E> {
        Ok(Checked)
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut all: A) -> Result<Checked, A::Error> {
        while all.next_element::<Checked>()?.is_some() {}
        Ok(Checked)
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Checked, A::Error> {
        let mut names: HashSet<String> = HashSet::new();
        while let Some(name) = map.next_key::<String>()? {
            if !names.insert(name) {
                return Err(A::Error::custom("a member is given twice"));
            }
            map.next_value::<Checked>()?;
        }
        Ok(Checked)
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case(br#"{"a": [1, -2.5e3, "x", null, true, {"a": {}}]}"#, None)]
    #[case(br#"{"hunter": 1, "hunter": 2}"#, Some("a member is given twice"))]
    #[case(br#"{"a": 1} # hunter"#, Some("trailing characters"))]
    #[case(b"{\"a\": \"\xffhunter\"}", Some("begins no character of UTF-8"))]
    #[case(b"{\"a\": NaN}", Some("expected value"))]
    fn what_is_json(#[case] body: &[u8], #[case] why: Option<&str>) {
        let told = check(body).err();
        assert_eq!(told.is_some(), why.is_some(), "{told:?}");
        assert!(told.is_none_or(|told| told.contains(why.unwrap()) && !told.contains("hunter")));
    }

    #[test]
    fn depth_has_an_end() {
        let deep = |levels: usize| "[".repeat(levels) + &"]".repeat(levels);
        assert!(check(deep(100).as_bytes()).is_ok());
        assert!(check(deep(8_000).as_bytes()).unwrap_err().contains("recursion limit"));
        assert!(check("[".repeat(1_000_000).as_bytes()).is_err());
    }
}

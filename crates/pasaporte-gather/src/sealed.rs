//! Values of keys, where a platform shows them: they become fingerprints before anything else sees them.

use pasaporte_read::seal::Seal;
use serde_json::{Value, json};

/// The lines of an entity. A key that has a `value` loses it; under a seal its fingerprint stands beside it.
pub(crate) fn sealed(line: String, seal: Option<&Seal>) -> Vec<String> {
    if !line.starts_with("{\"key\":") || !line.contains("\"value\"") {
        return vec![line];
    }
    let Ok(mut entity) = serde_json::from_str::<Value>(&line) else { return vec![line] };
    let Some(value) = entity["key"].as_object_mut().and_then(|key| key.remove("value")) else {
        return vec![line];
    };
    let mut lines = vec![entity.to_string()];
    let value = value.as_str().map(str::trim).filter(|value| !value.is_empty());
    if let (Some(value), Some(seal), Some(id)) = (value, seal, entity["key"]["id"].as_str()) {
        let of = format!("key:{id}");
        lines.push(json!({"fingerprint": {"of": of, "is": seal.fingerprint(value)}}).to_string());
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_value_becomes_a_fingerprint_or_nothing() {
        let seal = Seal::new(vec![7; 32]).unwrap();
        let line = r#"{"key":{"id":"lamp","value":"tide-9","opens":"app:lamps"}}"#.to_owned();
        let without = r#"{"key":{"id":"lamp","opens":"app:lamps"}}"#;
        let print = format!(r#"{{"fingerprint":{{"is":"{}","of":"key:lamp"}}}}"#, seal.fingerprint("tide-9"));
        assert_eq!(sealed(line.clone(), Some(&seal)), [without.to_owned(), print]);
        assert_eq!(sealed(line, None), [without.to_owned()]);
        for other in
            [without, r#"{"function":{"id":"value"}}"#, r#"{"key":{"id":"lamp","value":["tide-9"]}}"#]
        {
            let lines = sealed(other.to_owned(), Some(&seal));
            assert!(lines.len() == 1 && !lines[0].contains("tide-9"), "{lines:?}");
        }
    }
}

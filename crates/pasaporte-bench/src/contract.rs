//! Large made-up contracts, with what real ones have around their operations.

use std::io::{self, Write};

use serde_json::{Map, Value, json};

/// Writes an OpenAPI 3.1 document with so many operations, as JSON or as YAML.
pub fn contract(operations: usize, as_yaml: bool, out: &mut impl Write) -> io::Result<()> {
    let mut paths = Map::new();
    for path in 0..operations / 4 {
        let mut item = Map::new();
        for method in ["get", "put", "post", "delete"] {
            item.insert(method.to_owned(), operation(path, method));
        }
        paths.insert(format!("/islands/{}/ferries/{{ferry}}/sailings-{path}", path % 6), item.into());
    }
    let schemas: Map<String, Value> =
        (0..operations / 8).map(|number| (format!("Sailing{number}"), schema())).collect();
    let document = json!({
        "openapi": "3.1.0",
        "info": {"title": "Sailings", "version": "1"},
        "servers": [{"url": "https://sailings.marivela.example/v1"}],
        "security": [{"desk-key": []}],
        "paths": paths,
        "components": {
            "schemas": schemas,
            "securitySchemes": {
                "desk-key": {"type": "apiKey", "in": "header", "name": "desk-key"},
                "crew": {"type": "http", "scheme": "bearer"},
            },
        },
    });
    if as_yaml { yaml(&document, 0, out) } else { Ok(serde_json::to_writer_pretty(out, &document)?) }
}

fn operation(path: usize, method: &str) -> Value {
    let security = match path % 3 {
        0 => json!([]),
        1 => json!([{"crew": []}, {"desk-key": []}]),
        _ => json!([{"crew": []}]),
    };
    json!({
        "operationId": format!("{method}-{path}"),
        "summary": "What one sailing of one ferry is, and how it stands",
        "parameters": [{"in": "path", "name": "ferry", "required": true, "schema": {"type": "string"}}],
        "security": security,
        "responses": {
            "200": {"description": "the sailing", "content": {"application/json": {"schema":
                {"$ref": format!("#/components/schemas/Sailing{}", path / 2)}}}},
            "404": {"description": "there is no such sailing"},
        },
    })
}

fn schema() -> Value {
    json!({"type": "object", "required": ["ferry"], "properties": {
        "ferry": {"type": "string"}, "leaves": {"type": "string", "format": "date-time"},
        "berths": {"type": "integer", "minimum": 0}, "cancelled": {"type": "boolean"},
    }})
}

/// Writes a value as YAML, maps and lists a line an entry.
fn yaml(value: &Value, depth: usize, out: &mut impl Write) -> io::Result<()> {
    let indent = "  ".repeat(depth);
    let nested = |value: &Value| {
        matches!(value, Value::Object(map) if !map.is_empty())
            || matches!(value, Value::Array(list) if !list.is_empty())
    };
    match value {
        Value::Object(map) => {
            for (key, value) in map {
                write!(out, "{indent}{}:", Value::from(key.as_str()))?;
                if nested(value) {
                    writeln!(out)?;
                    yaml(value, depth + 1, out)?;
                } else {
                    writeln!(out, " {value}")?;
                }
            }
        }
        Value::Array(list) => {
            for value in list {
                if nested(value) {
                    writeln!(out, "{indent}-")?;
                    yaml(value, depth + 1, out)?;
                } else {
                    writeln!(out, "{indent}- {value}")?;
                }
            }
        }
        other => writeln!(out, "{indent}{other}")?,
    }
    Ok(())
}

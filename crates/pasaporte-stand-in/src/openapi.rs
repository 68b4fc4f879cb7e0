//! What a platform says of itself: an `OpenAPI` 3.1 document.

use serde_json::{Map, Value, json};

use crate::platform::{Paging, Platform, SignIn};

/// The contract of a platform.
pub(crate) fn document(platform: &Platform) -> String {
    let mut paths = Map::new();
    for path in platform.paths.iter().chain(platform.logs) {
        paths.insert(format!("/{path}"), json!({ "get": operation(platform, path) }));
    }
    json!({
        "openapi": "3.1.0",
        "info": {"title": platform.name, "version": "1", "summary": platform.about},
        "servers": [{"url": format!("/{}", platform.name)}],
        "security": [{"caller": []}],
        "paths": paths,
        "components": {"securitySchemes": {"caller": scheme(platform)}},
    })
    .to_string()
}

fn operation(platform: &Platform, path: &str) -> Value {
    let mut parameters: Vec<Value> = path
        .split('/')
        .filter_map(|step| step.strip_prefix('{')?.strip_suffix('}'))
        .map(|name| json!({"name": name, "in": "path", "required": true, "schema": {"type": "string"}}))
        .collect();
    let kind = match platform.paging {
        Paging::Rows | Paging::Result => "integer",
        _ => "string",
    };
    let which = platform.paging.parameter();
    parameters.push(json!({"name": which, "in": "query", "schema": {"type": kind}}));
    if platform.logs.contains(&path) {
        for name in [platform.ranged.from, platform.ranged.to] {
            parameters.push(json!({"name": name, "in": "query", "schema": {"type": "string"}}));
        }
    }
    json!({
        "operationId": path.replace(['/', '{', '}'], "-").trim_matches('-'),
        "parameters": parameters,
        "responses": {
            "200": {"description": "A page", "content": {"application/json": {}}},
            "default": {"description": "A problem (RFC 9457)", "content": {"application/problem+json": {}}},
        },
    })
}

fn scheme(platform: &Platform) -> Value {
    match platform.sign_in {
        SignIn::Bearer => json!({"type": "http", "scheme": "bearer"}),
        SignIn::Header(name) => json!({"type": "apiKey", "in": "header", "name": name}),
        SignIn::ClientCredentials => json!({
            "type": "oauth2",
            "flows": {"clientCredentials": {"tokenUrl": format!("/{}/token", platform.name), "scopes": {}}},
        }),
    }
}

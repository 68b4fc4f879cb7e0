//! Tokens and key sets: what is kept of them, and which tokens pass.

use crate::support::{Place, findings};
use rstest::rstest;
use serde_json::Value;

/// Three parts: a header, claims, and a signature that nobody made.
fn token(header: &str, claims: &str) -> String {
    let part = |text: &str| {
        let mut out = String::new();
        let letters = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_";
        for three in text.as_bytes().chunks(3) {
            let bits = three.iter().fold(0_u32, |bits, byte| bits << 8 | u32::from(*byte))
                << (8 * (3 - three.len()));
            let digits = (0..=three.len()).map(|at| letters[(bits >> (18 - 6 * at) & 63) as usize] as char);
            out.extend(digits);
        }
        out
    };
    format!("{}.{}.{}", part(header), part(claims), part("a signature"))
}

fn register(place: &Place, token: &str, more: &[&str]) -> crate::support::Run {
    place.run_with(&[&["token", "--id", "web", "--seal", "seal"], more].concat(), token)
}

fn entry(run: &crate::support::Run) -> Value {
    assert_eq!(run.code, 0, "{}", run.err);
    serde_json::from_str::<Value>(run.out.lines().nth(1).unwrap()).unwrap()["token"].clone()
}

#[test]
fn a_token_is_kept_by_its_claims_and_a_keyed_fingerprint() {
    let place = Place::new();
    let text = token(
        r#"{"alg":"ES256","kid":"k-1"}"#,
        r#"{"iss":"site.marivela.example","aud":["web","app"],"iat":1714521600,"exp":2030054400,"sub":"lua.ferrer"}"#,
    );
    let run = register(&place, &format!("{text}\n"), &["--public", "--verifier", "site"]);
    let kept = entry(&run);
    let fingerprint = kept["fingerprint"].as_str().unwrap();
    assert!(fingerprint.len() == 64 && fingerprint.bytes().all(|byte| byte.is_ascii_hexdigit()));
    let expected = serde_json::json!({
        "id": "web", "verifier": "site", "issuer": "site.marivela.example", "audiences": ["web", "app"],
        "algorithm": "ES256", "key_id": "k-1", "public": true, "issued": "2024-05-01T00:00:00Z",
        "expires": "2034-05-01T00:00:00Z", "fingerprint": fingerprint
    });
    assert_eq!(kept, expected, "and nothing else, such as whose it is");
    for part in text.split('.') {
        assert!(!run.out.contains(part) && !run.err.contains(part));
    }
    // The same seal gives the same fingerprint, another one another.
    assert_eq!(entry(&register(&place, &text, &["--public", "--verifier", "site"])), kept);
    let other = place.run_with(&["token", "--id", "web", "--seal", "another"], text);
    assert_ne!(entry(&other)["fingerprint"], kept["fingerprint"]);
}

#[cfg(unix)]
/// RFC 7518 §3.1 and RFC 8037 §3.1.
#[rstest]
fn every_algorithm_that_signs_is_read(
    #[values("HS512", "RS256", "PS384", "ES256", "ES512", "ES256K", "EdDSA")] algorithm: &str,
) {
    let run = register(&Place::new(), &token(&format!("{{\"alg\":\"{algorithm}\"}}"), "{}"), &[]);
    assert_eq!(entry(&run)["algorithm"], algorithm);
}

#[test]
fn a_seal_is_its_owners_alone() {
    use std::os::unix::fs::PermissionsExt;
    let place = Place::new();
    let text = token(r#"{"alg":"HS256"}"#, "{}");
    register(&place, &text, &[]);
    let seal = place.path().join("seal");
    assert_eq!(std::fs::metadata(&seal).unwrap().permissions().mode() & 0o777, 0o600);
    assert_eq!(std::fs::read(&seal).unwrap().len(), 32);
    std::fs::set_permissions(&seal, std::fs::Permissions::from_mode(0o640)).unwrap();
    let refused = register(&place, &text, &[]);
    assert_eq!(refused.code, 2);
    assert!(refused.err.contains("can be read by others than its owner"), "{}", refused.err);
}

/// What is no token is told without repeating it.
#[rstest]
#[case::a_word("harbour-9".to_owned(), "not a token")]
#[case::nothing(String::new(), "not a token")]
#[case::encrypted("tide.tide.tide.tide.tide".to_owned(), "an encrypted token (RFC 7516)")]
#[case::not_base64("ti!de.ti!de.ti!de".to_owned(), "its header cannot be read")]
#[case::unsigned(token(r#"{"alg":"none"}"#, "{}"), "its header cannot be read")]
#[case::unknown(token(r#"{"alg":"XS256"}"#, "{}"), "its header cannot be read")]
#[case::said_twice(token(r#"{"alg":"ES256","alg":"RS256"}"#, "{}"), "its header cannot be read")]
#[case::claims_that_are_a_list(token(r#"{"alg":"ES256"}"#, "[]"), "its claims are no JSON object")]
#[case::an_audience_of_numbers(
    token(r#"{"alg":"ES256"}"#, r#"{"aud":[1]}"#),
    "its claims are no JSON object"
)]
#[case::hidden(token(r#"{"alg":"ES256"}"#, "{\"iss\":\"a\\u202eb\"}"), "characters that cannot be seen")]
#[case::far_away(token(r#"{"alg":"ES256"}"#, r#"{"exp":1e300}"#), "times are out of range")]
#[case::too_long("tide.".repeat(20_000), "too long")]
fn what_is_no_token_is_told(#[case] text: String, #[case] told: &str) {
    let run = register(&Place::new(), &text, &[]);
    assert_eq!((run.code, run.out.as_str()), (2, ""));
    assert!(run.err.contains(told), "{}", run.err);
    assert!(text.is_empty() || !run.err.contains(&text), "{}", run.err);
}

/// One function behind a verifier of one issuer, a public token of it, and a key set.
fn with_keys(keys: &str, key_id: &str) -> Place {
    let place = Place::with("estate/keys.json", keys);
    let text = format!(
        "estate: 1
as_of: 2026-11-20
functions: [{{id: sail, endpoints: [{{check: {{token: site}}}}]}}]
verifiers: [{{id: site, issuers: [site.marivela.example], audiences: [web], key_set: keys.json}}]
tokens: [{{id: web, issuer: site.marivela.example, audiences: [web], public: true{key_id}}}]
"
    );
    place.write("estate/ferry.yaml", text);
    place
}

const EC: &str = r#"{"kty": "EC", "crv": "P-256", "x": "f83", "y": "x_F", "kid": "k-1"}"#;

/// A token passes only where a key of the set can have signed it.
#[rstest]
#[case::named(&[EC], ", key_id: k-1", true)]
#[case::another(&[EC], ", key_id: k-2", false)]
#[case::not_named_by_the_token(&[EC], "", true)]
#[case::for_another_use(&[r#"{"kty": "RSA", "n": "a", "e": "AQAB", "kid": "k-1", "use": "enc"}"#, r#"{"kty": "OKP", "crv": "Ed25519", "x": "a", "kid": "k-3"}"#], ", key_id: k-1", false)]
#[case::a_key_without_an_id(&[r#"{"kty": "OKP", "crv": "Ed25519", "x": "a"}"#], "", true)]
#[case::no_key(&[], "", false)]
fn a_token_passes_by_the_keys_of_the_set(#[case] keys: &[&str], #[case] key_id: &str, #[case] passes: bool) {
    let place = with_keys(&format!("{{\"keys\": [{}]}}", keys.join(", ")), key_id);
    let found = findings(&place.audit(&["estate", "--only", "entry/public-token"]));
    assert_eq!(!found.is_empty(), passes, "{found:?}");
}

/// Keys that cannot be used are blind spots, at their lines, and the others count.
#[rstest]
#[case("{\"kty\": \"EC\", \"crv\": \"P-256\", \"x\": \"f83\", \"kid\": \"k-2\"}", "key k-2: it has no `y`")]
#[case("{\"kty\": \"knot\"}", "a key without a `kid`: its `kty` is not a type of key that is known")]
#[case("{\"n\": \"a\"}", "a key without a `kid`: it does not say its type, `kty`")]
#[case("7", "a key without a `kid`: not a map of fields")]
#[case(
    "{\"kty\": \"oct\", \"k\": \"AyM\", \"kty\": \"knot\"}",
    "a key without a `kid`: `kty` is given twice in it"
)]
fn a_key_that_cannot_be_used(#[case] key: &str, #[case] told: &str) {
    let place = with_keys(&format!("{{\"keys\": [\n{EC},\n{key}]}}"), ", key_id: k-1");
    let audit = place.audit(&["estate", "--only", "blind/unread-document,entry/public-token"]);
    let found = audit["findings"].as_array().unwrap();
    assert_eq!(found.len(), 2, "{audit}");
    let blind = &found[1];
    assert_eq!(blind["thing"], "verifier:site");
    assert_eq!(blind["situation"], format!("Not understood: {told}."));
    assert_eq!(
        (&blind["evidence"][0]["file"], &blind["evidence"][0]["line"]),
        (&"estate/keys.json".into(), &3.into())
    );
}

/// What a set has beside its keys for signatures is no blind spot; a secret part is told whatever it is for.
#[rstest]
#[case("{\"kty\": \"RSA\", \"n\": \"a\", \"e\": \"AQAB\", \"use\": \"enc\"}", 1, None)]
#[case(
    "{\"kty\": \"RSA\", \"n\": \"a\", \"e\": \"AQAB\", \"use\": \"enc\", \"d\": \"c2Vj\"}",
    1,
    Some("for another use")
)]
#[case("{\"kty\": \"oct\", \"k\": \"c2Vj\", \"key_ops\": [\"encrypt\"]}", 1, Some("for another use"))]
#[case("{\"kty\": \"EC\", \"crv\": \"P-521\", \"x\": \"a\", \"y\": \"b\"}", 2, None)]
#[case("{\"kty\": \"OKP\", \"crv\": \"Ed25519\", \"x\": \"a\", \"d\": \"c2Vj\"}", 2, Some("can make tokens"))]
fn keys_beside_a_usable_one(#[case] key: &str, #[case] count: u64, #[case] weakness: Option<&str>) {
    let place = with_keys(&format!("{{\"keys\": [{EC}, {key}]}}"), ", key_id: k-1");
    assert_eq!(
        place.audit(&["estate", "--only", "blind/unread-document"])["findings"],
        serde_json::json!([])
    );
    let list = place.run(&["list", "verifiers", "estate", "--format", "json"]);
    assert_eq!(serde_json::from_str::<Value>(&list.out).unwrap()["rows"][0]["keys"], count);
    let told = place.run(&["audit", "estate", "--only", "entry/weak-token-check", "--all"]).out;
    let told = told.split_whitespace().filter(|word| *word != "▌").collect::<Vec<_>>().join(" ");
    assert_eq!(told.contains("secret part of a key"), weakness.is_some(), "{told}");
    assert!(weakness.is_none_or(|text| told.contains(text)) && !told.contains("c2Vj"), "{told}");
}

#[test]
fn a_set_without_a_usable_key_is_a_blind_spot_of_its_own() {
    let place = with_keys("{\"keys\": [{\"kty\": \"knot\"}]}", "");
    let audit = place.audit(&["estate", "--only", "blind/unread-document"]);
    let told: Vec<&str> =
        audit["findings"].as_array().unwrap().iter().map(|it| it["situation"].as_str().unwrap()).collect();
    assert!(told.contains(&"Not understood: the set: none of its keys can check a signature."), "{told:?}");
    assert_eq!(place.run(&["audit", "estate", "--strict"]).code, 3);
}

#[test]
fn a_set_with_a_secret_in_it_lets_its_readers_make_tokens() {
    let secret = "c2VjcmV0LW9mLXRoZS1oYXJib3Vy";
    let keys = format!("{{\"keys\": [{{\"kty\": \"oct\", \"k\": \"{secret}\", \"kid\": \"k-1\"}}]}}");
    let run = with_keys(&keys, "").run(&["audit", "estate", "--only", "entry/weak-token-check", "--all"]);
    assert!(run.out.contains("The secret part of a key stands in its key set"), "{}", run.out);
    assert!(!run.out.contains(secret));
}

#[rstest]
#[case("[]", "not a key set: it has no list `keys`")]
#[case("{\"keys\": {}}", "not a key set: it has no list `keys`")]
#[case("{\"keys\": [", "not JSON that is accepted")]
fn what_is_no_key_set_is_told(#[case] keys: &str, #[case] told: &str) {
    let run = with_keys(keys, "").run(&["audit", "estate"]);
    assert_eq!(run.code, 2);
    assert!(run.err.contains(told) && run.err.contains("estate/keys.json"), "{}", run.err);
}

#[test]
fn a_key_set_at_an_address_is_not_read() {
    let text = "estate: 1
functions: [{id: sail, endpoints: [{check: {token: site}}]}]
verifiers: [{id: site, issuers: [site.marivela.example], key_set: \"https://site.marivela.example/keys.json\"}]
";
    assert_eq!(Place::with("a.yaml", text).run(&["audit", "a.yaml"]).code, 0);
}

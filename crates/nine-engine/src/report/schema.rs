//! The schema of a report, made of its types and kept where people and programs read it.

use std::path::Path;

use super::Report;

#[test]
#[expect(clippy::disallowed_methods, reason = "whoever changed the types says so")]
fn the_schema_is_that_of_the_types() {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/report.schema.json");
    let schema = schemars::schema_for!(Report);
    let text = format!("{}\n", serde_json::to_string_pretty(&schema).unwrap());
    if std::env::var_os("NINE_WRITES_SCHEMA").is_some() {
        std::fs::write(&file, &text).unwrap();
    }
    let kept = std::fs::read_to_string(&file).unwrap_or_default();
    assert!(
        kept == text,
        "docs/report.schema.json is of other types; NINE_WRITES_SCHEMA=1 cargo test -p nine-engine schema writes it anew"
    );
}

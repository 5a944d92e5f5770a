//! The schema of a report, made of its types and kept where people and programs read it.

use std::path::Path;

use super::Report;

#[test]
#[expect(clippy::disallowed_methods, reason = "whoever changed the types says so")]
fn the_schema_is_that_of_the_types() {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/report.schema.json");
    let schema = serde_json::to_value(schemars::schema_for!(Report)).unwrap();
    if std::env::var_os("NINE_WRITES_SCHEMA").is_some() {
        std::fs::write(&file, format!("{}\n", serde_json::to_string_pretty(&schema).unwrap())).unwrap();
    }
    // Held against one another as values: in which order keys stand hangs on what else is built.
    let kept = std::fs::read(&file).unwrap_or_default();
    let kept: serde_json::Value = serde_json::from_slice(&kept).unwrap_or_default();
    let writes = "NINE_WRITES_SCHEMA=1 cargo test -p nine-engine schema";
    assert!(kept == schema, "docs/report.schema.json is of other types; {writes} writes it anew");
}

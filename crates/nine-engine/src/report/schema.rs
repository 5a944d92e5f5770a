//! The schema of a report, made of its types and kept where people and programs read it.

use std::path::Path;

use super::Report;

#[test]
fn the_schema_is_that_of_the_types() {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/report.schema.json");
    let schema = serde_json::to_value(schemars::schema_for!(Report)).unwrap();
    // Held against one another as values: in which order keys stand hangs on what else is built.
    let kept: serde_json::Value = serde_json::from_slice(&std::fs::read(&file).unwrap()).unwrap();
    assert!(kept == schema, "docs/report.schema.json is of other types; it is to be\n{schema:#}");
}

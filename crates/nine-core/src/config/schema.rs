//! The schema of the configuration, by which editors complete and check it. It is made of the types that it is read
//! into, and kept as a file; the test here holds the one against the other.

/// The schema (JSON Schema, draft 2020-12).
pub const SCHEMA: &str = include_str!("../../data/shelves.schema.json");

/// What the file of the schema is called, beside the configuration.
pub const SCHEMA_NAME: &str = "shelves.schema.json";

/// The comment by which editors find it, as the first line of a configuration.
pub const SCHEMA_LINE: &str = "#:schema ./shelves.schema.json";

#[cfg(test)]
pub(super) mod tests {
    use std::path::Path;
    use std::sync::LazyLock;

    use super::super::text::FileText;
    use super::*;
    use crate::config::{Additions, NewBookcase, compose, parse};
    use crate::layout::Layout;

    static READ: LazyLock<jsonschema::Validator> =
        LazyLock::new(|| jsonschema::validator_for(&serde_json::from_str(SCHEMA).unwrap()).unwrap());

    /// What the schema says against a text that is TOML; `None` if it is not.
    pub(in super::super) fn against(text: &str) -> Option<Vec<String>> {
        let value: toml::Value = toml::from_str(text).ok()?;
        let value = serde_json::to_value(value).unwrap();
        Some(READ.iter_errors(&value).map(|error| error.to_string()).collect())
    }

    #[test]
    fn the_schema_is_that_of_the_types() {
        let made = schemars::SchemaGenerator::default().into_root_schema_for::<FileText>();
        let made = serde_json::to_value(made).unwrap();
        let kept: serde_json::Value = serde_json::from_str(SCHEMA).unwrap();
        // As values: in which order keys stand hangs on what else is built.
        assert!(kept == made, "data/{SCHEMA_NAME} is of other types; it is to be\n{made:#}");
    }

    /// What a part of a configuration stands in, on pages that show only that part.
    const AROUND: &str = "[pile.downloads]\nat = \"~/Downloads\"\n\n[bookcase.home]\nat = \"~/Shelves\"\n\
        shelves = [\"Exhibitions\", \"Loans\", \"Grants\", \"Talks\", \"Pictures\"]\n\n";

    /// The configurations of a page, with what they stand in where they have no places of their own.
    fn configurations(page: &str) -> Vec<String> {
        let blocks = page.split("```toml\n").skip(1).filter_map(|rest| rest.split_once("```"));
        let whole = |(block, _): (&str, &str)| match block.contains("[pile.") {
            true => block.to_owned(),
            false => format!("{AROUND}{block}"),
        };
        blocks.map(whole).collect()
    }

    #[test]
    fn every_configuration_here_is_as_the_schema_says() {
        let top = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
        let read = |path: &str| std::fs::read_to_string(top.join(path)).unwrap();
        let mut all = vec![("the demo's".to_owned(), read("demo/shelves.toml").replace("HOME", "/home"))];
        for layout in Layout::all() {
            let shelves = layout.shelves.iter().map(|shelf| shelf.shelf.clone()).collect();
            let case = NewBookcase { name: "home".into(), at: "~/S".into(), shelves, marks: layout.marks };
            let additions =
                Additions { bookcase: Some(case), text: layout.text.clone(), ..Additions::default() };
            all.push((layout.name.clone(), compose("", &additions).unwrap().text));
        }
        let pages = std::fs::read_dir(top.join("docs/guide")).unwrap().flatten().map(|page| page.path());
        let pages = pages.filter(|page| page.extension().is_some_and(|ext| ext == "md"));
        for page in pages.chain([top.join("README.md")]) {
            let text = std::fs::read_to_string(&page).unwrap();
            let name = page.display().to_string();
            all.extend(configurations(&text).into_iter().map(|block| (name.clone(), block)));
        }
        assert!(all.len() > 12, "{} configurations", all.len());
        for (name, text) in all {
            assert_eq!(against(&text), Some(Vec::new()), "{name}:\n{text}");
            parse(&text).unwrap_or_else(|found| panic!("{name}: {found:?}\n{text}"));
        }
    }
}

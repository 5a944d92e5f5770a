//! Changes to the text of `shelves.toml` that leave every comment and the order as they are.

use toml_edit::{DocumentMut, Item, Table, TableLike, Value};

/// The text with a saved search added or changed. `display` is left as it is where it is not given.
///
/// # Errors
/// What keeps the text from being read or changed, in words.
pub fn save_search(text: &str, name: &str, condition: &str, display: Option<bool>) -> Result<String, String> {
    edit_named(text, "search", name, |search| {
        set(search, "where", condition.into());
        match display {
            Some(true) => set(search, "display", true.into()),
            Some(false) => drop(search.remove("display")),
            None => {}
        }
    })
}

/// What becomes of a routine. What is not given stays as it is; an empty time takes it away.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct RoutineEdit {
    /// Its commands, in order.
    pub run: Option<Vec<String>>,
    /// When it is run by itself.
    pub when: Option<String>,
}

/// The text with a routine added or changed.
///
/// # Errors
/// What keeps the text from being read or changed, in words.
pub fn save_routine(text: &str, name: &str, edit: &RoutineEdit) -> Result<String, String> {
    edit_named(text, "routine", name, |routine| {
        if let Some(run) = &edit.run {
            set(routine, "run", Value::Array(run.iter().map(String::as_str).collect()));
        }
        match edit.when.as_deref() {
            Some("") => drop(routine.remove("when")),
            Some(when) => set(routine, "when", when.into()),
            None => {}
        }
    })
}

/// The text without a routine, and whether it was there. Comments that stand above it stay.
///
/// # Errors
/// What keeps the text from being read, in words.
pub fn drop_routine(text: &str, name: &str) -> Result<(String, bool), String> {
    drop_named(text, "routine", name, "the routine")
}

/// Changes the table `[kind.name]`, which is made where it is not there.
fn edit_named(
    text: &str,
    kind: &str,
    name: &str,
    edit: impl FnOnce(&mut dyn TableLike),
) -> Result<String, String> {
    let mut document = read(text)?;
    let all = document.entry(kind).or_insert_with(|| {
        let mut all = Table::new();
        // Only the tables in it have headings of their own.
        all.set_implicit(true);
        Item::Table(all)
    });
    let all = all.as_table_like_mut().ok_or_else(|| format!("`{kind}` is not a table"))?;
    if !all.contains_key(name) {
        all.insert(name, Item::Table(Table::new()));
    }
    let one = all.get_mut(name).and_then(Item::as_table_like_mut);
    edit(one.ok_or_else(|| format!("`{kind}.{name}` is not a table"))?);
    Ok(document.to_string())
}

/// The text without a saved search, and whether it was there. Comments that stand above it stay.
///
/// # Errors
/// What keeps the text from being read, in words.
pub fn drop_search(text: &str, name: &str) -> Result<(String, bool), String> {
    drop_named(text, "search", name, "the saved search")
}

fn drop_named(text: &str, kind: &str, name: &str, what: &str) -> Result<(String, bool), String> {
    let mut document = read(text)?;
    let Some(all) = document.get_mut(kind).and_then(Item::as_table_like_mut) else {
        return Ok((text.to_owned(), false));
    };
    let Some(dropped) = all.remove(name) else {
        return Ok((text.to_owned(), false));
    };
    let orphans = comments(&dropped);
    let mut left = document.to_string();
    if !orphans.is_empty() {
        if !left.is_empty() && !left.ends_with('\n') {
            left.push('\n');
        }
        left.push_str(&format!("\n# What stood beside {what} `{name}`:\n{orphans}"));
    }
    Ok((left, true))
}

pub(super) fn read(text: &str) -> Result<DocumentMut, String> {
    text.parse().map_err(|e: toml_edit::TomlError| e.message().to_owned())
}

/// Sets a value; what stands around the old one, such as a comment behind it, stays.
fn set(table: &mut dyn TableLike, key: &str, new: Value) {
    match table.get_mut(key).and_then(Item::as_value_mut) {
        Some(old) => {
            let around = old.decor().clone();
            *old = new;
            *old.decor_mut() = around;
        }
        None => drop(table.insert(key, Item::Value(new))),
    }
}

/// Every comment in a part of the text, a line each.
fn comments(item: &Item) -> String {
    let mut found = String::new();
    let mut take = |decor: &toml_edit::Decor| {
        for raw in [decor.prefix(), decor.suffix()].into_iter().flatten() {
            for line in raw.as_str().unwrap_or_default().lines().map(str::trim) {
                if line.starts_with('#') {
                    found.push_str(line);
                    found.push('\n');
                }
            }
        }
    };
    match item {
        Item::Table(table) => {
            take(table.decor());
            for (key, _) in table.iter() {
                if let Some((key, value)) = table.get_key_value(key) {
                    take(key.leaf_decor());
                    value.as_value().map(Value::decor).into_iter().for_each(&mut take);
                }
            }
        }
        Item::Value(value) => take(value.decor()),
        Item::None | Item::ArrayOfTables(_) => {}
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::config::parse;
    use proptest::prelude::*;

    const TEXT: &str = "# my places\n[pile.downloads] # where all lands\nat = \"/d\"\n\n\
        # what is large\n[search.big]\nwhere = \"size over 1GB\" # not smaller\ndisplay = true # on the desk\n\n\
        [[rule]] # the only one\nwhen = \"saved big\"\ntag = [\"large\"]\n# the end\n";

    fn comments_of(text: &str) -> Vec<String> {
        let parts = text.lines().filter_map(|line| line.find('#').map(|at| line[at..].to_owned()));
        let mut found: Vec<String> = parts.collect();
        found.sort();
        found
    }

    #[test]
    fn a_changed_search_keeps_what_stands_around_it() {
        let changed = save_search(TEXT, "big", "size over 2GB", None).unwrap();
        assert_eq!(changed, TEXT.replace("1GB", "2GB"));
        let off = save_search(TEXT, "big", "size over 1GB", Some(false)).unwrap();
        assert!(!parse(&off).unwrap().search("big").unwrap().display);
    }

    #[test]
    fn a_new_search_comes_behind_the_others() {
        let added = save_search(TEXT, "two words", "name has \"a b\"", Some(true)).unwrap();
        let new = "\n[search.\"two words\"]\nwhere = 'name has \"a b\"'\ndisplay = true\n";
        assert_eq!(added.replace(new, ""), TEXT);
        let config = parse(&added).unwrap();
        let search = config.search("two words").unwrap();
        assert_eq!((search.condition.to_string().as_str(), search.display), ("name has \"a b\"", true));
        assert_eq!(save_search("", "x", "empty", None).unwrap(), "[search.x]\nwhere = \"empty\"\n");
    }

    #[test]
    fn a_dropped_search_leaves_its_comments() {
        let (left, was_there) = drop_search(TEXT, "big").unwrap();
        assert!(was_there && !left.contains("[search.big]"), "{left}");
        for comment in comments_of(TEXT) {
            assert!(left.contains(&comment), "`{comment}` is lost in\n{left}");
        }
        assert_eq!(drop_search(TEXT, "small").unwrap(), (TEXT.to_owned(), false));
    }

    #[test]
    fn a_routine_is_added_changed_and_dropped() {
        let run = vec!["tidy".to_owned(), "put --where 'name has \"x\"' --on 1".to_owned()];
        let edit = RoutineEdit { run: Some(run.clone()), when: Some("Friday 16:00".into()) };
        let added = save_routine(TEXT, "friday", &edit).unwrap();
        assert!(added.starts_with(TEXT.trim_end_matches("# the end\n")), "{added}");
        let routine = parse(&added).unwrap().routine("friday").cloned().unwrap();
        assert_eq!(routine.parts.into_iter().map(|part| part.text).collect::<Vec<_>>(), run);
        let commented =
            added.replace("when = \"Friday 16:00\"", "when = \"Friday 16:00\" # before the ferry");
        let later = RoutineEdit { when: Some("Friday 17:00".into()), ..RoutineEdit::default() };
        assert_eq!(save_routine(&commented, "friday", &later).unwrap(), commented.replace("16:00", "17:00"));
        let never = RoutineEdit { when: Some(String::new()), ..RoutineEdit::default() };
        assert!(!save_routine(&added, "friday", &never).unwrap().contains("when = \"Friday"));
        let (left, was_there) = drop_routine(&commented, "friday").unwrap();
        assert!(
            was_there && left.contains("# before the ferry") && parse(&left).unwrap().routines.is_empty()
        );
    }

    fn line() -> impl Strategy<Value = String> {
        proptest::string::string_regex("( # [a-z]{1,9})?").unwrap()
    }

    proptest! {
        #[test]
        fn no_edit_loses_a_comment(
            marks in proptest::collection::vec(line(), 8),
            inline in any::<bool>(),
            name in "(old|new|odd name)",
            drops in any::<bool>(),
        ) {
            let table = match inline {
                true => format!("[search]{}\nold = {{ where = \"empty\" }}{}\n", marks[0], marks[1]),
                false => format!("[search.old]{}\nwhere = \"empty\"{}\n", marks[0], marks[1]),
            };
            let text = format!(
                "{}\n[pile.a]{}\nat = \"/a\"{}\n{}\n{table}{}\n[search.other]{}\nwhere = 'link'{}\n",
                marks[2].trim(), marks[3], marks[4], marks[5].trim(), marks[6].trim(), marks[7], marks[1],
            );
            let edited = match drops {
                true => drop_search(&text, &name).unwrap().0,
                false => save_search(&text, &name, "size over 1GB", Some(true)).unwrap(),
            };
            let config = parse(&edited).unwrap();
            let found = config.search(&name).map(|search| search.condition.to_string());
            prop_assert_eq!(found, (!drops).then(|| "size over 1GB".to_owned()));
            prop_assert_eq!(config.search("other").unwrap().condition.to_string(), "link");
            let after = comments_of(&edited);
            for comment in comments_of(&text) {
                let comment = comment.trim();
                prop_assert!(after.iter().any(|line| line.contains(comment)), "{}\n{}", comment, edited);
            }
        }
    }
}

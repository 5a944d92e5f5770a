//! Shelves of a bookcase changed in the text of the configuration, and the rules that name them by number.

use std::collections::BTreeMap;

use toml_edit::{Array, Item, Value};

use super::ShelfConfig;
use super::compose::shelf_text;
use super::edit::read;

/// The text with other shelves for a bookcase. What stands around a shelf, such as a comment, stays in its place.
///
/// # Errors
/// What keeps the text from being read or changed, in words.
pub fn set_shelves(text: &str, bookcase: &str, shelves: &[ShelfConfig]) -> Result<String, String> {
    let mut document = read(text)?;
    let case = document.get_mut("bookcase").and_then(|cases| cases.get_mut(bookcase));
    let list = case.and_then(|case| case.get_mut("shelves")).and_then(Item::as_array_mut);
    let list = list.ok_or_else(|| format!("`bookcase.{bookcase}.shelves` is not a list"))?;
    let mut next = 1;
    for (at, shelf) in shelves.iter().enumerate() {
        let mut value = shelf_text(shelf, next);
        next = shelf.number + 1;
        match list.get(at) {
            Some(old) if is_same(old, &value) => continue,
            Some(old) => {
                *value.decor_mut() = old.decor().clone();
                list.replace_formatted(at, value);
            }
            None => push(list, value),
        }
    }
    while list.len() > shelves.len() {
        list.remove(list.len() - 1);
    }
    Ok(document.to_string())
}

/// Whether two values say the same, however they are written.
fn is_same(a: &Value, b: &Value) -> bool {
    let plain = |value: &Value| {
        let mut value = value.clone();
        value.decor_mut().clear();
        value.to_string().split_whitespace().collect::<String>()
    };
    plain(a) == plain(b)
}

/// Adds a value in the way in which the last one stands.
pub(super) fn push(list: &mut Array, mut value: Value) {
    let before = list.iter().last().and_then(|last| last.decor().prefix()).and_then(|prefix| prefix.as_str());
    // Of what stands before the last one only the line and its indent belong to a new one.
    let before = before.and_then(|before| before.rfind('\n').map(|at| before[at..].to_owned()));
    value.decor_mut().set_prefix(before.unwrap_or_else(|| " ".to_owned()));
    list.push_formatted(value);
}

/// The text in which rules and the archive put onto other numbers of a bookcase. `is_first`: rules that name no bookcase
/// mean this one.
///
/// # Errors
/// What keeps the text from being read, in words.
pub fn renumber_rules(
    text: &str,
    bookcase: &str,
    is_first: bool,
    numbers: &BTreeMap<u8, u8>,
) -> Result<String, String> {
    let mut document = read(text)?;
    let own = format!("{bookcase}/");
    let change = |put: &mut Item| {
        let Some(old) = put.as_value_mut() else { return };
        let Some(written) = old.as_str().map(str::to_owned) else { return };
        let (case, rest) = match written.strip_prefix(&own) {
            Some(rest) => (own.as_str(), rest),
            None if is_first => ("", written.as_str()),
            None => return,
        };
        let number = rest.split('/').next().unwrap_or_default();
        let Some(new) = number.parse().ok().and_then(|number: u8| numbers.get(&number)) else { return };
        let mut value = Value::from(format!("{case}{new}{}", &rest[number.len()..]));
        *value.decor_mut() = old.decor().clone();
        *old = value;
    };
    if let Some(put) = document.get_mut("archive").and_then(|archive| archive.get_mut("put")) {
        change(put);
    }
    let rules = document.get_mut("rule").and_then(Item::as_array_of_tables_mut);
    rules
        .into_iter()
        .flat_map(|rules| rules.iter_mut())
        .filter_map(|rule| rule.get_mut("put"))
        .for_each(change);
    Ok(document.to_string())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::config::{Color, parse};

    const TEXT: &str = "[bookcase.home] # mine\nat = \"/h\"\nshelves = [\n    \"Boats\",  # 1\n    # lent\n    \"Loans\",  # 2\n    \
        { title = \"Later\", number = 8 },  # 8\n]\n\n[archive]\nput = \"8/{today}\" # old\n\n[[rule]]\nwhen = \"file\"\n\
        put = \"home/2/x\" # all\n[[rule]]\nwhen = \"link\"\nput = \"1\"\n";

    fn shelves() -> Vec<ShelfConfig> {
        parse(TEXT).unwrap().bookcases[0].shelves.clone()
    }

    #[test]
    fn the_same_shelves_change_nothing() {
        assert_eq!(set_shelves(TEXT, "home", &shelves()).unwrap(), TEXT);
        assert!(set_shelves(TEXT, "other", &shelves()).is_err());
    }

    #[test]
    fn a_changed_shelf_leaves_what_stands_around_it() {
        let mut new = shelves();
        new[1].title = "Borrowed".into();
        (new[1].mark, new[1].color) = (Some("⚓".into()), Some(Color::Blue));
        let text = set_shelves(TEXT, "home", &new).unwrap();
        let marked = "{ title = \"Borrowed\", mark = \"⚓\", color = \"blue\" },  # 2";
        assert_eq!(text, TEXT.replace("\"Loans\",  # 2", marked));
        assert_eq!(set_shelves(&text, "home", &shelves()).unwrap(), TEXT);
        new.insert(2, ShelfConfig { number: 3, title: "Grants".into(), ..ShelfConfig::default() });
        let text = set_shelves(TEXT, "home", &new).unwrap();
        assert_eq!(parse(&text).unwrap().bookcases[0].shelves, new);
        assert!(text.contains("    # lent\n"), "{text}");
    }

    #[test]
    fn rules_follow_the_numbers() {
        let numbers = BTreeMap::from([(1, 2), (2, 1), (8, 9)]);
        let text = renumber_rules(TEXT, "home", true, &numbers).unwrap();
        let wanted = TEXT.replace("8/{today}", "9/{today}").replace("home/2/x", "home/1/x");
        assert_eq!(text, wanted.replace("put = \"1\"\n", "put = \"2\"\n"));
        let not_first = renumber_rules(TEXT, "home", false, &numbers).unwrap();
        assert_eq!(not_first, TEXT.replace("home/2/x", "home/1/x"));
    }
}

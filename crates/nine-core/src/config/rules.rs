//! Rules changed in the text of the configuration: comments and the order of everything else stay.

use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, Value};

use super::edit::read;

/// What a rule says, as far as it is given.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct RuleEdit {
    /// Its condition.
    pub when: Option<String>,
    /// Where it puts items.
    pub put: Option<String>,
    /// What it calls them.
    pub rename: Option<String>,
    /// Tags that it gives; an empty list takes them away.
    pub tag: Option<Vec<String>>,
    /// The piles that it is for; an empty list means all.
    pub piles: Option<Vec<String>>,
    /// Whether it reaches into folders.
    pub deep: Option<bool>,
    /// What it does where a name is taken.
    pub clash: Option<&'static str>,
}

/// A change of the rules.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum RuleChange {
    /// Another rule of this name, behind all others or before one of them, by number from 0.
    Add {
        /// Its name.
        name: String,
        /// What it says.
        rule: RuleEdit,
        /// The rule before which it is tried.
        before: Option<usize>,
    },
    /// The rule of this number says something else.
    Change(usize, RuleEdit),
    /// The rule of this number is tried before another, or last.
    Move(usize, Option<usize>),
    /// The rule of this number goes.
    Drop(usize),
}

/// The text with its rules changed.
///
/// # Errors
/// What keeps the text from being read or changed, in words.
pub fn change_rules(text: &str, change: &RuleChange) -> Result<String, String> {
    let mut document = read(text)?;
    if document.get("rule").is_some_and(|rules| !rules.is_array_of_tables()) {
        return Err("`rule` is written as a list in one line; write each rule under [[rule]]".to_owned());
    }
    match change {
        // Behind all that stands there nothing need be parsed or moved.
        RuleChange::Add { name, rule, before: None } => return Ok(appended(text, name, rule)),
        RuleChange::Add { name, rule, before: Some(before) } => {
            insert(&mut document, *before, table(name, rule));
        }
        RuleChange::Change(at, edit) => {
            let rules = document.get_mut("rule").and_then(Item::as_array_of_tables_mut);
            let rule = rules.and_then(|rules| rules.get_mut(*at)).ok_or("there is no such rule")?;
            apply(rule, edit);
        }
        RuleChange::Move(from, before) => {
            let mut rules = taken(&mut document);
            if *from >= rules.len() {
                return Err("there is no such rule".to_owned());
            }
            let moved = rules.remove(*from);
            let to = before.map_or(rules.len(), |before| if before > *from { before - 1 } else { before });
            rules.insert(to.min(rules.len()), moved);
            put_back(&mut document, rules);
        }
        RuleChange::Drop(at) => {
            let mut rules = taken(&mut document);
            if *at >= rules.len() {
                return Err("there is no such rule".to_owned());
            }
            let dropped = rules.remove(*at);
            let orphans = comments(&dropped);
            put_back(&mut document, rules);
            let mut left = document.to_string();
            if !orphans.is_empty() {
                let name = dropped.get("name").and_then(Item::as_str).unwrap_or("without a name");
                left.push_str(&format!("\n# What stood beside the rule `{name}`:\n{orphans}"));
            }
            return Ok(left);
        }
    }
    Ok(document.to_string())
}

fn appended(text: &str, name: &str, rule: &RuleEdit) -> String {
    let mut whole = text.to_owned();
    if !whole.is_empty() {
        whole.push_str(if whole.ends_with('\n') { "\n" } else { "\n\n" });
    }
    whole.push_str(&format!("[[rule]]\n{}", table(name, rule)));
    whole
}

fn table(name: &str, rule: &RuleEdit) -> Table {
    let mut table = Table::new();
    table.insert("name", toml_edit::value(name));
    apply(&mut table, rule);
    table
}

/// Sets what is given; what stands around an old value, such as a comment behind it, stays.
fn apply(rule: &mut Table, edit: &RuleEdit) {
    let list = |values: &Vec<String>| values.iter().map(String::as_str).collect::<toml_edit::Array>().into();
    let texts = [("when", &edit.when), ("put", &edit.put), ("rename", &edit.rename)];
    let lists = [("tag", &edit.tag), ("piles", &edit.piles)];
    let mut values: Vec<(&str, Option<Value>)> = Vec::new();
    values.extend(lists.iter().filter(|(key, _)| *key == "piles").filter_map(|(key, value)| {
        value.as_ref().map(|value| (*key, (!value.is_empty()).then(|| list(value))))
    }));
    if let Some(deep) = edit.deep {
        values.push(("reach", deep.then(|| "deep".into())));
    }
    for (key, value) in texts {
        // An empty text takes a key away.
        let value = value.as_ref().map(|text| (key, (!text.is_empty()).then(|| Value::from(text.as_str()))));
        values.extend(value);
    }
    values.extend(lists.iter().filter(|(key, _)| *key == "tag").filter_map(|(key, value)| {
        value.as_ref().map(|value| (*key, (!value.is_empty()).then(|| list(value))))
    }));
    if let Some(clash) = edit.clash {
        values.push(("clash", (clash != "number").then(|| clash.into())));
    }
    for (key, value) in values {
        match (value, rule.get_mut(key).and_then(Item::as_value_mut)) {
            (Some(mut new), Some(old)) => {
                *new.decor_mut() = old.decor().clone();
                *old = new;
            }
            (Some(new), None) => drop(rule.insert(key, Item::Value(new))),
            (None, _) => drop(rule.remove(key)),
        }
    }
}

fn taken(document: &mut DocumentMut) -> Vec<Table> {
    let rules = document.get_mut("rule").and_then(Item::as_array_of_tables_mut);
    rules.map(|rules| std::mem::take(rules).into_iter().collect()).unwrap_or_default()
}

/// Puts the rules back in another order. The places in the text at which rules stood are given to them one by one, so
/// that all else stays where it was.
fn put_back(document: &mut DocumentMut, rules: Vec<Table>) {
    let mut places: Vec<isize> = rules.iter().filter_map(Table::position).collect();
    places.sort_unstable();
    let mut all = ArrayOfTables::new();
    for (at, mut rule) in rules.into_iter().enumerate() {
        rule.set_position(places.get(at).copied());
        all.push(rule);
    }
    match all.is_empty() {
        true => drop(document.remove("rule")),
        false => drop(document.insert("rule", Item::ArrayOfTables(all))),
    }
}

fn insert(document: &mut DocumentMut, before: usize, mut rule: Table) {
    let mut rules = taken(document);
    let before = before.min(rules.len());
    // Tables at one place stand in the order in which they are listed.
    rule.set_position(rules.get(before).and_then(Table::position));
    rule.decor_mut().set_prefix("\n");
    rules.insert(before, rule);
    let mut all = ArrayOfTables::new();
    rules.into_iter().for_each(|rule| all.push(rule));
    document.insert("rule", Item::ArrayOfTables(all));
}

/// Every comment of a rule, a line each.
fn comments(rule: &Table) -> String {
    let mut found = String::new();
    let text = rule.to_string();
    let before = rule.decor().prefix().and_then(|prefix| prefix.as_str()).unwrap_or_default();
    let behind = rule.decor().suffix().and_then(|suffix| suffix.as_str()).unwrap_or_default();
    for line in before.lines().chain(behind.lines()).chain(text.lines()) {
        if let Some(at) = line.find('#').filter(|at| line[..*at].matches('"').count() % 2 == 0) {
            found.push_str(line[at..].trim_end());
            found.push('\n');
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::config::parse;
    use proptest::prelude::*;

    const TEXT: &str = "# mine\n[pile.d]\nat = \"/d\"\n\n# first\n[[rule]] # one\nname = \"a\"\nwhen = \"file\" # all\ntag = [\"x\"]\n\n\
        [search.big]\nwhere = \"size over 1GB\"\n\n# second\n[[rule]]\nname = \"b\"\nwhen = \"link\"\ntag = [\"y\"]\n# end\n";

    fn names(text: &str) -> Vec<String> {
        parse(text).unwrap().rules.into_iter().map(|rule| rule.name).collect()
    }

    fn edit(when: &str) -> RuleEdit {
        RuleEdit { when: Some(when.into()), tag: Some(vec!["z".into()]), ..RuleEdit::default() }
    }

    #[test]
    fn a_rule_is_added_behind_or_before_others() {
        let add = |before| RuleChange::Add { name: "new \"one\"".into(), rule: edit("empty"), before };
        let text = change_rules(TEXT, &add(None)).unwrap();
        let new = "\n[[rule]]\nname = 'new \"one\"'\nwhen = \"empty\"\ntag = [\"z\"]\n";
        assert_eq!(text, format!("{TEXT}{new}"));
        let text = change_rules(TEXT, &add(Some(1))).unwrap();
        assert_eq!(names(&text), ["a", "new \"one\"", "b"]);
        assert_eq!(text.replace(new, ""), TEXT);
    }

    #[test]
    fn a_changed_rule_keeps_its_comments() {
        let change =
            RuleEdit { when: Some("empty".into()), put: None, deep: Some(true), ..RuleEdit::default() };
        let text = change_rules(TEXT, &RuleChange::Change(0, change)).unwrap();
        assert_eq!(
            text,
            TEXT.replace(
                "\"file\" # all\ntag = [\"x\"]\n",
                "\"empty\" # all\ntag = [\"x\"]\nreach = \"deep\"\n"
            )
        );
        let back = RuleEdit { when: Some("file".into()), deep: Some(false), ..RuleEdit::default() };
        assert_eq!(change_rules(&text, &RuleChange::Change(0, back)).unwrap(), TEXT);
    }

    #[test]
    fn a_rule_moves_and_goes_and_the_rest_stays() {
        let moved = change_rules(TEXT, &RuleChange::Move(1, Some(0))).unwrap();
        assert_eq!(names(&moved), ["b", "a"]);
        assert!(
            moved.starts_with("# mine\n[pile.d]\nat = \"/d\"\n\n# second\n[[rule]]\nname = \"b\"\n"),
            "{moved}"
        );
        assert_eq!(change_rules(&moved, &RuleChange::Move(0, None)).unwrap(), TEXT);
        let left = change_rules(TEXT, &RuleChange::Drop(0)).unwrap();
        assert_eq!(names(&left), ["b"]);
        for comment in ["# first", "# one", "# all", "# mine", "# second", "# end"] {
            assert!(left.contains(comment), "{comment}: {left}");
        }
        assert!(change_rules(TEXT, &RuleChange::Drop(7)).is_err());
    }

    fn any_change() -> impl Strategy<Value = RuleChange> {
        let before = || proptest::option::of(0..5_usize);
        prop_oneof![
            ("[a-z]{1,5}", before()).prop_map(|(name, before)| RuleChange::Add {
                name,
                rule: edit("empty"),
                before
            }),
            (0..5_usize, any::<bool>()).prop_map(|(at, deep)| {
                RuleChange::Change(at, RuleEdit { deep: Some(deep), clash: Some("hold"), ..edit("file") })
            }),
            (0..5_usize, before()).prop_map(|(at, before)| RuleChange::Move(at, before)),
            (0..5_usize).prop_map(RuleChange::Drop),
        ]
    }

    proptest! {
        #[test]
        fn no_change_loses_a_comment_or_another_rule(changes in proptest::collection::vec(any_change(), 1..8)) {
            let mut text = TEXT.to_owned();
            for change in changes {
                let before = names(&text);
                let Ok(new) = change_rules(&text, &change) else { continue };
                let mut wanted = before.clone();
                match &change {
                    RuleChange::Add { name, before, .. } => {
                        let at = before.unwrap_or(wanted.len()).min(wanted.len());
                        wanted.insert(at, name.clone());
                    }
                    RuleChange::Change(..) => {}
                    RuleChange::Move(at, before) => {
                        let moved = wanted.remove(*at);
                        let to = before.map_or(wanted.len(), |b| if b > *at { b - 1 } else { b });
                        wanted.insert(to.min(wanted.len()), moved);
                    }
                    RuleChange::Drop(at) => drop(wanted.remove(*at)),
                }
                prop_assert_eq!(names(&new), wanted, "{:?}\n{}", change, new);
                for comment in ["# mine", "# first", "# one", "# all", "# second", "# end"] {
                    prop_assert!(new.contains(comment), "{} after {:?}\n{}", comment, change, new);
                }
                text = new;
            }
        }
    }
}

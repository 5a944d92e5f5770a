//! A configuration made or added to: places, shelves, and what a layout brings.

use std::collections::BTreeSet;

use toml_edit::{DocumentMut, InlineTable, Item, Value};

use super::edit::read;
use super::{Bookcase, Color, Marks, ShelfConfig, parse};
use crate::diagnostic::Diagnostic;
use crate::layout::LayoutShelf;
use crate::names::fold;

/// What is added to a configuration.
#[derive(Debug, Clone, Default)]
pub struct Additions {
    /// Piles: names, and folders as they are to be written.
    pub piles: Vec<(String, String)>,
    /// The bookcase, if there is to be another one.
    pub bookcase: Option<NewBookcase>,
    /// What a layout brings besides; TOML.
    pub text: String,
    /// Whether its rules are left out.
    pub without_rules: bool,
    /// Numbers of shelves on which its rules must put nothing, since other shelves stand there.
    pub not_onto: BTreeSet<u8>,
    /// Saved searches that are kept as folders of links: names and conditions.
    pub displays: Vec<(String, String)>,
    /// What the first line says of where it comes from.
    pub heading: String,
}

/// A bookcase that is added.
#[derive(Debug, Clone)]
pub struct NewBookcase {
    /// Its name.
    pub name: String,
    /// Its folder, as it is to be written.
    pub at: String,
    /// Its shelves.
    pub shelves: Vec<ShelfConfig>,
    /// Where their marks stand.
    pub marks: Marks,
}

/// A text that was added to, and what of the additions is left out since the text has its own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Composed {
    /// The new text, which begins with the old one as it was.
    pub text: String,
    /// Such as `archive` and `facet.client`.
    pub left_out: Vec<String>,
}

/// Adds to the text of a configuration, behind all that stands there.
///
/// # Errors
/// What keeps either text from being read, or what is wrong with the whole.
pub fn compose(text: &str, additions: &Additions) -> Result<Composed, Vec<Diagnostic>> {
    let as_finding =
        |error: toml_edit::TomlError| vec![Diagnostic::new(error.span().unwrap_or(0..0), error.message())];
    let old: DocumentMut = text.parse().map_err(as_finding)?;
    let mut brought: DocumentMut = additions.text.parse().map_err(as_finding)?;
    if additions.without_rules {
        ["rule", "facet", "dates"].iter().for_each(|key| drop(brought.remove(key)));
    }
    leave_out_rules(&mut brought, &additions.not_onto);
    let left_out = leave_out_known(&old, &mut brought);
    bind_rules(&mut brought, additions, old.get("bookcase").is_some());
    let mut parts = Vec::new();
    let heading = additions.heading.lines().map(|line| format!("# {line}\n"));
    parts.push(heading.collect::<String>());
    parts.extend(
        additions.piles.iter().map(|(name, at)| format!("[pile.{}]\nat = {}\n", key(name), quoted(at))),
    );
    parts.extend(additions.bookcase.as_ref().map(NewBookcase::text));
    parts.push(format!("{}\n", brought.to_string().trim()));
    parts.extend(additions.displays.iter().map(|(name, condition)| {
        format!("[search.{}]\nwhere = {}\ndisplay = true\n", key(name), quoted(condition))
    }));
    let added: Vec<&str> =
        parts.iter().map(|part| part.trim_matches('\n')).filter(|p| !p.is_empty()).collect();
    let mut whole = text.to_owned();
    if !whole.is_empty() && !whole.ends_with('\n') {
        whole.push('\n');
    }
    if !whole.is_empty() {
        whole.push('\n');
    }
    whole.push_str(&added.join("\n\n"));
    whole.push('\n');
    parse(&whole)?;
    Ok(Composed { text: whole, left_out })
}

/// Takes out of what is brought whatever the text says already.
fn leave_out_known(old: &DocumentMut, brought: &mut DocumentMut) -> Vec<String> {
    let mut left_out = Vec::new();
    for key in ["archive", "dates"] {
        if old.get(key).is_some() && brought.remove(key).is_some() {
            left_out.push(key.to_owned());
        }
    }
    for group in ["facet", "search"] {
        let known = old.get(group).and_then(Item::as_table_like);
        let Some(brought) = brought.get_mut(group).and_then(Item::as_table_like_mut) else { continue };
        let twice: Vec<String> = known
            .into_iter()
            .flat_map(|known| known.iter())
            .map(|(name, _)| name.to_owned())
            .filter(|name| brought.contains_key(name))
            .collect();
        for name in twice {
            brought.remove(&name);
            left_out.push(format!("{group}.{name}"));
        }
    }
    left_out
}

/// Takes out the rules, and the archive, that put something on one of these shelves.
fn leave_out_rules(brought: &mut DocumentMut, shelves: &BTreeSet<u8>) {
    let is_onto = |put: Option<&Item>| {
        let shelf = put.and_then(Item::as_str).and_then(|put| put.split('/').next()?.parse().ok());
        shelf.is_some_and(|shelf| shelves.contains(&shelf))
    };
    if is_onto(brought.get("archive").and_then(|archive| archive.get("put"))) {
        brought.remove("archive");
    }
    if let Some(rules) = brought.get_mut("rule").and_then(Item::as_array_of_tables_mut) {
        rules.retain(|rule| !is_onto(rule.get("put")));
    }
}

/// Where there is a bookcase already, the rules that are brought name the new one.
fn bind_rules(brought: &mut DocumentMut, additions: &Additions, is_second: bool) {
    let Some(bookcase) = additions.bookcase.as_ref().filter(|_| is_second) else { return };
    let name = |put: &mut Item| {
        if let Some(text) = put.as_str().map(|text| format!("{}/{text}", bookcase.name)) {
            *put = toml_edit::value(text);
        }
    };
    if let Some(put) = brought.get_mut("archive").and_then(|archive| archive.get_mut("put")) {
        name(put);
    }
    let rules = brought.get_mut("rule").and_then(Item::as_array_of_tables_mut);
    rules
        .into_iter()
        .flat_map(|rules| rules.iter_mut())
        .filter_map(|rule| rule.get_mut("put"))
        .for_each(name);
}

impl NewBookcase {
    fn text(&self) -> String {
        let shelves = shelves_text(&self.shelves);
        let marks = match self.marks {
            Marks::Name => "",
            Marks::Icon => "marks = \"icon\"\n",
            Marks::None => "marks = \"none\"\n",
        };
        format!("[bookcase.{}]\nat = {}\nshelves = {shelves}\n{marks}", key(&self.name), quoted(&self.at))
    }
}

/// The shelves of a bookcase as a list, a line each.
pub(super) fn shelves_text(shelves: &[ShelfConfig]) -> String {
    let mut next = 1;
    let lines = shelves.iter().map(|shelf| {
        let line = format!("    {},\n", shelf_text(shelf, next));
        next = shelf.number + 1;
        line
    });
    format!("[\n{}]", lines.collect::<String>())
}

/// A shelf's title, or a table where there is more to say.
pub(super) fn shelf_text(shelf: &ShelfConfig, next: u8) -> Value {
    let is_plain = shelf.mark.is_none() && shelf.color.is_none() && shelf.shared.is_none();
    if is_plain && shelf.number == next {
        return shelf.title.as_str().into();
    }
    let mut table = InlineTable::new();
    table.insert("title", shelf.title.as_str().into());
    if shelf.number != next {
        table.insert("number", i64::from(shelf.number).into());
    }
    let color = shelf.color.map(Color::word);
    let more = [("mark", shelf.mark.as_deref()), ("color", color), ("shared", shelf.shared.as_deref())];
    more.into_iter().filter_map(|(key, value)| Some((key, value?))).for_each(|(key, value)| {
        table.insert(key, value.into());
    });
    table.into()
}

fn quoted(text: &str) -> Value {
    text.into()
}

fn key(name: &str) -> String {
    toml_edit::Key::new(name).to_string()
}

/// The text of a layout made of a configuration: its shelves with these folders, and what it says of rules, facets and
/// the archive. Names of piles are left out, and rules for other bookcases.
///
/// # Errors
/// What keeps the text from being read, in words.
pub fn layout_text(text: &str, case: &Bookcase, shelves: &[LayoutShelf]) -> Result<String, String> {
    let mut document = read(text)?;
    let other_keys: Vec<String> = document.iter().map(|(key, _)| key.to_owned()).collect();
    for key in other_keys.iter().filter(|key| !["archive", "dates", "facet", "rule"].contains(&key.as_str()))
    {
        document.remove(key);
    }
    let own = format!("{}/", case.name);
    // A pattern that names no bookcase is for the first one.
    let is_first =
        parse(text).is_ok_and(|config| config.bookcases.first().is_some_and(|first| first.name == case.name));
    let unbind = |put: &mut Item| {
        let Some(text) = put.as_str().map(str::to_owned) else { return true };
        if let Some(rest) = text.strip_prefix(&own) {
            *put = toml_edit::value(rest);
            return true;
        }
        is_first && text.starts_with(|c: char| c.is_ascii_digit())
    };
    if let Some(rules) = document.get_mut("rule").and_then(Item::as_array_of_tables_mut) {
        rules.iter_mut().for_each(|rule| drop(rule.remove("piles")));
        let mut kept = toml_edit::ArrayOfTables::new();
        for mut rule in std::mem::take(rules) {
            if rule.get_mut("put").is_none_or(unbind) {
                kept.push(rule);
            }
        }
        *rules = kept;
    }
    if document.get_mut("archive").and_then(|archive| archive.get_mut("put")).is_some_and(|put| !unbind(put))
    {
        document.remove("archive");
    }
    let mut next = 1;
    let lines = shelves.iter().map(|shelf| {
        let mut value = shelf_text(&shelf.shelf, next);
        next = shelf.shelf.number + 1;
        if !shelf.folders.is_empty() {
            let folders = shelf.folders.iter().map(String::as_str).collect::<toml_edit::Array>();
            let mut table = match value {
                Value::InlineTable(table) => table,
                title => InlineTable::from_iter([("title", title)]),
            };
            table.insert("folders", folders.into());
            value = table.into();
        }
        format!("    {value},\n")
    });
    let lines: String = lines.collect();
    let marks = match case.marks {
        Marks::Name => "",
        Marks::Icon => "marks = \"icon\"\n",
        Marks::None => "marks = \"none\"\n",
    };
    let about = format!("about = \"the shelves of {}\"\n", case.name);
    Ok(format!("{about}{marks}shelves = [\n{lines}]\n\n{}\n", document.to_string().trim()))
}

/// A name that none of these is, made of another one.
pub fn free_name<'n>(wanted: &str, taken: impl Iterator<Item = &'n str> + Clone) -> String {
    let is_free = |name: &String| !taken.clone().any(|other| fold(other) == fold(name));
    let numbered = (2..).map(|number| format!("{wanted}-{number}"));
    std::iter::once(wanted.to_owned()).chain(numbered).find(is_free).expect("numbers do not run out")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::layout::Layout;

    fn additions(layout: &Layout) -> Additions {
        let shelves = layout.shelves.iter().map(|shelf| shelf.shelf.clone()).collect();
        let bookcase =
            NewBookcase { name: "home".into(), at: "~/Shelves".into(), shelves, marks: layout.marks };
        Additions {
            piles: vec![
                ("desktop".into(), "~/Desktop".into()),
                ("downloads".into(), "~/Down \"loads".into()),
            ],
            bookcase: Some(bookcase),
            text: layout.text.clone(),
            heading: "Made by nine setup".into(),
            ..Additions::default()
        }
    }

    #[test]
    fn every_layout_makes_a_sound_configuration() {
        for layout in Layout::all() {
            let made = compose("", &additions(&layout)).unwrap();
            let config = parse(&made.text).unwrap();
            assert_eq!(config.rules, layout.config.rules, "{}", layout.name);
            assert!((3..=8).contains(&config.rules.len()), "{}", layout.name);
            let shelves = |config: &super::super::Config| config.bookcases[0].shelves.clone();
            assert_eq!(shelves(&config), shelves(&layout.config));
            assert_eq!(config.archive.unwrap().put.shelf, 9, "{}", layout.name);
            assert_eq!(config.piles[1].at, "~/Down \"loads");
            assert!(made.text.starts_with("# Made by nine setup\n\n[pile.desktop]\nat = \"~/Desktop\"\n"));
            assert!(made.left_out.is_empty());
        }
    }

    #[test]
    fn what_is_there_stays_and_goes_before() {
        let old = "# mine\n[bookcase.old]\nat = \"/o\"\nshelves = [\"A\"]\n[archive]\nput = \"1/{today}\"\n\
            [facet.client]\nvalues = [\"Ada\"]\n[[rule]]\nwhen = \"file\"\nput = \"1\" # all of it";
        let clients = Layout::ours("clients").unwrap();
        let made = compose(old, &additions(&clients)).unwrap();
        assert!(made.text.starts_with(old));
        assert_eq!(made.left_out, ["archive", "facet.client"]);
        let config = parse(&made.text).unwrap();
        assert_eq!(config.rules.len(), 1 + clients.config.rules.len());
        let put = config.rules.last().unwrap().put.as_ref().unwrap();
        assert_eq!((put.bookcase.as_deref(), put.shelf), (Some("home"), 8));
        let bare = Additions { without_rules: true, ..additions(&clients) };
        assert!(parse(&compose("", &bare).unwrap().text).unwrap().rules.is_empty());
        assert!(compose("[pile", &bare).is_err());
    }

    #[test]
    fn names_are_free() {
        assert_eq!(free_name("home", ["Home", "home-2"].into_iter()), "home-3");
        assert_eq!(free_name("home", std::iter::empty()), "home");
    }
}

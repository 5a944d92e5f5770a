//! The planner of `tag`: what becomes of the tags of each item.

use super::Proposal;
use crate::config::Config;
use crate::facet::Facet;
use crate::moment::Now;
use crate::names::fold;
use crate::pattern::PutPattern;
use crate::place::Spot;
use crate::shelving::shelf_number;
use crate::tags::{add, answers_to};

/// What becomes of tags.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum TagChange {
    /// Items get these.
    Add(Vec<String>),
    /// Items lose these; `client/*` stands for all that are nested below `client`.
    Drop(Vec<String>),
    /// A tag, and all that are nested below it, get another name.
    Rename {
        /// The old name.
        from: String,
        /// The new one.
        to: String,
    },
}

impl TagChange {
    /// The tags that an item with these has afterwards.
    pub fn apply(&self, tags: &[String]) -> Vec<String> {
        let mut after = Vec::new();
        match self {
            TagChange::Add(new) => {
                after = tags.to_vec();
                for tag in new {
                    add(&mut after, tag);
                }
            }
            TagChange::Drop(gone) => {
                let goes = |tag: &String| gone.iter().any(|gone| is_dropped(tag, gone));
                after.extend(tags.iter().filter(|tag| !goes(tag)).cloned());
            }
            TagChange::Rename { from, to } => {
                for tag in tags {
                    let depth = from.split('/').count();
                    let below: String = tag.split('/').skip(depth).map(|part| format!("/{part}")).collect();
                    let new = if answers_to(tag, from) { format!("{to}{below}") } else { tag.clone() };
                    add(&mut after, &new);
                }
            }
        }
        after
    }
}

fn is_dropped(tag: &str, gone: &str) -> bool {
    match gone.strip_suffix("/*") {
        Some(parent) => answers_to(tag, parent) && fold(tag) != fold(parent),
        None => fold(tag) == fold(gone),
    }
}

/// What a change of tags makes of items; those whose tags stay as they are come to nothing.
pub fn plan(items: impl IntoIterator<Item = Proposal>, change: &TagChange, why: &str) -> Vec<Proposal> {
    let changed = |mut item: Proposal| {
        let after = change.apply(&item.tags);
        let changes = after != item.tags;
        item.why = why.into();
        item.becomes = Some(after);
        changes.then_some(item)
    };
    items.into_iter().filter_map(changed).collect()
}

/// The tags that the place of an item says: the answers and the tag by which a rule would have put it
/// there; else the answers that its folders are called by; else its folders as one nested tag.
pub fn of_place(item: &Spot, config: &Config, now: &Now) -> Vec<String> {
    let folders: Vec<String> =
        item.folder().path.parts().map(|f| String::from_utf8_lossy(&f).into_owned()).collect();
    let shelf = config.bookcase(Some(&item.place)).and_then(|_| shelf_number(folders.first()?.as_bytes()));
    let below = if shelf.is_some() { &folders[1..] } else { &folders[..] };
    let puts = config.rules.iter().filter_map(|rule| rule.put.as_ref());
    let meant = puts.filter(|put| {
        let bookcase = config.bookcase(put.bookcase.as_deref());
        Some(put.shelf) == shelf && bookcase.is_some_and(|bookcase| *bookcase.name == *item.place)
    });
    let by_rule = meant.filter_map(|put| put_back(put, below)).find(|tags| !tags.is_empty());
    let by_answer = || -> Vec<String> {
        let said = |folder: &String, facet: &Facet| {
            let found = facet.look_at_folder(folder, now);
            found.value().filter(|_| found.is_sure()).map(|value| facet.tag(value))
        };
        let asked = below.iter().flat_map(|folder| config.facets.iter().map(move |facet| (folder, facet)));
        asked.filter_map(|(folder, facet)| said(folder, facet)).collect()
    };
    let tags = by_rule.unwrap_or_else(by_answer);
    match (tags.is_empty(), below.is_empty()) {
        (true, false) => vec![below.join("/").replace(',', " ")],
        _ => tags,
    }
}

/// What a rule's folders would have been filled with, if these are such folders.
fn put_back(put: &PutPattern, folders: &[String]) -> Option<Vec<String>> {
    let mut tags = Vec::new();
    let mut rest = folders.iter();
    for (nth, pattern) in put.folders.iter().enumerate() {
        if pattern.is_tag() && nth + 1 == put.folders.len() {
            let nested: Vec<&str> = rest.by_ref().map(String::as_str).collect();
            tags.push(nested.join("/"));
            continue;
        }
        let folder = rest.next()?;
        if let Some(facet) = pattern.only_facet() {
            tags.push(facet.tag(&facet.canonical(folder)?));
        } else if pattern.literal().is_some_and(|text| fold(text) != fold(folder)) {
            return None;
        }
    }
    tags.retain(|tag| !tag.is_empty());
    Some(tags)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn after(change: &TagChange, tags: &[&str]) -> Vec<String> {
        change.apply(&tags.iter().map(|tag| (*tag).to_owned()).collect::<Vec<_>>())
    }

    #[test]
    fn tags_are_added_once_and_dropped_whatever_their_case() {
        let add = TagChange::Add(vec!["Todo".into(), "loans".into()]);
        assert_eq!(after(&add, &["todo", "keep"]), ["todo", "keep", "loans"]);
        let gone = TagChange::Drop(vec!["KEEP".into(), "client/*".into()]);
        assert_eq!(after(&gone, &["keep", "client", "client/Harrow", "clients"]), ["client", "clients"]);
    }

    #[test]
    fn a_renamed_tag_takes_what_is_nested_along() {
        let rename = TagChange::Rename { from: "client".into(), to: "lender/old".into() };
        assert_eq!(
            after(&rename, &["Client/Harrow", "clients", "client"]),
            ["lender/old/Harrow", "clients", "lender/old"]
        );
        // One that is there already is not there twice.
        let merge = TagChange::Rename { from: "todo".into(), to: "do".into() };
        assert_eq!(after(&merge, &["do", "todo", "x"]), ["do", "x"]);
        let case = TagChange::Rename { from: "todo".into(), to: "Todo".into() };
        assert_eq!(after(&case, &["todo"]), ["Todo"]);
    }

    #[test]
    fn a_place_says_what_a_rule_would_have_put_there() {
        let config = crate::config::parse(
            r#"
[bookcase.home]
at = "/h"
shelves = ["Loans", "Notes", "Office"]
[facet.lender]
values = ["Harrow Dock Trust"]
[facet.season]
from = "year"
starts = "October"
[[rule]]
when = "type document"
put = "1/{lender}/{season}"
[[rule]]
when = "type note"
put = "2/By tag/{tag}"
"#,
        )
        .unwrap();
        let now = Now::parse("2031-04-07", &jiff::tz::TimeZone::UTC).unwrap();
        let of = |at: &str| of_place(&Spot::parse(at).unwrap(), &config, &now).join(" ");
        for (at, tags) in [
            ("home/1 Loans/Harrow Dock Trust/2030-31/x.pdf", "lender/Harrow Dock Trust season/2030-31"),
            ("home/2 Notes/by tag/loan/north-gallery/x.md", "loan/north-gallery"),
            ("home/2 Notes/Old/x.md", "Old"),
            ("home/3 Office/2030-31/x.pdf", "season/2030-31"),
            ("home/3 Office/Invoices/paid/x.pdf", "Invoices/paid"),
            ("home/1 Loans/x.pdf", ""),
            ("downloads/letters/x.pdf", "letters"),
        ] {
            assert_eq!(of(at), tags, "{at}");
        }
    }
}

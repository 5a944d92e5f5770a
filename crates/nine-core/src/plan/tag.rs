//! The planner of `tag`: what becomes of the tags of each item.

use super::Proposal;
use crate::names::fold;
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
        item.why = why.to_owned();
        item.becomes = Some(after);
        changes.then_some(item)
    };
    items.into_iter().filter_map(changed).collect()
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
}

//! Answers of facets changed in the text of the configuration.

use toml_edit::{Array, Item, Key, Table, TableLike, Value};

use super::edit::read;
use crate::names::fold;

/// A change of a facet's answers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum AnswerChange {
    /// More answers, each with other spellings; of one that is there, more spellings.
    Add(Vec<(String, Vec<String>)>),
    /// Another name for an answer, which keeps the old one as a spelling.
    Rename(String, String),
    /// These go.
    Drop(Vec<String>),
}

/// The text with the answers of a facet changed. Answers that were left to be filled in, such as `<a client>`, go once
/// there are others.
///
/// # Errors
/// What keeps the text from being read or changed, in words.
pub fn change_answers(text: &str, facet: &str, change: &AnswerChange) -> Result<String, String> {
    let mut document = read(text)?;
    let facet_item = document.get_mut("facet").and_then(|facets| facets.get_mut(facet));
    let facet_item = facet_item.ok_or_else(|| format!("there is no facet `{facet}`"))?;
    let is_inline = facet_item.is_inline_table();
    let facet_table = facet_item.as_table_like_mut().ok_or_else(|| format!("`facet.{facet}` is no table"))?;
    let values = facet_table.get("values");
    let values = values.ok_or_else(|| format!("`facet.{facet}` has no list of answers"))?;
    let needs_table = match change {
        AnswerChange::Add(answers) => answers.iter().any(|(_, also)| !also.is_empty()),
        AnswerChange::Rename(..) => true,
        AnswerChange::Drop(_) => false,
    };
    if let Some(list) = values.as_array().filter(|_| needs_table) {
        let mut table = as_table(list)?;
        let above =
            facet_table.key("values").and_then(|key| key.leaf_decor().prefix()).and_then(|p| p.as_str());
        let beside = list.decor().suffix().and_then(|suffix| suffix.as_str());
        let comments = [above, beside].into_iter().flatten().map(comments).collect::<String>();
        table.decor_mut().set_prefix(format!("\n{comments}"));
        let inline = || Item::Value(table.clone().into_inline_table().into());
        let table = if is_inline { inline() } else { Item::Table(table) };
        facet_table.remove("values");
        facet_table.insert("values", table);
    }
    let values = facet_table.get_mut("values").ok_or("it was there a moment ago")?;
    match values {
        Item::Value(Value::Array(list)) => in_list(list, change)?,
        Item::Value(Value::InlineTable(table)) => in_table(table, change)?,
        Item::Table(table) => in_table(table, change)?,
        _ => return Err(format!("`facet.{facet}.values` is neither a list nor a table")),
    }
    Ok(document.to_string())
}

fn is_to_fill_in(answer: &str) -> bool {
    answer.starts_with('<') && answer.ends_with('>')
}

fn none_such(answer: &str) -> String {
    format!("there is no answer `{answer}`")
}

fn in_list(list: &mut Array, change: &AnswerChange) -> Result<(), String> {
    let position = |list: &Array, answer: &str| {
        list.iter().position(|known| known.as_str().is_some_and(|known| fold(known) == fold(answer)))
    };
    match change {
        AnswerChange::Add(answers) => {
            list.retain(|known| !known.as_str().is_some_and(is_to_fill_in));
            for (answer, _) in answers {
                if position(list, answer).is_none() {
                    super::shelves::push(list, answer.as_str().into());
                }
            }
        }
        AnswerChange::Drop(answers) => {
            for answer in answers {
                let at = position(list, answer).ok_or_else(|| none_such(answer))?;
                list.remove(at);
            }
        }
        AnswerChange::Rename(..) => unreachable!("a renamed answer keeps its old name in a table"),
    }
    // What is left first stands behind the bracket.
    if let Some(first) =
        list.get_mut(0).filter(|first| first.decor().prefix().and_then(|p| p.as_str()) == Some(" "))
    {
        first.decor_mut().set_prefix("");
    }
    Ok(())
}

fn in_table(table: &mut dyn TableLike, change: &AnswerChange) -> Result<(), String> {
    let known = |table: &dyn TableLike, answer: &str| {
        table.iter().find(|(known, _)| fold(known) == fold(answer)).map(|(known, _)| known.to_owned())
    };
    match change {
        AnswerChange::Add(answers) => {
            let left: Vec<String> =
                table.iter().map(|(known, _)| known.to_owned()).filter(|k| is_to_fill_in(k)).collect();
            left.iter().for_each(|answer| drop(table.remove(answer)));
            for (answer, also) in answers {
                match known(table, answer).and_then(|known| table.get_mut(&known)?.as_array_mut()) {
                    Some(spellings) => also.iter().for_each(|spelling| spellings.push(spelling.as_str())),
                    None => {
                        let spellings: Array = also.iter().map(String::as_str).collect();
                        table.insert(answer, Item::Value(spellings.into()));
                    }
                }
            }
        }
        AnswerChange::Drop(answers) => {
            for answer in answers {
                let answer = known(table, answer).ok_or_else(|| none_such(answer))?;
                table.remove(&answer);
            }
        }
        AnswerChange::Rename(old, new) => {
            let old = known(table, old).ok_or_else(|| none_such(old))?;
            let mut spellings =
                table.remove(&old).and_then(|item| item.as_array().cloned()).unwrap_or_default();
            spellings.push(old.as_str());
            table.insert(new, Item::Value(spellings.into()));
        }
    }
    Ok(())
}

/// The comments in what stands around a value, a line each.
fn comments(around: &str) -> String {
    let lines = around.lines().map(str::trim).filter(|line| line.starts_with('#'));
    lines.map(|line| format!("{line}\n")).collect()
}

/// A list of answers as a table; comments beside an answer stand above it then.
fn as_table(list: &Array) -> Result<Table, String> {
    let mut table = Table::new();
    for value in list.iter() {
        let answer = value.as_str().ok_or("an answer is a text")?;
        let before = value.decor().prefix().and_then(|prefix| prefix.as_str()).unwrap_or_default();
        let mut key = Key::new(answer);
        key.leaf_decor_mut().set_prefix(comments(before));
        table.insert_formatted(&key, Item::Value(Array::new().into()));
    }
    let behind = list.trailing().as_str().unwrap_or_default().lines().map(str::trim);
    let behind: String =
        behind.filter(|line| line.starts_with('#')).map(|line| format!("\n{line}")).collect();
    let last = table.iter_mut().last().filter(|_| !behind.is_empty());
    if let Some(value) = last.and_then(|(_, last)| last.as_value_mut()) {
        value.decor_mut().set_suffix(behind);
    }
    Ok(table)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::config::parse;

    const LISTED: &str = "[facet.client]\nvalues = [\"<a client>\", \"Ada\"] # mine\nspelling = \"close\"\n";
    const TABLE: &str = "[facet.client.values]\n\"Ada\" = [\"A.\"] # first\n\"Bo\" = []\n";

    fn answers(text: &str) -> Vec<String> {
        let config = parse(text).unwrap();
        config.facets.get("client").unwrap().listed().iter().map(|answer| (*answer).to_owned()).collect()
    }

    fn add(answers: &[(&str, &[&str])]) -> AnswerChange {
        let of = |(answer, also): &(&str, &[&str])| {
            ((*answer).to_owned(), also.iter().map(|also| (*also).to_owned()).collect())
        };
        AnswerChange::Add(answers.iter().map(of).collect())
    }

    #[test]
    fn answers_are_added_to_a_list_and_to_a_table() {
        let text = change_answers(LISTED, "client", &add(&[("New Quay", &[]), ("ada", &[])])).unwrap();
        assert_eq!(text, LISTED.replace("\"<a client>\", \"Ada\"", "\"Ada\", \"New Quay\""));
        let text = change_answers(LISTED, "client", &add(&[("New Quay", &["NQS"])])).unwrap();
        assert_eq!(answers(&text), ["Ada", "New Quay"]);
        assert!(
            text.contains("# mine")
                && text.contains("\"New Quay\" = [\"NQS\"]")
                && text.contains("spelling = \"close\""),
            "{text}"
        );
        let text = change_answers(TABLE, "client", &add(&[("Bo", &["B."]), ("Cy", &[])])).unwrap();
        assert_eq!(text, TABLE.replace("\"Bo\" = []\n", "\"Bo\" = [\"B.\"]\nCy = []\n"));
    }

    #[test]
    fn answers_are_renamed_and_dropped() {
        let renamed = AnswerChange::Rename("ada".into(), "Ada Pellow".into());
        let text = change_answers(TABLE, "client", &renamed).unwrap();
        assert!(text.contains("\"Ada Pellow\" = [\"A.\", \"Ada\"]"), "{text}");
        let dropped = AnswerChange::Drop(vec!["Bo".into()]);
        assert_eq!(answers(&change_answers(TABLE, "client", &dropped).unwrap()), ["Ada"]);
        assert_eq!(
            change_answers(TABLE, "client", &AnswerChange::Drop(vec!["Zoe".into()])).unwrap_err(),
            "there is no answer `Zoe`"
        );
        assert!(change_answers(TABLE, "lender", &dropped).is_err());
        for inline in
            ["facet = { client = { values = [\"Ada\"] } }\n", "[facet]\nclient = { values = { Ada = [] } }\n"]
        {
            let text = change_answers(inline, "client", &add(&[("Bo", &["B."])])).unwrap();
            assert_eq!(answers(&text), ["Ada", "Bo"], "{text}");
        }
    }
}

//! A rule made of what was decided for one item and in what others are like it.

use serde::{Deserialize, Serialize};

use super::{Decision, Likeness};
use crate::condition::{PlainTest, Test, WordSubject, WordTest};
use crate::config::RuleEdit;
use crate::metadata::TextField;
use crate::pattern::literal;
use crate::place::Spot;
use crate::shelving::{Shelving, shelf_number};

/// A rule that is not written yet.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct RuleDraft {
    /// Its name.
    pub name: String,
    /// Its condition.
    pub when: String,
    /// Where it puts items.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub put: Option<String>,
    /// Tags that it gives.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub tag: Vec<String>,
    /// Whether it reaches into folders.
    #[serde(default)]
    pub deep: bool,
}

/// Why no rule can be made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum NoRule {
    /// What was decided is done by no rule.
    #[error("a rule files or tags; what was decided last is neither")]
    NotThis,
    /// The folder is on no shelf.
    #[error("a rule puts things on a shelf, and this folder is on none")]
    OnNoShelf,
    /// The name of a folder or a word cannot be written in a rule.
    #[error("the folder's name cannot be written in a rule")]
    Unwritable,
}

impl RuleDraft {
    /// The same as it is written into the configuration.
    pub fn edit(&self) -> RuleEdit {
        RuleEdit {
            when: Some(self.when.clone()),
            put: self.put.clone(),
            tag: (!self.tag.is_empty()).then(|| self.tag.clone()),
            deep: self.deep.then_some(true),
            ..RuleEdit::default()
        }
    }
}

/// The rule that would decide so for all that is alike.
///
/// # Errors
/// Why there can be none.
pub fn rule_of(
    likeness: &Likeness,
    decision: &Decision,
    shelvings: &[Shelving],
) -> Result<RuleDraft, NoRule> {
    let (put, tag) = match decision {
        Decision::Into(folder) | Decision::PutOff(folder) => (Some(put(folder, shelvings)?), Vec::new()),
        Decision::Tags { give, take } if take.is_empty() && !give.is_empty() => (None, give.clone()),
        _ => return Err(NoRule::NotThis),
    };
    let has = |value: &str| WordTest::Plain(PlainTest::Has, vec![value.to_owned()]);
    let (test, value, deep) = match likeness {
        Likeness::Extension(ext) => (Test::Ext(vec![ext.clone()]), ext.clone(), false),
        Likeness::Word(word) => (Test::Words(WordSubject::Name, has(word)), word.clone(), false),
        Likeness::Sender(sender) => {
            let is = WordTest::Plain(PlainTest::Is, vec![sender.clone()]);
            (Test::Words(WordSubject::Said(TextField::Sender), is), sender.clone(), false)
        }
        Likeness::Folder(folder) => {
            let name = text(folder.path.name())?;
            (Test::Words(WordSubject::Folder, has(&name)), name, true)
        }
    };
    let when = test.to_string();
    let name = match (&put, tag.first()) {
        (Some(put), _) => format!("{value} to {put}"),
        (None, tag) => format!("{value} as {}", tag.map_or("", String::as_str)),
    };
    Ok(RuleDraft { name, when, put, tag, deep })
}

/// A folder on a shelf as rules write it: `3/Claims`, or `home/3/Claims` where there are several bookcases.
fn put(folder: &Spot, shelvings: &[Shelving]) -> Result<String, NoRule> {
    let shelving = shelvings.iter().find(|shelving| *shelving.bookcase == *folder.place);
    let shelving = shelving.ok_or(NoRule::OnNoShelf)?;
    let mut parts = folder.path.parts();
    let number = parts.next().and_then(|name| shelf_number(&name)).ok_or(NoRule::OnNoShelf)?;
    shelving.shelf(number).ok_or(NoRule::OnNoShelf)?;
    let mut put = match shelvings.len() {
        1 => number.to_string(),
        _ => format!("{}/{number}", shelving.bookcase),
    };
    for name in parts {
        put.push('/');
        put.push_str(&literal(&text(&name)?));
    }
    Ok(put)
}

fn text(name: &[u8]) -> Result<String, NoRule> {
    let text = std::str::from_utf8(name).map_err(|_| NoRule::Unwritable)?;
    if text.chars().any(char::is_control) { Err(NoRule::Unwritable) } else { Ok(text.to_owned()) }
}

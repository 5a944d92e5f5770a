//! What a search must be told to list what suggestions count: what lies on shelves, without what was put off or held.

use regex::escape as literally;

use super::Reason;
use crate::condition::{Compare, Condition, CountSubject, Pattern, PlainTest, Test, WordSubject, WordTest};
use crate::kinds::ItemType;
use crate::names::fold;
use crate::plan::{HELD, sweep};

/// Where such a search looks. The archive is left out by the search itself.
#[derive(Debug, Clone, Default)]
pub struct SearchScope {
    /// The bookcases.
    pub bookcases: Vec<String>,
    /// The names of the shelves that count.
    pub shelves: Vec<String>,
    /// Whether a bookcase has anything beside these shelves and its archive.
    pub has_others: bool,
    /// Whether there are folders for what was held or put off.
    pub has_held: bool,
}

impl SearchScope {
    /// The condition of the search that lists what a reason counts; `None` if it cannot be said.
    pub fn condition(&self, reason: &Reason) -> Option<Condition> {
        let mut all = Vec::new();
        if reason.folders {
            all.push(Condition::Test(Test::Type(vec![ItemType::Folder])));
            all.push(Condition::Test(Test::Count(CountSubject::Depth, Compare::Over, 1)));
        }
        all.push(reason.feature.condition()?);
        if self.has_others {
            let shelves: Vec<String> = self.shelves.iter().map(|name| literally(name)).collect();
            all.push(folder(&format!("^({})(/|$)", shelves.join("|")))?);
        }
        if self.has_held {
            let names = [HELD, sweep::LATER].map(fold);
            let inside = folder(&format!(
                "(?i)(^|/)({})(/|$)",
                names.each_ref().map(|name| literally(name)).join("|")
            ))?;
            all.push(Condition::Not(Box::new(inside)));
            if reason.folders {
                let own = WordTest::Plain(PlainTest::Is, names.to_vec());
                let own = Condition::Test(Test::Words(WordSubject::Name, own));
                all.push(Condition::Not(Box::new(own)));
            }
        }
        Some(Condition::all(all))
    }
}

/// Whether a folder is left out, since what lies in it was held or put off.
pub fn is_put_aside(name: &str) -> bool {
    [HELD, sweep::LATER].iter().any(|aside| fold(aside) == fold(name))
}

fn folder(expression: &str) -> Option<Condition> {
    let test = WordTest::Matches(Pattern::new(expression).ok()?);
    Some(Condition::Test(Test::Words(WordSubject::Folder, test)))
}

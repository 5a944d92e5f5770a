//! What a search must be told to list what suggestions count: what lies on shelves, without the archive and what was
//! put off or held.

use nine_core::suggest::{Feature, Reason};

/// Where a search looks.
#[derive(Debug, Clone, Default)]
pub struct SearchScope {
    /// The bookcases with the names of the shelves that count.
    bookcases: Vec<(String, Vec<Vec<u8>>)>,
    /// Whether a bookcase has anything beside these shelves and its archive.
    pub has_others: bool,
    /// Whether there are folders for what was held or put off.
    pub has_held: bool,
}

impl SearchScope {
    /// Adds a bookcase.
    pub fn add(&mut self, bookcase: String, shelves: Vec<Vec<u8>>) {
        self.bookcases.push((bookcase, shelves));
    }

    /// The words of the search that lists what a reason counts.
    pub fn command(&self, reason: &Reason) -> Vec<String> {
        let mut words = vec!["nine".to_owned(), "search".to_owned()];
        words.push(self.condition(&reason.feature, reason.folders));
        for (bookcase, _) in &self.bookcases {
            words.extend(["--in".to_owned(), bookcase.clone()]);
        }
        words.push("--no-archive".to_owned());
        words
    }

    fn condition(&self, feature: &Feature, folders: bool) -> String {
        let mut all = Vec::new();
        if folders {
            all.push("type folder and depth over 1".to_owned());
        }
        all.push(feature.condition());
        if self.has_others {
            let shelves = self.bookcases.iter().flat_map(|(_, shelves)| shelves);
            let mut names: Vec<String> =
                shelves.map(|name| expression(&String::from_utf8_lossy(name))).collect();
            names.sort();
            names.dedup();
            all.push(format!("folder matches \"^({})(/|$)\"", names.join("|")));
        }
        if self.has_held {
            all.push("not folder matches \"(?i)(^|/)(held|sort later)(/|$)\"".to_owned());
            if folders {
                all.push("not name is held,\"sort later\"".to_owned());
            }
        }
        all.join(" and ")
    }
}

/// A text as an expression, inside quotes of a condition.
fn expression(text: &str) -> String {
    let mut out = String::new();
    for c in text.chars() {
        match c {
            c if c.is_alphanumeric() || c == ' ' => out.push(c),
            '"' | '\\' => out.push('.'),
            c if c.is_ascii() => out.extend(['[', c, ']']),
            c => out.push(c),
        }
    }
    out.replace("[^]", ".").replace("[]]", ".")
}

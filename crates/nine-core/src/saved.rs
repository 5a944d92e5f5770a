//! Saved searches: conditions with a name. A starter set ships with the program.

use std::sync::LazyLock;

use crate::condition::{Condition, parse, parse_with};
use crate::diagnostic::{any_of, nearest};
use crate::facet::Facets;

/// A saved search.
#[derive(Debug, Clone, PartialEq)]
pub struct SavedSearch {
    /// Its name.
    pub name: String,
    /// What it asks.
    pub condition: Condition,
    /// Whether it is also kept as a folder of links.
    pub display: bool,
    /// Whether it ships with the program.
    pub starter: bool,
}

/// The starter set: name and condition.
pub const STARTERS: [(&str, &str); 9] = [
    ("installers", "type installer"),
    ("films", "type video"),
    ("pictures", "type image"),
    ("big", "size over 1GB"),
    ("scripts", "ext sh,bash,zsh,fish,py,rb,pl,lua,js,ps1,bat,cmd,command,applescript,vbs"),
    ("untitled", "untitled"),
    ("empty", "file and empty"),
    ("unfinished", "unfinished"),
    ("untouched", "idle over 1y"),
];

/// The starter set, read.
pub fn starters() -> Vec<SavedSearch> {
    static READ: LazyLock<Vec<SavedSearch>> = LazyLock::new(|| {
        let read = |(name, text): (&str, &str)| {
            let condition = parse(text).ok()?;
            Some(SavedSearch { name: name.to_owned(), condition, display: false, starter: true })
        };
        STARTERS.into_iter().filter_map(read).collect()
    });
    READ.clone()
}

/// Finds the condition of a saved search and of those that it uses. `on_the_way` are the searches
/// whose conditions are being read; `own` gives the text of a search of the person's own.
///
/// # Errors
/// If there is no such search, it cannot be read, or it uses itself; with what to do about it.
pub fn resolve(
    name: &str,
    on_the_way: &[&str],
    facets: &Facets,
    own: &dyn Fn(&str) -> Option<String>,
) -> Result<Condition, (String, Option<String>)> {
    if let Some(at) = on_the_way.iter().position(|before| *before == name) {
        let mut circle: Vec<String> = on_the_way[at..].iter().map(|name| format!("`{name}`")).collect();
        circle.push(format!("`{name}`"));
        let message = format!("a saved search cannot use itself: {}", circle.join(" uses "));
        return Err((message, Some("take one of them out of the other's condition".into())));
    }
    let starter = || STARTERS.iter().find(|(known, _)| *known == name).map(|(_, text)| (*text).to_owned());
    let Some(text) = own(name).or_else(starter) else {
        let known = || STARTERS.iter().map(|(known, _)| *known);
        let help = match nearest(name, known()) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("`nine search --list` names them; among them are {}", any_of(known())),
        };
        return Err((format!("there is no saved search `{name}`"), Some(help)));
    };
    let way = [on_the_way, &[name]].concat();
    let circle = std::cell::RefCell::new(None);
    let inner = |used: &str| {
        resolve(used, &way, facets, own).inspect_err(|(message, help)| {
            *circle.borrow_mut() = Some((message.clone(), help.clone()));
        })
    };
    parse_with(&text, facets, &inner).map_err(|finding| {
        let told = circle.borrow_mut().take();
        told.unwrap_or_else(|| {
            (format!("the saved search `{name}` cannot be read: {}", finding.message), finding.help)
        })
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_starter_can_be_read() {
        for (name, text) in STARTERS {
            let condition = resolve(name, &[], &Facets::default(), &|_| None).unwrap();
            assert_eq!(condition.to_string(), text);
        }
    }

    #[test]
    fn a_circle_is_shown() {
        let own = |name: &str| match name {
            "a" => Some("size over 1MB and saved b".to_owned()),
            "b" => Some("not saved c".to_owned()),
            "c" => Some("saved big or saved a".to_owned()),
            "odd" => Some("typ image".to_owned()),
            _ => None,
        };
        let (message, _) = resolve("a", &[], &Facets::default(), &own).unwrap_err();
        assert_eq!(message, "a saved search cannot use itself: `a` uses `b` uses `c` uses `a`");
        assert!(resolve("big", &[], &Facets::default(), &own).is_ok());
        let (message, help) = resolve("odd", &[], &Facets::default(), &own).unwrap_err();
        assert!(message.contains("the saved search `odd` cannot be read: `typ`"), "{message}");
        assert_eq!(help.as_deref(), Some("did you mean `type`?"));
    }
}

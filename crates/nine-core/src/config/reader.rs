//! What every part of a configuration is read with: the text, and what is wrong with it.

use super::Config;
use super::spanned::Spanned;
use crate::diagnostic::{Diagnostic, any_of, nearest};
use crate::pattern::PutPattern;

/// The text that is read, and what was found wrong so far.
pub(super) struct ConfigReader<'a> {
    pub(super) text: &'a str,
    pub(super) findings: Vec<Diagnostic>,
}

impl ConfigReader<'_> {
    /// Notes what is wrong.
    pub(super) fn find(&mut self, finding: Diagnostic) {
        self.findings.push(finding);
    }

    /// Moves a finding inside a string's value to its place in the file. Where the string holds
    /// escapes the whole of it is meant.
    pub(super) fn find_inside(&mut self, value: &Spanned<String>, finding: Diagnostic) {
        let whole = value.span();
        let raw = &self.text[whole.clone()];
        let plain = raw.len() == value.get_ref().len() + 2 && raw[1..].starts_with(value.get_ref().as_str());
        self.find(if plain {
            finding.shifted(whole.start + 1)
        } else {
            Diagnostic { span: whole, ..finding }
        });
    }

    /// A folder's path: it must be absolute or start in the home folder.
    pub(super) fn folder(&mut self, at: &Spanned<String>) -> String {
        let text = at.get_ref();
        if !(text.starts_with('/') || text == "~" || text.starts_with("~/")) {
            self.find(
                Diagnostic::new(at.span(), format!("`{text}` is not a whole path"))
                    .help("write a path that starts with / or with ~/"),
            );
        }
        text.clone()
    }

    /// Whether a shelf that things are put onto is there.
    pub(super) fn check_shelf(&mut self, text: &Spanned<String>, put: &PutPattern, config: &Config) {
        let Some(bookcase) = config.bookcase(put.bookcase.as_deref()) else {
            let known = any_of(config.bookcases.iter().map(|b| b.name.as_str()));
            let message = match &put.bookcase {
                Some(name) => format!("there is no bookcase `{name}`"),
                None => "there is no bookcase to put things in".into(),
            };
            let near = put.bookcase.as_deref().and_then(|name| {
                nearest(name, config.bookcases.iter().map(|bookcase| bookcase.name.as_str()))
            });
            let help = if let Some(near) = near {
                format!("did you mean `{near}`?")
            } else if known.is_empty() {
                "make one: [bookcase.home] at = \"~/Shelves\", shelves = [\"Letters\"]".to_owned()
            } else {
                format!("the bookcases are {known}")
            };
            return self.find(Diagnostic::new(text.span(), message).help(help));
        };
        if !bookcase.shelves.iter().any(|shelf| shelf.number == put.shelf) {
            let message = format!("the bookcase `{}` has no shelf {}", bookcase.name, put.shelf);
            let shelves: Vec<String> =
                bookcase.shelves.iter().map(|shelf| format!("{} {}", shelf.number, shelf.title)).collect();
            let help = match shelves.is_empty() {
                true => "it has no shelves yet".to_owned(),
                false => format!("its shelves are {}", shelves.join(", ")),
            };
            self.find(Diagnostic::new(text.span(), message).help(help));
        }
    }
}

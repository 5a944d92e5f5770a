//! Styles that only this page has, such as the width of a spine. They stand in its one style sheet, since its policy
//! allows no style on an element.

use std::cell::RefCell;
use std::collections::HashMap;
use std::fmt::Write;

/// Rules by what they say.
#[derive(Debug, Default)]
pub struct Rules {
    classes: RefCell<HashMap<String, usize>>,
    text: RefCell<String>,
}

impl Rules {
    /// The class of elements for which these declarations hold.
    pub fn class(&self, declarations: String) -> String {
        let mut classes = self.classes.borrow_mut();
        let next = classes.len();
        let number = *classes.entry(declarations.clone()).or_insert(next);
        if number == next {
            let _ = write!(self.text.borrow_mut(), ":root .r{number}{{{declarations}}}");
        }
        format!("r{number}")
    }

    /// The same, with another class where something is so.
    pub fn class_and(&self, declarations: String, more: &str, is_so: bool) -> String {
        let class = self.class(declarations);
        if is_so { format!("{class} {more}") } else { class }
    }

    /// A part of a whole, in per cent.
    pub fn percent(&self, property: &str, part: f64) -> String {
        self.class(format!("{property}:{:.2}%", part * 100.0))
    }

    /// All of them.
    pub fn text(&self) -> String {
        self.text.borrow().clone()
    }
}

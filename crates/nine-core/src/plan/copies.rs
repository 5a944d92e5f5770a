//! What planners say of items that go because another with the same bytes stays.

use crate::escape::escape;
use crate::place::Spot;
use crate::worklist::Doubt;

/// `copy of home/2 Loans/letter.pdf, which stays: on a shelf`.
pub fn copy_words(stays: &Spot, because: &str) -> String {
    match because {
        "" => format!("copy of {stays}, which stays"),
        because => format!("copy of {stays}, which stays: {because}"),
    }
}

/// The doubt about tags that would be lost; `way_out` says what can be done about it.
pub fn lost_tags(tags: &[String], way_out: &str) -> Option<Doubt> {
    let quoted: Vec<String> = tags.iter().map(|tag| format!("`{}`", escape(tag.as_bytes()))).collect();
    let words = format!("what stays does not have its tags {}{way_out}", quoted.join(", "));
    (!tags.is_empty()).then_some(Doubt::Answer(words))
}

/// The doubt about what lies beside an item, belongs to it and stays behind.
pub fn belongs_to_it(name: &[u8]) -> Doubt {
    Doubt::Answer(format!("`{}` beside it belongs to it, and stays behind", escape(name)))
}

/// The doubt about an item that belongs to another beside it, which stays.
pub fn belongs_to(name: &[u8]) -> Doubt {
    Doubt::Answer(format!("it belongs to `{}` beside it, which stays", escape(name)))
}

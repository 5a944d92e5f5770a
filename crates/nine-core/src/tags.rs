//! Tags: words that a person gives to an item, possibly nested (`client/Harrow`).

use crate::names::fold;

/// The text of a list of tags as the freedesktop.org attribute `user.xdg.tags` keeps it.
///
/// Commas part the tags. A comma or backslash inside a tag is written with a backslash.
pub fn to_attribute(tags: &[String]) -> String {
    let escaped = tags.iter().map(|tag| tag.replace('\\', "\\\\").replace(',', "\\,"));
    escaped.collect::<Vec<_>>().join(",")
}

/// The tags in an attribute's bytes, in order, trimmed, without empty ones and repetitions.
pub fn from_attribute(bytes: &[u8]) -> Vec<String> {
    let text = String::from_utf8_lossy(bytes);
    let mut tags: Vec<String> = Vec::new();
    let mut word = String::new();
    let mut chars = text.chars();
    loop {
        match chars.next() {
            Some('\\') => word.extend(chars.next()),
            Some(',') => {
                add(&mut tags, &std::mem::take(&mut word));
            }
            Some(c) => word.push(c),
            None => break,
        }
    }
    add(&mut tags, &word);
    tags
}

/// Adds `tag` unless an equal one (letter case and Unicode form ignored) is there; says whether.
pub fn add(tags: &mut Vec<String>, tag: &str) -> bool {
    let tag = tag.trim();
    let new = !tag.is_empty() && !tags.iter().any(|have| fold(have) == fold(tag));
    if new {
        tags.push(tag.to_owned());
    }
    new
}

/// Whether `tag` is `wanted` or nested below it.
pub fn answers_to(tag: &str, wanted: &str) -> bool {
    let (tag, wanted) = (fold(tag), fold(wanted));
    tag == wanted || tag.strip_prefix(&wanted).is_some_and(|rest| rest.starts_with('/'))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_nested_tag_answers_to_its_parent() {
        assert!(answers_to("client/Harrow", "Client"));
        assert!(answers_to("client", "client"));
        assert!(!answers_to("clients", "client"));
        assert!(!answers_to("client", "client/Harrow"));
    }

    #[test]
    fn other_programs_lists_are_read() {
        assert_eq!(from_attribute("work, important,,work".as_bytes()), ["work", "important"]);
        assert!(from_attribute(b"").is_empty());
    }

    proptest! {
        #[test]
        fn attributes_are_read_back(words in proptest::collection::vec("[a-z,\\\\/é ]{1,8}", 0..5)) {
            let mut tags = Vec::new();
            for word in &words {
                add(&mut tags, word);
            }
            prop_assert_eq!(from_attribute(to_attribute(&tags).as_bytes()), tags);
        }
    }
}

//! A condition as it is typed in a shell: its words, after the shell took the quotes away.

use super::print::value;
use super::vocabulary::{JOINTS, TEXT_TESTS};

/// Words after which values come, so that brackets in the next word are part of a value.
const BEFORE_VALUES: [&str; 4] = ["tag", "type", "ext", "saved"];

/// Joins the words of a command line to the text of a condition. The quotes that a person typed are
/// gone by then, so a word that holds spaces is a value and gets them back; a single word is taken
/// as it stands, since the whole condition may have been put in quotes.
pub fn from_typed(words: &[String]) -> String {
    let [first, rest @ ..] = words else {
        return String::new();
    };
    if rest.is_empty() {
        return first.clone();
    }
    let mut out = vec![with_quotes(first, "")];
    out.extend(words.windows(2).map(|pair| with_quotes(&pair[1], &pair[0])));
    out.join(" ")
}

fn with_quotes(word: &str, before: &str) -> String {
    let before = before.to_ascii_lowercase();
    let is_value = TEXT_TESTS.contains(&before.as_str()) || BEFORE_VALUES.contains(&before.as_str());
    let has_space = word.contains(char::is_whitespace);
    let has_brackets = word.contains(['(', ')']);
    let is_joint = JOINTS.iter().any(|joint| joint.eq_ignore_ascii_case(word));
    let needs_quotes = has_space || (is_value && (has_brackets || is_joint));
    if word.starts_with(['"', '\'']) || !needs_quotes {
        return word.to_owned();
    }
    // In a regular expression a comma is one; elsewhere a comma with no space joins values.
    if before == "matches" {
        return value(word, &[]);
    }
    split_at_joints(word).into_iter().map(|part| value(part, &[])).collect::<Vec<_>>().join(",")
}

/// Cuts a word at its commas, unless a space follows.
fn split_at_joints(word: &str) -> Vec<&str> {
    let mut parts = Vec::new();
    let mut start = 0;
    for (at, _) in word.match_indices(',') {
        let after = word[at + 1..].chars().next();
        if at > start && after.is_some_and(|c| !c.is_whitespace()) {
            parts.push(&word[start..at]);
            start = at + 1;
        }
    }
    parts.push(&word[start..]);
    parts
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::condition::parse;
    use proptest::prelude::*;

    fn typed(words: &[&str]) -> String {
        from_typed(&words.iter().map(|word| (*word).to_owned()).collect::<Vec<_>>())
    }

    #[test]
    fn words_need_no_quotes() {
        assert_eq!(typed(&["type", "image", "and", "age", "over", "90d"]), "type image and age over 90d");
        assert_eq!(typed(&["type image or empty"]), "type image or empty");
        assert_eq!(typed(&["(", "empty", "or", "link", ")", "and", "loose"]), "( empty or link ) and loose");
        assert_eq!(typed(&[]), "");
    }

    #[test]
    fn values_get_their_quotes_back() {
        assert_eq!(typed(&["name", "is", "Harrow Dock Trust"]), "name is \"Harrow Dock Trust\"");
        assert_eq!(typed(&["name", "has", "Harrow Dock,Kittiwake"]), "name has \"Harrow Dock\",Kittiwake");
        assert_eq!(typed(&["name", "has", "crates, empty"]), "name has \"crates, empty\"");
        assert_eq!(typed(&["name", "has", "(1)"]), "name has \"(1)\"");
        assert_eq!(typed(&["name", "matches", "^(a|b), c"]), "name matches \"^(a|b), c\"");
        assert_eq!(typed(&["name", "has", "or", "or", "empty"]), "name has \"or\" or empty");
        assert_eq!(typed(&["tag", "name me", "and", "empty"]), "tag \"name me\" and empty");
        for words in [&["name", "matches", "x (\\d+),\"y\" z"][..], &["folder", "is", "a \"b\" c"]] {
            let condition = parse(&typed(words)).unwrap();
            let shown = condition.to_string();
            assert_eq!(parse(&shown).unwrap(), condition);
        }
    }

    /// The words of a command line as a shell hands them on: parted at spaces, double quotes taken away.
    fn as_a_shell_does(line: &str) -> Vec<String> {
        let (mut words, mut word, mut is_quoted) = (Vec::new(), String::new(), false);
        let mut chars = line.chars();
        while let Some(c) = chars.next() {
            match c {
                '"' => is_quoted = !is_quoted,
                '\\' if is_quoted => word.extend(chars.next()),
                c if c.is_whitespace() && !is_quoted => words.push(std::mem::take(&mut word)),
                c => word.push(c),
            }
        }
        words.push(word);
        words
    }

    proptest! {
        #[test]
        fn what_is_typed_means_what_it_would_in_quotes(
            values in proptest::collection::vec("q[a-zé]{0,3}( [a-z(1)]{1,4})?", 1..4),
            subject in "name (is|has|starts)|stem ends|folder has|tag",
            also in "and empty|or not link|and size over 1GB",
        ) {
            let quoted: Vec<String> = values.iter().map(|value| format!("\"{value}\"")).collect();
            let line = format!("{subject} {} {also}", quoted.join(","));
            let typed = from_typed(&as_a_shell_does(&line));
            prop_assert_eq!(parse(&typed).unwrap(), parse(&line).unwrap(), "{}", typed);
        }
    }
}

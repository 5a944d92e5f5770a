//! Two changes of one text put together, line by line.

/// The text `now` with the change from `after` back to `before` in it; `None` if both changed the same lines.
///
/// A three-way merge (Khanna, Kunal and Pierce 2007, *A Formal Investigation of Diff3*).
pub fn without_change(before: &str, after: &str, now: &str) -> Option<String> {
    diffy::merge(after, before, now).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_others_wrote_since_stays_and_the_same_lines_are_refused() {
        let (before, after) = ("a\nb\nc\nd\ne\n", "a\nB\nc\nd\ne\n");
        assert_eq!(without_change(before, after, after).as_deref(), Some(before));
        let now = "a\nB\nc\nd\nE\nf\n";
        assert_eq!(without_change(before, after, now).as_deref(), Some("a\nb\nc\nd\nE\nf\n"));
        assert_eq!(without_change(before, after, "a\nmine\nc\nd\ne\n"), None);
    }
}

//! Two changes of one text put together, line by line.

/// The text `now` with the change from `after` back to `before` in it; `None` if both changed the same lines.
///
/// A three-way merge (Khanna, Kunal and Pierce 2007, *A Formal Investigation of Diff3*).
pub fn without_change(before: &str, after: &str, now: &str) -> Option<String> {
    diffy::merge(after, before, now).ok()
}

/// A line of a text that changes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum LineChange {
    /// It stands beside the change and stays.
    Stays(String),
    /// It goes.
    Goes(String),
    /// It comes.
    Comes(String),
    /// Here lines that stay are left out.
    Gap,
}

/// The lines in which two texts differ, each group with a line before and behind it.
pub fn changed_lines(old: &str, new: &str) -> Vec<LineChange> {
    let mut options = diffy::DiffOptions::new();
    options.set_context_len(1);
    let patch = options.create_patch(old, new);
    let mut lines = Vec::new();
    for (at, hunk) in patch.hunks().iter().enumerate() {
        if at > 0 {
            lines.push(LineChange::Gap);
        }
        lines.extend(hunk.lines().iter().map(|line| {
            let text = |line: &str| line.trim_end_matches(['\n', '\r']).to_owned();
            match line {
                diffy::Line::Context(line) => LineChange::Stays(text(line)),
                diffy::Line::Delete(line) => LineChange::Goes(text(line)),
                diffy::Line::Insert(line) => LineChange::Comes(text(line)),
            }
        }));
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_changes_is_told() {
        use LineChange::{Comes, Gap, Goes, Stays};
        let lines = changed_lines("a\nb\nc\nd\ne\nf\n", "a\nB\nc\nd\ne\nf\ng\n");
        let of = |text: &str| text.to_owned();
        let wanted = [
            Stays(of("a")),
            Goes(of("b")),
            Comes(of("B")),
            Stays(of("c")),
            Gap,
            Stays(of("f")),
            Comes(of("g")),
        ];
        assert_eq!(lines, wanted);
        assert!(changed_lines("a\n", "a\n").is_empty());
    }

    #[test]
    fn what_others_wrote_since_stays_and_the_same_lines_are_refused() {
        let (before, after) = ("a\nb\nc\nd\ne\n", "a\nB\nc\nd\ne\n");
        assert_eq!(without_change(before, after, after).as_deref(), Some(before));
        let now = "a\nB\nc\nd\nE\nf\n";
        assert_eq!(without_change(before, after, now).as_deref(), Some("a\nb\nc\nd\nE\nf\n"));
        assert_eq!(without_change(before, after, "a\nmine\nc\nd\ne\n"), None);
    }
}

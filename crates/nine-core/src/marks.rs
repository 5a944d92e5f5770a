//! Marks of shelves in the names of their folders.

/// Whether a text can be the mark of a shelf: a sign or two, and nothing that could be a name or part of a path.
pub fn is_mark(text: &str) -> bool {
    let is_sign = |c: char| !c.is_alphanumeric() && !c.is_whitespace() && !c.is_control() && !c.is_ascii();
    // An emoji may be several characters long: joined ones, with a tone or a form behind them.
    !text.is_empty() && text.chars().count() <= 8 && text.chars().all(is_sign)
}

/// What follows a shelf's number, and a mark where there is one.
pub fn without_mark(title: &str) -> &str {
    match title.split_once(' ') {
        Some((mark, rest)) if is_mark(mark) => rest.trim_start(),
        _ => title,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn marks_are_signs_and_names_do_without_them() {
        for mark in ["⚓", "★", "🧑‍🌾", "🖼️", "👩🏽"] {
            assert!(is_mark(mark), "{mark}");
            assert_eq!(without_mark(&format!("{mark} Loans")), "Loans");
        }
        for none in ["", "x", "1", "*", "/", "⚓ ", "⚓a", "\u{7}", "★★★★★★★★★"] {
            assert!(!is_mark(none), "{none:?}");
        }
        assert_eq!((without_mark("Loans"), without_mark("The ⚓ shelf")), ("Loans", "The ⚓ shelf"));
    }
}

//! The `.directory` file by which a folder has an icon in file managers (Desktop Entry Specification 1.5, of type
//! `Directory`).

/// The file's name.
pub const NAME: &str = ".directory";

/// The group of keys that it is about.
const GROUP: &str = "[Desktop Entry]";

/// The file with another icon: whatever else stands in it stays as it is.
pub fn with_icon(old: Option<&str>, icon: &str) -> String {
    let line = format!("Icon={icon}");
    let Some(old) = old.filter(|old| !old.trim().is_empty()) else {
        return format!("{GROUP}\nType=Directory\n{line}\n");
    };
    let is_key = |text: &str, key: &str| text.split_once('=').is_some_and(|(name, _)| name.trim_end() == key);
    let lines: Vec<&str> = old.lines().collect();
    let Some(start) = lines.iter().position(|line| line.trim_end() == GROUP) else {
        return format!("{GROUP}\nType=Directory\n{line}\n\n{old}");
    };
    let end = lines[start + 1..].iter().position(|line| line.starts_with('['));
    let end = end.map_or(lines.len(), |end| start + 1 + end);
    let mut new: Vec<&str> = lines.clone();
    match (start + 1..end).find(|at| is_key(lines[*at], "Icon")) {
        Some(at) => new[at] = &line,
        None => new.insert(start + 1, &line),
    }
    let mut text = new.join("\n");
    if old.ends_with('\n') {
        text.push('\n');
    }
    text
}

/// A picture of a folder with a mark on it, in a colour such as `#2e6fb7`.
pub fn picture(mark: &str, color: &str) -> String {
    let mark = mark.replace('&', "&amp;").replace('<', "&lt;");
    format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 64 64\">\n\
        <path fill=\"{color}\" d=\"M4 14a4 4 0 0 1 4-4h16l6 6h26a4 4 0 0 1 4 4v32a4 4 0 0 1-4 4H8a4 4 0 0 1-4-4z\"/>\n\
        <text x=\"32\" y=\"46\" font-size=\"26\" text-anchor=\"middle\">{mark}</text>\n</svg>\n"
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn only_the_icon_changes() {
        assert_eq!(with_icon(None, "./a.svg"), "[Desktop Entry]\nType=Directory\nIcon=./a.svg\n");
        let old = "# mine\n[Desktop Entry]\nIcon = folder-red\nName=Loans\n[X-Other]\nIcon=stays";
        assert_eq!(with_icon(Some(old), "b"), old.replace("Icon = folder-red", "Icon=b"));
        let without = "[X-Other]\nIcon=stays\n[Desktop Entry]\nType=Directory\n";
        assert_eq!(with_icon(Some(without), "b"), format!("{}Icon=b\nType=Directory\n", &without[..37]));
        let other = "[Dolphin]\nTimestamp=1\n";
        assert!(with_icon(Some(other), "b").ends_with(other));
    }

    proptest! {
        #[test]
        fn no_line_is_lost(old in "((\\[Desktop Entry\\]|\\[Other\\]|Icon=x|Name=y|# z|)\n){0,8}") {
            let new = with_icon(Some(&old), "mine");
            for line in old.lines().filter(|line| !line.is_empty() && *line != "Icon=x") {
                prop_assert!(new.lines().any(|kept| kept == line), "{}", new);
            }
            prop_assert_eq!(with_icon(Some(&new), "mine"), new.clone());
            prop_assert!(new.contains("Icon=mine"));
        }
    }
}

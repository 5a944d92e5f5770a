//! What a package holds: pages that manuals show without a warning, one for each command, and what shells load.

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;
use std::process::Command;

fn made() -> tempfile::TempDir {
    let dir = tempfile::tempdir().unwrap();
    nine_dist::write(dir.path()).unwrap();
    dir
}

fn names(folder: &Path) -> BTreeSet<String> {
    let entries = fs::read_dir(folder).unwrap().flatten();
    entries.map(|entry| entry.file_name().into_string().unwrap()).collect()
}

#[test]
fn every_command_has_its_page_and_every_option_its_words() {
    let dir = made();
    let pages = names(&dir.path().join("man"));
    for page in
        ["nine.1", "nine-tidy.1", "nine-rule-add.1", "nine-conditions.7", "nine-patterns.7", "shelves.toml.5"]
    {
        assert!(pages.contains(page), "{page} is not among {pages:?}");
    }
    let text = fs::read_to_string(dir.path().join("man/nine-put.1")).unwrap();
    for words in ["Everything that a saved search finds", "keep\\-folders", ".SH EXAMPLES"] {
        assert!(text.contains(words), "{words} is not in\n{text}");
    }
    let text = fs::read_to_string(dir.path().join("man/nine-conditions.7")).unwrap();
    assert!(text.contains("\\fBduration\\fR") && !text.contains('|') && !text.contains("**"), "{text}");
}

#[test]
fn pages_are_shown_without_a_warning() {
    let dir = made();
    for page in names(&dir.path().join("man")) {
        let at = dir.path().join("man").join(&page);
        let Ok(linted) = Command::new("mandoc").args(["-T", "lint", "-W", "warning"]).arg(at).output() else {
            assert!(std::env::var_os("CI").is_none(), "mandoc is to be installed");
            return;
        };
        let found = String::from_utf8_lossy(&linted.stdout);
        assert!(linted.status.success() && found.is_empty(), "{page}: {found}");
    }
}

#[test]
fn shells_read_what_they_load() {
    let dir = made();
    let folder = dir.path().join("completions");
    assert_eq!(names(&folder), BTreeSet::from(["_nine", "nine", "nine.fish"].map(str::to_owned)));
    assert!(fs::read_to_string(folder.join("_nine")).unwrap().starts_with("#compdef nine\n"));
    for (shell, file) in [("bash", "nine"), ("zsh", "_nine"), ("fish", "nine.fish")] {
        let Ok(read) = Command::new(shell).arg("-n").arg(folder.join(file)).output() else {
            assert!(std::env::var_os("CI").is_none(), "{shell} is to be installed");
            continue;
        };
        assert!(read.status.success(), "{shell}: {}", String::from_utf8_lossy(&read.stderr));
    }
}

#[test]
fn the_day_of_the_release_is_that_of_the_log() {
    let day: Vec<&str> = nine_dist::released().split('-').collect();
    assert_eq!(day.iter().map(|part| part.len()).collect::<Vec<_>>(), [4, 2, 2], "{day:?}");
}

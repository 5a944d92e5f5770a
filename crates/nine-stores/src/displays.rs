//! Folders of links: what a saved search finds, for any program's file dialog.
//!
//! Only links are made, and only links that were made here are taken away: each is known by its name
//! and its target. Whatever else a person puts into such a folder stays.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::ffi::{OsStr, OsString};
use std::io::{self, ErrorKind};
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::symlink;
use std::path::{Path, PathBuf};

use nine_core::names::numbered;

/// Links by their names.
pub type Links = BTreeMap<OsString, PathBuf>;

/// Names the links to some targets: a target's own name, with a number where several have one.
/// `taken` are names that something else has.
pub fn name_links(targets: impl IntoIterator<Item = PathBuf>, taken: &HashSet<OsString>) -> Links {
    let mut links = Links::new();
    let mut last: HashMap<OsString, usize> = HashMap::new();
    for target in targets {
        let Some(name) = target.file_name().map(OsStr::to_owned) else { continue };
        let free = |candidate: &OsString| !links.contains_key(candidate) && !taken.contains(candidate);
        let link = match free(&name) {
            true => name,
            false => {
                let from = last.get(&name).map_or(2, |last| last + 1);
                let numbered = |n: usize| OsStr::from_bytes(&numbered(name.as_bytes(), n, false)).to_owned();
                let number = (from..).find(|n| free(&numbered(*n))).expect("numbers do not run out");
                last.insert(name.clone(), number);
                numbered(number)
            }
        };
        links.insert(link, target);
    }
    links
}

/// What stands in a folder of links and is not one that was made here.
///
/// # Errors
/// If the folder is there and cannot be read, or is no folder.
pub fn strangers(folder: &Path, made: &Links) -> io::Result<HashSet<OsString>> {
    check_folder(folder)?;
    let entries = match std::fs::read_dir(folder) {
        Err(e) if e.kind() == ErrorKind::NotFound => return Ok(HashSet::new()),
        other => other?,
    };
    let mut strangers = HashSet::new();
    for entry in entries {
        let entry = entry?;
        if !is_link_to(&entry.path(), made.get(&entry.file_name())) {
            strangers.insert(entry.file_name());
        }
    }
    Ok(strangers)
}

/// A folder of links must be a folder itself, or what is put in it would lie elsewhere.
fn check_folder(folder: &Path) -> io::Result<()> {
    match std::fs::symlink_metadata(folder) {
        Ok(found) if found.is_dir() => Ok(()),
        Ok(_) => Err(io::Error::other("something that is no folder has its name")),
        Err(e) if e.kind() == ErrorKind::NotFound => Ok(()),
        Err(e) => Err(e),
    }
}

/// Makes the folder hold the `wanted` links besides what is no link of ours; `made` are those that
/// were made before. Returns how many were made and taken away.
///
/// # Errors
/// If the folder cannot be changed.
pub fn show(folder: &Path, made: &Links, wanted: &Links) -> io::Result<(usize, usize)> {
    check_folder(folder)?;
    std::fs::create_dir_all(folder)?;
    let (mut new, mut gone) = (0, 0);
    for (name, target) in made.iter().filter(|(name, target)| wanted.get(*name) != Some(target)) {
        gone += usize::from(take_away(&folder.join(name), target)?);
    }
    for (name, target) in wanted {
        match symlink(target, folder.join(name)) {
            Ok(()) => new += 1,
            Err(e) if e.kind() == ErrorKind::AlreadyExists => {}
            Err(e) => return Err(e),
        }
    }
    Ok((new, gone))
}

/// Takes away the links that were made, and the folder if nothing else is in it.
///
/// # Errors
/// If the folder cannot be changed.
pub fn take_down(folder: &Path, made: &Links) -> io::Result<()> {
    check_folder(folder)?;
    for (name, target) in made {
        take_away(&folder.join(name), target)?;
    }
    match std::fs::remove_dir(folder) {
        Err(e) if !matches!(e.kind(), ErrorKind::NotFound | ErrorKind::DirectoryNotEmpty) => Err(e),
        _ => Ok(()),
    }
}

fn take_away(link: &Path, target: &Path) -> io::Result<bool> {
    if !is_link_to(link, Some(&target.to_owned())) {
        return Ok(false);
    }
    std::fs::remove_file(link).map(|()| true)
}

fn is_link_to(link: &Path, target: Option<&PathBuf>) -> bool {
    std::fs::read_link(link).is_ok_and(|found| Some(&found) == target)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn links_of_one_name_get_numbers_and_leave_taken_names_alone() {
        let targets = ["/a/plan.pdf", "/b/plan.pdf", "/c/plan.pdf", "/a/box", "/"].map(PathBuf::from);
        let taken: HashSet<OsString> = ["plan (2).pdf", "box"].map(OsString::from).into();
        let links = name_links(targets, &taken);
        let named: Vec<(&str, &str)> =
            links.iter().map(|(name, target)| (name.to_str().unwrap(), target.to_str().unwrap())).collect();
        assert_eq!(
            named,
            [
                ("box (2)", "/a/box"),
                ("plan (3).pdf", "/b/plan.pdf"),
                ("plan (4).pdf", "/c/plan.pdf"),
                ("plan.pdf", "/a/plan.pdf"),
            ]
        );
    }

    #[test]
    fn only_links_that_were_made_here_are_taken_away() {
        let dir = tempfile::tempdir().unwrap();
        let folder = dir.path().join("big");
        let link = |name: &str, target: &str| (OsString::from(name), PathBuf::from(target));
        let made = Links::from([link("a", "/x/a"), link("b", "/x/b")]);
        assert_eq!(show(&folder, &Links::new(), &made).unwrap(), (2, 0));
        // One was turned elsewhere by the person, one went by itself.
        std::fs::remove_file(folder.join("a")).unwrap();
        symlink("/mine", folder.join("a")).unwrap();
        let wanted = Links::from([link("c", "/x/c")]);
        assert_eq!(strangers(&folder, &made).unwrap(), HashSet::from([OsString::from("a")]));
        assert_eq!(show(&folder, &made, &wanted).unwrap(), (1, 1));
        take_down(&folder, &wanted).unwrap();
        assert_eq!(std::fs::read_link(folder.join("a")).unwrap(), Path::new("/mine"));
        std::fs::remove_file(folder.join("a")).unwrap();
        take_down(&folder, &wanted).unwrap();
        assert!(!folder.exists());
    }
}

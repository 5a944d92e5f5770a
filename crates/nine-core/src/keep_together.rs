//! What is moved as one or not at all.

use crate::names::{fold_bytes, split_extension};

/// Why a folder is not torn apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Together {
    /// It is a version-control checkout.
    Checkout,
    /// It is an application or library bundle.
    Bundle,
    /// It holds a file named `.keep-together`.
    Marked,
}

impl Together {
    /// The reason for people.
    pub fn words(self) -> &'static str {
        match self {
            Together::Checkout => "a version-control checkout",
            Together::Bundle => "a bundle",
            Together::Marked => "marked .keep-together",
        }
    }
}

/// The name of the file that keeps a folder together.
pub const MARK: &[u8] = b".keep-together";

const CHECKOUTS: [&[u8]; 7] = [b".git", b".hg", b".svn", b".bzr", b".fossil", b".pijul", b"CVS"];

const BUNDLES: [&[u8]; 12] = [
    b".app",
    b".bundle",
    b".framework",
    b".plugin",
    b".photoslibrary",
    b".musiclibrary",
    b".rtfd",
    b".xcodeproj",
    b".lproj",
    b".pages",
    b".numbers",
    b".key",
];

/// Whether a folder of this name with entries of these names is kept together, and why.
pub fn folder<'a>(name: &[u8], mut children: impl Iterator<Item = &'a [u8]>) -> Option<Together> {
    let lower = name.to_ascii_lowercase();
    if BUNDLES.iter().any(|ext| lower.len() > ext.len() && lower.ends_with(ext)) {
        return Some(Together::Bundle);
    }
    children.find_map(|child| match child {
        // Nearly all names begin otherwise, and those of all folders are asked about.
        [] | [..=b'-' | b'/'..=b'B' | b'D'.., ..] => None,
        MARK => Some(Together::Marked),
        child if CHECKOUTS.contains(&child) => Some(Together::Checkout),
        _ => None,
    })
}

/// The kind of set that files side by side form.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Set {
    /// A saved web page and the folder of its files. The page points to the folder by its name, so
    /// neither can be renamed.
    Page,
    /// A photo and the sidecar that describes it; renamed alike.
    Photo,
}

const PAGES: [&str; 3] = ["html", "htm", "xhtml"];
const PAGE_FOLDERS: [&str; 4] = ["_files", ".files", "-files", "-dateien"];
const SIDECARS: [&str; 4] = ["xmp", "aae", "thm", "pp3"];
const PHOTOS: [&str; 18] = [
    "jpg", "jpeg", "png", "heic", "heif", "tif", "tiff", "dng", "cr2", "cr3", "nef", "arw", "orf", "raf",
    "rw2", "raw", "webp", "mov",
];

fn parts(name: &[u8]) -> (String, String) {
    let (stem, ext) = split_extension(name);
    (fold_bytes(stem), folded_ext(ext))
}

fn folded_ext(ext: &[u8]) -> String {
    fold_bytes(ext.strip_prefix(b".").unwrap_or(b""))
}

/// Whether `follower` goes where `leader` goes, both lying in one folder.
pub fn follows(leader: &[u8], follower: &[u8], follower_is_folder: bool) -> Option<Set> {
    let (stem, ext) = parts(leader);
    if follower_is_folder {
        let name = fold_bytes(follower);
        let files = PAGES.contains(&ext.as_str())
            && name.strip_prefix(&stem).is_some_and(|rest| PAGE_FOLDERS.contains(&rest));
        return files.then_some(Set::Page);
    }
    let (side_stem, side_ext) = parts(follower);
    let beside = side_stem == stem || side_stem == fold_bytes(leader);
    let photo = PHOTOS.contains(&ext.as_str()) && SIDECARS.contains(&side_ext.as_str());
    (beside && photo).then_some(Set::Photo)
}

/// The folded stem or name of the leader that a name would follow, if it could follow one at all.
pub fn leader_key(name: &[u8], is_folder: bool) -> Option<String> {
    if is_folder {
        let name = fold_bytes(name);
        return PAGE_FOLDERS.iter().find_map(|end| name.strip_suffix(end)).map(str::to_owned);
    }
    let (stem, ext) = split_extension(name);
    SIDECARS.contains(&folded_ext(ext).as_str()).then(|| fold_bytes(stem))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn folders_kept_together() {
        let of =
            |name: &str, children: &[&str]| folder(name.as_bytes(), children.iter().map(|c| c.as_bytes()));
        assert_eq!(of("site", &["a", ".git"]), Some(Together::Checkout));
        assert_eq!(of("Tide.app", &[]), Some(Together::Bundle));
        assert_eq!(of("loans", &[".keep-together"]), Some(Together::Marked));
        assert_eq!(of("loans", &["git", "a.app"]), None);
        assert_eq!(of(".app", &[]), None);
    }

    #[test]
    fn sets_of_files() {
        assert_eq!(follows(b"Tide tables.html", b"Tide tables_files", true), Some(Set::Page));
        assert_eq!(follows(b"IMG_1.JPG", b"img_1.xmp", false), Some(Set::Photo));
        assert_eq!(follows(b"IMG_1.JPG", b"IMG_1.JPG.xmp", false), Some(Set::Photo));
        assert_eq!(follows(b"IMG_1.JPG", b"IMG_12.xmp", false), None);
        assert_eq!(follows(b"Tide tables.pdf", b"Tide tables_files", true), None);
        assert_eq!(leader_key(b"A_files", true).as_deref(), Some("a"));
        assert_eq!(leader_key(b"IMG_1.JPG.xmp", false).as_deref(), Some("img_1.jpg"));
        assert_eq!(leader_key(b"a.jpg", false), None);
    }
}

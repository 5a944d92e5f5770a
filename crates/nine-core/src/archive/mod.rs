//! The archive: dated folders on a shelf, each with two lists that say what it holds. A dated folder may
//! be packed into one file, beside which its list of contents stays.

mod contents;
mod listed;
mod sums;

pub use contents::{BadContents, Contents, ContentsLine};
pub use sums::{Sum, Sums};

use crate::condition::Condition;
use crate::pattern::PutPattern;
use crate::place::{ItemPath, Name, NameBuf, Spot};

/// The name of the list of checksums, as `sha256sum` writes one.
pub const SUMS: &str = "SHA256SUMS";
/// The same as a name.
pub const SUMS_NAME: Name = Name::constant(SUMS);

/// The name of the list that says where each item came from.
pub const CONTENTS: &str = "contents.csv";
/// The same as a name.
pub const CONTENTS_NAME: Name = Name::constant(CONTENTS);

/// What the configuration says of the archive.
#[derive(Debug, Clone, PartialEq)]
pub struct Archive {
    /// What is stale.
    pub when: Condition,
    /// The dated folder, and folders in it. Some part names `{today}`.
    pub put: PutPattern,
}

/// The condition for what is stale, where the configuration gives none.
pub const USUAL_WHEN: &str = "idle over 180d and not tag keep";

impl Archive {
    /// How many folders deep below the shelf the dated folders lie: the last part that names the day.
    pub fn depth(&self) -> usize {
        self.put.folders.iter().rposition(|folder| folder.names_today()).map_or(0, |at| at + 1)
    }
}

/// Which form a dated folder is packed in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// ZIP, from which single items are read at once.
    Zip,
    /// tar, compressed with Zstandard (RFC 8878): smaller, read from its start.
    TarZst,
}

impl Form {
    /// All of them.
    pub const ALL: [Form; 2] = [Form::Zip, Form::TarZst];

    /// The extension, with its dot.
    pub fn extension(self) -> &'static str {
        match self {
            Form::Zip => ".zip",
            Form::TarZst => ".tar.zst",
        }
    }

    /// The name of a pack of this form.
    pub fn pack_of(self, stem: Name) -> NameBuf {
        NameBuf::held([&stem, self.extension().as_bytes()].concat())
    }

    /// The form of a pack of this name, and the name without the extension.
    pub fn of_name(name: &[u8]) -> Option<(Form, Name<'_>)> {
        Form::ALL.into_iter().find_map(|form| {
            let stem = name.strip_suffix(form.extension().as_bytes())?;
            Some((form, Name::new(stem)?))
        })
    }
}

/// The name of the list that stays beside a pack.
pub fn list_beside(stem: Name) -> NameBuf {
    NameBuf::held([&stem, b".".as_slice(), CONTENTS.as_bytes()].concat())
}

/// The pack that a path leads into, and the path inside it.
pub fn in_pack(spot: &Spot) -> Option<(Spot, ItemPath)> {
    let parts: Vec<Name> = spot.path.parts().collect();
    let at = parts[..parts.len().saturating_sub(1)].iter().position(|part| Form::of_name(part).is_some())?;
    let of = |parts: &[Name]| ItemPath::of_names(parts.iter().copied());
    Some((Spot::new(spot.place.clone(), of(&parts[..=at])), of(&parts[at + 1..])))
}

#[cfg(test)]
mod tests;

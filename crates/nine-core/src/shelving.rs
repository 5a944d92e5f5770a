//! Bookcases and their shelves: which folder is which shelf.

use crate::config::{Bookcase, ShelfConfig};
use crate::marks::without_mark;
use crate::names::fold;
use crate::place::{ItemPath, Name, NameBuf, Spot};

/// A shelf and the folders of its bookcase that carry its number.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shelf {
    /// 1 to 9.
    pub number: u8,
    /// As the configuration has it.
    pub config: ShelfConfig,
    /// Its folder's name, as the configuration has it: `3 Grants`, `2 ⚓ Loans`.
    pub wanted: NameBuf,
    /// The folders that carry its number, in the order in which they were found.
    pub found: Vec<NameBuf>,
}

/// Which folder is the shelf.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ShelfFolder {
    /// It is there under the name that the configuration gives.
    There(NameBuf),
    /// It is there, renamed by hand; its number tells.
    Renamed(NameBuf),
    /// It is not there yet and will get this name.
    Missing(NameBuf),
    /// Several folders carry the number and none has the configured name.
    Ambiguous,
}

impl Shelf {
    /// Whether it is meant by a word: its number, its title, both, or the name of its folder.
    pub fn is_called(&self, word: &str) -> bool {
        let wanted = fold(word);
        let numbered = format!("{} {}", self.number, self.config.title);
        let found = self.found.iter().any(|name| fold(&String::from_utf8_lossy(name)) == wanted);
        word == self.number.to_string()
            || wanted == fold(&self.config.title)
            || wanted == fold(&numbered)
            || found
    }

    /// Whether it is for what is put off: it is called Later.
    pub fn is_for_later(&self) -> bool {
        fold(without_mark(&self.config.title)) == "later"
    }

    /// Whether a folder of its number has its title, whatever mark stands in its name.
    fn is_titled(&self, name: &NameBuf) -> bool {
        let title = std::str::from_utf8(&name[1..]).unwrap_or_default();
        title.strip_prefix(' ').is_some_and(|title| without_mark(title) == self.config.title)
    }

    /// Finds the shelf's folder by its name, or by its number.
    pub fn folder(&self) -> ShelfFolder {
        let wanted = self.wanted.clone();
        match self.found.as_slice() {
            found if found.contains(&wanted) => ShelfFolder::There(wanted),
            [one] if self.is_titled(one) => ShelfFolder::There(one.clone()),
            [] => ShelfFolder::Missing(wanted),
            [one] => ShelfFolder::Renamed(one.clone()),
            _ => ShelfFolder::Ambiguous,
        }
    }
}

/// The number that a shelf's folder name starts with: `3` in `3 Grants`, `3. Grants`, `3`.
pub fn shelf_number(name: &[u8]) -> Option<u8> {
    match name {
        [digit @ b'1'..=b'9'] => Some(digit - b'0'),
        [digit @ b'1'..=b'9', b' ' | b'.' | b'_' | b'-', ..] => Some(digit - b'0'),
        _ => None,
    }
}

/// A bookcase as it stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shelving {
    /// The bookcase's name.
    pub bookcase: String,
    /// Its shelves.
    pub shelves: Vec<Shelf>,
}

impl Shelving {
    /// Matches the shelves of the configuration with the names of the folders in the bookcase.
    pub fn new<'a>(bookcase: &Bookcase, folders: impl Iterator<Item = Name<'a>> + Clone) -> Self {
        let shelves = bookcase.shelves.iter().map(|shelf| {
            let found = folders.clone().filter(|name| shelf_number(name) == Some(shelf.number));
            Shelf {
                number: shelf.number,
                config: shelf.clone(),
                wanted: shelf.folder_name(bookcase.marks),
                found: found.map(NameBuf::from).collect(),
            }
        });
        Self { bookcase: bookcase.name.clone(), shelves: shelves.collect() }
    }

    /// The shelf of this number.
    pub fn shelf(&self, number: u8) -> Option<&Shelf> {
        self.shelves.iter().find(|shelf| shelf.number == number)
    }

    /// Where a shelf's folder is or will be; `None` if several carry its number.
    pub fn spot(&self, number: u8) -> Option<Spot> {
        match self.shelf(number)?.folder() {
            ShelfFolder::There(name) | ShelfFolder::Renamed(name) | ShelfFolder::Missing(name) => {
                Some(Spot::new(self.bookcase.clone(), ItemPath::root().join(&name)))
            }
            ShelfFolder::Ambiguous => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::config::Marks;

    fn bookcase() -> Bookcase {
        let titled = |(number, title): (u8, &str)| ShelfConfig {
            number,
            title: title.into(),
            ..ShelfConfig::default()
        };
        Bookcase {
            name: "home".into(),
            at: "/x".into(),
            at_span: 0..0,
            text: false,
            marks: Marks::Name,
            shelves: [(1, "Exhibitions"), (2, "Loans"), (3, "Grants")].map(titled).into(),
        }
    }

    fn shelving(folders: &[&str]) -> Shelving {
        Shelving::new(&bookcase(), folders.iter().map(|f| Name::new(f.as_bytes()).unwrap()))
    }

    #[test]
    fn a_mark_in_the_name_is_no_other_name() {
        let mut marked = bookcase();
        marked.shelves[1].mark = Some("⚓".into());
        let of = |case: &Bookcase, folder: &str| {
            Shelving::new(case, [Name::new(folder.as_bytes()).unwrap()].into_iter()).shelves[1].folder()
        };
        let there = |name: &str| ShelfFolder::There(NameBuf::new(name).unwrap());
        for name in ["2 Loans", "2 ⚓ Loans", "2 🧑‍🌾 Loans"] {
            assert_eq!(of(&marked, name), there(name));
            assert_eq!(of(&bookcase(), name), there(name));
        }
        assert!(matches!(of(&marked, "2 ⚓ Borrowed"), ShelfFolder::Renamed(_)));
        assert_eq!(of(&marked, "3 Grants"), ShelfFolder::Missing(NameBuf::new("2 ⚓ Loans").unwrap()));
        marked.marks = Marks::Icon;
        assert_eq!(of(&marked, "3 Grants"), ShelfFolder::Missing(NameBuf::new("2 Loans").unwrap()));
    }

    #[test]
    fn shelves_are_found_by_name_then_by_number() {
        let shelving = shelving(&["1 Exhibitions", "2 Borrowed", "23 Boats", "x"]);
        assert_eq!(shelving.shelves[0].folder(), ShelfFolder::There(Name::constant("1 Exhibitions").into()));
        assert_eq!(shelving.shelves[1].folder(), ShelfFolder::Renamed(Name::constant("2 Borrowed").into()));
        assert_eq!(shelving.spot(3).unwrap().to_string(), "home/3 Grants");
        assert_eq!(shelving.spot(4), None);
    }

    #[test]
    fn two_folders_with_one_number_are_ambiguous_unless_one_has_the_name() {
        assert_eq!(shelving(&["2 a", "2 b"]).shelves[1].folder(), ShelfFolder::Ambiguous);
        assert_eq!(shelving(&["2 a", "2 Loans"]).spot(2).unwrap().to_string(), "home/2 Loans");
    }
}

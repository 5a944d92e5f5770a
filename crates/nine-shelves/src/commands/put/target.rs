//! A shelf and a folder on it, as they are typed.

use nine_core::config::Config;
use nine_core::diagnostic::any_of;
use nine_core::escape::{escape, plain};
use nine_core::item::Kind;
use nine_core::layout::Layout;
use nine_core::names::{fold, is_refused_elsewhere, nearly_same};
use nine_core::place::{ItemPath, Spot};

use crate::ask;
use crate::cli::{Format, ShowArgs};
use crate::error::{Done, Failure};
use crate::session::Opened;

/// Reads a shelf and a folder on it, as they are typed.
pub struct Target<'a> {
    /// What was typed.
    pub on: &'a str,
    /// Whether a folder is made although one that exists is called nearly the same.
    pub makes_new: bool,
    /// Whether there is somebody to ask.
    pub show: &'a ShowArgs,
    pub config: &'a Config,
    pub opened: &'a Opened,
    pub layouts: &'a [Layout],
}

impl Target<'_> {
    /// The folder that is meant; asks where it is called nearly like one that exists.
    ///
    /// # Errors
    /// If it names no shelf, or a folder that cannot be.
    pub fn read(&self) -> Done<Spot> {
        if self.config.bookcases.is_empty() {
            return Err(Failure::words("there is no bookcase to put things in").hint(
                "make one in shelves.toml: [bookcase.home] at = \"~/Shelves\", shelves = [\"Letters\"]",
            ));
        }
        let parts: Vec<&str> = self.on.split('/').filter(|part| !part.is_empty()).collect();
        let (shelf, folders) = self.shelf(&parts)?;
        let mut spot = shelf;
        for part in folders {
            if *part == "." || *part == ".." || is_refused_elsewhere(part.as_bytes()) {
                return Err(Failure::words(format!(
                    "`{}` cannot be the name of a folder everywhere",
                    plain(part)
                ))
                .hint("leave out < > : \" \\ | ? * and dots or spaces at the end"));
            }
            let name = self.folder_in(&spot, part)?;
            spot = Spot::new(spot.place, spot.path.join(name));
        }
        Ok(spot)
    }

    /// The shelf, and the folders behind it.
    fn shelf<'p>(&self, parts: &'p [&'p str]) -> Done<(Spot, &'p [&'p str])> {
        let wrong = || {
            let shelves = self.layouts.iter().flat_map(|layout| {
                let name =
                    if self.layouts.len() > 1 { format!("{}/", layout.bookcase) } else { String::new() };
                layout.shelves.iter().map(move |shelf| format!("{name}{} {}", shelf.number, shelf.title))
            });
            let shelves: Vec<String> = shelves.collect();
            Failure::words(format!("`{}` names no shelf", plain(self.on)))
                .hint(format!("give its number or title: {}", any_of(shelves.iter().map(String::as_str))))
        };
        let (layout, rest) = match parts.first() {
            Some(first) => match self.layouts.iter().find(|layout| layout.bookcase == **first) {
                Some(layout) => (Some(layout), &parts[1..]),
                None => (self.layouts.first(), parts),
            },
            None => return Err(wrong()),
        };
        let (Some(layout), Some((first, folders))) = (layout, rest.split_first()) else {
            return Err(wrong());
        };
        let is_meant = |shelf: &&nine_core::layout::Shelf| {
            let wanted = fold(first);
            let numbered = format!("{} {}", shelf.number, shelf.title);
            let found = shelf.found.iter().any(|name| fold(&String::from_utf8_lossy(name)) == wanted);
            *first == shelf.number.to_string()
                || wanted == fold(&shelf.title)
                || wanted == fold(&numbered)
                || found
        };
        let shelf = layout.shelves.iter().find(is_meant).ok_or_else(wrong)?;
        let spot = layout.spot(shelf.number).ok_or_else(|| {
            let found: Vec<String> = shelf.found.iter().map(|name| format!("`{}`", escape(name))).collect();
            Failure::words(format!("several folders have the number {}: {}", shelf.number, found.join(", ")))
                .hint("rename all but one")
        })?;
        Ok((spot, folders))
    }

    /// The name of a folder: the one that was typed, or one that exists and is called nearly so.
    fn folder_in(&self, above: &Spot, typed: &str) -> Done<Vec<u8>> {
        let listed = self.opened.places.of(above).and_then(|store| store.list(&above.path));
        let there = listed.unwrap_or_default();
        let typed_bytes = typed.as_bytes().to_vec();
        if there.iter().any(|(name, _)| *name == typed_bytes) || self.makes_new {
            return Ok(typed_bytes);
        }
        let folders = there.iter().filter(|(_, entry)| entry.kind == Kind::Folder);
        let near =
            folders.map(|(name, _)| name).find(|name| nearly_same(typed, &String::from_utf8_lossy(name)));
        let Some(near) = near else { return Ok(typed_bytes) };
        let at = |name: &[u8]| -> String { ItemPath::join(&above.path, name).to_string() };
        let exists = format!("{} exists", at(near));
        let asks = ask::has_person() && self.show.format == Format::Table && !self.show.yes;
        if !asks {
            return Err(Failure::words(format!("{exists}, and {} is nearly the same", at(typed.as_bytes())))
                .hint(format!("say --on with `{}`, or --new-folder to make the other", escape(near))));
        }
        anstream::eprintln!("{exists}; {} would be new.", at(typed.as_bytes()));
        let choices = [('u', format!("use {}", at(near))), ('m', format!("make {}", at(typed.as_bytes())))];
        match ask::choose(&choices, 'u', "which folder?")? {
            ('m', _) => Ok(typed_bytes),
            _ => Ok(near.clone()),
        }
    }
}

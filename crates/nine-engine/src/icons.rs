//! Marks of shelves as icons of their folders, which file managers show.

use std::io::Read;

use nine_core::config::{Color, ShelfConfig};
use nine_core::desktop_entry::{NAME, picture, with_icon};
use nine_core::place::{Name, Spot};
use nine_core::worklist::Step;
use nine_stores::{Places, Store};

use crate::{Error, Result};

/// The picture that the icon is, in the shelf's own folder, so that it goes where the folder goes.
const PICTURE: &str = ".shelf-mark.svg";

/// Bytes of a file that is changed, at most.
const LONGEST: u64 = 1 << 20;

/// The steps that give folders of shelves their marks as icons. What cannot be read as text is left as it is.
pub(crate) fn steps<'s>(
    places: &Places,
    shelves: impl Iterator<Item = (&'s ShelfConfig, Spot)>,
) -> Result<Vec<Step>> {
    let mut steps = Vec::new();
    for (shelf, folder) in shelves {
        let Some(mark) = &shelf.mark else { continue };
        let store = places.of(&folder).map_err(Error::store(&folder))?;
        let written = picture(mark, hex(shelf.color));
        let icon = format!("./{PICTURE}");
        steps.extend(change(store, &folder, PICTURE, |_| written.clone()));
        steps.extend(change(store, &folder, NAME, |old| with_icon(old, &icon)));
    }
    Ok(steps)
}

/// The step that changes one file of a folder, if there is anything to change.
fn change(
    store: &dyn Store,
    folder: &Spot,
    name: &'static str,
    new: impl FnOnce(Option<&str>) -> String,
) -> Option<Step> {
    let spot = Spot::new(folder.place.clone(), folder.path.join(Name::constant(name)));
    let entry = store.entry(&spot.path).ok()?;
    let old = match &entry {
        None => None,
        Some(entry) if entry.size > LONGEST => return None,
        Some(_) => {
            let mut bytes = Vec::new();
            store.read(&spot.path).ok()?.take(LONGEST).read_to_end(&mut bytes).ok()?;
            Some(String::from_utf8(bytes).ok()?)
        }
    };
    let new = new(old.as_deref());
    let stamp = entry.map(|entry| entry.stamp());
    (old.as_ref() != Some(&new)).then(|| Step::write(spot, stamp, old, new))
}

fn hex(color: Option<Color>) -> &'static str {
    match color {
        Some(Color::Red) => "#c0504d",
        Some(Color::Green) => "#5a9a5a",
        Some(Color::Yellow) => "#d9b13b",
        Some(Color::Blue) => "#4a7ebb",
        Some(Color::Magenta) => "#9b5a9b",
        Some(Color::Cyan) => "#4aa3a3",
        None => "#8a8f98",
    }
}

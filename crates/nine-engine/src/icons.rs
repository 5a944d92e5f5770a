//! Marks of shelves as icons of their folders, which file managers show.

use nine_core::config::{Color, ShelfConfig};
use nine_core::desktop_entry::{NAME, picture, with_icon};
use nine_core::place::{Name, Spot};
use nine_core::worklist::Step;
use nine_stores::Places;

use crate::text_file::change;
use crate::{Error, Result};

/// The picture that the icon is, in the shelf's own folder, so that it goes where the folder goes.
const PICTURE: &str = ".shelf-mark.svg";

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
        let file = |name| Spot::new(folder.place.clone(), folder.path.join(Name::constant(name)));
        let failure = Error::store(&folder);
        steps.extend(change(store, file(PICTURE), |_| Some(written)).map_err(&failure)?);
        steps.extend(change(store, file(NAME), |old| Some(with_icon(old, &icon))).map_err(&failure)?);
    }
    Ok(steps)
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

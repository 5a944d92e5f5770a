//! What a report is made of beyond what other commands tell: the weeks before, a map of folders, and names left out.

mod map;
mod names;
mod weeks;

pub use map::{MapFolder, map};
pub use names::Names;
pub use weeks::{Earlier, LooseFile, Passage, Week, weeks};

//! What happens while something is done, told to whoever shows it.

use std::path::Path;

use nine_carry::Recovered;
use nine_core::moment::Moment;
use nine_core::place::Spot;
use nine_stores::catalogue::SetAside;
use nine_stores::{CatalogueError, Location, StoreError, Watch};

use crate::Error;

/// Something that takes long, and what of it is counted.
#[derive(Debug, Clone, Copy)]
pub enum Task<'a> {
    /// A place is read; entries are counted.
    Reading(&'a Spot),
    /// Items are looked at; of so many.
    LookingAt(&'a Spot, u64),
    /// Words are read out of so many files.
    ReadingWords(&'a Spot, u64),
    /// So many pictures are looked at.
    LookingAtPictures(&'a Spot, u64),
    /// So many pictures are made small.
    MakingThumbnails(u64),
    /// Rules are applied.
    Planning,
    /// It is learned from what is filed.
    Learning,
    /// Folders are suggested for so many items.
    Suggesting(u64),
    /// Files are compared; bytes are counted.
    Comparing,
    /// Files are read; bytes are counted.
    ReadingBytes,
    /// The archive is held against its checksums; bytes are counted.
    Verifying,
    /// Steps are carried out, so many; `reading` counts the bytes that are copied, compared or summed up.
    Carrying {
        /// How many steps there are.
        steps: u64,
        /// Counts bytes.
        reading: &'a Watch,
    },
}

/// What of a drive's files is not read, since nobody allowed it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Unread {
    /// Whole files, to compare them.
    Bytes,
    /// The words in them.
    Words,
    /// What they say of themselves.
    Said,
    /// What pictures look like.
    Looks,
}

/// Something that a person should be told.
#[derive(Debug)]
pub enum Notice<'a> {
    /// A place cannot be reached.
    PlaceAway {
        /// How it is written.
        place: &'a Spot,
        /// Where it is.
        at: &'a Location,
        /// Why, if it is not simply gone.
        error: Option<&'a StoreError>,
    },
    /// What is told of it is as it was known at some time.
    AsKnown(Moment),
    /// A pile or bookcase of the configuration cannot be opened.
    PlaceClosed {
        /// Its name.
        name: &'a str,
        /// Whether it is a pile.
        is_pile: bool,
        /// Where it would be.
        at: &'a Location,
        /// Why.
        error: &'a StoreError,
        /// Whether its folder could be made: the one above is there, and no disk seems to be missing.
        can_be_made: bool,
    },
    /// Folders of a place that are virtual file systems of the kernel, and are not read.
    Skipped(&'a Spot, &'a [String]),
    /// Something could not be read; written as a place and a path, with the words why.
    Trouble(&'a str, &'a str),
    /// Something about what is inside an item.
    Inside(&'a Spot, &'a str),
    /// So many files on a drive, with so many bytes, are not read.
    OnDriveUnread {
        /// The place.
        place: &'a Spot,
        /// What was wanted of them.
        what: Unread,
        /// How many.
        files: u64,
        /// Their bytes.
        bytes: u64,
    },
    /// The catalogue was set aside, and a new one is made.
    CatalogueSetAside(&'a SetAside),
    /// The catalogue cannot be used; it goes on without.
    WithoutCatalogue(&'a CatalogueError),
    /// A run that was cut off has been looked after.
    Recovered(&'a Recovered),
    /// Lists of the archive that were missing: the dated folders of which they were made again, and those of which
    /// they cannot be made, and why.
    ListsMade(&'a [&'a Spot], &'a [(Spot, String)]),
    /// A run that was cut off cannot be looked after now.
    Unrecovered(&'a Error),
    /// Lines of a run's daybook that cannot be read.
    RunBroken {
        /// The run.
        run: u64,
        /// The lines.
        lines: &'a [usize],
    },
    /// The file of an open run cannot be read and was set aside.
    RunSetAside {
        /// The run.
        run: u64,
        /// Where its file is now.
        file: &'a Path,
        /// Why.
        error: &'a std::io::Error,
    },
    /// The file of a review that was left cannot be read and was set aside as this file.
    ReviewSetAside(&'a Path),
    /// A run whose daybook cannot be read.
    RunUnreadable {
        /// The run.
        run: u64,
        /// Why.
        error: &'a std::io::Error,
    },
    /// Something that was found out cannot be kept; in words what, and why.
    NotRemembered(&'a str, &'a Error),
    /// A saved search finds more than is displayed.
    DisplayCut {
        /// Its name.
        name: &'a str,
        /// How many it finds.
        found: u64,
        /// How many are displayed.
        most: u64,
    },
    /// A folder of links is not up to date.
    DisplayStale {
        /// The folder.
        folder: &'a Path,
        /// Why.
        error: &'a std::io::Error,
    },
    /// The data folder was open to others, and is closed now.
    DataClosed(&'a Path),
    /// A step of a run that cannot be taken back.
    NotUndone(&'a Spot, &'a str),
}

/// Told what happens meanwhile. Shared between threads.
pub trait Reporter: Send + Sync {
    /// Tells something.
    fn notice(&self, notice: &Notice);

    /// Does `work`, and may meanwhile show how far it is, as `watch` counts.
    fn during(&self, task: Task, watch: &Watch, work: &mut dyn FnMut());

    /// Steps are being carried out from now on, or no longer: an interruption must wait for the one in hand.
    fn carrying(&self, _now: bool) {}
}

/// Tells nobody.
#[derive(Debug, Clone, Copy, Default)]
pub struct Silent;

impl Reporter for Silent {
    fn notice(&self, _: &Notice) {}

    fn during(&self, _: Task, _: &Watch, work: &mut dyn FnMut()) {
        work();
    }
}

/// Does `work` while `reporter` shows how far it is.
pub(crate) fn during<T>(reporter: &dyn Reporter, task: Task, watch: &Watch, work: impl FnOnce() -> T) -> T {
    let (mut work, mut out) = (Some(work), None);
    reporter.during(task, watch, &mut || {
        if let Some(work) = work.take() {
            out = Some(work());
        }
    });
    // A reporter that forgot to do it has not kept it from being done.
    out.or_else(|| work.map(|work| work())).expect("it was done, or is done here")
}

//! The sample world, made from its description.

use std::collections::BTreeMap;
use std::fs;
use std::io::Write;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{DirBuilderExt, OpenOptionsExt};
use std::path::{Path, PathBuf};

use nine_core::escape::{escape, unescape};
use nine_core::moment::{Moment, Now, Span};
use nine_core::tags::to_attribute;
use rustix::fs::{AtFlags, CWD, Timespec, Timestamps, XattrFlags, utimensat};
use serde::Deserialize;

use crate::photos::{Photo, photos};
use crate::{Error, Result, files, papers::papers};

const WORLD: &str = include_str!("../../../demo/world.toml");
const CONFIG: &str = include_str!("../../../demo/shelves.toml");

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct World {
    now: String,
    counted: Vec<Counted>,
    desktop: Vec<Item>,
    downloads: Vec<Item>,
    documents: Vec<Item>,
    drive: Vec<Item>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Item {
    at: String,
    is: String,
    age: String,
    #[serde(default)]
    tags: Vec<String>,
    #[serde(default)]
    text: String,
}

/// How many files lay loose in each pile, so long before.
#[derive(Deserialize)]
struct Counted {
    age: String,
    #[serde(flatten)]
    loose: BTreeMap<String, u64>,
}

/// A world that was made.
pub struct Made {
    /// Its folder.
    pub root: PathBuf,
    /// The folder with configuration and daybook.
    pub home: PathBuf,
    /// The day it is there.
    pub now: String,
    /// How many items there are.
    pub items: usize,
}

/// Makes the sample world in a folder, which is made if it is not there.
///
/// # Errors
/// If the folder holds anything, or a file cannot be written.
pub fn make(root: &Path) -> Result<Made> {
    fs::create_dir_all(root).map_err(failure(root))?;
    if fs::read_dir(root).map_err(failure(root))?.next().is_some() {
        return Err(Error::NotEmpty(root.to_owned()));
    }
    let root = root.canonicalize()?;
    let world: World = toml::from_str(WORLD).map_err(|e| Error::Description(e.to_string()))?;
    let now = Now::parse(&world.now, &jiff::tz::TimeZone::system())
        .ok_or_else(|| Error::Description("its day cannot be read".into()))?;
    let piles = [
        ("Desktop", &world.desktop),
        ("Downloads", &world.downloads),
        ("Documents", &world.documents),
        (crate::drive::FOLDER, &world.drive),
    ];
    let mut count = 0;
    for (folder, items) in piles {
        let folder = root.join(folder);
        fs::create_dir_all(&folder)?;
        for (nth, item) in items.iter().enumerate() {
            item.make(&folder, nth).map_err(failure(&folder.join(&item.at)))?;
        }
        // Times come last: making a file changes the folder that it is in.
        for (nth, item) in items.iter().enumerate() {
            item.date(&folder, nth, &now)?;
        }
        count += items.len();
    }
    count += make_photos(&root, &now)?;
    count += make_papers(&root, &now)?;
    let home = root.join("nine");
    fs::create_dir_all(&home)?;
    fs::write(home.join("shelves.toml"), CONFIG.replace("HOME", &root.display().to_string()))?;
    count_earlier(&home, &world.counted, &now)?;
    Ok(Made { root, home, now: world.now, items: count })
}

/// Writes what reports counted on the days before, as they keep it.
fn count_earlier(home: &Path, counted: &[Counted], now: &Now) -> Result {
    let folder = home.join("reports");
    fs::DirBuilder::new().mode(0o700).create(&folder)?;
    let line = |counted: &Counted| -> Result<String> {
        let span = Span::parse(&counted.age).ok_or_else(|| Error::Description(counted.age.clone()))?;
        let loose: Vec<String> =
            counted.loose.iter().map(|(pile, many)| format!("\"{pile}\":{many}")).collect();
        let at = now.before(span).to_rfc3339();
        Ok(format!("{{\"at\":\"{at}\",\"loose\":{{{}}}}}\n", loose.join(",")))
    };
    let lines = counted.iter().map(line).collect::<Result<String>>()?;
    let mut new = fs::OpenOptions::new();
    let mut file = new.write(true).create_new(true).mode(0o600).open(folder.join("figures.jsonl"))?;
    Ok(file.write_all(lines.as_bytes())?)
}

/// Makes the photos on the shelf and those that came from the telephone.
fn make_photos(root: &Path, now: &Now) -> Result<usize> {
    let photos = photos(now.today())?;
    let dated = |nth: usize, photo: &Photo| -> Result {
        let item = Item {
            at: escape(photo.at.as_bytes()),
            is: "jpeg".into(),
            age: format!("{}d", photo.days),
            tags: Vec::new(),
            text: String::new(),
        };
        item.date(root, nth, now)
    };
    for photo in &photos {
        let path = root.join(&photo.at);
        let folder = path.parent().unwrap_or(root);
        fs::create_dir_all(folder).and_then(|()| fs::write(&path, &photo.bytes)).map_err(failure(&path))?;
    }
    photos.iter().enumerate().try_for_each(|(nth, photo)| dated(nth, photo))?;
    Ok(photos.len())
}

/// What the papers truly are; only tests read it.
const ANSWERS: &str = "papers-answers.csv";

/// Makes the folder of papers, and writes beside it what they truly are.
fn make_papers(root: &Path, now: &Now) -> Result<usize> {
    let folder = root.join("Papers");
    fs::create_dir_all(&folder)?;
    let mut answers = csv::Writer::from_path(root.join(ANSWERS)).map_err(std::io::Error::from)?;
    answers.write_record(["item", "lender", "paper", "season"]).map_err(std::io::Error::from)?;
    let papers = papers();
    let as_item = |paper: &crate::papers::Paper| Item {
        at: escape(paper.at.as_bytes()),
        is: paper.is.into(),
        age: format!("{}d", paper.days),
        tags: Vec::new(),
        text: paper.text.clone(),
    };
    let items: Vec<Item> = papers.iter().map(as_item).collect();
    for (item, paper) in items.iter().zip(&papers) {
        // A paper that came twice has the same bytes both times.
        item.make(&folder, paper.days as usize).map_err(failure(&folder.join(&item.at)))?;
        let [lender, kind, season] = paper.truth;
        answers.write_record([&paper.at, lender, kind, season]).map_err(std::io::Error::from)?;
    }
    for (nth, item) in items.iter().enumerate() {
        item.date(&folder, nth, now)?;
    }
    answers.flush()?;
    Ok(items.len())
}

fn failure(at: &Path) -> impl Fn(std::io::Error) -> Error {
    move |source| Error::Item { at: at.to_owned(), source }
}

impl Item {
    fn path(&self, folder: &Path) -> PathBuf {
        let bytes = unescape(&self.at).unwrap_or_else(|_| self.at.clone().into_bytes());
        folder.join(std::ffi::OsStr::from_bytes(&bytes))
    }

    fn make(&self, folder: &Path, nth: usize) -> std::io::Result<()> {
        let path = self.path(folder);
        if let Some(parent) = path.parent() {
            fs::create_dir_all(parent)?;
        }
        match self.is.as_str() {
            "folder" => fs::create_dir_all(&path)?,
            "link" => std::os::unix::fs::symlink(&self.text, &path)?,
            kind => fs::write(&path, files::content(kind, &self.text, nth)?)?,
        }
        if !self.tags.is_empty() {
            let tags = to_attribute(&self.tags);
            // A file system without attributes has a sample world without tags.
            let _ = rustix::fs::setxattr(&path, "user.xdg.tags", tags.as_bytes(), XattrFlags::empty());
        }
        Ok(())
    }

    /// Dates the item by its age, at a minute of its own.
    fn date(&self, folder: &Path, nth: usize, now: &Now) -> Result {
        let span = Span::parse(&self.age).ok_or_else(|| {
            Error::Description(format!("the age `{}` of {} cannot be read", self.age, self.at))
        })?;
        let minutes = if self.age.ends_with("min") { 0 } else { (nth as i64 * 37) % 240 };
        let (seconds, _) = Moment(now.before(span).0 - minutes * 60_000_000_000).to_unix();
        let at = Timespec { tv_sec: seconds, tv_nsec: 0 };
        let times = Timestamps { last_access: at, last_modification: at };
        let dated = utimensat(CWD, self.path(folder), &times, AtFlags::SYMLINK_NOFOLLOW);
        dated.map_err(|error| failure(&self.path(folder))(error.into()))
    }
}

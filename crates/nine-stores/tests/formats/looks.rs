//! How a file of some bytes is looked at, and what is no contradiction.

use std::fs;
use std::sync::Arc;

use nine_core::kinds::{Content, Evidence, Verdict};
use nine_core::place::{ItemPath, Name};
use nine_core::plan::Details;
use nine_core::tree::{Batch, FolderNo, Gathering, NodeId};
use nine_stores::local::LocalSettings;
use nine_stores::reading::compound_names;
use nine_stores::{ContainerReader, LocalStore, ReadStore, StoreDetails};

use crate::samples::Sample;

/// The samples harm nobody, so they are parsed here.
struct InThisProcess;

impl ContainerReader for InThisProcess {
    fn compound_names(&self, _: &[u8], bytes: &[u8]) -> Vec<String> {
        compound_names(bytes)
    }
}

/// What a file of this content is, as a pile's loose files are looked at.
pub fn look(bytes: &[u8]) -> Content {
    let place = tempfile::tempdir().unwrap();
    fs::write(place.path().join("x"), bytes).unwrap();
    let settings = LocalSettings {
        believes_births: true,
        home_trash: place.path().join("Trash"),
        one_trash: true,
        reads_mounts: true,
        counters: Arc::default(),
    };
    let store = LocalStore::open(place.path(), settings).unwrap();
    let entry = store.entry(&ItemPath::new("x").unwrap()).unwrap().unwrap();
    let mut gathering = Gathering::new(store.entry(&ItemPath::root()).unwrap().unwrap());
    let mut batch = Batch::default();
    batch.push(Name::constant("x"), entry);
    gathering.add(FolderNo::ROOT, &batch);
    let tree = gathering.finish();
    let details =
        StoreDetails { store: &store, containers: &InThisProcess, tree: &tree, catalogue: None, stays: None };
    details.content(NodeId::new(1), &ItemPath::new("x").unwrap()).unwrap()
}

pub fn named(sample: &Sample) -> String {
    format!("x.{}", sample.ext)
}

pub fn is_wrong(verdict: &Verdict) -> bool {
    matches!(verdict.evidence, Evidence::Contradiction(_))
}

/// Extensions under which another format's content is no contradiction: of the same kind of container, or text under
/// what may be any text.
pub fn may_be(sample: &Sample, wrong: &Sample) -> bool {
    let is_text = std::str::from_utf8(&sample.bytes).is_ok() || sample.ext == "md";
    let takes_text = matches!(
        wrong.ext,
        "txt"
            | "md"
            | "py"
            | "sh"
            | "json"
            | "excalidraw"
            | "qif"
            | "m3u8"
            | "gpx"
            | "drawio"
            | "step"
            | "html"
            | "mhtml"
            | "eml"
            | "csv"
            | "tsv"
            | "url"
            | "pem"
            | "p12"
            | "vmdk"
            | "key"
            | "pub"
            | "stl"
    );
    is_text && takes_text
}

//! What is asked of a scan, and what it found.

use std::collections::HashSet;

use nine_core::moment::Moment;
use nine_core::names::{fold_bytes, split_extension};
use nine_core::place::{ItemPath, NameBuf};
use nine_core::tree::Tree;

use crate::StoreError;

/// What a scan leaves out.
#[derive(Debug, Default)]
pub struct Scope {
    /// Folders that are listed but not looked into.
    pub closed: HashSet<ItemPath>,
    /// What of the place itself is looked at alone, where the store can leave the rest out.
    pub only: Option<OnlyNames>,
    /// Whether the tags of what is not hidden are asked for on the way, where that is less work than afterwards.
    pub tags: bool,
}

/// Some names, and those that may belong to them: with more behind them, in whatever letter case.
#[derive(Debug, Clone, Default)]
pub struct OnlyNames {
    names: HashSet<NameBuf>,
    stems: Vec<String>,
}

impl OnlyNames {
    /// These names.
    pub fn new(names: HashSet<NameBuf>) -> Self {
        let stems = names.iter().map(|name| fold_bytes(split_extension(name).0)).collect();
        Self { names, stems }
    }

    /// Whether a name is one of them, or may belong to one.
    pub fn has(&self, name: &[u8]) -> bool {
        if self.names.contains(name) {
            return true;
        }
        let folded = fold_bytes(name);
        self.stems.iter().any(|stem| folded.starts_with(stem.as_str()))
    }
}

/// What an earlier scan found.
#[derive(Debug)]
pub struct EarlierScan {
    /// Everything below the place.
    pub tree: Tree,
    /// When that was.
    pub at: Moment,
    /// The sync token of that time, as [`Scan::sync_token`] had it.
    pub sync_token: Option<String>,
}

/// What became of an earlier scan in a later one.
#[derive(Debug, Default)]
pub enum Earlier {
    /// There was none.
    #[default]
    Unknown,
    /// Something differs, or may differ.
    Differs(Box<EarlierScan>),
    /// Nothing has changed since this moment: the tree is the earlier one, with all that it knows.
    Same(Moment),
}

/// What a scan found.
#[derive(Debug)]
pub struct Scan {
    /// Everything below the place, summed up.
    pub tree: Tree,
    /// Folders that could not be read, and why.
    pub troubles: Vec<(ItemPath, StoreError)>,
    /// A token by which the store can tell later what has changed since, where it can (RFC 6578).
    pub sync_token: Option<String>,
    /// What became of the earlier scan.
    pub earlier: Earlier,
}

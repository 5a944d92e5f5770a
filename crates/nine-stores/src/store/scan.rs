//! What is asked of a scan, and what it found.

use std::collections::HashSet;

use nine_core::names::{fold_bytes, split_extension};
use nine_core::place::{ItemPath, NameBuf};
use nine_core::tree::Tree;

use crate::StoreError;

/// What a scan leaves out.
#[derive(Debug, Default)]
pub struct Scope {
    /// Folders that are listed but not looked into.
    pub closed: HashSet<ItemPath>,
    /// What an earlier scan found, for stores that tell what has changed since.
    pub known: Option<EarlierScan>,
    /// What of the place itself is looked at alone, where the store can leave the rest out.
    pub only: Option<OnlyNames>,
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
    /// The sync token of that time, as [`Scan::sync_token`] had it.
    pub sync_token: String,
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
}

//! What is asked of a scan, and what it found.

use std::collections::HashSet;

use nine_core::place::ItemPath;
use nine_core::tree::Tree;

use crate::StoreError;

/// What a scan leaves out.
#[derive(Debug, Default)]
pub struct Scope {
    /// Folders that are listed but not looked into.
    pub closed: HashSet<ItemPath>,
    /// What an earlier scan found, for stores that tell what has changed since.
    pub known: Option<EarlierScan>,
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

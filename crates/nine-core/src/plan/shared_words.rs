//! Words and folders that very many proposals have in common.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use crate::place::Spot;
use crate::rules::Rule;

/// What many proposals have in common, and so share: there may be a hundred thousand.
#[derive(Default)]
pub(super) struct SharedWords {
    whys: HashMap<Vec<usize>, Arc<str>>,
    folders: HashSet<Spot>,
}

impl SharedWords {
    /// The names of the rules that applied.
    pub fn why(&mut self, rules: &[Rule], applied: &[usize]) -> Arc<str> {
        if let Some(known) = self.whys.get(applied) {
            return Arc::clone(known);
        }
        let names: Vec<&str> = applied.iter().map(|rule| rules[*rule].name.as_str()).collect();
        let why: Arc<str> = names.join(", ").into();
        self.whys.insert(applied.to_vec(), Arc::clone(&why));
        why
    }

    /// The folder that a rule puts items in.
    pub fn folder(&mut self, folder: Spot) -> Spot {
        if let Some(known) = self.folders.get(&folder) {
            return known.clone();
        }
        self.folders.insert(folder.clone());
        folder
    }
}

//! A place held against a list of files from elsewhere.

use std::collections::{HashMap, HashSet};
use std::path::Path;

use nine_core::copies::{Digest, Listed, Meet, Member, Side, read_listing};

use super::{LeftOut, Request, is_compared, look, rows_of_a};
use crate::looking::Looking;
use crate::workspace::Workspace;
use crate::{Error, Result};

/// What came of it.
pub struct HeldAgainstList<'w> {
    /// The place, which is the one view.
    pub looking: Looking<'w>,
    /// The list.
    pub listed: Vec<Listed>,
    /// Files of A with the numbers of those in the list that have their bytes.
    pub found: Vec<(Member, Vec<usize>)>,
    /// Files of A of which the list has none.
    pub missing: Vec<Member>,
    /// What is not compared.
    pub left_out: LeftOut,
}

impl HeldAgainstList<'_> {
    /// What of the list is nowhere in A.
    pub fn missing_of_list(&self) -> Vec<&Listed> {
        let tree = &self.looking.views[0].tree;
        let has: HashSet<Digest> =
            self.found.iter().filter_map(|(member, _)| tree.digest(member.id)).collect();
        self.listed.iter().filter(|one| !has.contains(&one.digest)).collect()
    }
}

/// Holds A against a list.
///
/// # Errors
/// If the file cannot be read or is none, or A cannot be read.
pub fn against_listing<'w>(
    workspace: &'w Workspace,
    request: &Request,
    file: &Path,
) -> Result<HeldAgainstList<'w>> {
    let listed = read(file)?;
    let (mut looking, _) = look(workspace, request)?;
    let rows = rows_of_a(&mut looking, request)?;
    let mut left_out = LeftOut::default();
    let tree = &looking.views[0].tree;
    let asked: Vec<Member> = tree
        .ids()
        .filter(|id| rows.as_ref().is_none_or(|rows| rows.has(id.row())))
        .filter(|id| is_compared(tree, *id, request.hidden, Some(&mut left_out)))
        .map(|id| Member::new(0, id))
        .collect();
    let is_asked: HashSet<Member> = asked.iter().copied().collect();
    let sizes: HashSet<u64> = listed.iter().map(|one| one.size).collect();
    looking.compare(|_, member| is_asked.contains(&member).then_some(Side::Asked), Meet::Across, sizes);
    looking.keep();
    let (found, missing) = hold(&looking, &listed, asked);
    Ok(HeldAgainstList { looking, listed, found, missing, left_out })
}

type FoundAndMissing = (Vec<(Member, Vec<usize>)>, Vec<Member>);

fn hold(looking: &Looking, listed: &[Listed], asked: Vec<Member>) -> FoundAndMissing {
    let mut by_digest: HashMap<Digest, Vec<usize>> = HashMap::new();
    for (at, one) in listed.iter().enumerate() {
        by_digest.entry(one.digest).or_default().push(at);
    }
    let tree = &looking.views[0].tree;
    let (mut found, mut missing) = (Vec::new(), Vec::new());
    for member in asked {
        match tree.digest(member.id).and_then(|digest| by_digest.get(&digest)) {
            Some(there) => found.push((member, there.clone())),
            None => missing.push(member),
        }
    }
    (found, missing)
}

fn read(file: &Path) -> Result<Vec<Listed>> {
    let unreadable = |source| Error::ListingUnreadable { file: file.to_owned(), source };
    let text = std::fs::read(file).map_err(unreadable)?;
    let wrong = |why: String| Error::Listing { file: file.to_owned(), why };
    Ok(read_listing(&text).map_err(|why| wrong(why.to_string()))?.0)
}

//! Clashes: whether both sides hold the same bytes.

use nine_carry::same_bytes;
use nine_core::item::Kind;
use nine_core::plan::{ClashFound, Intent, PlacedBy, Proposal};
use nine_stores::Places;

use crate::looking::keep::COPY;

/// Compares files with those that have their names, if the sizes agree. Flags copies with a tag; says
/// whether anything was learned.
pub fn compare(places: &Places, proposals: &mut [Proposal], clashes: &[ClashFound]) -> bool {
    let mut learned = false;
    for clash in clashes {
        let (at, size, kind) = match (&clash.theirs, clash.rival) {
            (Some(theirs), _) => (clash.at.clone(), theirs.size, theirs.kind),
            (None, Some(rival)) => {
                let rival = &proposals[rival];
                (rival.item.clone(), rival.size, rival.kind)
            }
            (None, None) => continue,
        };
        let proposal = &mut proposals[clash.proposal];
        let asks = proposal.placing().is_some_and(|p| p.same.is_none() && p.by != PlacedBy::Unpack);
        if !asks || kind != Kind::File || proposal.kind != Kind::File {
            continue;
        }
        // What cannot be read is not known to be the same.
        let may_read =
            [&proposal.item, &at].iter().all(|spot| places.of(spot).is_ok_and(|s| s.abilities().may_read));
        let same =
            size == proposal.size && may_read && same_bytes(places, &proposal.item, &at).unwrap_or(false);
        if let Intent::Place(placing) = &mut proposal.intent {
            placing.same = Some(same);
        }
        if same {
            proposal.add_tags([&COPY.to_owned()]);
        }
        learned = true;
    }
    learned
}

//! Small files of text that other programs read, too: changed as steps of a run.

use nine_core::place::Spot;
use nine_core::worklist::Step;
use nine_stores::{Store, StoreResult, bounded};

/// Bytes of such a file at most.
const LONGEST: u64 = 1 << 20;

/// The step that changes a file, if `new` makes another text of it; `None` is told where there is no such file. One
/// that is no UTF-8 text, or too long to be such a file, is left as it is.
///
/// # Errors
/// If it cannot be read.
pub(crate) fn change(
    store: &dyn Store,
    spot: Spot,
    new: impl FnOnce(Option<&str>) -> Option<String>,
) -> StoreResult<Option<Step>> {
    let entry = store.entry(&spot.path)?;
    let old = match &entry {
        None => None,
        Some(entry) if entry.size > LONGEST => return Ok(None),
        Some(_) => match String::from_utf8(bounded::up_to(store.read(&spot.path)?, LONGEST)?) {
            Ok(text) => Some(text),
            Err(_) => return Ok(None),
        },
    };
    let Some(new) = new(old.as_deref()).filter(|new| old.as_ref() != Some(new)) else { return Ok(None) };
    Ok(Some(Step::write(spot, entry.map(|entry| entry.stamp()), old, new)))
}

//! The order of the steps that can be done.

use super::super::{Act, Step};
use super::Checker;
use super::meetings::Waits;
use foldhash::{HashSet, HashSetExt};

impl Checker<'_> {
    /// An order in which each step finds its target free; and the circles of steps that wait for one another, each in
    /// the order of its numbers. What waits for a circle stands in neither.
    pub(super) fn order(&self, waits: &Waits) -> (Vec<usize>, Vec<Vec<usize>>) {
        let mut steps: Vec<_> = self.active().collect();
        steps.sort_by_key(|(_, step)| turn(step));
        let (mut order, mut circles) = (Vec::with_capacity(steps.len()), Vec::new());
        let mut done = vec![false; self.steps.len()];
        let mut on_chain = HashSet::new();
        for (at, _) in steps {
            if done[at] {
                continue;
            }
            let mut chain = vec![at];
            on_chain.clear();
            on_chain.insert(at);
            let next = |at: usize| waits.on.get(&at).copied().filter(|next| !self.refused.contains_key(next));
            while let Some(next) = next(chain[chain.len() - 1]).filter(|next| !done[*next]) {
                if !on_chain.insert(next) {
                    let start = chain.iter().position(|step| *step == next).unwrap_or(0);
                    let mut circle = chain.split_off(start);
                    circle.sort_unstable();
                    circle.iter().for_each(|step| done[*step] = true);
                    circles.push(circle);
                    break;
                }
                chain.push(next);
            }
            chain.iter().for_each(|step| done[*step] = true);
            order.extend(chain.into_iter().rev());
        }
        (order, circles)
    }
}

/// Tags first: a tag step must find its item where it lies. Then copies go, while what stays in their place lies where
/// it was seen. Folders that are to be empty come last.
fn turn(step: &Step) -> u8 {
    match step.act {
        Act::Tag { .. } => 0,
        Act::Discard { copy_of: Some(_) } => 1,
        Act::Unmake => 3,
        _ => 2,
    }
}

//! What was agreed to, held against a plan that was drawn up again since.

use std::collections::{HashMap, HashSet};

use nine_core::item::Kind;
use nine_core::moment::Moment;
use nine_core::place::Spot;
use nine_core::worklist::{Act, Step};

use super::Plan;

/// How often a plan is drawn up again at most: each round may free a name that another item then wants.
const ROUNDS: usize = 4;

/// The steps that a person saw and agreed to.
#[derive(Debug, Default)]
pub struct Agreed {
    steps: HashMap<Spot, Vec<Seen>>,
    /// Items that were seen and are to be left, since they are in doubt.
    declined: HashSet<Spot>,
}

/// A step as it was seen.
#[derive(Debug)]
struct Seen {
    act: Act,
    size: u64,
    /// Of a folder nothing: the parts before may have put something into it.
    modified: Option<Moment>,
    is_in_doubt: bool,
}

impl Agreed {
    /// To all that can be done of a plan.
    pub fn to(plan: &Plan) -> Self {
        Self::but(plan, HashSet::new())
    }

    /// To what of a plan is not in doubt.
    pub fn to_what_is_sure(plan: &Plan) -> Self {
        Self::but(plan, plan.in_doubt().into_iter().map(|proposal| proposal.item).collect())
    }

    fn but(plan: &Plan, declined: HashSet<Spot>) -> Self {
        let mut steps: HashMap<Spot, Vec<Seen>> = HashMap::new();
        for at in &plan.checked.order {
            let step = &plan.settled.worklist.steps[*at];
            // What goes where a declined item goes stays with it.
            if declined.contains(&plan.draft.proposals[plan.settled.of[*at]].item) {
                continue;
            }
            let (act, is_in_doubt) = (step.act.clone(), !step.doubts.is_empty());
            let one = Seen { act, size: step.size, modified: time(step), is_in_doubt };
            steps.entry(step.item.clone()).or_default().push(one);
        }
        Self { steps, declined }
    }

    /// How many items are to be left.
    pub fn declined(&self) -> usize {
        self.declined.len()
    }

    /// Whether a step is one that was seen: the same act on what has the same size and time, and no new doubt.
    fn has(&self, step: &Step) -> bool {
        let is_it = |seen: &Seen| {
            (&seen.act, seen.size, seen.modified) == (&step.act, step.size, time(step))
                && (seen.is_in_doubt || step.doubts.is_empty())
        };
        self.steps.get(&step.item).is_some_and(|seen| seen.iter().any(is_it))
    }
}

fn time(step: &Step) -> Option<Moment> {
    (step.kind != Kind::Folder).then_some(step.modified)
}

impl Plan {
    /// Leaves whatever was not agreed to, and returns how many items that is but for those that were to be left. A plan
    /// that was drawn up again after others did something may want something else by now.
    pub fn keep_to(&mut self, agreed: &Agreed) -> usize {
        let mut left = HashSet::new();
        for round in 1.. {
            let steps =
                self.checked.order.iter().map(|at| (&self.settled.worklist.steps[*at], self.settled.of[*at]));
            let others: HashSet<usize> =
                steps.filter(|(step, _)| !agreed.has(step)).map(|(_, proposal)| proposal).collect();
            if others.is_empty() {
                break;
            }
            for at in others {
                self.draft.proposals[at].leave();
                left.insert(at);
            }
            if round == ROUNDS {
                // Whatever would still come out differently: a name that is not free stays its item's.
                let of = &self.settled.of;
                let worklist = &self.settled.worklist;
                self.checked.order.retain(|at| agreed.has(&worklist.steps[*at]) && !left.contains(&of[*at]));
                break;
            }
            // What is left may free a name that another item had to do without.
            self.draw_up_again();
        }
        let is_declined = |at: &&usize| agreed.declined.contains(&self.draft.proposals[**at].item);
        left.iter().filter(|at| !is_declined(at)).count()
    }
}

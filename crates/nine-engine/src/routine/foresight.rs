//! What a routine's later parts see: the places as its earlier parts will leave them.

use std::sync::Arc;

use nine_stores::ahead::Ahead;

use crate::plan::Plan;
use crate::workspace::Workspace;

/// A workspace whose places stand as they will once the plans so far are carried out. They are scanned once.
pub struct Foresight {
    ahead: Arc<Ahead>,
    then: Workspace,
}

impl Foresight {
    /// Of the places as they are.
    pub fn of(now: &Workspace) -> Self {
        let ahead = Ahead::new(now.moment());
        let then = now.ahead(&ahead);
        Self { ahead, then }
    }

    /// To plan what comes next in.
    pub fn workspace(&self) -> &Workspace {
        &self.then
    }

    /// Takes a plan as carried out.
    pub fn carry(&self, plan: &Plan) {
        self.ahead.carry(&plan.draft.places, plan.doable());
    }
}

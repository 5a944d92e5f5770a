//! Decisions held against what stands at their targets, beside whoever takes them.

use std::sync::mpsc::{Receiver, Sender, TryRecvError, channel};

use nine_core::plan::Proposal;
use nine_core::review::Concerns;
use nine_stores::Places;

use super::gather::items_of;
use crate::plan::Draft;

/// What the plan has against an item.
#[derive(Debug, Clone, PartialEq)]
pub struct Checked {
    /// Its number.
    pub item: usize,
    /// What was asked about.
    pub proposal: Proposal,
    /// What is against it.
    pub concerns: Concerns,
}

/// Draws up plans of a few items in a thread of its own, so that a slow disk or drive holds nobody up.
pub struct Checker {
    asks: Sender<Vec<(usize, Proposal)>>,
    answers: Receiver<Vec<Checked>>,
}

impl Checker {
    pub(super) fn new(places: &Places) -> Self {
        let (asks, asked) = channel::<Vec<(usize, Proposal)>>();
        let (answer, answers) = channel();
        let places = places.clone();
        std::thread::spawn(move || {
            while let Ok(items) = asked.recv() {
                if answer.send(check(&places, items)).is_err() {
                    break;
                }
            }
        });
        Self { asks, answers }
    }

    /// Asks about items; all of them are held against one another, too.
    pub fn ask(&self, items: Vec<(usize, Proposal)>) {
        let _ = self.asks.send(items);
    }

    /// The next answer, if there is one by now.
    ///
    /// # Panics
    /// If the thread that checks has panicked: without it a decision would count as checked.
    pub fn answer(&self) -> Option<Vec<Checked>> {
        match self.answers.try_recv() {
            Ok(checked) => Some(checked),
            Err(TryRecvError::Empty) => None,
            Err(TryRecvError::Disconnected) => panic!("the check of decisions has failed"),
        }
    }
}

fn check(places: &Places, items: Vec<(usize, Proposal)>) -> Vec<Checked> {
    let (numbers, proposals): (Vec<usize>, Vec<Proposal>) = items.into_iter().unzip();
    let plan = Draft::new(String::new(), proposals.clone(), places).draw_up();
    let (found, _) = items_of(plan, true);
    let of = |((item, proposal), found): ((usize, Proposal), nine_core::review::ReviewItem)| Checked {
        item,
        proposal,
        concerns: found.concerns().cloned().unwrap_or_default(),
    };
    numbers.into_iter().zip(proposals).zip(found).map(of).collect()
}

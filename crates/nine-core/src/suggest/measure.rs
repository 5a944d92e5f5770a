//! How good suggestions are: asked about what came later than what was learned, which is harder and truer than a
//! random part (Bekkerman, McCallum and Huang, *Automatic Categorization of Email into Folders*, 2004).

use super::examples::Examples;
use super::{LearningContext, answer, asked, percent, trained};

/// What came of asking.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Measured {
    /// Items that were asked about.
    pub asked: usize,
    /// Of these, for how many a destination was named.
    pub spoke: usize,
    /// Of the named, how often the first destination was the right one.
    pub right: usize,
    /// Of the named, how often one of the three was.
    pub in_three: usize,
    /// Items whose folder held nothing yet when they came, and no pattern told of it.
    pub new_folder: usize,
    /// What was said and what was true, by share.
    pub table: Vec<SaidAndTrue>,
}

/// Suggestions of about the same share.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct SaidAndTrue {
    /// From which share on, in percent, below the next one's.
    pub from: u8,
    /// How many there were.
    pub number: usize,
    /// Their shares in all, in percent.
    pub said: usize,
    /// How many were right.
    pub right: usize,
}

impl SaidAndTrue {
    /// The share that was said on average, and how many of a hundred were right.
    pub fn shares(&self) -> (usize, usize) {
        let number = self.number.max(1);
        (self.said / number, self.right * 100 / number)
    }
}

/// The later half is asked in so many parts of time, each about what was learned before it.
const PARTS: usize = 10;

/// Questions in each part at most.
const ASKED: usize = 500;

/// Measures suggestions of files.
pub fn measure(examples: &Examples, known: &LearningContext) -> Measured {
    let used = examples.by_time(false);
    let table = [0, 50, 60, 70, 80, 90, 95].map(|from| SaidAndTrue { from, ..SaidAndTrue::default() });
    let mut found = Measured { table: table.to_vec(), ..Measured::default() };
    for part in PARTS..2 * PARTS {
        let (from, to) = (used.len() * part / (2 * PARTS), used.len() * (part + 1) / (2 * PARTS));
        if from == 0 {
            continue;
        }
        let earlier = trained(examples, &used[..from], &[], known, None);
        for at in asked(&used[from..to], ASKED) {
            let Some(answer) = answer(&earlier, examples, at, known) else { continue };
            found.asked += 1;
            let destination = earlier.destinations.of[examples.all[at as usize].folder as usize];
            found.new_folder += usize::from(answer.rank.is_none() && earlier.size(destination) == 0);
            let share = answer.first.map_or(0.0, |first| earlier.share(first));
            found.add(percent(share), share >= earlier.calibration.cut, answer.rank);
        }
    }
    found
}

impl Measured {
    fn add(&mut self, share: u8, speaks: bool, rank: Option<usize>) {
        if !speaks {
            return;
        }
        self.spoke += 1;
        self.right += usize::from(rank == Some(0));
        self.in_three += usize::from(rank.is_some());
        let line = self.table.iter_mut().rev().find(|line| line.from <= share);
        if let Some(line) = line {
            line.number += 1;
            line.said += usize::from(share);
            line.right += usize::from(rank == Some(0));
        }
    }
}

//! From odds to a share that can be believed: of what is called 90 % sure, nine in ten are right.
//!
//! Isotonic regression by pooling adjacent violators (Zadrozny and Elkan, *Transforming Classifier Scores into
//! Accurate Multiclass Probability Estimates*, KDD 2002) over questions about what came later than what was learned.

use serde::{Deserialize, Serialize};

/// Those of files and of folders.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Calibrations {
    pub(super) files: Calibration,
    pub(super) folders: Calibration,
}

/// With fewer examples it does not take long to try again.
const MANY: usize = 5000;

/// How often what had such odds was right.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub(super) struct Calibration {
    /// How many examples there were.
    pub examples: usize,
    /// Odds and share, both rising.
    points: Vec<(f32, f32)>,
    /// From which share on something is said.
    pub cut: f32,
}

/// Odds that were tried, and whether the answer was right.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Trial {
    pub odds: f32,
    pub right: bool,
}

/// What is believed before anything was tried: so many questions at each of these odds.
const BEFORE: f32 = 2.0;
const AT: [f32; 10] = [-3.0, -2.0, -1.0, 0.0, 1.0, 2.0, 3.0, 4.5, 6.0, 9.0];

/// Of all that is said, so many should be right.
const AIM: f32 = 0.9;

/// The least and the most that something must be likely to be said.
const LOWEST: f32 = 0.6;
const HIGHEST: f32 = 0.8;

/// How far below what was seen a share is told, in standard deviations, once so many questions were asked. Of fewer
/// most of what is told is what was believed before.
const DOUBT: f32 = 1.0;
const ENOUGH: usize = 400;

/// The most that is ever claimed.
const SUREST: f32 = 0.99;

/// Neighbours in odds that have one share, each joined with the one before as long as that has a greater share.
struct Block {
    from: f32,
    to: f32,
    share: f32,
    /// How many questions its share is made of.
    weight: f32,
}

impl Block {
    fn with(&self, next: &Self) -> Self {
        let weight = self.weight + next.weight;
        let share = (self.share * self.weight + next.share * next.weight) / weight;
        Self { from: self.from, to: next.to, share, weight }
    }

    /// The lower end of where its share may truly be, since few questions tell little (Wilson, *Probable Inference, the
    /// Law of Succession, and Statistical Inference*, 1927).
    fn at_least(&self, deviations: f32) -> f32 {
        let (share, many, doubt) = (self.share, self.weight, deviations * deviations);
        let spread = (share * (1.0 - share) / many + doubt / (4.0 * many * many)).sqrt();
        (share + doubt / (2.0 * many) - deviations * spread) / (1.0 + doubt / many)
    }
}

fn before(odds: f32) -> f32 {
    0.95 / (1.0 + (-0.6 * odds).exp())
}

impl Default for Calibration {
    fn default() -> Self {
        Self::of(&[])
    }
}

impl Calibration {
    /// Learns from what was tried.
    pub fn of(tried: &[Trial]) -> Self {
        let one = |odds: f32, share: f32, weight: f32| Block { from: odds, to: odds, share, weight };
        let mut all: Vec<Block> =
            tried.iter().map(|tried| one(tried.odds, f32::from(u8::from(tried.right)), 1.0)).collect();
        all.extend(AT.map(|odds| one(odds, before(odds), BEFORE)));
        all.sort_by(|a, b| a.from.total_cmp(&b.from).then(a.share.total_cmp(&b.share)));
        let mut blocks: Vec<Block> = Vec::new();
        for mut new in all {
            while let Some(last) = blocks.pop_if(|last| last.share >= new.share) {
                new = last.with(&new);
            }
            blocks.push(new);
        }
        let deviations = if tried.len() < ENOUGH { 0.0 } else { DOUBT };
        let mut least = 0.0_f32;
        let mut ends = |block: Block| {
            // What more odds have is no less, however few tried it.
            least = least.max(block.at_least(deviations)).min(SUREST);
            [(block.from, least), (block.to, least)]
        };
        let points = blocks.into_iter().flat_map(&mut ends).collect();
        let mut found = Self { examples: 0, points, cut: HIGHEST };
        found.cut = found.cut_for(tried);
        found
    }

    /// Whether it counts for so many examples: few are tried again each time, of many a twentieth may be other ones.
    pub fn counts_for(&self, examples: usize) -> bool {
        examples >= MANY && self.examples.abs_diff(examples) * 20 <= examples
    }

    /// The share of what has such odds.
    pub fn share(&self, odds: f32) -> f32 {
        let behind = self.points.partition_point(|(at, _)| *at < odds);
        match (behind.checked_sub(1).and_then(|at| self.points.get(at)), self.points.get(behind)) {
            (Some((low, from)), Some((high, to))) => {
                from + (to - from) * (odds - low) / (high - low).max(1e-6)
            }
            (Some((_, share)), None) | (None, Some((_, share))) => *share,
            (None, None) => 0.0,
        }
    }

    /// The lowest share from which on all that is said is right often enough.
    fn cut_for(&self, tried: &[Trial]) -> f32 {
        let mut shares: Vec<f32> = tried.iter().map(|one| self.share(one.odds)).collect();
        shares.sort_by(|a, b| b.total_cmp(a));
        let (mut sum, mut cut) = (0.0, HIGHEST);
        for (at, share) in shares.iter().enumerate() {
            sum += share;
            if sum / (at + 1) as f32 >= AIM {
                cut = cut.min(*share);
            }
        }
        cut.max(LOWEST)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_called_so_sure_is_right_so_often() {
        // Right in as many of a hundred as the odds say in tenths.
        let tried: Vec<Trial> = (0..100)
            .flat_map(|step| (0..100).map(move |at| Trial { odds: step as f32 / 10.0, right: at < step }))
            .collect();
        let calibration = Calibration::of(&tried);
        for step in [20, 50, 80, 95] {
            let said = calibration.share(step as f32 / 10.0);
            // A hundred questions leave it open by a twentieth; never is more said than was right.
            let right = step as f32 / 100.0;
            assert!((right - 0.06..=right + 0.01).contains(&said), "{step}: {said}");
        }
        assert!(calibration.cut > 0.7 && calibration.cut <= HIGHEST);
    }

    #[test]
    fn shares_rise_with_the_odds_whatever_was_tried() {
        for tried in
            [vec![], vec![Trial { odds: 5.0, right: false }; 40], vec![Trial { odds: -3.0, right: true }; 9]]
        {
            let calibration = Calibration::of(&tried);
            let said: Vec<f32> = (-50..150).map(|odds| calibration.share(odds as f32 / 10.0)).collect();
            assert!(said.windows(2).all(|pair| pair[0] <= pair[1] + 1e-6));
            assert!(said.iter().all(|share| (0.0..=SUREST).contains(share)));
            assert!((LOWEST..=HIGHEST).contains(&calibration.cut));
        }
        // A few lucky guesses make nothing sure.
        let few = Calibration::of(&[Trial { odds: 2.0, right: true }; 3]);
        assert!(few.share(2.0) < 0.95);
        // Nor do they among many others: four that were right by chance are told as less.
        let mut tried = vec![Trial { odds: 0.0, right: false }; 400];
        tried.extend([Trial { odds: 2.5, right: true }; 4]);
        assert!(Calibration::of(&tried).share(2.5) < 0.8);
    }
}

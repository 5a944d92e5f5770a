//! What was measured, each with its goal and whether that holds.

use std::time::{Duration, Instant};

/// How often each pair is measured, after one run that is not counted.
pub const ROUNDS: usize = 7;

/// How long some work takes.
pub fn timed<T>(work: impl FnOnce() -> T) -> Duration {
    let start = Instant::now();
    std::hint::black_box(work());
    start.elapsed()
}

/// Times of the floor and of our work, measured in turn.
pub struct Pair {
    floor: Vec<f64>,
    ours: Vec<f64>,
}

impl Pair {
    pub fn measure(floor: impl FnMut() -> Duration, ours: impl FnMut() -> Duration) -> Self {
        Self::measure_times(ROUNDS, floor, ours)
    }

    pub fn measure_times(
        rounds: usize,
        mut floor: impl FnMut() -> Duration,
        mut ours: impl FnMut() -> Duration,
    ) -> Self {
        floor();
        ours();
        let (floor, ours) = (0..rounds).map(|_| (floor().as_secs_f64(), ours().as_secs_f64())).unzip();
        Self { floor, ours }
    }

    /// The ratios, the smallest first.
    fn ratios(&self) -> Vec<f64> {
        let mut ratios: Vec<f64> =
            self.ours.iter().zip(&self.floor).map(|(ours, floor)| ours / floor).collect();
        ratios.sort_by(f64::total_cmp);
        ratios
    }
}

/// Times of one thing, measured so often.
pub fn times(rounds: usize, mut work: impl FnMut() -> Duration) -> Vec<f64> {
    work();
    (0..rounds).map(|_| work().as_secs_f64()).collect()
}

pub fn median(times: &[f64]) -> f64 {
    let mut sorted = times.to_vec();
    sorted.sort_by(f64::total_cmp);
    sorted[sorted.len() / 2]
}

struct Row {
    what: String,
    measured: String,
    goal: String,
    holds: bool,
}

/// All figures of one call, printed as they come and once more as a table.
#[derive(Default)]
pub struct Figures {
    rows: Vec<Row>,
}

impl Figures {
    /// What is about to be measured.
    pub fn begin(&self, what: &str) {
        println!("\n{what}");
    }

    /// A ratio to a floor; without a goal it is told alone.
    pub fn ratio(&mut self, what: &str, floor: &str, goal: Option<f64>, pair: &Pair) {
        let ratios = pair.ratios();
        let (low, middle, high) = (ratios[0], ratios[ratios.len() / 2], ratios[ratios.len() - 1]);
        let times = format!("{:.4} s against {:.4} s, {floor}", median(&pair.ours), median(&pair.floor));
        let measured = format!("{middle:.2} ({low:.2} to {high:.2})");
        match goal {
            Some(goal) => self.add(what, measured, &format!("{goal}"), middle <= goal, &times),
            None => println!("  {what:44} {measured:24} {times}"),
        }
    }

    /// The median of times, which are to be at most so many seconds.
    pub fn seconds(&mut self, what: &str, times: &[f64], goal: f64) {
        let low = times.iter().copied().fold(f64::MAX, f64::min);
        let high = times.iter().copied().fold(0.0, f64::max);
        let (scale, unit) = if goal < 1.0 { (1e3, "ms") } else { (1.0, "s") };
        let measured =
            format!("{:.1} ({:.1} to {:.1}) {unit}", median(times) * scale, low * scale, high * scale);
        self.add(what, measured, &format!("{} {unit}", goal * scale), median(times) <= goal, "");
    }

    /// A number that is to be at most another.
    pub fn at_most(&mut self, what: &str, value: f64, goal: f64, unit: &str) {
        let shown = |number: f64| {
            let text = if number.fract() == 0.0 { format!("{number}") } else { format!("{number:.3}") };
            format!("{text} {unit}").trim_end().to_owned()
        };
        self.add(what, shown(value), &shown(goal), value <= goal, "");
    }

    fn add(&mut self, what: &str, measured: String, goal: &str, holds: bool, beside: &str) {
        let goal = format!("goal {goal}");
        let verdict = if holds { "" } else { "MISSED" };
        println!("  {what:44} {measured:24} {goal:14} {verdict:7} {beside}");
        self.rows.push(Row { what: what.to_owned(), measured, goal, holds });
    }

    /// Everything with a goal, and how many were missed.
    pub fn table(&self) {
        println!("\n{:46} {:26} {:14}", "what", "measured", "goal");
        for row in &self.rows {
            let holds = if row.holds { "holds" } else { "MISSED" };
            println!("{:46} {:26} {:14} {holds}", row.what, row.measured, row.goal);
        }
        let missed = self.rows.iter().filter(|row| !row.holds).count();
        println!("\n{} of {} goals hold", self.rows.len() - missed, self.rows.len());
    }
}

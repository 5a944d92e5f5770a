//! What the program's work costs, as ratios to a floor: the same work with nothing that could be left
//! out, measured in turn on the same tree in one run.
//!
//! `cargo bench -p nine-benches` makes a tree of 200,000 small files and prints every ratio with its
//! median, smallest and largest. Other sizes: `-- FILES MOVES`, such as `-- 20000 2000`.
#![allow(clippy::print_stdout, missing_docs)]

#[path = "floors/bare.rs"]
mod bare;
#[path = "floors/tree.rs"]
mod tree;
#[path = "floors/work.rs"]
mod work;

use std::time::{Duration, Instant};

/// How often each pair is measured, after one run that is not counted.
const ROUNDS: usize = 7;

fn main() {
    let numbers: Vec<usize> = std::env::args().filter_map(|word| word.parse().ok()).collect();
    let files = numbers.first().copied().unwrap_or(200_000);
    let moves = numbers.get(1).copied().unwrap_or(20_000);
    let world = tempfile::tempdir().expect("a temporary folder");
    println!(
        "{files} files, {moves} moves, {ROUNDS} rounds; ratio to the floor: median (smallest to largest)\n"
    );

    let pile = world.path().join("pile");
    let made = tree::make(&pile, files);
    println!("a tree of {} files in {} folders", made.files, made.folders);
    let walk = Pair::measure(|| timed(|| bare::walk(&pile)), || timed(|| work::scan_and_plan(&pile, false)));
    walk.print("tidy: scan and plan, loose", "bare walk, 2 threads", "1.5");
    let deep = Pair::measure(|| timed(|| bare::walk(&pile)), || timed(|| work::scan_and_plan(&pile, true)));
    deep.print("tidy: scan and plan, deep", "bare walk, 2 threads", "-");
    let scan = Pair::measure(|| timed(|| bare::walk(&pile)), || timed(|| work::scan(&pile)));
    scan.print("scan alone", "bare walk, 2 threads", "1.5");

    let renames = Pair::measure(
        || {
            let (from, to) = tree::flat(world.path(), moves);
            timed(|| bare::renames(&from, &to))
        },
        || {
            let (from, to) = tree::flat(world.path(), moves);
            let data = world.path().join("data");
            let (places, worklist) = work::moves(&from, &to);
            let time = timed(|| work::carry(&places, &worklist, &data));
            std::fs::remove_dir_all(data).expect("the daybook is removed");
            time
        },
    );
    renames.print("carry: check, daybook, moves", "bare no-replace renames", "1.5");
}

fn timed<T>(work: impl FnOnce() -> T) -> Duration {
    let start = Instant::now();
    std::hint::black_box(work());
    start.elapsed()
}

/// Times of the floor and of our work, measured in turn.
struct Pair {
    floor: Vec<f64>,
    ours: Vec<f64>,
}

impl Pair {
    fn measure(mut floor: impl FnMut() -> Duration, mut ours: impl FnMut() -> Duration) -> Self {
        floor();
        ours();
        let (floor, ours) = (0..ROUNDS).map(|_| (floor().as_secs_f64(), ours().as_secs_f64())).unzip();
        Self { floor, ours }
    }

    fn print(&self, what: &str, floor: &str, goal: &str) {
        let mut ratios: Vec<f64> =
            self.ours.iter().zip(&self.floor).map(|(ours, floor)| ours / floor).collect();
        ratios.sort_by(f64::total_cmp);
        let (low, middle, high) = (ratios[0], ratios[ROUNDS / 2], ratios[ROUNDS - 1]);
        println!(
            "{what:34} {middle:5.2} ({low:.2} to {high:.2})  goal {goal:4}  {:.3} s against {:.3} s, {floor}",
            median(&self.ours),
            median(&self.floor),
        );
    }
}

fn median(times: &[f64]) -> f64 {
    let mut sorted = times.to_vec();
    sorted.sort_by(f64::total_cmp);
    sorted[sorted.len() / 2]
}

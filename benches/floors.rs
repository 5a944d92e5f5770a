//! What the program's work costs, as ratios to a floor: the same work with nothing that could be left
//! out, measured in turn on the same tree in one run.
//!
//! `cargo bench -p nine-benches` makes a tree of 200,000 small files and a catalogue of a million rows,
//! and prints every figure with its median, smallest and largest. Other sizes: `-- FILES MOVES ROWS`,
//! such as `-- 20000 2000 100000`; `-- drive` for what is done over a network alone, `-- search` for searches and
//! `-- review` for the review, `-- watch` for watching, `-- 1000000 report` for a report on so many files.
#![allow(clippy::print_stdout, missing_docs)]

#[path = "floors/bare.rs"]
mod bare;
#[path = "chance.rs"]
mod chance;
#[path = "floors/copies.rs"]
mod copies;
#[path = "floors/drive.rs"]
mod drive;
#[path = "floors/look.rs"]
mod look;
#[path = "floors/names.rs"]
mod names;
#[path = "floors/program.rs"]
mod program;
#[path = "floors/review.rs"]
mod review;
#[path = "floors/tree.rs"]
mod tree;
#[path = "floors/watch.rs"]
mod watch;
#[path = "floors/work.rs"]
mod work;

use std::path::Path;
use std::time::{Duration, Instant};

/// How often each pair is measured, after one run that is not counted.
const ROUNDS: usize = 7;

fn main() {
    let numbers: Vec<usize> = std::env::args().filter_map(|word| word.parse().ok()).collect();
    let files = numbers.first().copied().unwrap_or(200_000);
    let moves = numbers.get(1).copied().unwrap_or(20_000);
    let rows = numbers.get(2).copied().unwrap_or(1_000_000);
    let world = tempfile::tempdir().expect("a temporary folder");
    println!(
        "{files} files, {moves} moves, {ROUNDS} rounds; ratio to the floor: median (smallest to largest)\n"
    );

    if std::env::args().any(|word| word == "search") {
        return searches(world.path(), rows);
    }
    if std::env::args().any(|word| word == "review") {
        return reviews(world.path());
    }
    if std::env::args().any(|word| word == "watch") {
        return watching(world.path());
    }
    if std::env::args().any(|word| word == "report") {
        tree::make(&world.path().join("pile"), files);
        return reports(world.path());
    }
    on_a_drive(world.path());
    if std::env::args().any(|word| word == "drive") {
        return;
    }
    careless_names();
    let pile = world.path().join("pile");
    let made = tree::make(&pile, files);
    println!("a tree of {} files in {} folders", made.files, made.folders);
    let walk = Pair::measure(|| timed(|| bare::walk(&pile)), || timed(|| work::scan_and_plan(&pile, false)));
    walk.print("tidy: scan and plan, loose", "bare walk, 2 threads", "1.5");
    let deep = Pair::measure(|| timed(|| bare::walk(&pile)), || timed(|| work::scan_and_plan(&pile, true)));
    deep.print("tidy: scan and plan, deep", "bare walk, 2 threads", "-");
    let scan = Pair::measure(|| timed(|| bare::walk(&pile)), || timed(|| work::scan(&pile)));
    scan.print("scan alone", "bare walk, 2 threads", "1.5");
    catalogue(world.path(), &pile);
    searches(world.path(), rows);
    reports(world.path());
    reviews(world.path());
    watching(world.path());

    same_bytes(world.path(), files / 20);
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

/// What watching takes: nothing happens for a minute, one file arrives, 10,000 do; in a pile of 1,000 files, and of
/// 100,000. Nothing has to settle, so that runs are a minute apart at least: each figure is of a program begun anew.
fn watching(world: &Path) {
    let program = program::build();
    for files in [1_000, 100_000] {
        let world = world.join(format!("watch-{files}"));
        let watched = watch::Watched::begin(&program, &world, files);
        let (before, memory) = (watched.wakings(), watched.memory());
        std::thread::sleep(Duration::from_secs(60));
        let wakings = watched.wakings() - before;
        println!(
            "watch: {files} files, nothing happens   {wakings} wake-ups in a minute, {} MB",
            memory / 1_000_000
        );
        println!(
            "watch: {files} files, one arrives       filed after {:.3} s",
            watched.arrive(1, 0).as_secs_f64()
        );
        drop(watched);
        let watched = watch::Watched::begin(&program, &world, 0);
        let time = watched.arrive(10_000, 1).as_secs_f64();
        println!(
            "watch: {files} files, 10,000 arrive     all filed after {time:.1} s, {} MB",
            watched.memory() / 1_000_000
        );
    }
}

/// 20,000 files in 400 folders listed, and 2,000 of them moved, on a drive that answers at once and on one that
/// takes 30 ms.
fn on_a_drive(world: &Path) {
    const FILES: usize = 20_000;
    const FOLDERS: usize = 400;
    const MOVES: usize = 2_000;
    for delay in [Duration::ZERO, Duration::from_millis(30)] {
        let root = world.join("drive");
        let served = drive::Served::start(&root, FILES, FOLDERS, delay);
        let round_trips = |requests: usize| delay.as_secs_f64() * requests.div_ceil(drive::AT_ONCE) as f64;
        println!(
            "a drive with {FILES} files in {FOLDERS} folders, {} ms an answer, {} requests at once",
            delay.as_millis(),
            drive::AT_ONCE
        );
        let listed = Pair::measure(|| timed(|| served.list_bare()), || timed(|| served.scan()));
        listed.print("drive: list", "the same requests, bare", "1.2");
        served.standin.asked();
        served.scan();
        println!(
            "{:34} {} requests for {} folders; {:.2} s of round trips",
            "",
            served.standin.asked().len(),
            FOLDERS + 1,
            round_trips(FOLDERS + 1)
        );
        let mut requests = 0;
        let moved = Pair::measure(
            || {
                tree::flat(&root, MOVES);
                timed(|| served.move_bare(MOVES))
            },
            || {
                tree::flat(&root, MOVES);
                let data = world.join("data");
                let (places, worklist) = work::moves_between(served.places());
                served.standin.asked();
                let time = timed(|| work::carry(&places, &worklist, &data));
                requests = served.standin.asked().len();
                std::fs::remove_dir_all(data).expect("the daybook is removed");
                time
            },
        );
        moved.print("drive: check, daybook, moves", "the same requests, bare", "1.2");
        println!(
            "{:34} {requests} requests for {MOVES} moves; {:.2} s of round trips\n",
            "",
            round_trips(MOVES)
        );
        for folder in ["from", "to"] {
            std::fs::remove_dir_all(root.join(folder)).expect("the moved files go");
        }
    }
}

/// Names that are read for a facet with many answers.
fn careless_names() {
    let now = nine_core::moment::Now::new(jiff::Timestamp::now().to_zoned_datetime(jiff::tz::TimeZone::UTC));
    let (facet, read) = names::make();
    let (mut times, mut told) = (Vec::new(), (0, 0));
    for _ in 0..ROUNDS {
        let (time, right, silent) = names::read(&facet, &read, &now);
        times.push(time.as_secs_f64());
        told = (right, silent);
    }
    println!(
        "{} names against {} answers: {:.3} s (goal 2); {} right, {} wrong without a doubt\n",
        names::NAMES,
        names::ANSWERS,
        median(&times),
        told.0,
        told.1
    );
}

/// The first scan into the catalogue, and the refresh of what has not changed.
fn catalogue(world: &Path, pile: &Path) {
    let file = world.join("catalogue.sqlite");
    let forget = || {
        for ending in ["", "-wal", "-shm"] {
            let _ = std::fs::remove_file(world.join(format!("catalogue.sqlite{ending}")));
        }
    };
    let mut look = look::Look::new(pile);
    let first = Pair::measure(
        || timed(|| bare::walk(pile)),
        || {
            forget();
            timed(|| look.refresh(&file, false))
        },
    );
    first.print("first scan into the catalogue", "bare walk, 2 threads", "1.5");
    let tags = Pair::measure(
        || timed(|| bare::walk_with_tags(pile)),
        || {
            forget();
            timed(|| look.refresh(&file, true))
        },
    );
    tags.print("the same with tags", "bare walk and getxattr", "1.3");
    let again = Pair::measure(|| timed(|| bare::walk(pile)), || timed(|| look.refresh(&file, false)));
    again.print("refresh, nothing changed", "bare walk, 2 threads", "1.3");
}

/// Copies: found for the first time, and again; and a large file read in two ways.
fn same_bytes(world: &Path, files: usize) {
    let root = world.join("copies");
    let bytes = copies::make(&root, files);
    println!("\na tree of {files} files with {} MB, a third of them copies", bytes / 1_000_000);
    let file = world.join("copies.sqlite");
    let forget = || {
        for ending in ["", "-wal", "-shm"] {
            let _ = std::fs::remove_file(world.join(format!("copies.sqlite{ending}")));
        }
    };
    let mut place = copies::Place::new(&root);
    forget();
    let ((floor, floor_bytes), (ours, our_bytes)) = (copies::bare(&root), place.copies(&file));
    assert_eq!(floor, ours, "both find the same");
    println!(
        "copies: {ours} found; {our_bytes} bytes read against {floor_bytes}, {:.3}",
        our_bytes as f64 / floor_bytes as f64
    );
    let first = Pair::measure(
        || timed(|| copies::bare(&root)),
        || {
            forget();
            timed(|| place.copies(&file))
        },
    );
    first.print("copies, first run", "bare: size, 16 KiB, whole", "1.2");
    assert_eq!(place.copies(&file).1, 0, "the second run reads nothing");
    let again = Pair::measure(|| timed(|| bare::walk(&root)), || timed(|| place.copies(&file)));
    again.print("copies, second run", "bare walk, 2 threads", "1.5");
    let large = world.join("large");
    std::fs::write(&large, vec![7; 512 << 20]).expect("a large file is written");
    for block in [64 << 10, 256 << 10, 1 << 20] {
        let pair =
            Pair::measure(|| timed(|| copies::mapped(&large)), || timed(|| copies::in_blocks(&large, block)));
        pair.print(&format!("512 MiB in blocks of {} KiB", block >> 10), "mapped", "-");
    }
    std::fs::remove_file(large).expect("the large file goes");
}

/// A report on the tree, against a search that only brings the catalogue up to date.
fn reports(world: &Path) {
    let (nine, home) = (program::build(), world.join("reports"));
    std::fs::create_dir_all(&home).expect("a folder is made");
    let config = format!("[pile.pile]\nat = \"{}\"\n", world.join("pile").display());
    std::fs::write(home.join("shelves.toml"), config).expect("the configuration is written");
    let report = ["report"];
    let pair = Pair::measure(
        || program::run(&nine, &home, &["search", "name is nothing"]),
        || program::run(&nine, &home, &report),
    );
    pair.print("report", "a refresh, by a search", "1.3");
    let pages = std::fs::read_dir(home.join("reports")).expect("there are reports").flatten();
    let largest = pages.filter_map(|page| Some(page.metadata().ok()?.len())).max().unwrap_or(0);
    let memory = program::peak_memory(&nine, &home, &report) / 1_000_000;
    println!("{:34} {memory} MB (goal 300); the page {} KB (goal 1500)", "", largest / 1000);
}

/// A plan of 100,000 steps gone through on a terminal: until it is seen, and from a key to the screen.
fn reviews(world: &Path) {
    let home = review::make(world, 100_000);
    let program = program::build();
    let rounds: Vec<_> = (0..ROUNDS).map(|_| review::go_through(&program, &home)).collect();
    let middle = |mut times: Vec<Duration>| {
        times.sort();
        let milliseconds = |at: usize| times[at].as_secs_f64() * 1000.0;
        format!(
            "{:6.1} ms ({:.1} to {:.1})",
            milliseconds(ROUNDS / 2),
            milliseconds(0),
            milliseconds(ROUNDS - 1)
        )
    };
    let opened = middle(rounds.iter().map(|round| round.0).collect());
    println!("review of 100,000 steps: on the screen  {opened}; goal 300 ms");
    for (at, (_, name)) in review::KEYS.iter().enumerate() {
        let time = middle(rounds.iter().map(|round| round.1[at]).collect());
        println!("  from key to screen: {name:24} {time}; goal 16 ms");
    }
    let megabytes = |bytes: u64| bytes / 1_000_000;
    let (now, most) = rounds[0].2;
    println!("  memory {} MB, at most {} MB with the plan; goal 150 MB", megabytes(now), megabytes(most));
}

/// Searches of a catalogue of many rows, each by the program started anew; and its bare start.
fn searches(world: &Path, rows: usize) {
    let nine = program::build();
    let (home, place) = (world.join("nine"), world.join("place"));
    std::fs::create_dir_all(&home).expect("a folder is made");
    std::fs::create_dir_all(&place).expect("a folder is made");
    let config = format!("[pile.place]\nat = \"{}\"\n", place.display());
    std::fs::write(home.join("shelves.toml"), config).expect("the configuration is written");
    look::catalogue_of(&home.join("catalogue.sqlite"), &place, rows);
    println!("\na catalogue of {rows} rows; milliseconds from the start of the program to its end");
    for (what, goal, condition) in [
        ("by type", 25, "type slides,video"),
        ("by size", 25, "size over 2990MB"),
        ("by age", 25, "age over 90mo"),
        ("by tag", 25, "tag loans"),
        ("by a word inside", 25, "text has ledger and text has sextant"),
        ("by a camera", 100, "camera has ombra"),
        ("by when it was taken", 100, "taken on 2029"),
        ("by its width", 100, "width over 5900"),
        ("by a part of the title", 100, "title has 99999"),
        ("by a part of the name", 40, "name has 99999"),
        ("by a part of the path", 100, "path has \"folder 77\""),
        ("by an expression", 100, "name matches ledger.*7$"),
    ] {
        let words = ["search", "--known", "--limit", "20", condition];
        let runs = Times::measure(|| program::run(&nine, &home, &words));
        let memory = program::peak_memory(&nine, &home, &words);
        println!("{what:34} {}  goal {goal} ms; {} MB (goal 100)", runs.milliseconds(), memory / 1_000_000);
    }
    println!();
    let nothing = Path::new("/bin/true");
    let bare = || program::run(nothing, &home, &[]);
    let help = Pair::measure(bare, || program::run(&nine, &home, &["--help"]));
    help.print("start: --help", "/bin/true", "1.7");
    let empty = world.join("empty");
    std::fs::create_dir_all(&empty).expect("a folder is made");
    std::fs::copy(home.join("shelves.toml"), empty.join("shelves.toml")).expect("it is copied");
    look::catalogue_of(&empty.join("catalogue.sqlite"), &place, 10);
    let open = || program::run(&nine, &empty, &["search", "--known", "empty"]);
    Pair::measure(bare, open).print("start: with the catalogue open", "/bin/true", "3");
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

/// Times of one thing.
struct Times(Vec<f64>);

impl Times {
    fn measure(mut work: impl FnMut() -> Duration) -> Self {
        work();
        Self((0..ROUNDS * 3).map(|_| work().as_secs_f64()).collect())
    }

    fn milliseconds(&self) -> String {
        let (low, high) =
            self.0.iter().fold((f64::MAX, 0.0_f64), |(low, high), t| (low.min(*t), high.max(*t)));
        format!("{:5.1} ({:.1} to {:.1})", median(&self.0) * 1e3, low * 1e3, high * 1e3)
    }
}

fn median(times: &[f64]) -> f64 {
    let mut sorted = times.to_vec();
    sorted.sort_by(f64::total_cmp);
    sorted[sorted.len() / 2]
}

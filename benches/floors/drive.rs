//! A drive: the program's own requests, and the same ones sent bare at the same concurrency.

use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Duration;

use nine_core::place::ItemPath;
use nine_standin::{Asked, Settings, Standin};
use nine_stores::drive::{Address, Drive, DriveSettings, DriveStore};
use nine_stores::{Places, Scope, Store, Watch};

use crate::Ground;
use crate::figures::{Figures, Pair, timed};
use crate::{tree, work};

/// Requests that are under way at once, on both sides.
pub const AT_ONCE: usize = 8;

/// What every listing asks for.
const WANTED: &str = "<?xml version=\"1.0\" encoding=\"utf-8\"?>\
    <d:propfind xmlns:d=\"DAV:\" xmlns:n=\"urn:nine-shelves:drive\"><d:prop><d:resourcetype/><d:getcontentlength/>\
    <d:getlastmodified/><d:getetag/><n:tags/><n:modified/><n:kept/></d:prop></d:propfind>";

/// A served folder.
pub struct Served {
    pub standin: Standin,
    conduct: nine_stores::drive::Conduct,
    pub folders: usize,
}

impl Served {
    /// Makes `files` files in `folders` folders, and serves them with this delay.
    pub fn start(root: &Path, files: usize, folders: usize, delay: Duration) -> Self {
        for folder in 0..folders {
            let at = root.join(format!("folder {folder}"));
            if at.exists() {
                continue;
            }
            std::fs::create_dir_all(&at).expect("a folder");
            for file in 0..files / folders {
                std::fs::write(at.join(format!("paper {file}.txt")), "x").expect("a file");
            }
        }
        let plain =
            Standin::start(Settings { root: root.to_owned(), ..Settings::default() }).expect("a port");
        let address = Address::parse(&plain.url()).expect("an address");
        let conduct = Drive::new(&address, DriveSettings::default()).try_out().expect("it is tried");
        drop(plain);
        let settings = Settings { root: root.to_owned(), delay, ..Settings::default() };
        Self { standin: Standin::start(settings).expect("a port"), conduct, folders }
    }

    /// The top of the drive, or a folder of it, as a place of its own.
    fn store(&self, below: &str) -> Arc<dyn Store> {
        let address = Address::parse(&format!("{}{below}", self.standin.url())).expect("an address");
        let conduct = Some(self.conduct.clone());
        let drive =
            Drive::new(&address, DriveSettings { at_once: AT_ONCE, conduct, ..DriveSettings::default() });
        Arc::new(DriveStore::new(drive, address))
    }

    /// Reads all of it into a tree.
    pub fn scan(&self) -> usize {
        self.store("").scan(&Scope::default(), &Watch::default()).expect("the drive is read").tree.len()
    }

    /// The same requests, whose answers are read and thrown away.
    pub fn list_bare(&self) {
        let agent = agent();
        let paths: Vec<String> = (0..self.folders).map(|folder| format!("folder%20{folder}/")).collect();
        let list = |path: &String| {
            ask(&agent, "PROPFIND", &format!("{}{path}", self.standin.url()), &[("depth", "1")], WANTED)
        };
        list(&String::new());
        at_once(&paths, list);
    }

    /// The places of a run that moves from one folder to another.
    pub fn places(&self) -> Places {
        let store = self.store("");
        let mut places = Places::default();
        let (from, to) = (ItemPath::new("from").expect("a path"), ItemPath::new("to").expect("a path"));
        places.add("from", store.inside(&from).expect("a place"));
        places.add("to", store.inside(&to).expect("a place"));
        places
    }

    /// The same moves, each a request, and what was asked `around` them, before and behind.
    pub fn move_bare(&self, moves: usize, around: &[Vec<Asked>; 2]) {
        let agent = agent();
        let host = self.standin.url();
        let host = host.find("//").and_then(|at| host[at + 2..].find('/').map(|end| &host[..at + 2 + end]));
        let host = host.expect("an address with a path");
        let ask_again = |asked: &Asked| {
            let depth = asked.depth.as_deref().unwrap_or("0");
            ask(&agent, &asked.method, &format!("{host}{}", asked.path), &[("depth", depth)], WANTED);
        };
        around[0].iter().for_each(ask_again);
        let names: Vec<usize> = (0..moves).collect();
        at_once(&names, |name| {
            let file = format!("letter%20{name}.txt");
            let to = format!("{}to/{file}", self.standin.url());
            let headers = [("destination", to.as_str()), ("overwrite", "F")];
            ask(&agent, "MOVE", &format!("{}from/{file}", self.standin.url()), &headers, "");
        });
        around[1].iter().for_each(ask_again);
    }

    /// Moves through the program's own calls. Returns how long it took, and what was asked.
    fn carried(&self, root: &Path, data: &Path, moves: usize) -> (Duration, Vec<Asked>) {
        tree::flat(root, moves);
        let (places, worklist) = work::moves_between(self.places());
        self.standin.asked();
        let time = timed(|| work::carry(&places, &worklist, data));
        std::fs::remove_dir_all(data).expect("the daybook is removed");
        (time, self.standin.asked())
    }
}

/// What was asked before the first move, and what behind it but moves.
fn around_moves(asked: Vec<Asked>) -> [Vec<Asked>; 2] {
    let first = asked.iter().position(|asked| asked.method == "MOVE").unwrap_or(asked.len());
    let mut before = asked;
    let mut behind = before.split_off(first);
    behind.retain(|asked| asked.method != "MOVE");
    [before, behind]
}

fn agent() -> ureq::Agent {
    let config = ureq::Agent::config_builder()
        .http_status_as_error(false)
        .allow_non_standard_methods(true)
        .max_idle_connections(AT_ONCE)
        .max_idle_connections_per_host(AT_ONCE);
    config.build().new_agent()
}

fn ask(agent: &ureq::Agent, method: &str, url: &str, headers: &[(&str, &str)], body: &str) {
    let method = ureq::http::Method::from_bytes(method.as_bytes()).expect("a method");
    let mut request = ureq::http::Request::builder().method(method).uri(url);
    for (name, value) in headers {
        request = request.header(*name, *value);
    }
    let answer = agent.run(request.body(body).expect("a request")).expect("an answer");
    assert!(answer.status().is_success(), "{url}: {}", answer.status());
    std::io::copy(&mut answer.into_body().into_reader(), &mut std::io::sink()).expect("a whole answer");
}

fn at_once<T: Sync>(all: &[T], work: impl Fn(&T) + Sync) {
    let next = AtomicUsize::new(0);
    std::thread::scope(|scope| {
        for _ in 0..AT_ONCE {
            scope.spawn(|| {
                while let Some(one) = all.get(next.fetch_add(1, Ordering::Relaxed)) {
                    work(one);
                }
            });
        }
    });
}

/// 20,000 files in 400 folders listed, and 2,000 of them moved, on a drive that answers at once and on one that
/// takes 30 ms.
pub fn section(figures: &mut Figures, ground: &Ground) {
    const FILES: usize = 20_000;
    const FOLDERS: usize = 400;
    const MOVES: usize = 2_000;
    for delay in [Duration::ZERO, Duration::from_millis(30)] {
        let root = ground.folder("drive");
        let served = Served::start(&root, FILES, FOLDERS, delay);
        let delayed = format!("{} ms an answer", delay.as_millis());
        figures.begin(&format!(
            "A drive with {FILES} files in {FOLDERS} folders, {delayed}, {AT_ONCE} requests at once"
        ));
        let floor = "the same requests, bare";
        let listed = Pair::measure(|| timed(|| served.list_bare()), || timed(|| served.scan()));
        figures.ratio(&format!("drive: list, {delayed}"), floor, Some(1.2), &listed);
        served.standin.asked();
        served.scan();
        let requests = served.standin.asked().len() as f64;
        figures.at_most("drive: requests a folder", requests / (FOLDERS + 1) as f64, 1.05, "");
        let data = ground.folder("data");
        let (_, asked) = served.carried(&root, &data, MOVES);
        let requests = asked.len();
        let around = around_moves(asked);
        let moved = Pair::measure(
            || {
                tree::flat(&root, MOVES);
                timed(|| served.move_bare(MOVES, &around))
            },
            || served.carried(&root, &data, MOVES).0,
        );
        figures.ratio(&format!("drive: move, {delayed}"), floor, Some(1.2), &moved);
        figures.at_most("drive: requests a move", requests as f64 / MOVES as f64, 1.05, "");
        for folder in ["from", "to"] {
            std::fs::remove_dir_all(root.join(folder)).expect("the moved files go");
        }
    }
}

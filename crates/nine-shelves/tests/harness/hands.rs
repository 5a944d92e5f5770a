//! At every point at which the program changes a file: the person stops it, another hand saves, makes, moves or
//! renames something, or a place goes away for the moment.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::process::Output;

use super::scenes::{Before, SCENES, Scene, is_long, set};
use super::support::World;

/// What somebody does, in the world's folder; `T` stands for what every content of the world ends with.
pub struct Hand {
    pub name: &'static str,
    does: &'static str,
    /// What undoes it before the program looks after its run.
    back: &'static str,
    /// The content that must be there in the end.
    brings: &'static str,
}

pub const HANDS: [Hand; 7] = [
    Hand {
        name: "a file is saved anew",
        does: "printf 'saved anew T' > Downloads/.s && mv Downloads/.s Downloads/letters/a.txt",
        back: "",
        brings: "saved anew",
    },
    Hand {
        name: "a file comes into a folder",
        does: "mkdir -p Downloads/letters/deep && printf 'come since T' > Downloads/letters/deep/new.txt",
        back: "",
        brings: "come since",
    },
    Hand {
        name: "a file is written on",
        does: "printf ' and more T' >> Downloads/anchor.txt",
        back: "",
        brings: "and more",
    },
    Hand {
        name: "the target's folder is moved away",
        does: "for f in 'SHELVES/2 Loans' 'SHELVES/3 Grants'; do [ -e \"$f\" ] && mv \"$f\" aside-$$; done; true",
        back: "",
        brings: "",
    },
    Hand {
        name: "the source's folder is moved away",
        does: "mv Downloads/letters Downloads/anchor.txt elsewhere/ 2>/dev/null; true",
        back: "",
        brings: "",
    },
    Hand {
        name: "what was set aside before it goes is written on",
        does: "find . SHELVES -regextype posix-extended -regex '.*/[.]nine-[0-9a-f]+-[0-9a-f]{16}' -type f | \
               while read -r f; do printf ' set aside T' >> \"$f\"; touch elsewhere/brought; done; true",
        back: "",
        brings: "set aside",
    },
    Hand {
        name: "the bookcase is away for the moment",
        does: "mv SHELVES SHELVES.away && mkdir SHELVES",
        back: "[ -e SHELVES.away ] && { rmdir SHELVES; mv SHELVES.away SHELVES; }; true",
        brings: "",
    },
];

/// Scenes in which that is tried.
const TRIED: [&str; 4] =
    ["tidy", "tidy across file systems", "archive across file systems", "undo across file systems"];

/// What somebody does, with the names of this world.
fn in_world(world: &World, command: &str) -> String {
    let token = super::scenes::token(world);
    command.replace("SHELVES", &world.shelves.display().to_string()).replace(" T'", &format!(" {token}'"))
}

/// Runs the scene's command while somebody does this at a point. What it said, and how it ended.
fn disturb(world: &World, scene: &Scene, point: usize, does: &str) -> (String, Option<i32>) {
    let mut command = world.command(scene.words);
    command.env("NINE_HAND_AT", point.to_string()).env("NINE_HAND", does);
    let Output { status, stdout, stderr } = command.output().unwrap();
    (String::from_utf8_lossy(&[stdout, stderr].concat()).into_owned(), status.code())
}

/// All contents of the person's, wherever they are by now.
fn everything(world: &World) -> String {
    let mut found = String::new();
    let mut left = vec![world.dir.path().to_owned()];
    left.extend(world.disks.iter().map(|disk| disk.path().to_owned()));
    while let Some(at) = left.pop() {
        if at.is_dir() && !at.is_symlink() {
            left.extend(fs::read_dir(&at).unwrap().flatten().map(|entry| entry.path()));
        } else if let Ok(bytes) = fs::read(&at) {
            found.push_str(&String::from_utf8_lossy(&bytes));
            found.push('\n');
        }
    }
    found
}

fn nothing_is_lost(world: &World, before: &Before, hand: &Hand, case: &str) {
    let all = everything(world);
    for content in &before.contents {
        let text = content.split(" .tmp").next().unwrap_or_default();
        // What somebody saved over is gone by that hand.
        if !(hand.brings == "saved anew" && text == "first letter") {
            assert!(all.contains(text), "{case}: {content} is gone");
        }
    }
    let brings =
        if hand.brings == "set aside" && !world.at("elsewhere/brought").exists() { "" } else { hand.brings };
    assert!(all.contains(brings), "{case}: {brings} is gone");
}

/// Has it done at point after point of the scene. Returns how many cases there were.
pub fn run(scene: &Scene, hand: &Hand) -> usize {
    let step = match hand.brings {
        _ if is_long() => 1,
        // What is set aside is so for two points.
        "set aside" => 2,
        _ => scene.stride * 3,
    };
    for (cases, point) in (1..).step_by(step).enumerate() {
        let (world, before) = set(scene);
        fs::create_dir_all(world.at("elsewhere")).unwrap();
        let happened = world.at("elsewhere/happened");
        let does = format!("touch '{}'; {}", happened.display(), in_world(&world, hand.does));
        let (said, status) = disturb(&world, scene, point, &does);
        let case = format!("{}, {} at point {point}: {said}", scene.name, hand.name);
        if !happened.exists() {
            assert_eq!(status, Some(0), "{case}");
            return cases;
        }
        assert!(matches!(status, Some(0 | 1)), "{case}");
        nothing_is_lost(&world, &before, hand, &case);
        let back = in_world(&world, hand.back);
        std::process::Command::new("sh").args(["-c", &back]).current_dir(world.dir.path()).output().unwrap();
        let looked = world.nine(&["history"]);
        assert_eq!(looked.status, 0, "{case}: {}", looked.err);
        nothing_is_lost(&world, &before, hand, &format!("{case}\n{}", looked.err));
        world.nine(&["undo", "--yes"]);
        nothing_is_lost(&world, &before, hand, &format!("{case}, undone"));
    }
    unreachable!("the program ends at some point")
}

fn with(hand: usize) {
    let hand = &HANDS[hand];
    let tried = if hand.brings == "set aside" { &TRIED[1..2] } else { &TRIED[..] };
    for name in tried {
        let scene = SCENES.iter().find(|scene| scene.name == *name).expect("there is such a scene");
        let cases = run(scene, hand);
        assert!(cases >= 2, "{name}: {cases} cases");
        eprintln!("another hand: {}: {name}: {cases} points", hand.name);
    }
}

#[test]
fn saves_anew() {
    with(0);
}

#[test]
fn makes() {
    with(1);
}

#[test]
fn writes_on() {
    with(2);
}

#[test]
fn moves_the_target_away() {
    with(3);
}

#[test]
fn moves_the_source_away() {
    with(4);
}

#[test]
fn writes_on_what_is_set_aside() {
    with(5);
}

#[test]
fn takes_a_place_away() {
    with(6);
}

/// What comes into a folder that is packed does not go into the trash with it.
#[test]
fn saves_into_what_is_packed() {
    let scene = SCENES.iter().find(|scene| scene.name == "pack as zip").expect("there is such a scene");
    let mut came = 0;
    for point in (1..).step_by(scene.step()) {
        let (world, _) = set(scene);
        let inside = world.shelves.join("3 Grants/2031-04-07/downloads/letters/deep/new.txt");
        let does = format!("printf 'come since' > '{}'", inside.display());
        let (said, status) = disturb(&world, scene, point, &does);
        let all = everything(&world);
        if all.contains("come since") {
            // It came in time to be packed, or the folder stays.
            let pack = fs::read(world.shelves.join("3 Grants/2031-04-07.zip")).unwrap_or_default();
            let is_packed = pack.windows(12).any(|part| part == b"deep/new.txt");
            assert!(inside.exists() || is_packed, "at point {point} it went into the trash: {said}");
            let wanted = if inside.exists() { Some(1) } else { Some(0) };
            assert_eq!(status, wanted, "at point {point} that is said: {said}");
            came += usize::from(inside.exists());
        } else {
            // The folder was gone by then, or the program had ended.
            assert_eq!(status, Some(0), "at point {point}: {said}");
            break;
        }
    }
    assert!(came >= 3, "{came} points");
}

/// The command, told to heed an interrupt again: what a shell starts in the background ignores it, and hands that on.
fn to_be_stopped(command: &Command) -> Command {
    let mut heeding = Command::new("env");
    heeding.arg("--default-signal=INT").arg(command.get_program()).args(command.get_args()).env_clear();
    heeding.envs(command.get_envs().filter_map(|(name, value)| Some((name, value?))));
    if let Some(folder) = command.get_current_dir() {
        heeding.current_dir(folder);
    }
    heeding
}

/// The person stops the program: the step in hand ends or is taken back, the rest is not begun.
#[test]
fn stops_it() {
    for scene in SCENES.iter().filter(|scene| is_long() || TRIED.contains(&scene.name)) {
        let mut cases = 0;
        for point in (1..).step_by(scene.step() * 2) {
            let (world, before) = set(scene);
            let mut command = to_be_stopped(&world.command(scene.words));
            let ran = command.env("NINE_STOP_AT", point.to_string()).output().unwrap();
            // With nobody there it is told where notices go.
            let said = [ran.stdout.as_slice(), &ran.stderr].concat();
            let said = String::from_utf8_lossy(&said).into_owned();
            let case = format!("stopped at point {point}");
            // Before anything is carried out it ends at once.
            assert!(matches!(ran.status.code(), Some(0 | 1 | 130) | None), "{}, {case}: {said}", scene.name);
            scene.holds(&world, &before, &case);
            if ran.status.code() == Some(0) && !said.contains("not begun") {
                break;
            }
            cases += 1;
        }
        assert!(cases >= 2, "{}: {cases} cases", scene.name);
        eprintln!("stopped: {}: {cases} points", scene.name);
    }
}

/// Somebody moves a folder away while several files cross, out of it or into it: they are where they were, and nothing
/// of them is where they were to go. Returns at how many points that was tried.
fn while_files_cross(moves: impl Fn(&World) -> PathBuf) -> usize {
    const FILES: [&str; 3] = ["a.txt", "b.txt", "c.txt"];
    let mut moved = 0;
    for point in 1.. {
        let world = World::across_file_systems();
        world.rules("[[rule]]\nreach = \"deep\"\nwhen = \"file\"\nput = \"2\"\n");
        for name in FILES {
            world.file(&format!("letters/{name}"), "dear quay");
        }
        let (shelf, away) = (world.shelves.join("2 Loans"), moves(&world));
        fs::create_dir(&shelf).unwrap();
        let aside = away.parent().unwrap().join("aside");
        // While copies have names of ours, no original has gone yet.
        let does = format!(
            "touch reached; ls -A '{}' | grep -q '^[.]nine-' && mv '{}' '{}' && touch moved; true",
            shelf.display(),
            away.display(),
            aside.display()
        );
        let mut command = world.command(&["tidy", "--yes"]);
        command.env("NINE_HAND_AT", point.to_string()).env("NINE_HAND", does);
        let ran = command.output().unwrap();
        if !world.at("reached").exists() {
            return moved;
        }
        if world.at("moved").exists() {
            moved += 1;
            let said = String::from_utf8_lossy(&ran.stdout);
            let now = |at: &Path| if *at == away { aside.clone() } else { at.to_owned() };
            let letters = now(&world.at("Downloads/letters"));
            let all_here = FILES.iter().all(|name| letters.join(name).exists());
            assert!(all_here, "point {point}: {said}");
            let come = fs::read_dir(now(&shelf)).map_or(0, Iterator::count);
            assert_eq!(come, 0, "point {point}: {said}");
            assert_eq!(ran.status.code(), Some(1), "point {point}: {said}");
        }
    }
    unreachable!("the program ends at some point")
}

#[test]
fn moves_away_what_several_files_cross_into() {
    let moved = while_files_cross(|world| world.shelves.join("2 Loans"));
    assert!(moved >= 5, "{moved}");
}

#[test]
fn moves_away_what_several_files_cross_out_of() {
    let moved = while_files_cross(|world| world.at("Downloads/letters"));
    assert!(moved >= 5, "{moved}");
}

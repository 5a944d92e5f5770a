//! The page of a report in a real browser: no word in its console, no request, nothing that the accessibility checker and
//! the validator find, at three widths, light, dark and printed; and what can be done on it. See `browser/check.mjs`.

#[path = "program/support.rs"]
mod support;

use std::ffi::OsStr;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::process::Command;

use nine_demo::photos::{jpeg, scene};
use support::World;

/// Programs that are needed. Where all checks are made they must be there.
fn are_there() -> bool {
    let is_there = |program: &&str| Command::new(program).arg("--version").output().is_ok();
    let missing: Vec<&str> =
        ["chromium", "node", "npm", "java"].into_iter().filter(|one| !is_there(one)).collect();
    assert!(missing.is_empty() || std::env::var_os("CI").is_none(), "{missing:?} are to be installed");
    missing.is_empty()
}

/// The script with the packages that it needs, in a folder of its own.
fn checker() -> PathBuf {
    let own = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/browser");
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join("browser");
    fs::create_dir_all(&folder).unwrap();
    let is_new =
        |name: &str| fs::read(own.join(name)).unwrap() != fs::read(folder.join(name)).unwrap_or_default();
    let installs = is_new("package-lock.json") || !folder.join("node_modules").exists();
    for name in ["package.json", "package-lock.json", "check.mjs"] {
        fs::copy(own.join(name), folder.join(name)).unwrap();
    }
    if installs {
        let npm = ["ci", "--ignore-scripts", "--no-audit", "--no-fund"];
        let ran = Command::new("npm").args(npm).current_dir(&folder).output().unwrap();
        if !ran.status.success() {
            let _ = fs::remove_file(folder.join("package-lock.json"));
            panic!("{}", String::from_utf8_lossy(&ran.stderr));
        }
    }
    folder.join("check.mjs")
}

fn page_of(world: &World, words: &[&str], name: &str) -> PathBuf {
    let page = world.at(name);
    world.nine(&[words, &["report", "--to", page.to_str().unwrap()]].concat()).ends(0);
    page
}

/// Names that would be something else than text, wherever text is not kept apart from markup.
const HOSTILE: [&[u8]; 8] = [
    b"<script>alert(1)<",
    b"\"><img src=x onerror=alert(1)>",
    b"' onclick='x' & &amp; &lt;b&gt;",
    b"]]><!-- --><style>*{display:none}",
    b"\xff\xfe not UTF-8",
    "\u{202e}gnp.exe \u{0627}\u{0644}\u{0639} \u{1f6f6}".as_bytes(),
    b"line\nbreak\tand \x1b[31mcodes",
    b"javascript:alert(1)",
];

/// A world with such names in every field.
fn hostile() -> World {
    let world = World::new();
    let shelf = "Boats &amp; it's";
    let config = format!(
        "[pile.downloads]\nat = \"{}\"\nbirths = \"ignore\"\n\n[bookcase.home]\nat = \"{}\"\nshelves = [\"{shelf}\", {{ title = \"Loans\", mark = \"⚓\", color = \"blue\" }}]\n\n[archive]\nwhen = \"idle over 99y\"\nput = \"2/&lt; {{today}}/{{pile}}\"\n\n[tag.\"<b>\"]\nmark = \"★\"\ncolor = \"red\"\n",
        world.at("Downloads").display(),
        world.shelves.display()
    );
    world.config(&config);
    world.nine(&["shelves", "make", "--yes"]).ends(0);
    let photo = jpeg(&scene(1, 60, 40), 80).unwrap();
    let on_shelf = fs::read_dir(&world.shelves).unwrap().next().unwrap().unwrap().path();
    for (number, name) in HOSTILE.into_iter().enumerate() {
        let named = |end: &str| PathBuf::from(OsStr::from_bytes(&[name, end.as_bytes()].concat()).to_owned());
        for folder in [world.at("Downloads"), on_shelf.clone()] {
            for at in
                [folder.join(named(".txt")), folder.join(named("")).join(named("")).join(named(" deep.txt"))]
            {
                world.old_file(&at, &"same ".repeat(number + 1));
            }
        }
        fs::write(world.at("Downloads").join(named(".jpg")), [&photo[..], &[number as u8]].concat()).unwrap();
    }
    world.nine(&["tag", "add", "<b>,\"x/&amp;", "--where", "ext", "txt", "--yes"]).ends(0);
    let first = world.at("Downloads/javascript:alert(1).txt");
    world.nine(&["archive", first.to_str().unwrap(), "--yes"]).ends(0);
    std::thread::sleep(std::time::Duration::from_millis(2_100));
    world.nine(&["copies"]).ends(0);
    world
}

#[test]
fn a_browser_finds_nothing_wrong() {
    if !are_there() {
        return;
    }
    let world = World::new();
    let root = world.at("quay");
    world.nine(&["demo", root.to_str().unwrap(), "--only-make"]).ends(0);
    let data = root.join("nine");
    let home = ["--home", data.to_str().unwrap()];
    let done: [&[&str]; 4] =
        [&["copies"], &["tidy", "desktop", "--yes"], &["archive", "--yes"], &["archive", "verify"]];
    for words in done {
        world.nine(&[&home[..], words].concat()).ends(0);
    }
    world.nine(&[&home[..], &["--today", "2031-03-28T16:00", "report"]].concat()).ends(0);
    let quay = page_of(&world, &home, "quay.html");

    let hostile = hostile();
    let named = page_of(&hostile, &[], "named.html");
    let hidden = hostile.at("hidden.html");
    hostile.nine(&["report", "--hide-names", "--to", hidden.to_str().unwrap()]).ends(0);
    let bare = World::new();
    bare.rules("");
    let empty = page_of(&bare, &[], "empty.html");

    let text = fs::read_to_string(&named).unwrap();
    assert!(text.matches("<script").count() == 1 && text.contains("&lt;script&gt;alert(1)&lt;"), "{text}");
    let mut check = Command::new("node");
    check.arg(checker()).arg("/usr/bin/chromium").args([quay, named, hidden, empty]);
    let ran = check.output().unwrap();
    let told = String::from_utf8_lossy(&ran.stdout);
    assert!(ran.status.success(), "{told}\n{}", String::from_utf8_lossy(&ran.stderr));
    assert!(told.contains(" looks at 4 pages, 0 findings"), "{told}");
}

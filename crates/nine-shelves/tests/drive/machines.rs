//! Two machines at work on one drive at the same time, each with a data folder of its own.

use std::collections::BTreeMap;
use std::process::Stdio;

use super::drive::Drive;
use super::support::{World, picture_of};

/// Files that each machine moves.
const FILES: usize = 30;

fn rounds() -> usize {
    if std::env::var("NINE_HARNESS").is_ok_and(|how| how == "long") { 20 } else { 2 }
}

/// Every content `from M number N` of machines and drive, with how often it is there.
fn contents(drive: &Drive, machines: [&World; 2]) -> BTreeMap<String, usize> {
    let here = machines.into_iter().flat_map(|world| picture_of(&world.at("Downloads")).into_values());
    let mut found = BTreeMap::new();
    for text in here.chain(drive.files().into_values()).filter(|text| text.starts_with("from ")) {
        let content = text.split(';').next().unwrap_or_default().to_owned();
        *found.entry(content).or_default() += 1;
    }
    found
}

/// Runs a command on both machines at once; what each said.
fn at_once(drive: &Drive, machines: [(&World, &[&str]); 2]) -> Vec<String> {
    let start = |(world, words): (&World, &[&str])| {
        let mut command = drive.command_on(world, words);
        command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap()
    };
    let children = machines.map(start);
    let ended = children.into_iter().map(|child| child.wait_with_output().unwrap());
    ended
        .map(|ran| {
            let said = [ran.stdout, ran.stderr].concat();
            let said = String::from_utf8_lossy(&said).into_owned();
            assert!(matches!(ran.status.code(), Some(0 | 1)), "{} {said}", ran.status);
            said
        })
        .collect()
}

fn each_is_there_once(drive: &Drive, machines: [&World; 2], said: &[String]) {
    let found = contents(drive, machines);
    let wanted = (1..=2).flat_map(|machine| (0..FILES).map(move |file| (machine, file)));
    for (machine, file) in wanted {
        let content = format!("from {machine} number {file:02}");
        assert_eq!(found.get(&content), Some(&1), "{content}\n{said:#?}\n{:#?}", drive.names());
    }
}

/// Both send files of the same names and sizes to one shelf.
#[test]
fn what_two_machines_send_up_at_once_is_all_kept() {
    for _ in 0..rounds() {
        let drive = Drive::new();
        let other = drive.other_machine();
        let machines = [&drive.world, &other];
        drive.nine(&["check"]).ends(0);
        for (world, number) in machines.into_iter().zip(1..) {
            for file in 0..FILES {
                world.file(&format!("f{file}.txt"), &format!("from {number} number {file:02};"));
            }
        }
        let files: Vec<String> = (0..FILES).map(|file| format!("Downloads/f{file}.txt")).collect();
        let mut words = vec!["put", "--on", "cloud/1", "--yes"];
        words.extend(files.iter().map(String::as_str));
        let said = at_once(&drive, machines.map(|world| (world, &words[..])));
        each_is_there_once(&drive, machines, &said);
    }
}

/// Both move files of the same names and sizes from folders of the drive to one shelf.
#[test]
fn what_two_machines_move_on_the_drive_at_once_is_all_kept() {
    for _ in 0..rounds() {
        let drive = Drive::new();
        let other = drive.other_machine();
        let machines = [&drive.world, &other];
        drive.nine(&["check"]).ends(0);
        for number in 1..=2 {
            for file in 0..FILES {
                let text = format!("from {number} number {file:02};");
                drive.file(format!("from {number}/f{file}.txt"), &text);
            }
        }
        let of = |number: usize| format!("folder is \"from {number}\"");
        let (first, second) = (of(1), of(2));
        let words = |condition| ["put", "--where", condition, "--on", "cloud/1", "--yes"];
        let (first, second) = (words(&first), words(&second));
        let said = at_once(&drive, [(machines[0], &first), (machines[1], &second)]);
        each_is_there_once(&drive, machines, &said);
    }
}

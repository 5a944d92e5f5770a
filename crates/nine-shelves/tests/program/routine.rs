//! Routines: seen before, asked once, told in one account; with nobody there; and what runs them by themselves.

use std::fs;
use std::process::Command;

use super::support::{World, on_a_terminal, on_a_terminal_once, tags_of};

/// Texts to the first shelf, and what has no answer or a taken name is in doubt.
const RULES: &str = r#"
[archive]
when = "idle over 180d and not tag keep"
put = "3/{today}/{pile}"

[[rule]]
name = "boats"
when = "name has boat"
tag = ["boats"]
put = "1"
clash = "hold"

[routine.friday]
run = ["tidy", "copies --flag", "archive", "survey"]
when = "Friday 16:00"
"#;

fn world() -> World {
    let world = World::new();
    world.rules(RULES);
    world
        .file("boat one.txt", "one")
        .file("boat two.txt", "two")
        .file("same.txt", "one")
        .file("old.txt", "old");
    world
}

/// The same with a clash: something else has the name on the shelf.
fn in_doubt() -> World {
    let world = world();
    world.old_file(&world.shelves.join("1 Boats/boat two.txt"), "another");
    world
}

fn names(world: &World, folder: &str) -> Vec<String> {
    let entries = fs::read_dir(world.dir.path().join(folder)).into_iter().flatten();
    let mut names: Vec<String> =
        entries.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
    names.sort();
    names
}

#[test]
fn later_parts_see_what_earlier_ones_move_and_all_is_taken_back() {
    let world = world();
    let before = world.picture();
    // What is archived in the end was flagged on the way, and what was filed is not archived.
    let plan = world.nine(&["routine", "friday", "--plan"]).ends(0);
    assert!(plan.out.contains("1  tidy") && plan.out.contains("4  survey\nonly tells"), "{}", plan.out);
    assert!(plan.out.contains("4 commands: 7 steps"), "{}", plan.out);
    assert_eq!(world.picture(), before, "nothing is changed by looking");
    let ran = world.nine(&["routine", "friday", "--yes"]).ends(0);
    let account = ran.out.split("\nfriday  ").nth(1).unwrap();
    assert!(account.starts_with("7 done\n"), "all that was shown is done: {account}");
    assert!(account.contains("loose now: downloads 0"), "{account}");
    assert_eq!(names(&world, "Shelves/1 Boats"), ["boat one.txt", "boat two.txt"]);
    assert_eq!(names(&world, "Shelves/3 Grants/2031-04-07/downloads"), ["old.txt", "same.txt"]);
    assert_eq!(tags_of(&world.shelves.join("3 Grants/2031-04-07/downloads/same.txt")), "copy");
    assert!(ran.out.contains("downloads  0 files"), "the survey was printed at its turn: {}", ran.out);
    let history = world.nine(&["history"]).ends(0).out;
    assert!(history.contains("friday") && history.contains("  nine archive"), "{history}");
    // The whole of it, the last part first; shown before, too.
    world.nine(&["undo", "friday"]).ends(0).says("Takes back run 3").says("Takes back run 1");
    world.nine(&["undo", "friday", "--yes"]).ends(0).says("friday  7 done");
    let after: Vec<_> = world.picture().into_iter().filter(|(name, _)| !name.ends_with('/')).collect();
    assert_eq!(after, before.into_iter().filter(|(name, _)| !name.ends_with('/')).collect::<Vec<_>>());
    world.nine(&["undo", "friday"]).ends(2).warns("nothing of the routine `friday` is left to take back");
    world.nine(&["undo", "fryday"]).ends(2).warns("did you mean `friday`?");
}

#[test]
fn it_is_asked_once_and_what_changed_after_it_was_shown_is_left() {
    let world = world();
    let (status, shown) = on_a_terminal(&world, &["routine", "friday"], "n\n");
    assert_eq!((status, shown.matches("Carry out").count()), (3, 1), "{shown}");
    assert_eq!(names(&world, "Downloads").len(), 4);
    let changes = || fs::write(world.at("Downloads/boat two.txt"), "two, and more").unwrap();
    let arrives = || fs::write(world.at("Downloads/boat three.txt"), "new").unwrap();
    let both = || {
        changes();
        arrives();
    };
    let (status, shown) = on_a_terminal_once(&world, &["routine", "friday"], "Carry out", both, "y\n");
    assert_eq!(status, 0, "{shown}");
    assert!(shown.contains("2 items are not what was shown any more, and left"), "{shown}");
    assert!(shown.contains("nine routine friday looks again"), "{shown}");
    assert_eq!(names(&world, "Downloads"), ["boat three.txt", "boat two.txt"]);
    assert_eq!(names(&world, "Shelves/1 Boats"), ["boat one.txt"]);
}

#[test]
fn only_what_is_sure() {
    let world = in_doubt();
    let (status, shown) = on_a_terminal(&world, &["routine", "friday"], "s\n");
    assert_eq!(status, 0, "{shown}");
    assert!(shown.contains("s only what is sure"), "{shown}");
    assert_eq!(names(&world, "Shelves/1 Boats"), ["boat one.txt", "boat two.txt"]);
    assert_eq!(fs::read_to_string(world.shelves.join("1 Boats/boat two.txt")).unwrap(), "another");
}

#[test]
fn a_part_that_fails_keeps_no_other_from_being_done() {
    let world = world();
    let rules = RULES.replace("\"tidy\", ", "\"put --where 'name has none' --on 7\", \"tidy\", ");
    world.rules(&rules);
    let ran = world.nine(&["routine", "friday", "--yes"]).ends(1);
    assert!(ran.out.contains("x `7` names no shelf"), "{}", ran.out);
    assert_eq!(names(&world, "Shelves/1 Boats"), ["boat one.txt", "boat two.txt"]);
    let list = world.nine(&["routine"]).ends(0).out;
    assert!(list.contains("put --where 'name has none' --on 7  x `7` names no shelf"), "{list}");
}

#[test]
fn with_nobody_there_what_is_in_doubt_waits_for_the_review() {
    let world = in_doubt();
    let ran = world.nine(&["routine", "friday", "--unattended"]).ends(0);
    assert_eq!(ran.out, "", "nothing is printed for nobody");
    assert!(
        ran.err.starts_with("friday: ") && ran.err.lines().count() == 1,
        "one line of account: {}",
        ran.err
    );
    assert_eq!(fs::read_to_string(world.shelves.join("1 Boats/boat two.txt")).unwrap(), "another");
    assert_eq!(names(&world, "Downloads"), ["boat two.txt"]);
    world.nine(&[]).ends(0).says("1 item waits to be looked at").says("nine review");
    let list: serde_json::Value =
        serde_json::from_str(&world.nine(&["routine", "--format", "json"]).ends(0).out).unwrap();
    assert_eq!((list["in_doubt"].as_u64(), list["went_well"].as_bool()), (Some(1), Some(true)), "{list}");
    assert_eq!(list["next"], "2031-04-11T16:00:00Z");
    // What the person takes back is not done again by itself, until it changes.
    world.nine(&["undo", "friday", "--yes"]).ends(0);
    world.nine(&["routine", "friday", "--unattended"]).ends(0).warns("friday: ");
    assert!(world.at("Downloads/boat one.txt").exists());
    world.file("boat one.txt", "one, changed");
    world.nine(&["routine", "friday", "--unattended"]).ends(0);
    assert!(!world.at("Downloads/boat one.txt").exists());
}

#[test]
fn with_nothing_allowed_it_only_makes_lists() {
    let world = world();
    world.rules(&format!("{RULES}unattended = \"nothing\"\n"));
    let before = world.picture();
    world.nine(&["routine", "friday", "--unattended"]).ends(0).warns("in doubt");
    assert_eq!(world.picture(), before);
    world.nine(&[]).ends(0).says("4 items wait to be looked at");
}

#[test]
fn a_second_one_ends_quietly() {
    let world = world();
    let mut open = fs::File::options();
    std::os::unix::fs::OpenOptionsExt::mode(&mut open, 0o600);
    fs::set_permissions(&world.data, std::os::unix::fs::PermissionsExt::from_mode(0o700)).unwrap();
    let lock = open.write(true).create(true).truncate(true).open(world.data.join("routines.lock")).unwrap();
    lock.lock().unwrap();
    let ran = world.nine(&["routine", "friday", "--unattended"]).ends(0);
    assert_eq!((ran.out.as_str(), ran.err.as_str()), ("", ""));
    world.nine(&["routine", "friday", "--yes"]).ends(1).warns("a routine is at work already");
    assert_eq!(names(&world, "Downloads").len(), 4);
    drop(lock);
    world.nine(&["routine", "friday", "--yes"]).ends(0);
}

#[test]
fn it_is_made_changed_and_dropped_without_an_editor() {
    let world = World::new();
    world.rules("# the end\n");
    world
        .nine(&["routine"])
        .ends(0)
        .says("There are no routines yet")
        .says("nine routine friday --part tidy");
    let made =
        ["routine", "weekly", "--part", "tidy", "--part", "copies --flag", "--when", "Fri 4pm", "--yes"];
    world.nine(&made).ends(0).says("next Fri 2031-04-11 16:00");
    world
        .nine(&["routine"])
        .ends(0)
        .says("weekly  Friday 16:00\n  tidy\n  copies --flag\n")
        .says("last  never");
    world
        .nine(&["routine", "weekly", "--when", "first Monday 9:00", "--yes"])
        .ends(0)
        .says("Mon 2031-05-05 09:00");
    world.nine(&["undo", "--yes"]).ends(0);
    world.nine(&["routine"]).ends(0).says("Friday 16:00");
    world.nine(&["routine", "weekly", "--drop", "--yes"]).ends(0);
    world.nine(&["routine"]).ends(0).says("There are no routines yet");
    assert!(fs::read_to_string(world.data.join("shelves.toml")).unwrap().contains("# the end"));
}

#[test]
fn what_cannot_be_a_part_is_told_where_it_stands() {
    let world = World::new();
    for (part, told) in [
        ("tidi", "`tidi` is no command; did you mean `tidy`?"),
        ("tidy --wrong", "unexpected argument '--wrong'"),
        ("tidy --yes", "a routine shows its parts and asks by itself"),
        ("discard -", "a routine has no standard input"),
        ("review", "`review` cannot be a part of a routine; these can: tidy"),
        ("routine friday", "cannot be a part of a routine"),
        ("shelves make", "cannot be a part of a routine"),
        ("tidy --home /x", "unexpected argument '--home'"),
        ("archive pack 2031-04-07", "cannot be a part of a routine"),
        ("tidy --help", "only explains itself here"),
    ] {
        world.rules(&format!("[routine.friday]\nrun = [\"{part}\"]\n"));
        let told_of = world.nine(&["routine"]).ends(2);
        assert!(
            told_of.err.contains(told) && told_of.err.contains("shelves.toml:13:8"),
            "{part}: {}",
            told_of.err
        );
    }
    world.rules("[routine.friday]\nrun = [\"tidy\"]\nwhen = \"Friday 26:00\"\n");
    world.nine(&["check"]).ends(2).warns("`26:00` is not a time of the day").warns("write it as 16:00");
}

/// Whether another program is there; where the tests must not leave anything out, it has to be.
fn has(program: &str) -> bool {
    let is_there =
        Command::new("sh").args(["-c", &format!("command -v {program}")]).output().unwrap().status.success();
    assert!(is_there || std::env::var_os("CI").is_none(), "{program} is to be installed");
    is_there
}

#[test]
fn a_timer_is_written_that_systemd_accepts_and_taken_away_again() {
    let world = world();
    let units = world.at(".config/systemd/user");
    let with_systemd = |words: &[&str]| {
        let mut command = world.command(words);
        command.env("NINE_HAS_SYSTEMD", "1").env("PATH", "/nowhere");
        super::support::Ran::new(command.output().unwrap())
    };
    with_systemd(&["routine", "friday", "--schedule"]).ends(0).says("OnCalendar=Fri *-*-* 16:00:00");
    assert!(!units.exists(), "it is only shown without an answer");
    let written = with_systemd(&["routine", "friday", "--schedule", "--yes"]).ends(0);
    assert!(written.out.contains("systemctl --user daemon-reload"), "{}", written.out);
    let service = fs::read_to_string(units.join("nine-routine-friday.service")).unwrap();
    assert!(
        service.contains("routine friday --unattended\n") && service.contains("NoNewPrivileges=yes"),
        "{service}"
    );
    assert!(service.contains(&format!("--home {}", world.data.display())), "{service}");
    let timer = fs::read_to_string(units.join("nine-routine-friday.timer")).unwrap();
    assert!(timer.contains("Persistent=true") && timer.contains("RandomizedDelaySec="), "{timer}");
    if has("systemd-analyze") {
        accepted(&world, &["nine-routine-friday.service", "nine-routine-friday.timer"]);
    }
    with_systemd(&["routine", "friday", "--schedule", "--yes"]).ends(0).warns("It is all there already");
    world.nine(&["routine"]).ends(0).says("Fri 2031-04-11 16:00, by its timer");
    with_systemd(&["undo", "--yes"]).ends(0);
    assert!(!units.join("nine-routine-friday.timer").exists());
    with_systemd(&["routine", "friday", "--schedule", "--yes"]).ends(0);
    with_systemd(&["routine", "friday", "--unschedule", "--yes"]).ends(0);
    assert_eq!(names(&world, ".config/systemd/user"), ["timers.target.d"]);
    with_systemd(&["routine", "friday", "--unschedule"]).ends(0).warns("Nothing runs `friday` by itself");
    // Watching has a unit, too.
    with_systemd(&["watch", "downloads", "--service", "--yes"]).ends(0);
    if has("systemd-analyze") {
        accepted(&world, &["nine-watch.service"]);
    }
    with_systemd(&["watch", "--no-service", "--yes"]).ends(0);
    assert!(!units.join("nine-watch.service").exists());
}

/// Expects systemd to accept units.
fn accepted(world: &World, units: &[&str]) {
    let mut command = Command::new("systemd-analyze");
    command.args(["verify", "--user"]).env("XDG_RUNTIME_DIR", world.dir.path()).env("HOME", world.dir.path());
    command.args(units.iter().map(|unit| world.at(".config/systemd/user").join(unit)));
    let said = command.output().unwrap();
    assert!(said.status.success() && said.stderr.is_empty(), "{}", String::from_utf8_lossy(&said.stderr));
}

#[test]
fn times_are_what_systemd_takes_them_for() {
    if !has("systemd-analyze") {
        return;
    }
    for (when, next) in [
        ("Friday 16:00", "Fri 2031-04-11 16:00:00"),
        ("daily 18:30", "Mon 2031-04-07 18:30:00"),
        ("weekdays 8:00", "Tue 2031-04-08 08:00:00"),
        ("Mon,Thu 7:05", "Thu 2031-04-10 07:05:00"),
        ("first Monday 9:00", "Mon 2031-05-05 09:00:00"),
        ("last Friday 16:00", "Fri 2031-04-25 16:00:00"),
    ] {
        let schedule = nine_core::schedule::Schedule::parse(when).unwrap();
        let mut command = Command::new("systemd-analyze");
        command.args(["calendar", "--base-time", "2031-04-07 09:00:00 UTC", &schedule.calendar_event()]);
        let said = command.env("TZ", "UTC").env("LC_ALL", "C.UTF-8").output().unwrap();
        let said = String::from_utf8(said.stdout).unwrap();
        assert!(said.contains(&format!("Next elapse: {next} UTC")), "{when}: {said}");
    }
}

#[test]
fn without_systemd_the_line_for_cron_is_told() {
    let world = world();
    let told = world.nine(&["routine", "friday", "--schedule"]).ends(0).warns("This line is for cron");
    assert!(
        told.out.starts_with("0 16 * * 5 ") && told.out.ends_with(" routine friday --unattended\n"),
        "{}",
        told.out
    );
    world.nine(&["watch", "--service"]).ends(2).warns("systemd does not run here");
    world.rules("[routine.friday]\nrun = [\"tidy\"]\n");
    world.nine(&["routine", "friday", "--schedule"]).ends(2).warns("it is not said when").warns("--when");
}

/// Reads a calendar with a package that knows nothing of this program, and tells its next times.
const READER: &str = "
import sys, datetime, icalendar
from dateutil.rrule import rrulestr
event = icalendar.Calendar.from_ical(open(sys.argv[1], 'rb').read()).walk('VEVENT')[0]
rule = rrulestr(event['RRULE'].to_ical().decode(), dtstart=event['DTSTART'].dt)
alarm = event.walk('VALARM')[0]
print(event['SUMMARY'], rule[0], rule[1], alarm['TRIGGER'].dt == datetime.timedelta(0), event['UID'], sep='|')
";

#[test]
fn a_calendar_reminds_of_it() {
    let world = world();
    let file = world.at("friday.ics");
    let words = ["routine", "friday", "--calendar", "friday.ics", "--yes"];
    world.nine(&words).ends(0).says("RRULE:FREQ=WEEKLY;BYDAY=FR");
    let has_reader = Command::new("/usr/bin/python3")
        .args(["-c", "import icalendar, dateutil"])
        .status()
        .is_ok_and(|s| s.success());
    assert!(
        has_reader || std::env::var_os("CI").is_none(),
        "python3-icalendar and python3-dateutil are to be installed"
    );
    if has_reader {
        let read = Command::new("/usr/bin/python3").args(["-c", READER]).arg(&file).output().unwrap();
        let read = String::from_utf8(read.stdout).unwrap();
        let parts: Vec<&str> = read.trim().split('|').collect();
        assert_eq!(
            parts[..4],
            ["Nine Shelves: friday", "2031-04-11 16:00:00", "2031-04-18 16:00:00", "True"],
            "{read}"
        );
    }
    // It is written anew where it is ours, and left where it is not.
    world.rules(&RULES.replace("Friday", "Monday"));
    world.nine(&words).ends(0);
    assert!(fs::read_to_string(&file).unwrap().contains("BYDAY=MO"));
    world.nine(&["undo", "--yes"]).ends(0);
    assert!(fs::read_to_string(&file).unwrap().contains("BYDAY=FR"));
    fs::write(&file, "of somebody else").unwrap();
    world.nine(&words).ends(1).warns("the name is taken");
    assert_eq!(fs::read_to_string(&file).unwrap(), "of somebody else");
}

/// A session bus of its own, and on it a desktop that shows what it is told.
struct Desktop {
    daemon: std::process::Child,
    address: String,
    bus: dbus::channel::Channel,
}

impl Desktop {
    fn new() -> Self {
        use std::io::BufRead;
        let mut command = Command::new("dbus-daemon");
        command.args(["--session", "--nofork", "--nopidfile", "--nosyslog", "--print-address=1"]);
        let mut daemon = command.stdout(std::process::Stdio::piped()).spawn().unwrap();
        let mut address = String::new();
        std::io::BufReader::new(daemon.stdout.take().unwrap()).read_line(&mut address).unwrap();
        let address = address.trim().to_owned();
        let mut bus = dbus::channel::Channel::open_private(&address).unwrap();
        bus.register().unwrap();
        let call = dbus::Message::new_method_call(
            "org.freedesktop.DBus",
            "/",
            "org.freedesktop.DBus",
            "RequestName",
        );
        let call = call.unwrap().append2("org.freedesktop.Notifications", 0_u32);
        bus.send_with_reply_and_block(call, std::time::Duration::from_secs(5)).unwrap();
        bus.set_watch_enabled(true);
        Self { daemon, address, bus }
    }

    /// The summary and the body of what is shown next, if anything is before a time is over.
    fn shown(&self, time: std::time::Duration) -> Option<(String, String)> {
        let end = std::time::Instant::now() + time;
        while std::time::Instant::now() < end {
            let Ok(Some(call)) = self.bus.blocking_pop_message(std::time::Duration::from_millis(50)) else {
                continue;
            };
            if call.member().as_deref() != Some("Notify") {
                continue;
            }
            let (_, _, _, summary): (String, u32, String, String) = call.read4().unwrap();
            let mut rest = call.iter_init();
            (0..4).for_each(|_| {
                rest.next();
            });
            let body: String = rest.read().unwrap();
            self.bus.send(call.method_return().append1(1_u32)).unwrap();
            return Some((summary, body));
        }
        None
    }
}

impl Drop for Desktop {
    fn drop(&mut self) {
        let _ = self.daemon.kill();
        let _ = self.daemon.wait();
    }
}

#[test]
fn the_desktop_is_told_of_what_was_done_with_nobody_there() {
    if !has("dbus-daemon") {
        return;
    }
    let (world, desktop) = (in_doubt(), Desktop::new());
    let unattended = |world: &World| {
        let mut command = world.command(&["routine", "friday", "--unattended"]);
        command.env("DBUS_SESSION_BUS_ADDRESS", &desktop.address).spawn().unwrap()
    };
    let mut child = unattended(&world);
    let (summary, body) = desktop.shown(std::time::Duration::from_secs(20)).expect("something is shown");
    assert!(child.wait().unwrap().success());
    assert_eq!(summary, "Nine Shelves: friday");
    assert_eq!(body, "5 done, 1 in doubt\nnine review shows what is in doubt");
    // Where there is nothing to tell, nobody is disturbed; and where nobody listens, nothing is waited for.
    let quiet = World::new();
    quiet.rules(RULES);
    assert!(unattended(&quiet).wait().unwrap().success());
    assert_eq!(desktop.shown(std::time::Duration::from_millis(300)), None);
    drop(desktop);
    world.file("boat three.txt", "three");
    let mut command = world.command(&["routine", "friday", "--unattended"]);
    command.env("DBUS_SESSION_BUS_ADDRESS", "unix:path=/nowhere");
    super::support::Ran::new(command.output().unwrap()).ends(0).warns("friday: ");
}

#[test]
fn a_place_that_is_away_is_told_before_and_later_parts_see_new_tags() {
    let world = World::new();
    let rules = "[[rule]]\nname = \"mark\"\nwhen = \"ext txt and not tag done\"\ntag = [\"done\"]\n\n\
                 [archive]\nwhen = \"tag done\"\nput = \"3/{today}/{pile}\"\n\n\
                 [routine.two]\nrun = [\"tidy\", \"archive\"]\n";
    world.rules(rules);
    world.file("plan.txt", "what the catalogue knows of it has no tags");
    world.nine(&["search", "tag", "none"]).ends(0).says("plan.txt");
    let plan = world.nine(&["routine", "two", "--plan"]).ends(0);
    assert!(plan.out.contains("2 commands: 2 steps"), "{}", plan.out);
    // Nothing of what was only foreseen is kept.
    world.nine(&["search", "tag", "none", "--known"]).ends(0).says("plan.txt");
    let text = fs::read_to_string(world.data.join("shelves.toml")).unwrap();
    world.config(&format!("{text}\n[pile.away]\nat = \"{}\"\n", world.at("Away").display()));
    let plan = world.nine(&["routine", "two", "--plan"]).ends(1);
    assert!(plan.err.contains("away"), "{}", plan.err);
}

//! The daybook: what is written is read back, whatever the names, and a broken file loses no more than
//! the lines that are broken.

use std::collections::BTreeMap;
use std::fs;

use nine_carry::daybook::{Ended, FORMAT, Heading, Occasion, Writer, file, is_over, read, runs};
use nine_carry::{Patience, Trace, lock, open_runs, recover};
use nine_core::item::{Identity, Kind, Stamp};
use nine_core::moment::Moment;
use nine_core::place::{ItemPath, Name, Spot};
use nine_core::worklist::{Act, Step};
use nine_stores::Places;
use proptest::prelude::*;

fn clock() -> jiff::ZonedDateTime {
    "2031-04-07T09:00:00+02:00[Europe/Berlin]".parse().unwrap()
}

fn spot(name: &[u8]) -> Spot {
    Spot::new("downloads", ItemPath::root().join(Name::new(name).unwrap()))
}

fn step(item: Spot, act: Act) -> Step {
    let stamp = Stamp { size: 5, modified: Moment(-7), identity: Identity([u64::MAX, 3]) };
    Step {
        act,
        item,
        kind: Kind::File,
        stamp,
        size: 5,
        modified: Moment(-7),
        why: "a rule, \"quoted\"\n".into(),
        doubts: vec![],
        together: Some(2),
    }
}

fn begun(data: &std::path::Path, steps: &[Step]) -> Writer {
    let places = BTreeMap::from([("downloads".to_owned(), "/home/caf\\xe9".to_owned())]);
    let (command, undoes, roots) = ("nine tidy".into(), Some(4), BTreeMap::new());
    let occasion = Some(Occasion { routine: "friday".into(), began: "2031-04-07T09:15:00.5Z".into() });
    let heading = Heading { command, undoes, places, roots, lists: lists(), occasion };
    Writer::begin(data, &heading, steps.iter(), &clock).unwrap()
}

#[test]
fn an_open_run_is_found_however_many_came_after_it() {
    let data = tempfile::tempdir().unwrap();
    drop(begun(data.path(), &[]));
    for _ in 0..50 {
        begun(data.path(), &[]).end(&clock).unwrap();
    }
    drop(begun(data.path(), &[]));
    assert_eq!(open_runs(data.path()).unwrap(), [1, 52]);
    // Also in a daybook of before there were marks.
    fs::remove_dir_all(data.path().join("daybook/open")).unwrap();
    assert_eq!(open_runs(data.path()).unwrap(), [1, 52]);
    begun(data.path(), &[]).end(&clock).unwrap();
    assert_eq!(open_runs(data.path()).unwrap(), [1, 52]);
}

/// The dated folders whose lists follow.
fn lists() -> Vec<Spot> {
    vec![spot(b"2031-04-07")]
}

/// A run as an earlier or this form of the daybook has it, from a file that the program of its time wrote.
fn kept(form: u32) -> nine_carry::daybook::Run {
    let data = tempfile::tempdir().unwrap();
    fs::create_dir_all(data.path().join("daybook")).unwrap();
    let kept = format!("{}/tests/daybooks/form-{form}.jsonl", env!("CARGO_MANIFEST_DIR"));
    fs::copy(kept, file(data.path(), 1)).unwrap();
    read(data.path(), 1).unwrap()
}

#[test]
fn daybooks_of_every_form_are_read() {
    // Before identities were told by file systems themselves.
    let run = kept(2);
    assert_eq!((run.done(), run.closed, run.broken.len()), (1, true, 0));
    assert_eq!(run.steps[0].stamp.identity, Identity([0x801, 0x2a]));
    assert_eq!((run.token.as_str(), run.roots.len()), ("", 0));
    // The lists of the archive were steps, and follow from the steps now.
    for form in [3, 4] {
        let run = kept(form);
        assert_eq!(
            (run.steps.len(), run.done(), run.closed, run.broken.len()),
            (2, 2, true, 0),
            "form {form}"
        );
        assert!(run.steps.iter().all(|step| matches!(step.act, Act::Move { .. })));
        assert_eq!(run.lists, [Spot::parse("home/9 Archive/2031-04-07").unwrap()]);
        assert!(matches!(run.ended.get(&2), Some(Ended::Done { .. })), "the lists are up to date");
        assert!(!run.token.is_empty() && run.roots.len() == 2);
    }
    // Folders are made and texts written since this one.
    let run = kept(FORMAT);
    assert_eq!((run.done(), run.closed, run.broken.len()), (10, true, 0));
    let made = run.steps.iter().filter(|step| step.act == Act::Make).count();
    assert_eq!(
        (made, run.steps.iter().filter(|step| matches!(step.act, Act::Write { from: None, .. })).count()),
        (9, 1)
    );
}

#[test]
fn a_run_is_read_back_as_it_was_written() {
    let data = tempfile::tempdir().unwrap();
    let steps = vec![
        step(spot(b"a"), Act::Move { to: spot(b"b") }),
        step(spot(b"b"), Act::Tag { from: vec!["x,y".into()], to: vec![] }),
        step(spot(b"c"), Act::discard()),
        step(spot(b"d"), Act::Restore { kept_as: b"/t/files/\xff".to_vec() }),
        Step::make(spot(b"folder")),
        step(spot(b"old"), Act::Unmake),
        step(spot(b"e"), Act::Write { from: None, to: "new\n".into() }),
        step(spot(b"e"), Act::Write { from: Some("a\n\u{7}".into()), to: String::new() }),
    ];
    let mut writer = begun(data.path(), &steps);
    assert_eq!((writer.run(), writer.syncs()), (1, 2));
    writer.folder(&spot(b"new")).unwrap();
    writer.folder(&spot(b"old")).unwrap();
    writer.folder_was_there(&spot(b"old")).unwrap();
    writer.done(0, &Trace::default()).unwrap();
    let kept_as = Some(b"/t/files/c\n".to_vec());
    writer.done(2, &Trace { stamp: Some(steps[0].stamp), kept_as, ..Trace::default() }).unwrap();
    writer.failed(1, "no right", None).unwrap();
    assert!(!is_over(data.path(), 1).unwrap());
    writer.end(&clock).unwrap();
    assert!(is_over(data.path(), 1).unwrap());
    let run = read(data.path(), 1).unwrap();
    assert_eq!((&run.steps, &run.lists), (&steps, &lists()));
    assert_eq!(
        (run.command.as_str(), run.undoes, run.at.as_str()),
        ("nine tidy", Some(4), "2031-04-07T09:00:00+02:00")
    );
    assert_eq!((run.done(), run.failed(), run.closed, run.cut_off), (2, 1, true, false));
    assert_eq!(run.made, [spot(b"new")]);
    assert_eq!(
        run.ended[&2],
        Ended::Done { stamp: Some(steps[0].stamp), kept_as: Some(b"/t/files/c\n".to_vec()), stayed: 0 }
    );
    assert_eq!(run.ended[&1], Ended::Failed { because: "no right".into(), stamp: None });
    assert_eq!(run.places["downloads"], "/home/caf\\xe9");
}

#[test]
fn runs_are_numbered_on_and_strange_files_are_no_runs() {
    let data = tempfile::tempdir().unwrap();
    assert!(runs(data.path()).unwrap().is_empty());
    for wanted in 1..=3 {
        let writer = begun(data.path(), &[]);
        assert_eq!(writer.run(), wanted);
        writer.end(&clock).unwrap();
    }
    fs::write(data.path().join("daybook/notes.txt"), "mine").unwrap();
    fs::remove_file(file(data.path(), 1)).unwrap();
    assert_eq!(runs(data.path()).unwrap(), [2, 3]);
    assert_eq!(begun(data.path(), &[]).run(), 4);
}

#[test]
fn a_newer_format_is_not_read() {
    let data = tempfile::tempdir().unwrap();
    begun(data.path(), &[]).end(&clock).unwrap();
    let path = file(data.path(), 1);
    let text = fs::read_to_string(&path).unwrap();
    fs::write(&path, text.replace(&format!("\"format\":{FORMAT}"), "\"format\":99")).unwrap();
    let error = read(data.path(), 1).unwrap_err().to_string();
    assert!(error.contains("newer nine (format 99)"), "{error}");
}

#[test]
fn a_daybook_cut_anywhere_is_read_as_far_as_it_goes() {
    let data = tempfile::tempdir().unwrap();
    let steps: Vec<Step> = (0..3).map(|n| step(spot(&[b'a' + n]), Act::discard())).collect();
    let mut writer = begun(data.path(), &steps);
    writer.done(0, &Trace::default()).unwrap();
    writer.end(&clock).unwrap();
    let path = file(data.path(), 1);
    let whole = fs::read(&path).unwrap();
    for length in 0..whole.len() {
        fs::write(&path, &whole[..length]).unwrap();
        let run = read(data.path(), 1).unwrap();
        assert!(run.broken.len() <= 1, "{length}");
        assert!(!run.closed || length >= whole.len() - 1, "{length}");
        assert!(!run.planned || run.steps.len() == 3, "{length}");
        // Recovery copes with each, writes the run's end, and finds nothing the second time.
        let held = lock(data.path(), "test").unwrap().unwrap();
        let open = |_: &nine_carry::daybook::Run| Places::default();
        let over = is_over(data.path(), 1).unwrap();
        let found = open_runs(data.path()).unwrap();
        assert_eq!(found.is_empty(), over, "{length}");
        for run in found {
            assert_eq!(
                recover(data.path(), &held, run, &open, Patience::Waits, &clock).unwrap().unwrap().waits_for,
                None,
                "{length}"
            );
        }
        assert_eq!(open_runs(data.path()).unwrap(), [0; 0], "{length}");
        // A process that listed it before the other one let go of the lock finds it over.
        let ended = fs::read(&path).unwrap();
        assert_eq!(recover(data.path(), &held, 1, &open, Patience::Waits, &clock).unwrap(), None);
        assert_eq!(fs::read(&path).unwrap(), ended, "{length}");
    }
}

#[test]
fn the_lock_names_its_holder_and_goes_with_it() {
    let data = tempfile::tempdir().unwrap();
    let held = lock(data.path(), "nine tidy (process 7)").unwrap().unwrap();
    assert_eq!(lock(data.path(), "other").unwrap().unwrap_err().who, "nine tidy (process 7)");
    drop(held);
    let held = lock(data.path(), "x").unwrap().unwrap();
    assert_eq!(lock(data.path(), "other").unwrap().unwrap_err().who, "x");
    drop(held);
}

fn name() -> impl Strategy<Value = Vec<u8>> {
    proptest::collection::vec((1u8..).prop_filter("no separator", |b| *b != b'/'), 1..20)
        .prop_filter("a name", |n| n != b"." && n != b"..")
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    #[test]
    fn any_names_and_tags_survive(
        names in proptest::collection::vec((name(), name()), 1..6),
        tags in proptest::collection::vec("\\PC{0,6}", 0..4),
    ) {
        let data = tempfile::tempdir().unwrap();
        let mut steps: Vec<Step> =
            names.iter().map(|(a, b)| step(spot(a), Act::Move { to: spot(b) })).collect();
        steps.push(step(spot(b"t"), Act::Tag { from: tags.clone(), to: tags }));
        begun(data.path(), &steps).end(&clock).unwrap();
        let run = read(data.path(), 1).unwrap();
        prop_assert_eq!(run.broken, Vec::<usize>::new());
        prop_assert_eq!(run.steps, steps);
    }
}

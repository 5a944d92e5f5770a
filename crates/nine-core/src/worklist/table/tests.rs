use proptest::prelude::*;

use super::*;
use crate::config::parse;
use crate::item::{Identity, Kind, Stamp};
use crate::moment::Moment;
use crate::place::ItemPath;

fn line(step: usize, item: Spot, to: Option<Spot>) -> Line {
    Line {
        step,
        act: if to.is_some() { "move" } else { "leave" }.into(),
        item,
        to,
        why: "=papers".into(),
        doubt: String::new(),
        size: 12,
        modified: "2031-04-07 09:00".into(),
        tags: Some(vec!["loans".into(), "a,b".into()]),
        answers: BTreeMap::from([("lender".to_owned(), Some("Harrow Dock Trust".to_owned()))]),
    }
}

fn spot(text: &str) -> Spot {
    Spot::parse(text).unwrap()
}

fn kept(lines: Vec<Line>) -> KeptWorklist {
    let stamp = Stamp { size: 12, modified: Moment(0), identity: Identity([1, 1]) };
    let proposal = |line: &Line| Proposal::new(line.item.clone(), Kind::File, stamp, Vec::new());
    KeptWorklist {
        command: "nine tidy".into(),
        by_rules: true,
        undoes: None,
        clear_away: Vec::new(),
        dated: Vec::new(),
        places: ["papers", "home", "-odd"].map(|name| (name.to_owned(), "/x".to_owned())).into(),
        facets: vec!["lender".into()],
        proposals: lines.iter().map(proposal).collect(),
        lines,
    }
}

fn sample() -> KeptWorklist {
    kept(vec![
        line(1, spot("papers/a.pdf"), None),
        line(2, spot("papers/b.pdf"), Some(spot("home/2 Loans/b.pdf"))),
        line(3, spot("-odd/=c.pdf"), Some(spot("home/2 Loans/c.pdf"))),
    ])
}

fn facets() -> Facets {
    parse("[facet.lender]\nvalues = [\"Harrow Dock Trust\", \"Kittiwake Society\"]\n").unwrap().facets
}

use crate::facet::Facets;

fn choices(kept: &KeptWorklist, text: &str) -> Result<Vec<Choice>, Vec<String>> {
    let told = |wrong: Vec<Wrong>| -> Vec<String> {
        wrong.into_iter().map(|w| format!("{}: {}; {}", w.line.unwrap_or(0), w.message, w.help)).collect()
    };
    let rows = read(text.as_bytes()).map_err(told)?;
    edits(&rows, kept, &facets()).map(|edits| edits.choices).map_err(told)
}

fn csv(kept: &KeptWorklist) -> String {
    String::from_utf8(to_csv(&kept.lines, &kept.facets)).unwrap()
}

#[test]
fn no_cell_starts_like_a_formula() {
    let text = csv(&sample());
    assert!(
        text.starts_with("step,do,item,to,why,doubt,size,modified,tags,lender\n1,leave,papers/a.pdf,"),
        "{text}"
    );
    let mut cells = csv::ReaderBuilder::new().has_headers(false).from_reader(text.as_bytes());
    let bad = |cell: &str| cell.starts_with(['=', '+', '-', '@']);
    assert!(cells.records().all(|record| !record.unwrap().iter().any(bad)), "{text}");
}

/// What spreadsheets and people make of a file without changing what it says.
#[test]
fn every_way_to_save_it_says_the_same() {
    let kept = sample();
    let text = csv(&kept);
    let plain = vec![Choice::AsProposed; 3];
    let quoted: String = text
        .lines()
        .map(|l| {
            let record =
                csv::ReaderBuilder::new().has_headers(false).from_reader(l.as_bytes()).records().next();
            let cells = record.unwrap().unwrap();
            let quoted: Vec<String> =
                cells.iter().map(|c| format!("\"{}\"", c.replace('"', "\"\""))).collect();
            quoted.join(";") + "\r\n"
        })
        .collect();
    let mut rows: Vec<&str> = text.lines().skip(1).collect();
    rows.reverse();
    let reversed = format!("{}\n{}\n", text.lines().next().unwrap(), rows.join("\n"));
    for (what, saved) in [
        ("as written", text.clone()),
        ("with a byte-order mark", format!("\u{feff}{text}")),
        ("with numbers as spreadsheets write them", text.replace("\n2,", "\n2.0,")),
        ("with CRLF", text.replace('\n', "\r\n")),
        ("with semicolons and quotes", quoted.clone()),
        ("with a first line that names the sign", format!("sep=;\r\n{quoted}")),
        ("with lines in another order", reversed),
        ("with a line twice", format!("{text}{}\n", text.lines().nth(2).unwrap())),
        ("with empty lines and cells behind", text.replace('\n', ",,\n") + "\n,,,\n"),
        ("as JSON", String::from_utf8(to_json(&kept.lines)).unwrap()),
        (
            "as a JSON list",
            format!("[{}]", String::from_utf8(to_json(&kept.lines)).unwrap().trim().replace('\n', ",")),
        ),
    ] {
        assert_eq!(choices(&kept, &saved), Ok(plain.clone()), "{what}");
    }
    let tabs = "to\titem\tdo\nhome/2 Loans/b.pdf\tpapers/b.pdf\tMOVE \n";
    assert_eq!(choices(&kept, tabs).unwrap()[1], Choice::AsProposed, "columns in another order, some gone");
}

#[test]
fn changes_are_told_from_what_was_proposed() {
    let kept = sample();
    let text = csv(&kept);
    let edited = text
        .replace("1,leave,papers/a.pdf,,", "1,move,papers/a.pdf,home/2 Loans/new.pdf,")
        .replace("2,move,papers/b.pdf", "2,Leave,papers/b.pdf")
        .lines()
        .take(3)
        .collect::<Vec<_>>()
        .join("\n");
    let found = choices(&kept, &edited).unwrap();
    let to = Some(spot("home/2 Loans/new.pdf"));
    assert_eq!(found[0], Choice::Changed(Change { to, ..Change::default() }));
    assert_eq!(found[1..], [Choice::Left, Choice::Deleted]);
    let folder = text.replace("home/2 Loans/b.pdf", "home/3 Grants/New/");
    let to = Some(spot("home/3 Grants/New/b.pdf"));
    assert_eq!(choices(&kept, &folder).unwrap()[1], Choice::Changed(Change { to, ..Change::default() }));
    let other = text.replacen("Harrow Dock Trust", "kittiwake society", 1).replacen("loans", "todo", 1);
    let Choice::Changed(change) = &choices(&kept, &other).unwrap()[0] else { panic!() };
    assert_eq!(change.answers, [("lender".to_owned(), "Kittiwake Society".to_owned())]);
    assert_eq!(change.tags, Some(vec!["todo".into(), "a,b".into()]));
    assert_eq!(
        change.words(&kept.lines[0]),
        "tags todo, a,b; lender Kittiwake Society, not Harrow Dock Trust"
    );
}

#[test]
fn what_is_not_understood_is_refused_with_its_line() {
    let kept = sample();
    let text = csv(&kept);
    let b = "2,move,papers/b.pdf,home/2 Loans/b.pdf";
    for (what, edited, told) in [
        ("an item changed", text.replace("papers/b.pdf", "papers/x.pdf"), "3: `papers/x.pdf` is not step 2"),
        ("a step changed", text.replace("3,move", "2,move"), "4: `-odd/=c.pdf` is not step 2"),
        ("another act", text.replace("2,move", "2,discard"), "3: `discard` under `do`, where `move` was"),
        ("no target", text.replace(b, "2,move,papers/b.pdf,"), "3: the target under `to` is gone"),
        ("a target nowhere", text.replace(b, "2,move,papers/b.pdf,away/b.pdf"), "3: `away/b.pdf` under `to`"),
        (
            "a target that leads out",
            text.replace(b, "2,move,papers/b.pdf,home/../b.pdf"),
            "3: `home/../b.pdf`",
        ),
        (
            "no answer",
            text.replacen("Harrow Dock Trust", "Harow Dock Trust", 1),
            "2: `Harow Dock Trust` is no answer of lender; did you mean `Harrow Dock Trust`?",
        ),
        (
            "a folder without a sign",
            text.replace(b, "2,move,papers/b.pdf,home/2 Loans"),
            "3: `home/2 Loans` under `to` is a name without .pdf",
        ),
        ("an answer gone", text.replacen("Harrow Dock Trust", "", 1), "2: the lender is gone"),
        ("a bad escape", text.replacen("a\\\\,b", "a\\q", 1), "2: "),
        (
            "a misspelt column",
            text.replace("lender\n", "lendr\n"),
            "0: there is no column `lendr`; did you mean `lender`?",
        ),
        (
            "no heading",
            text.lines().skip(1).collect::<Vec<_>>().join("\n"),
            "1: the heading has no column `do`",
        ),
        (
            "a line cut short",
            format!("{}2,move\n", text.split_inclusive('\n').next().unwrap()),
            "2: this line is cut short",
        ),
        ("too many cells", text.replace("Trust\n3", "Trust,x\n3"), "3: this line has more cells"),
        (
            "a line twice, differently",
            format!("{text}2,leave,papers/b.pdf,,,,,,,\n"),
            "5: this line and line 3 want different",
        ),
        ("no JSON", "{\"item\": ".into(), "1: this is no JSON"),
        ("nothing", " \n".into(), "0: the file is empty"),
    ] {
        let wrong = choices(&kept, &edited).expect_err(what);
        assert!(wrong.iter().any(|wrong| wrong.starts_with(told)), "{what}: {wrong:?}");
    }
    assert_eq!(read(b"do,item,to\nmove,a\xe9,b\n").unwrap_err()[0].line, Some(2));
}

#[test]
fn what_was_kept_is_read_back() {
    let kept = sample();
    let again: KeptWorklist = serde_json::from_slice(&serde_json::to_vec(&kept).unwrap()).unwrap();
    assert_eq!((again.lines, again.proposals), (kept.lines, kept.proposals));
}

fn names() -> impl Strategy<Value = Vec<u8>> {
    proptest::collection::vec(1u8.., 1..12)
        .prop_map(|bytes| bytes.into_iter().map(|b| if b == b'/' { b'x' } else { b }).collect())
        .prop_filter("no name", |name: &Vec<u8>| name != b"." && name != b"..")
}

proptest! {
    #[test]
    fn any_name_survives_the_table(
        found in proptest::collection::vec((names(), names(), "\\PC{0,6}"), 1..5),
        as_json: bool,
    ) {
        let lines: Vec<Line> = found
            .iter()
            .enumerate()
            .map(|(at, (item, to, tag))| Line {
                tags: Some(vec![tag.trim().replace(char::is_whitespace, "x")]).filter(|tags| !tags[0].is_empty()),
                why: tag.clone(),
                ..line(
                    at + 1,
                    Spot::new("papers", ItemPath::new(item).unwrap()),
                    Some(Spot::new("-odd", ItemPath::new(to).unwrap())),
                )
            })
            .collect();
        let kept = kept(lines);
        let bytes = if as_json { to_json(&kept.lines) } else { to_csv(&kept.lines, &kept.facets) };
        let rows = read(&bytes).unwrap();
        prop_assert!(rows.iter().all(|row| kept.has(row)));
        let found = edits(&rows, &kept, &facets()).unwrap();
        prop_assert_eq!(found.choices, vec![Choice::AsProposed; kept.lines.len()]);
    }

    #[test]
    fn no_file_makes_it_panic(text in "(step|do|item|to|,|;|\"|\n|\\PC){0,40}") {
        let _ = choices(&sample(), &text);
    }
}

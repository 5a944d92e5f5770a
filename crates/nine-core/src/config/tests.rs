use super::*;
use crate::diagnostic::Diagnostic;
use crate::diagnostic::locate;
use crate::rules::{Clash, Reach};

const SOUND: &str = r#"
# the two places where things land
[pile.downloads]
at = "~/Downloads"
settle = "5min"

[pile.desktop]
at = "/home/w/Desktop"
births = "ignore"

[bookcase.home]
at = "~/Shelves"
shelves = ["Exhibitions", "Loans", "Grants"]

[[rule]]
name = "loan papers"
piles = ["downloads"]
reach = "deep"
when = "type document and name has loan"
tag = ["loans"]
rename = "{modified} {stem:tidy}"
put = "2/{modified:year}"
clash = "hold"

[[rule]]
when = "type image"
put = "home/1"
"#;

#[test]
fn a_sound_configuration() {
    let config = parse(SOUND).unwrap();
    let names: Vec<&str> = config.piles.iter().map(|p| p.name.as_str()).collect();
    assert_eq!(names, ["downloads", "desktop"]);
    assert!(config.piles[0].believes_births && !config.piles[1].believes_births);
    assert_eq!(config.bookcases[0].shelves.len(), 3);
    let rule = &config.rules[0];
    assert_eq!((rule.reach, rule.clash, rule.tag.len()), (Reach::Deep, Clash::Hold, 1));
    assert_eq!(config.rules[1].name, "rule 2");
    assert_eq!(config.rules[1].clash, Clash::Number);
    assert_eq!(parse("").unwrap(), Config::default());
}

/// The line, the word and the help of each finding.
fn findings(text: &str) -> Vec<(usize, String, String)> {
    let found = parse(text).expect_err(text);
    hold_against_schema(text, &found);
    let told = found.into_iter().map(|finding| {
        let word = text[finding.span.clone()].to_owned();
        (
            locate(text, &finding.span).line,
            word,
            format!("{}; {}", finding.message, finding.help.unwrap_or_default()),
        )
    });
    told.collect()
}

/// What is wrong with the words of a text, and not with what they mean, is refused by the schema as well; what is only
/// wrong in its meaning it may let through.
#[track_caller]
fn hold_against_schema(text: &str, found: &[Diagnostic]) {
    let Some(refused) = schema::tests::against(text) else { return };
    let about_words = ["that is known here", "` is missing here", "invalid type", "a password does not"];
    let of_words = |finding: &&Diagnostic| about_words.iter().any(|words| finding.message.contains(words));
    if let Some(finding) = found.iter().find(of_words) {
        assert!(!refused.is_empty(), "the schema lets `{}` through:\n{text}", finding.message);
    }
}

#[track_caller]
fn one(text: &str, line: usize, word: &str, told: &str) {
    let found = findings(text);
    assert_eq!(found.len(), 1, "{found:?}");
    assert_eq!((found[0].0, found[0].1.as_str()), (line, word), "{found:?}");
    assert!(found[0].2.contains(told), "{found:?}");
}

const HEAD: &str = "[pile.downloads]\nat = \"~/Downloads\"\n[bookcase.home]\nat = \"~/S\"\nshelves = [\"A\", \"B\"]\n[[rule]]\n";

fn rule(lines: &str) -> String {
    format!("{HEAD}{lines}")
}

#[test]
fn unknown_keys_and_wrong_values_show_the_line_and_the_nearest_word() {
    one("[pile.d]\nat = \"/d\"\nsetle = \"1d\"\n", 3, "setle", "did you mean `settle`?");
    one("[pile.d]\nat = \"/d\"\nsettle = \"soon\"\n", 3, "\"soon\"", "expected a span");
    one("[pile.d]\nat = 5\n", 2, "5", "string");
    one("[pile.d]\nat = \"Downloads\"\n", 2, "\"Downloads\"", "starts with /");
    one("[pils.d]\nat = \"/d\"\n", 1, "pils", "did you mean `pile`?");
    one(
        &rule("when = \"type image\"\nput = \"1\"\nclash = \"nubmer\"\n"),
        9,
        "nubmer",
        "did you mean `number`?",
    );
    one(
        "[pile.x]\nat = \"/d\"\n[bookcase.x]\nat = \"/e\"\nshelves = []\n",
        3,
        "x",
        "a pile and of a bookcase",
    );
    one("[pile.2]\nat = \"/d\"\n", 1, "2", "not a single digit");
    assert!(findings("[pile.d]\nsettle = \"1d\"\n")[0].2.contains("`at` is missing"));
    assert_eq!(findings("[pile.d\n")[0].0, 1);
}

#[test]
fn a_tenth_shelf_is_one_too_many() {
    let text = "[bookcase.h]\nat = \"/h\"\nshelves = [\"a\",\"b\",\"c\",\"d\",\"e\",\"f\",\"g\",\"h\",\"i\",\"j\"]\n";
    one(text, 3, "\"j\"", "nine at most");
    one("[bookcase.h]\nat = \"/h\"\nshelves = [\"a/b\"]\n", 3, "\"a/b\"", "leave out");
    one("[bookcase.h]\nat = \"/h\"\nshelves = [\"Ab\", \"aB\"]\n", 3, "\"aB\"", "two shelves");
}

#[test]
fn rules_that_cannot_work() {
    one(&rule("when = \"type imgae\"\nput = \"1\"\n"), 7, "imgae", "did you mean `image`?");
    one(
        &rule("when = 'type image'\npiles = [\"downlods\"]\nput = \"1\"\n"),
        8,
        "\"downlods\"",
        "did you mean `downloads`?",
    );
    one(&rule("when = \"type image\"\nput = \"7/{type}\"\n"), 8, "\"7/{type}\"", "its shelves are 1 A, 2 B");
    one(&rule("when = \"type image\"\nput = \"work/1\"\n"), 8, "\"work/1\"", "there is no bookcase `work`");
    one(&rule("when = \"type image\"\nput = \"1/{tpye}\"\n"), 8, "tpye", "did you mean `type`?");
    one(&rule("when = \"type image\"\nrename = \"{stem:x}\"\n"), 8, "x", "upper, lower or rest");
    one(&rule("when = \"type image\"\n"), 6, "[[rule]]", "add `put`, `rename`, `tag` or `discard");
    one(&rule("when = \"copy\"\ndiscard = \"copies\"\nput = \"1\"\n"), 6, "[[rule]]", "or make two rules");
    one(&rule("when = \"copy\"\ndiscard = \"all\"\n"), 8, "all", "here can stand copies");
    one("[[rule]]\nwhen = \"type image\"\nput = \"1\"\n", 3, "\"1\"", "make one: [bookcase.home]");
}

#[test]
fn several_findings_come_in_the_order_of_the_text() {
    let text = rule("when = \"type imgae\"\npiles = [\"x\"]\nput = \"9\"\n");
    let lines: Vec<usize> = findings(&text).into_iter().map(|f| f.0).collect();
    assert_eq!(lines, [7, 8, 9]);
}

#[test]
fn a_condition_with_escapes_points_at_the_whole_string() {
    let text = rule("when = \"name is \\\"a\\\" adn empty\"\nput = \"1\"\n");
    one(&text, 7, "\"name is \\\"a\\\" adn empty\"", "did you mean `and`?");
}

#[test]
fn searches_displays_and_looks_of_tags_are_read() {
    let config = parse(
        r#"
[pile.downloads]
at = "~/Downloads"
text = true
[displays]
at = "~/Links"
[search.big]
where = "size over 3GB"
display = true
[search.old-films]
where = "saved films and age over 1y"
[tag.client]
color = "blue"
[tag."client/Harrow"]
mark = "⚓"
[bookcase.home]
at = "/s"
shelves = ["A"]
[[rule]]
when = "saved old-films"
put = "1"
"#,
    )
    .unwrap();
    assert!(config.piles[0].text && !config.bookcases[0].text);
    assert_eq!(config.displays.as_deref(), Some("~/Links"));
    let big = config.search("big").unwrap();
    assert_eq!(
        (big.condition.to_string().as_str(), big.display, big.starter),
        ("size over 3GB", true, false)
    );
    assert!(config.search("films").unwrap().starter);
    assert_eq!(config.rules[0].when.to_string(), "saved old-films");
    assert_eq!(config.tag_look("client/Kittiwake").unwrap().color, Some(Color::Blue));
    assert_eq!(config.tag_look("Client/harrow").unwrap().mark.as_deref(), Some("⚓"));
    assert_eq!(config.tag_look("loans"), None);
}

#[test]
fn a_search_that_uses_itself_is_shown_with_its_circle() {
    let text = "[search.a]\nwhere = \"size over 1MB and saved b\"\n[search.b]\nwhere = \"saved a\"\n";
    let found = parse(text).unwrap_err();
    assert_eq!(found[0].message, "a saved search cannot use itself: `a` uses `b` uses `a`");
    assert_eq!(&text[found[0].span.clone()], "b");
    let bad = "[search.\"a/b\"]\nwhere = \"file\"\n[tag.x]\nmark = \"too long\"\n";
    assert_eq!(parse(bad).unwrap_err().len(), 2);
}

#[test]
fn shelves_have_marks_colours_and_gaps_in_their_numbers() {
    let text = "[bookcase.home]\nat = \"/h\"\nmarks = \"icon\"\nshelves = [\"In hand\", \
        { title = \"Loans\", mark = \"⚓\", color = \"blue\", shared = \"the board\" }, \
        { title = \"Later\", number = 8 }, \"Archive\"]\n";
    let config = parse(text).unwrap();
    let case = &config.bookcases[0];
    let numbers: Vec<(u8, &str)> = case.shelves.iter().map(|s| (s.number, s.title.as_str())).collect();
    assert_eq!(numbers, [(1, "In hand"), (2, "Loans"), (8, "Later"), (9, "Archive")]);
    assert_eq!(case.marks, Marks::Icon);
    let loans = &case.shelves[1];
    assert_eq!(
        (loans.mark.as_deref(), loans.color, loans.shared.as_deref()),
        (Some("⚓"), Some(Color::Blue), Some("the board"))
    );
    assert_eq!(config.archive.unwrap().put.shelf, 9);
    for (wrong, said) in [
        (r#"{ title = "A", mark = "a" }"#, "`a` cannot be a mark"),
        (r#"{ title = "A", mark = "⚓ b" }"#, "cannot be a mark"),
        (r#"{ title = "A", number = 0 }"#, "`A` cannot be shelf 0 here"),
        (r#"{ title = "A", number = 9 }, "B""#, "a tenth shelf, `B`"),
        (r#""A", { title = "B", number = 1 }"#, "`B` cannot be shelf 1 here"),
        (r#"{ titel = "A" }"#, "`titel` is not a key that is known here"),
        (r#"{ title = "A", color = "pink" }"#, "`pink` is not a value that is known here"),
        ("7", "a shelf's title, or a table"),
    ] {
        let text = format!("[bookcase.home]\nat = \"/h\"\nshelves = [{wrong}]\n");
        let found = parse(&text).expect_err(wrong);
        assert!(found[0].message.contains(said), "{wrong}: {found:?}");
        assert!(found[0].span.start >= text.find('[').unwrap() && !found[0].span.is_empty(), "{found:?}");
    }
}

#[test]
fn routines_and_what_is_watched() {
    let text = format!(
        "{SOUND}\n[routine.friday]\nrun = [\"tidy\", \"nine copies --flag\", \"put --where 'name has tide' --on 1\"]\n\
         when = \"Friday 16:00\"\nunattended = \"nothing\"\n[routine.daily]\nrun = [\"tidy\"]\n[watch]\npiles = [\"downloads\"]\nlook = \"5min\"\n"
    );
    let config = parse(&text).unwrap();
    let friday = config.routine("friday").unwrap();
    let words: Vec<&[String]> = friday.parts.iter().map(|part| part.words.as_slice()).collect();
    assert_eq!(words[1], ["copies", "--flag"]);
    assert_eq!(words[2], ["put", "--where", "name has tide", "--on", "1"]);
    assert_eq!(friday.when.as_ref().unwrap().to_string(), "Friday 16:00");
    assert_eq!(friday.unattended, crate::routine::Unattended::Nothing);
    assert_eq!(
        config.routines.iter().map(|routine| routine.name.as_str()).collect::<Vec<_>>(),
        ["friday", "daily"]
    );
    assert_eq!(
        (config.watching.piles.as_slice(), config.watching.look().to_string()),
        (&["downloads".to_owned()][..], "5min".into())
    );
    assert_eq!(parse("").unwrap().watching.look().to_string(), "15min");
}

#[test]
fn what_is_wrong_with_a_routine() {
    for (text, word, told) in [
        ("[routine.friday]\nrun = []\n", "[]", "a routine without a command does nothing"),
        ("[routine.7]\nrun = [\"tidy\"]\n", "7", "`7` cannot be the name of a routine"),
        ("[routine.a]\nrun = [\"put --on '1\"]\n", "\"put --on '1\"", "a quote in this command has no end"),
        ("[routine.a]\nrun = [\"tidy\", \" \"]\n", "\" \"", "a command is missing here"),
        ("[routine.a]\nrun = [\"tidy\"]\nwhen = \"Fryday 16:00\"\n", "Fryday", "did you mean `Friday`?"),
        ("[routine.a]\nrun = [\"tidy\"]\nunattended = \"all\"\n", "all", "here can stand"),
        ("[routine.a]\nrn = [\"tidy\"]\n", "rn", "did you mean `run`?"),
        ("[watch]\npiles = [\"downloads\"]\n", "\"downloads\"", "there is no pile `downloads`"),
        ("[watch]\nlook = \"often\"\n", "\"often\"", "expected a span such as 10min"),
    ] {
        let found = findings(text);
        assert_eq!(found.len(), 1, "{text}: {found:?}");
        assert_eq!(found[0].1, word, "{text}");
        assert!(found[0].2.contains(told), "{text}: {found:?}");
    }
}

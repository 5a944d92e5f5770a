//! What is a list: the largest, the oldest, what is odd, the archive, runs, tags and pictures.

use maud::{Markup, html};
use nine_core::amount::{count, counted, readable};
use nine_engine::history::{RunAccount, RunNote};
use nine_engine::report::{Report, ReportDated, ReportFile, ReportTag};

use super::parts::{Cell, Column, bytes, command, markup, name, number, sorted_by, table, words};
use super::rules::Rules;

/// How many files are told of all places together.
const FILES: usize = 20;

fn files<'r>(
    report: &'r Report,
    of: impl Fn(&'r nine_engine::report::ReportPlace) -> &'r [ReportFile],
) -> Vec<&'r ReportFile> {
    report.places.iter().flat_map(of).collect()
}

/// The largest files of all places.
pub fn largest(report: &Report) -> Option<Markup> {
    let mut largest = files(report, |place| &place.largest);
    largest.sort_by_key(|file| std::cmp::Reverse(file.size));
    files_table("largest-table", "The largest files", largest)
}

/// The files that nobody touched for longest: in the piles, if there are any, since what is filed may rest.
pub fn oldest(report: &Report) -> Option<Markup> {
    let has_piles = report.places.iter().any(|place| place.pile);
    let mut oldest = files(report, |place| if place.pile || !has_piles { &place.oldest } else { &[] });
    oldest.sort_by(|a, b| a.touched.cmp(&b.touched));
    let where_it_lies = if has_piles { " of what lies in the piles" } else { "" };
    let caption = format!("Neither changed, nor brought, nor opened for longest{where_it_lies}");
    files_table("oldest-table", &caption, oldest)
}

fn files_table(id: &str, caption: &str, mut files: Vec<&ReportFile>) -> Option<Markup> {
    files.truncate(FILES);
    let columns =
        [Column::Words("File"), Column::Number("Size"), Column::Words("Touched"), Column::Words("Ago")];
    let row = |file: &&ReportFile| {
        let ago = sorted_by(html! { (file.idle) }, &file.touched);
        vec![name(&file.item), bytes(file.size), markup(html! { time { (file.touched) } }), ago]
    };
    let rows: Vec<Vec<Cell>> = files.iter().map(row).collect();
    (!rows.is_empty()).then(|| table(id, caption, &columns, rows))
}

/// What is odd, and what is wrong with bookcases.
pub fn odd(report: &Report) -> Option<Markup> {
    let odd = report.places.iter().flat_map(|place| place.odd.iter().map(move |odd| (place, odd)));
    let odd = odd.map(|(place, odd)| {
        vec![name(&place.place), words(&odd.words), number(odd.items as u64), markup(command(&odd.command))]
    });
    let wrong = report.places.iter().flat_map(|place| &place.wrong);
    let wrong = wrong.map(|flaw| vec![name(&flaw.at), words(&flaw.words), markup(command(&flaw.command))]);
    let (odd, wrong): (Vec<Vec<Cell>>, Vec<Vec<Cell>>) = (odd.collect(), wrong.take(MOST_FLAWS).collect());
    let odd_columns = [
        Column::Words("Place"),
        Column::Words("What"),
        Column::Number("Items"),
        Column::Words("The command that lists them"),
    ];
    let wrong_columns =
        [Column::Words("Folder"), Column::Words("What"), Column::Words("The command that mends it")];
    let all: usize = report.places.iter().map(|place| place.wrong.len()).sum();
    (!odd.is_empty() || !wrong.is_empty()).then(|| {
        html! {
            @if !odd.is_empty() { (table("odd-table", "What is odd about what lies there", &odd_columns, odd)) }
            @if !wrong.is_empty() {
                (table("wrong-table", "What is wrong with the shelves", &wrong_columns, wrong))
                @if all > MOST_FLAWS {
                    p.faint { (counted((all - MOST_FLAWS) as u64, "more", "more")) "; " (command("nine shelves --all")) " tells them" }
                }
            }
        }
    })
}

/// How many things that are wrong with bookcases are told.
const MOST_FLAWS: usize = 60;

/// The archive by date.
pub fn archive(report: &Report) -> Option<Markup> {
    let columns = [
        Column::Words("Date"),
        Column::Words("Form"),
        Column::Number("Items"),
        Column::Number("Size"),
        Column::Words("Verified"),
    ];
    let row = |dated: &ReportDated| {
        vec![
            name(dated.name.as_deref().unwrap_or("a dated folder")),
            words(&dated.form),
            number(dated.items),
            bytes(dated.bytes),
            markup(verified(dated)),
        ]
    };
    let (items, size) =
        (report.archive.iter().map(|d| d.items).sum(), report.archive.iter().map(|d| d.bytes).sum());
    let dates = counted(report.archive.len() as u64, "dated folder", "dated folders");
    (!report.archive.is_empty()).then(|| {
        html! {
            p { (dates) ": " (counted(items, "item", "items")) ", " (readable(size)) "." }
            (table("archive-table", "The archive by date", &columns, report.archive.iter().map(row).collect()))
        }
    })
}

fn verified(dated: &ReportDated) -> Markup {
    html! {
        @match (&dated.trouble, dated.whole, &dated.verified) {
            (Some(why), ..) => span.doubt { "? its list cannot be read: " (why) },
            (None, Some(true), Some(at)) => { "whole on " (at) },
            (None, Some(false), Some(at)) => span.refused { "× not whole on " (at) },
            _ => { span.doubt { "? not yet" } ", " (command("nine archive verify")) },
        }
    }
}

/// The last runs.
pub fn runs(report: &Report) -> Option<Markup> {
    let columns = [
        Column::Number("Run"),
        Column::Words("When"),
        Column::Words("Command"),
        Column::Words("Done"),
        Column::Words("Then"),
    ];
    let row = |run: &RunAccount| {
        let at = run.at.get(..16).unwrap_or(&run.at).replace('T', " ");
        vec![number(run.run), words(&at), markup(command_of(run)), words(&run.in_words()), markup(then(run))]
    };
    let more = report.all_runs.saturating_sub(report.runs.len()) as u64;
    (!report.runs.is_empty()).then(|| {
        html! {
            (table("runs-table", "The last runs; nine undo RUN takes one back", &columns, report.runs.iter().map(row).collect()))
            @if more > 0 { p.faint { (counted(more, "run", "runs")) " before; " (command("nine history")) " tells them" } }
        }
    })
}

fn command_of(run: &RunAccount) -> Markup {
    html! {
        bdi.name { (nine_core::escape::plain(&run.command)) }
        @if let Some(routine) = &run.routine { " " span.faint { "routine " bdi { (nine_core::escape::plain(routine)) } } }
    }
}

fn then(run: &RunAccount) -> Markup {
    html! {
        @match run.note() {
            Some(note @ (RunNote::TakesBackInPart(_) | RunNote::CutOff)) => span.doubt { "? " (note.to_string()) },
            Some(note) => { (note.to_string()) },
            None => {},
        }
    }
}

/// Tags, as large as they are frequent, and as a table.
pub fn tags(report: &Report, rules: &Rules) -> Option<Markup> {
    let tags = &report.tags;
    if tags.items == 0 {
        return None;
    }
    let most = tags.tags.iter().map(|tag| tag.items).max().unwrap_or(1);
    let columns = [Column::Words("Tag"), Column::Number("Items"), Column::Number("Size")];
    let row = |tag: &ReportTag| {
        let width = rules.percent("width", tag.items as f64 / most as f64);
        let shown = html! {
            @if let Some(mark) = &tag.mark { (mark) " " }
            bdi.name.(tag.color.as_deref().unwrap_or("plain")) { (nine_core::escape::plain(&tag.tag)) }
            span.share aria-hidden="true" { span class=(width) {} }
        };
        vec![sorted_by(shown, &tag.tag), number(tag.items), bytes(tag.bytes)]
    };
    Some(html! {
        p { (counted(tags.all as u64, "tag", "tags")) " on " (counted(tags.items, "item", "items")) "." }
        @if !tags.tags.is_empty() {
            (table("tags-table", "Tags, the most frequent first", &columns, tags.tags.iter().map(row).collect()))
        }
    })
}

/// Pictures that came lately.
pub fn pictures(report: &Report) -> Option<Markup> {
    (!report.pictures.is_empty()).then(|| {
        html! {
            p.faint { (count(report.pictures.len() as u64)) " that came last, those in piles first." }
            ul.pictures {
                @for picture in &report.pictures {
                    li { figure {
                        img src={ "data:image/jpeg;base64," (picture.jpeg) } width=(picture.width) height=(picture.height) alt={ "Picture " (picture.item) };
                        figcaption { bdi.name { (picture.item) } " " time.faint { (picture.at) } }
                    } }
                }
            }
        }
    })
}

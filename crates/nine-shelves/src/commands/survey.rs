//! `nine survey`: what lies around, on one screen.

use std::io::Write;
use std::path::PathBuf;

use clap::Args;
use nine_core::amount::{count, readable};
use nine_core::copies::CopiesTake;
use nine_core::find::Rows;
use nine_core::survey::{AGES, Oddity, Part, SIZES, Survey, in_words};
use nine_core::tree::NodeId;
use nine_engine::Workspace;
use nine_engine::looking::View;
use nine_engine::search::Hit;
use nine_engine::survey::{LARGEST, Request, Surveyed, look, odd_command, oddity};
use serde_json::{Value, json};

use super::shelves;
use crate::args::{Format, PlainFormat, SHOWN, WHAT};
use crate::failure::{Done, Failure, unless};
use crate::notices::known_since;
use crate::output::items::{ALL, ItemColumn, ItemListing, USUAL, print_csv, print_paths};
use crate::output::style::{DOUBT, FAINT, STRONG};
use crate::output::table::{Cell, Table, TableColumn, cell, styled};
use crate::output::{self, Look, bars, records};
use crate::session::Session;

/// How many types are told; the others are told together.
const TYPES: usize = 6;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine survey                    all piles, and the bookcases below\n  nine survey downloads          one pile; a bookcase or any folder will do too\n  nine survey --odd same-name    the folders that share a name\n  nine survey --format json      one object a place"
)]
pub struct SurveyArgs {
    /// The piles to look at; all, if left out
    #[arg(value_name = "PILE")]
    pub piles: Vec<PathBuf>,
    /// List what is odd in this way
    #[arg(long, value_name = "KIND", help_heading = WHAT)]
    pub odd: Option<String>,
    /// Answer from what is known already, without reading any place
    #[arg(long, help_heading = WHAT)]
    pub known: bool,
    /// As table, csv or json; with --odd also paths or paths0
    #[arg(long, default_value = "table", help_heading = SHOWN, hide_possible_values = true)]
    pub format: Format,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: SurveyArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    let oddity = args.odd.as_deref().map(oddity).transpose()?;
    let surveyed = look(&workspace, &Request { piles: args.piles.clone(), known: args.known })?;
    let shown = Shown { session, workspace: &workspace, surveyed: &surveyed };
    match (oddity, args.format) {
        (Some(oddity), format) => shown.list(oddity, format)?,
        (None, Format::Table) => shown.print(&args)?,
        (None, Format::Csv) => shown.print_csv()?,
        (None, Format::Json) => records::print_json(shown.records().into_iter())?,
        (None, Format::Paths | Format::Paths0) => {
            return Err(Failure::words("a survey has no paths to print")
                .hint("add --odd, as in: nine survey --odd empty-files --format paths0"));
        }
    }
    unless(surveyed.looking.troubles)
}

/// The survey of all places, to be told.
struct Shown<'a> {
    session: &'a Session,
    workspace: &'a Workspace,
    surveyed: &'a Surveyed<'a>,
}

impl Shown<'_> {
    fn listing<'l>(&'l self, columns: &'l [ItemColumn]) -> ItemListing<'l> {
        ItemListing { looking: &self.surveyed.looking, look: &self.session.look, archive: &[], columns }
    }

    fn print(&self, args: &SurveyArgs) -> Done {
        let mut out = output::out();
        for (view, survey) in self.surveyed.looking.views.iter().zip(&self.surveyed.surveys) {
            let known = match view.is_known {
                true => format!("; {}", known_since(view.at)),
                false => String::new(),
            };
            let name = self.session.look.text(&view.area.base.to_string());
            let figures = in_words(survey.files, survey.folders, survey.loose.count);
            writeln!(out, "{STRONG}{name}{STRONG:#}  {figures}{FAINT}{known}{FAINT:#}")?;
            self.print_bands(&mut out, survey)?;
            writeln!(out)?;
        }
        let (mut largest, mut odd) = (Vec::new(), Vec::new());
        self.print_oddities(&mut odd, args)?;
        self.print_largest(&mut largest, output::width_beside(&self.session.look, &odd))?;
        output::print_beside(&mut out, &self.session.look, &largest, &odd)?;
        if args.piles.is_empty() {
            shelves::print_pictures(self.session, self.workspace, &mut out)?;
        }
        Ok(out.flush()?)
    }

    /// Types, ages and sizes, side by side where there is room.
    fn print_bands(&self, out: &mut impl Write, survey: &Survey) -> std::io::Result<()> {
        let bands = [
            Band { heading: "type", parts: types(survey) },
            Band { heading: "age under", parts: named(AGES.iter().map(|(name, _)| *name), &survey.ages) },
            Band { heading: "size under", parts: named(SIZES.iter().map(|(name, _)| *name), &survey.sizes) },
        ];
        let look = &self.session.look;
        let all: Vec<&Band> = bands.iter().collect();
        let tables = BARS.map(|bar| side_by_side(look, &all, bar));
        match tables.iter().find(|table| table.fits(look)) {
            Some(table) => table.print(out, look),
            None => {
                bands.iter().try_for_each(|band| side_by_side(look, &[band], bars::WIDTH).print(out, look))
            }
        }
    }

    fn print_largest(&self, out: &mut impl Write, width: usize) -> std::io::Result<()> {
        let mut hits: Vec<Hit> = Vec::new();
        for (view, survey) in self.surveyed.surveys.iter().enumerate() {
            hits.extend(survey.largest.iter().map(|id| Hit { view: view as u32, id: *id }));
        }
        let size = |hit: &Hit| self.surveyed.looking.views[hit.view as usize].tree.size(hit.id);
        hits.sort_by_key(|hit| std::cmp::Reverse(size(hit)));
        hits.truncate(LARGEST);
        if hits.is_empty() {
            return Ok(());
        }
        writeln!(out, "{STRONG}The largest{STRONG:#}")?;
        let look = Look { width, ..self.session.look };
        ItemListing { look: &look, ..self.listing(&USUAL) }.print_table(out, &hits, &mut None, 2, false)
    }

    fn print_oddities(&self, out: &mut impl Write, args: &SurveyArgs) -> std::io::Result<()> {
        let mut table = Table::new(&[TableColumn::Right, TableColumn::Left, TableColumn::Left]).indented(2);
        let mut any = false;
        for oddity in Oddity::ALL {
            let many: usize = self.surveyed.odd(oddity).iter().map(Rows::len).sum();
            if many == 0 {
                continue;
            }
            any = true;
            table.line(vec![
                styled(count(many as u64), DOUBT),
                cell(oddity.words()),
                styled(self.session.look.text(&odd_command(&args.piles, oddity)), FAINT),
            ]);
        }
        if let Some(CopiesTake { files, bytes, unread }) = self.surveyed.copies.last().copied() {
            let mut line = |many: String, what: String| {
                any = true;
                table.line(vec![styled(many, DOUBT), cell(what), styled("nine copies", FAINT)]);
            };
            if files > 0 {
                line(count(files), format!("copies of others, {}", readable(bytes)));
            }
            if unread > 0 {
                line("?".into(), format!("copies among {} of equal sizes", readable(unread)));
            }
        }
        writeln!(out, "{STRONG}What is odd{STRONG:#}")?;
        match any {
            true => table.print(out, &self.session.look),
            false => writeln!(out, "  {FAINT}nothing{FAINT:#}"),
        }
    }

    /// Lists the items that are odd in some way.
    fn list(&self, oddity: Oddity, format: Format) -> Done {
        let mut hits = Vec::new();
        for (view, rows) in self.surveyed.odd(oddity).iter().enumerate() {
            hits.extend(rows.ids().map(|id| Hit { view: view as u32, id }));
        }
        let listing = self.listing(&ALL);
        match format {
            Format::Table => {
                let mut out = output::out();
                self.listing(&USUAL).print_table(&mut out, &hits, &mut None, 0, true)?;
                if !hits.is_empty() {
                    writeln!(out)?;
                }
                writeln!(out, "{STRONG}{}{STRONG:#} {}", count(hits.len() as u64), oddity.words())?;
                Ok(out.flush()?)
            }
            Format::Json => records::print_json(hits.iter().map(|hit| listing.record(*hit))),
            Format::Csv => print_csv(&listing, &hits),
            Format::Paths => print_paths(&self.surveyed.looking, &hits, b"\n"),
            Format::Paths0 => print_paths(&self.surveyed.looking, &hits, b"\0"),
        }
    }

    fn records(&self) -> Vec<Value> {
        let odd = &self.surveyed.odd;
        let views = self.surveyed.looking.views.iter().zip(&self.surveyed.surveys).enumerate();
        let record = |(at, (view, survey)): (usize, (&View, &Survey))| {
            let spot = |id: &NodeId| view.spot(*id).to_string();
            let largest =
                survey.largest.iter().map(|id| json!({"item": spot(id), "size": view.tree.size(*id)}));
            let touched = |id: &NodeId| self.session.now().minute(view.tree.touched(*id));
            let oldest = survey.oldest.iter().map(|id| json!({"item": spot(id), "touched": touched(id)}));
            let oddities: serde_json::Map<String, Value> =
                odd.iter().map(|(oddity, rows)| (oddity.word().to_owned(), rows[at].len().into())).collect();
            json!({
                "place": view.area.base.to_string(),
                "files": survey.files.count,
                "bytes": survey.files.bytes,
                "folders": survey.folders,
                "loose": survey.loose.count,
                "types": band(survey.types.iter().map(|(item_type, part)| (item_type.word(), *part))),
                "ages": band(AGES.iter().zip(survey.ages).map(|((name, _), part)| (*name, part))),
                "sizes": band(SIZES.iter().zip(survey.sizes).map(|((name, _), part)| (*name, part))),
                "largest": largest.collect::<Vec<Value>>(),
                "oldest": oldest.collect::<Vec<Value>>(),
                "odd": oddities,
                "copies": {
                    "files": self.surveyed.copies[at].files,
                    "bytes": self.surveyed.copies[at].bytes,
                    "not_compared": self.surveyed.copies[at].unread,
                },
                "as_known": view.is_known,
            })
        };
        views.map(record).collect()
    }

    /// One line a figure: place, what, name, count, bytes.
    fn print_csv(&self) -> Done {
        #[derive(serde::Serialize)]
        struct Line {
            place: String,
            figure: &'static str,
            name: String,
            count: u64,
            bytes: u64,
        }
        let mut lines = Vec::new();
        for ((view, survey), copies) in
            self.surveyed.looking.views.iter().zip(&self.surveyed.surveys).zip(&self.surveyed.copies)
        {
            let place = view.area.base.to_string();
            let mut add = |figure, name: &str, part: Part| {
                let name = name.to_owned();
                lines.push(Line { place: place.clone(), figure, name, count: part.count, bytes: part.bytes });
            };
            add("all", "files", survey.files);
            add("all", "copies", Part { count: copies.files, bytes: copies.bytes });
            survey.types.iter().for_each(|(item_type, part)| add("type", item_type.word(), *part));
            AGES.iter().zip(survey.ages).for_each(|((name, _), part)| add("age", name, part));
            SIZES.iter().zip(survey.sizes).for_each(|((name, _), part)| add("size", name, part));
        }
        records::print(lines.into_iter(), PlainFormat::Csv)
    }
}

/// Figures under a heading.
struct Band {
    heading: &'static str,
    parts: Vec<(&'static str, Part)>,
}

impl Band {
    /// A line of it: name, count, bytes and bar.
    fn cells(&self, row: usize, look: &Look, longest: usize) -> [Cell<'static>; 4] {
        let Some((name, part)) = self.parts.get(row) else {
            return [cell(""), cell(""), cell(""), cell("")];
        };
        if part.count == 0 {
            return [styled(*name, FAINT), styled("-", FAINT), styled("-", FAINT), cell("")];
        }
        let most = self.parts.iter().map(|(_, part)| part.count).max().unwrap_or(0);
        let bar = bars::bar(look, part.count, most, longest);
        [cell(*name), cell(count(part.count)), styled(readable(part.bytes), FAINT), styled(bar, FAINT)]
    }
}

/// The most frequent types, and the others together.
fn types(survey: &Survey) -> Vec<(&'static str, Part)> {
    let mut types: Vec<(&str, Part)> =
        survey.types.iter().take(TYPES).map(|(item_type, part)| (item_type.word(), *part)).collect();
    if survey.types.len() > TYPES {
        let mut rest = Part::default();
        for (_, part) in &survey.types[TYPES..] {
            rest.count += part.count;
            rest.bytes += part.bytes;
        }
        types.push(("others", rest));
    }
    types
}

/// Bands by their names, without the word that stands in the heading.
fn named(names: impl Iterator<Item = &'static str>, parts: &[Part]) -> Vec<(&'static str, Part)> {
    names.map(|name| name.strip_prefix("under ").unwrap_or(name)).zip(parts.iter().copied()).collect()
}

/// How long the bars may be, the first that fits being taken.
const BARS: [usize; 3] = [bars::WIDTH, 6, 3];

fn side_by_side<'b>(look: &Look, bands: &[&'b Band], longest: usize) -> Table<'b> {
    let columns =
        [TableColumn::Left, TableColumn::Right, TableColumn::Right, TableColumn::Left].repeat(bands.len());
    let mut table = Table::new(&columns).indented(2);
    let empty = || cell("");
    // The bars of all but the last keep their room, so that the blocks of two places stand alike.
    let room = |at: usize| cell(if at + 1 == bands.len() { String::new() } else { " ".repeat(longest) });
    let heading = |(at, band): (usize, &&Band)| [styled(band.heading, FAINT), empty(), empty(), room(at)];
    table.line(bands.iter().enumerate().flat_map(heading).collect());
    for row in 0..bands.iter().map(|band| band.parts.len()).max().unwrap_or(0) {
        table.line(bands.iter().flat_map(|band| band.cells(row, look, longest)).collect());
    }
    table
}

fn band<'n>(parts: impl Iterator<Item = (&'n str, Part)>) -> Value {
    let of = |(name, part): (&str, Part)| json!({"name": name, "files": part.count, "bytes": part.bytes});
    parts.map(of).collect::<Vec<Value>>().into()
}

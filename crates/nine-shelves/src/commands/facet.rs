//! `nine facet`: the facets and their answers with counts, and changes without an editor.

use std::io::Write;
use std::path::PathBuf;

use clap::{Args, Subcommand};
use nine_core::amount::counted;
use nine_core::config::AnswerChange;
use nine_core::escape::{escape, plain};
use nine_engine::Error;
use nine_engine::facet::{FacetLine, change, from_column, list};
use serde::Serialize;

use crate::args::{PlainFormat, SHOWN, ShowArgs};
use crate::failure::{Done, Failure};
use crate::output::style::{DOUBT, FAINT, STRONG};
use crate::output::table::{Table, TableColumn, styled};
use crate::output::{self, records};
use crate::preview::Preview;
use crate::session::Session;

/// How many answers are listed where not all are asked for.
const MOST: usize = 12;

#[derive(Debug, Args)]
#[command(
    args_conflicts_with_subcommands = true,
    after_long_help = "Examples:\n  nine facet                                        all facets, each answer with how many items have it\n  nine facet add lender \"New Quay Society\" --also NQS\n  nine facet add client --from clients.csv --column name\n  nine facet rename lender NQS \"New Quay Society\"\n  nine facet drop lender \"New Quay Society\"\n\nEach change is shown first, loses no comment of shelves.toml, and `nine undo` takes it back."
)]
pub struct FacetArgs {
    #[command(subcommand)]
    pub command: Option<FacetCommand>,
    /// The facets; all, if left out
    #[arg(value_name = "FACET")]
    pub facets: Vec<String>,
    /// Show every answer, however many
    #[arg(long, help_heading = SHOWN)]
    pub all: bool,
    /// As table, csv or json
    #[arg(long, default_value = "table", help_heading = SHOWN, hide_possible_values = true)]
    pub format: PlainFormat,
}

/// What is done with answers
#[derive(Debug, Subcommand)]
pub enum FacetCommand {
    /// Add answers, or other spellings of one that is there
    Add {
        /// The facet
        #[arg(value_name = "FACET")]
        facet: String,
        /// The answers
        #[arg(value_name = "ANSWER", required_unless_present = "from")]
        answers: Vec<String>,
        /// Another spelling of the one answer; can be repeated
        #[arg(long, value_name = "SPELLING", conflicts_with = "from")]
        also: Vec<String>,
        /// A table (.csv) with answers in one of its columns
        #[arg(long, value_name = "FILE")]
        from: Option<PathBuf>,
        /// The heading of that column
        #[arg(long, value_name = "NAME", requires = "from")]
        column: Option<String>,
        #[command(flatten)]
        show: ShowArgs,
    },
    /// Give an answer another name; the old one stays as a spelling
    Rename {
        /// The facet
        #[arg(value_name = "FACET")]
        facet: String,
        /// The answer
        #[arg(value_name = "ANSWER")]
        answer: String,
        /// Its new name
        new: String,
        #[command(flatten)]
        show: ShowArgs,
    },
    /// Drop answers
    Drop {
        /// The facet
        #[arg(value_name = "FACET")]
        facet: String,
        /// The answers
        #[arg(value_name = "ANSWER", required = true)]
        answers: Vec<String>,
        #[command(flatten)]
        show: ShowArgs,
    },
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: FacetArgs, session: &Session) -> Done {
    let Some(command) = args.command else {
        let workspace = session.workspace()?;
        return print(&list(&workspace, &args.facets)?, args.all, args.format, session);
    };
    let workspace = session.workspace()?;
    let (facet, changed, show) = match command {
        FacetCommand::Add { facet, mut answers, also, from, column, show } => {
            if let Some(file) = from {
                answers.extend(answers_in(&file, column.as_deref())?);
            }
            if !also.is_empty() && answers.len() != 1 {
                return Err(Failure::words("--also is for one answer").hint("add them one by one"));
            }
            let answers = answers.into_iter().map(|answer| (answer, also.clone())).collect();
            (facet, AnswerChange::Add(answers), show)
        }
        FacetCommand::Rename { facet, answer, new, show } => (facet, AnswerChange::Rename(answer, new), show),
        FacetCommand::Drop { facet, answers, show } => (facet, AnswerChange::Drop(answers), show),
    };
    let plan = change(&workspace, &facet, &changed, format!("nine facet {facet}"))?;
    if plan.settled.worklist.steps.is_empty() {
        writeln!(output::err(), "It is so already. Nothing has been changed.")?;
        return Ok(());
    }
    Preview::new(session, &workspace, &show).show_ask_carry(plan, |_, _| Ok(()))
}

fn answers_in(file: &std::path::Path, column: Option<&str>) -> Done<Vec<String>> {
    let table =
        std::fs::read(file).map_err(|source| Error::TableUnreadable { file: file.to_owned(), source })?;
    let shown = escape(file.as_os_str().as_encoded_bytes());
    from_column(&table, column).map_err(|why| {
        Failure::words(format!("{shown}: {}", plain(&why)))
            .hint("name the column by its heading: --column name")
    })
}

#[derive(Serialize)]
struct AnswerRecord {
    facet: String,
    answer: String,
    items: u64,
}

fn print(facets: &[FacetLine], all: bool, format: PlainFormat, session: &Session) -> Done {
    if format != PlainFormat::Table {
        let records = facets.iter().flat_map(|line| {
            line.answers.iter().map(|answer| AnswerRecord {
                facet: line.facet.name.clone(),
                answer: answer.answer.clone(),
                items: answer.items,
            })
        });
        return records::print(records, format);
    }
    let (look, mut out) = (&session.look, output::out());
    if facets.is_empty() {
        writeln!(
            out,
            "There are no facets. [facet.lender] in shelves.toml makes one; nine setup --list shows layouts with some."
        )?;
    }
    for (at, line) in facets.iter().enumerate() {
        if at > 0 {
            writeln!(out)?;
        }
        let items = line.answers.iter().map(|answer| answer.items).sum();
        let answers = counted(line.answers.len() as u64, "answer", "answers");
        writeln!(
            out,
            "{STRONG}{}{STRONG:#}  {FAINT}{answers}, {}{FAINT:#}",
            line.facet.name,
            counted(items, "item", "items")
        )?;
        let shown = if all || line.answers.len() <= MOST + 2 { line.answers.len() } else { MOST };
        let mut table = Table::new(&[TableColumn::Left, TableColumn::Right]).indented(2);
        for answer in &line.answers[..shown] {
            let style = if answer.items == 0 { FAINT } else { STRONG };
            let items = counted(answer.items, "item", "items");
            table.line(vec![styled(look.text(&plain(&answer.answer)), style), styled(items, FAINT)]);
        }
        table.print(&mut out, look)?;
        if shown < line.answers.len() {
            let more = counted((line.answers.len() - shown) as u64, "more answer", "more answers");
            writeln!(out, "  {FAINT}{} {more}; --all shows them{FAINT:#}", look.text("…"))?;
        }
        if !line.facet.to_fill_in.is_empty() {
            let left = plain(&line.facet.to_fill_in.join(", "));
            writeln!(out, "  {DOUBT}still to be filled in: {left}{DOUBT:#}")?;
        }
    }
    Ok(out.flush()?)
}

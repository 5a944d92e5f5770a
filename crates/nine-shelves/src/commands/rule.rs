//! `nine rule`: the rules with what each does now, and changes without an editor.

use std::io::Write;

use clap::{Args, Subcommand};
use nine_core::amount::{count, counted, readable};
use nine_core::condition::from_typed;
use nine_core::config::RuleEdit;
use nine_core::escape::plain;
use nine_core::rules::Rule;
use nine_engine::Workspace;
use nine_engine::rule::{RuleLine, Tried, add, change, forget, list, reorder, try_out};
use serde::Serialize;

use crate::args::{ClashWord, Format, PlainFormat, SHOWN, ShowArgs};
use crate::failure::{Done, Failure};
use crate::output::style::{DOUBT, FAINT, PLAIN, STRONG};
use crate::output::table::{Cell, Table, TableColumn, styled};
use crate::output::{self, Look, records};
use crate::preview::Preview;
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    args_conflicts_with_subcommands = true,
    after_long_help = "Examples:\n  nine rule                                 the rules in order: what each would do now, what it takes from later ones\n  nine rule try type image and age over 90d --put 5\n                                            what such a rule would do; it is written nowhere\n  nine rule add \"old pictures\" --when type image and age over 90d --put 5/{taken:year}\n  nine rule change \"old pictures\" --put 5\n  nine rule move \"old pictures\" --before loans\n  nine rule drop \"old pictures\"\n\nEach change is shown first, loses no comment of shelves.toml, and `nine undo` takes it back."
)]
pub struct RuleArgs {
    #[command(subcommand)]
    pub command: Option<RuleCommand>,
    /// As table, csv or json
    #[arg(long, default_value = "table", help_heading = SHOWN, hide_possible_values = true)]
    pub format: PlainFormat,
}

/// What is done with rules
#[derive(Debug, Subcommand)]
pub enum RuleCommand {
    /// What a rule would do, without writing it
    Try {
        /// When it applies
        #[arg(value_name = "CONDITION", required = true)]
        condition: Vec<String>,
        #[command(flatten)]
        says: SaysArgs,
        /// The rule before which it would be tried; else last
        #[arg(long, value_name = "RULE", help_heading = SAYS)]
        before: Option<String>,
        /// Show every line, however many
        #[arg(long, help_heading = SHOWN)]
        all: bool,
    },
    /// Add a rule
    Add {
        /// Its name
        name: String,
        /// When it applies
        #[arg(long, value_name = "CONDITION", num_args = 1.., required = true, help_heading = SAYS)]
        when: Vec<String>,
        #[command(flatten)]
        says: SaysArgs,
        /// The rule before which it is tried; else last
        #[arg(long, value_name = "RULE", help_heading = SAYS)]
        before: Option<String>,
        #[command(flatten)]
        show: ShowArgs,
    },
    /// Change what a rule says
    ///
    /// What is not given stays, and an empty text takes it away.
    Change {
        /// Its name, or its number in the list
        #[arg(value_name = "RULE")]
        name: String,
        /// When it applies
        #[arg(long, value_name = "CONDITION", num_args = 1.., help_heading = SAYS)]
        when: Vec<String>,
        #[command(flatten)]
        says: SaysArgs,
        #[command(flatten)]
        show: ShowArgs,
    },
    /// Try a rule before another one, or last
    Move {
        /// Its name, or its number in the list
        #[arg(value_name = "RULE")]
        name: String,
        /// The rule before which it is tried
        #[arg(long, value_name = "RULE", required_unless_present = "last")]
        before: Option<String>,
        /// After all others
        #[arg(long, conflicts_with = "before")]
        last: bool,
        #[command(flatten)]
        show: ShowArgs,
    },
    /// Drop a rule
    Drop {
        /// Its name, or its number in the list
        #[arg(value_name = "RULE")]
        name: String,
        #[command(flatten)]
        show: ShowArgs,
    },
}

/// The heading of what a rule says.
const SAYS: &str = "What it says";

/// What a rule does
#[derive(Debug, Clone, Args)]
pub struct SaysArgs {
    /// The shelf, and folders on it: 2/{lender}/{season}
    #[arg(long, value_name = "PATTERN", help_heading = SAYS)]
    pub put: Option<String>,
    /// What items are called: {modified} {stem:tidy}
    #[arg(long, value_name = "PATTERN", help_heading = SAYS)]
    pub rename: Option<String>,
    /// A tag that it gives; can be repeated
    #[arg(long = "tag", value_name = "TAG", help_heading = SAYS)]
    pub tags: Vec<String>,
    /// A pile that it is for; can be repeated
    #[arg(long = "pile", value_name = "PILE", help_heading = SAYS)]
    pub piles: Vec<String>,
    /// Reach into folders too
    #[arg(long, conflicts_with = "loose", help_heading = SAYS)]
    pub deep: bool,
    /// Reach only what lies loose, which is the usual thing
    #[arg(long, help_heading = SAYS, hide_short_help = true)]
    pub loose: bool,
    /// Name taken: number, leave, hold or replace
    #[arg(long, value_name = "WHAT", help_heading = SAYS, hide_possible_values = true)]
    pub clash: Option<ClashWord>,
}

impl SaysArgs {
    fn edit(&self, when: &[String]) -> RuleEdit {
        let list = |values: &[String]| {
            let kept = || values.iter().filter(|value| !value.is_empty()).cloned().collect();
            (!values.is_empty()).then(kept)
        };
        RuleEdit {
            when: (!when.is_empty()).then(|| from_typed(when)),
            put: self.put.clone(),
            rename: self.rename.clone(),
            tag: list(&self.tags),
            piles: list(&self.piles),
            deep: if self.deep || self.loose { Some(self.deep) } else { None },
            clash: self.clash.map(|clash| match clash {
                ClashWord::Number => "number",
                ClashWord::Leave => "leave",
                ClashWord::Hold => "hold",
                ClashWord::Replace => "replace",
            }),
        }
    }
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: RuleArgs, session: &Session) -> Done {
    let Some(command) = args.command else {
        let workspace = session.workspace()?;
        return print(&workspace, args.format, session);
    };
    if let RuleCommand::Try { condition, says, before, all } = command {
        let workspace = session.workspace()?;
        let rule = says.edit(&condition);
        let tried = try_out(&workspace, &rule, before.as_deref())?;
        return print_tried(&tried, all, &workspace, session);
    }
    let workspace = session.workspace()?;
    let (plan, show) = match &command {
        RuleCommand::Add { name, when, says, before, show } => {
            (add(&workspace, name, &says.edit(when), before.as_deref())?, show)
        }
        RuleCommand::Change { name, when, says, show } => {
            let edit = says.edit(when);
            if edit == RuleEdit::default() {
                return Err(Failure::words("nothing is said that should change")
                    .hint("give --when, --put, --rename, --tag, --pile, --deep, --loose or --clash"));
            }
            (change(&workspace, name, &edit)?, show)
        }
        RuleCommand::Move { name, before, show, .. } => (reorder(&workspace, name, before.as_deref())?, show),
        RuleCommand::Drop { name, show } => (forget(&workspace, name)?, show),
        RuleCommand::Try { .. } => unreachable!("it was tried above"),
    };
    if plan.settled.worklist.steps.is_empty() {
        writeln!(output::err(), "It is so already. Nothing has been changed.")?;
        return Ok(());
    }
    Preview::new(session, &workspace, show).show_ask_carry(plan, |_, _| Ok(()))
}

#[derive(Serialize)]
struct RuleRecord {
    number: usize,
    rule: String,
    when: String,
    does: String,
    items: u64,
    bytes: u64,
    shadows: u64,
}

fn print(workspace: &Workspace, format: PlainFormat, session: &Session) -> Done {
    let rules = list(workspace)?;
    if format != PlainFormat::Table {
        let record = |line: RuleLine<'_>| RuleRecord {
            number: line.number,
            rule: line.rule.name.clone(),
            when: line.rule.when.to_string(),
            does: does(line.rule),
            items: line.items,
            bytes: line.bytes,
            shadows: line.shadows,
        };
        return records::print(rules.into_iter().map(record), format);
    }
    let (look, mut out) = (&session.look, output::out());
    if rules.is_empty() {
        writeln!(
            out,
            "There are no rules yet. {STRONG}nine rule try{STRONG:#} shows what one would do, {STRONG}nine rule add{STRONG:#} writes it."
        )?;
        return Ok(out.flush()?);
    }
    use TableColumn::{Left, Right};
    let mut table = Table::new(&[Right, Left, Right, Right, Left]);
    rules.iter().for_each(|line| table.line(cells(line, look)));
    let widths = table.widths(look);
    for line in &rules {
        let mut one = Table::new(&[Right, Left, Right, Right, Left]);
        one.line(cells(line, look));
        one.print_with(&mut out, look, &widths)?;
        let says = format!("{} {} {}", line.rule.when, look.arrow(), does(line.rule));
        for part in look.lines(&plain(&says), 4) {
            writeln!(out, "    {FAINT}{part}{FAINT:#}")?;
        }
    }
    let all: u64 = rules.iter().map(|line| line.items).sum();
    let many = counted(rules.len() as u64, "rule", "rules");
    writeln!(out, "\n{STRONG}{many}{STRONG:#}, which would act on {} now", counted(all, "item", "items"))?;
    Ok(out.flush()?)
}

fn cells(line: &RuleLine, look: &Look) -> Vec<Cell<'static>> {
    let shadows = match line.shadows {
        0 => String::new(),
        many => format!("takes {} from later rules", count(many)),
    };
    vec![
        styled(line.number.to_string(), FAINT),
        styled(look.text(&plain(&line.rule.name)), STRONG),
        styled(counted(line.items, "item", "items"), if line.items == 0 { FAINT } else { PLAIN }),
        styled(readable(line.bytes), FAINT),
        styled(shadows, DOUBT),
    ]
}

/// What a rule does, in a few words.
fn does(rule: &Rule) -> String {
    let mut parts = Vec::new();
    if let Some(put) = &rule.put {
        parts.push(format!("put on {put}"));
    }
    if let Some(rename) = &rule.rename {
        parts.push(format!("call it {rename}"));
    }
    if !rule.tag.is_empty() {
        parts.push(format!("tag {}", rule.tag.join(", ")));
    }
    if rule.discards_copies {
        parts.push("discard copies".to_owned());
    }
    if parts.is_empty() { "tag what it asks for".to_owned() } else { parts.join(", ") }
}

fn print_tried(tried: &Tried, all: bool, workspace: &Workspace, session: &Session) -> Done {
    let show = ShowArgs { yes: false, all, format: Format::Table, worklist: None, sure: false };
    let preview = Preview::new(session, workspace, &show);
    preview.print(&tried.plan, |_, out| {
        for (rule, items) in &tried.first {
            let items = counted(*items, "item goes", "items go");
            writeln!(out, "{DOUBT}{items} by the rule `{}`, which is tried before it{DOUBT:#}", plain(rule))?;
        }
        Ok(())
    })?;
    let items = counted(tried.items, "item", "items");
    writeln!(output::err(), "It would act on {items}. It is written nowhere; nine rule add writes it.")?;
    Ok(())
}

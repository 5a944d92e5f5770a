//! `nine suggest --rules`: rules that say most of what is filed, to be read, picked and written.

use std::io::Write;

use nine_core::amount::{count, counted};
use nine_core::escape::plain;
use nine_engine::Workspace;
use nine_engine::suggest::{Contradiction, FoundRule, RulesFound, add_rules, rules};
use serde::Serialize;

use super::{SuggestArgs, effort, learned_from, plain_format, say_nothing_filed};
use crate::args::PlainFormat;
use crate::ask;
use crate::failure::{Done, Failure, FailureKind};
use crate::output::style::{CHANGE, DOUBT, FAINT, STRONG};
use crate::output::table::{Cell, Table, TableColumn, cell, styled};
use crate::output::{self, Look, records};
use crate::preview::Preview;
use crate::session::Session;

/// A rule that was found.
#[derive(Serialize)]
struct FoundRecord {
    number: usize,
    rule: String,
    when: String,
    put: String,
    right: usize,
    elsewhere: usize,
    not_reached: usize,
    loose_now: u64,
}

type NamedRule = (String, FoundRule, u64);

/// Finds rules, shows them, asks which to write, and writes them.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &SuggestArgs, session: &Session, workspace: &Workspace) -> Done {
    if !args.piles.is_empty() {
        return Err(Failure::words("rules are learned from what is filed, not from a pile")
            .hint("leave the name out: nine suggest --rules"));
    }
    let format = plain_format(args)?;
    let found = rules(workspace, effort(args))?;
    if found.learned.items == 0 && format == PlainFormat::Table {
        return say_nothing_filed();
    }
    let picked = |numbers: &[usize]| pick(&found.rules, numbers);
    if !args.only.is_empty() {
        picked(&args.only).map_err(Failure::words)?;
    }
    if format != PlainFormat::Table {
        let record = |(at, (rule, found, loose_now)): (usize, &NamedRule)| FoundRecord {
            number: at + 1,
            rule: rule.clone(),
            when: found.when.clone(),
            put: found.put.clone(),
            right: found.tally.right,
            elsewhere: found.tally.wrong,
            not_reached: found.tally.not,
            loose_now: *loose_now,
        };
        return records::print(found.rules.iter().enumerate().map(record), format);
    }
    print(&found, &session.look)?;
    if found.rules.is_empty() {
        return Ok(());
    }
    let chosen = match (&args.only, args.show.yes || args.show.worklist.is_some()) {
        (only, _) if !only.is_empty() => picked(only).map_err(Failure::words)?,
        (_, true) => found.rules.clone(),
        _ if !ask::has_person() => {
            writeln!(
                output::err(),
                "Nothing has been written. Add --yes for all of them, or --only 1,3 --yes."
            )?;
            return Ok(());
        }
        _ => {
            let read = |typed: &str| which(typed, found.rules.len()).and_then(|numbers| picked(&numbers));
            ask::answer("\nWrite which of them? Their numbers, all, or none", "none", read)?
        }
    };
    if chosen.is_empty() {
        return Err(Failure::new(FailureKind::Declined, "nothing has been changed"));
    }
    let plan = add_rules(workspace, &chosen)?;
    Preview::new(session, workspace, &args.show).show_ask_carry(plan, |_, _| Ok(()))
}

/// The numbers that were typed: `1,3`, `1 3`, `all`, `none`.
fn which(typed: &str, all: usize) -> Result<Vec<usize>, String> {
    match typed.to_lowercase().as_str() {
        "all" | "a" | "y" => Ok((1..=all).collect()),
        "none" | "n" => Ok(Vec::new()),
        numbers => {
            let parts = numbers.split([',', ' ']).filter(|part| !part.is_empty());
            let numbers: Result<Vec<usize>, _> = parts.map(str::parse).collect();
            numbers.map_err(|_| "say their numbers, such as 1,3, or all, or none".to_owned())
        }
    }
}

fn pick(rules: &[NamedRule], numbers: &[usize]) -> Result<Vec<NamedRule>, String> {
    let one = |number: &usize| {
        let found = number.checked_sub(1).and_then(|at| rules.get(at)).cloned();
        found.ok_or_else(|| match rules.len() {
            0 => "no rule was found".to_owned(),
            many => format!("there is no rule {number}; there are 1 to {many}"),
        })
    };
    numbers.iter().map(one).collect()
}

fn print(found: &RulesFound, look: &Look) -> Done {
    let mut out = output::out();
    for Contradiction { rule, puts, filed, items } in &found.contradictions {
        let items = counted(*items as u64, "item", "items");
        let puts = look.name(puts.path.as_bytes());
        let filed = look.name(filed.path.as_bytes());
        let text = format!("your rule `{}` puts on {puts} what is filed on {filed}: {items}", plain(rule));
        for line in look.lines(&text, 2) {
            writeln!(out, "{DOUBT}? {line}{DOUBT:#}")?;
        }
    }
    if !found.contradictions.is_empty() {
        writeln!(out)?;
    }
    if found.rules.is_empty() {
        writeln!(out, "No further rule says enough of what is filed with few enough mistakes.")?;
    }
    use TableColumn::{Left, Right};
    let columns = [Right, Left, Right, Right, Right, Right];
    let mut table = Table::new(&columns);
    let heads = ["", "", "right", "elsewhere", "not reached", "loose now"];
    table.line(heads.iter().map(|head| styled(*head, FAINT)).collect());
    found.rules.iter().enumerate().for_each(|(at, rule)| table.line(cells(at, rule, look)));
    let widths = table.widths(look);
    if !found.rules.is_empty() {
        let mut head = Table::new(&columns);
        head.line(heads.iter().map(|head| styled(*head, FAINT)).collect());
        head.print_with(&mut out, look, &widths)?;
    }
    for (at, rule) in found.rules.iter().enumerate() {
        let mut one = Table::new(&columns);
        one.line(cells(at, rule, look));
        one.print_with(&mut out, look, &widths)?;
        let says = format!("{} {} put on {}", rule.1.when, look.arrow(), rule.1.put);
        for part in look.lines(&plain(&says), 4) {
            writeln!(out, "    {FAINT}{part}{FAINT:#}")?;
        }
    }
    let right: usize = found.rules.iter().map(|(_, rule, _)| rule.tally.right).sum();
    let all = found.learned.items as u64;
    let mut says = format!(
        "{}: these would put {} of them where they are",
        learned_from(found.learned),
        count(right as u64)
    );
    if found.known > 0 {
        says.push_str(&format!(", your own {}", count(found.known as u64)));
    }
    if all > 0 {
        writeln!(out, "\n{STRONG}{says}{STRONG:#}")?;
    }
    Ok(out.flush()?)
}

fn cells(at: usize, (name, rule, loose): &NamedRule, look: &Look) -> Vec<Cell<'static>> {
    let number = |number: usize| count(number as u64);
    vec![
        styled((at + 1).to_string(), FAINT),
        styled(look.text(&plain(name)), STRONG),
        styled(number(rule.tally.right), CHANGE),
        styled(number(rule.tally.wrong), if rule.tally.wrong > 0 { DOUBT } else { FAINT }),
        styled(number(rule.tally.not), FAINT),
        cell(count(*loose)),
    ]
}

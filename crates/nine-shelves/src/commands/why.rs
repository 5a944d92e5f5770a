//! `nine why`: everything known about one item.

use std::collections::BTreeMap;
use std::io::Write;
use std::path::PathBuf;
use std::sync::Arc;

use clap::{Args, ValueEnum};
use nine_core::amount::{counted, readable};
use nine_core::config::Config;
use nine_core::escape::{escape, plain};
use nine_core::facet::{Facet, Finding, Found};
use nine_core::kinds::Evidence;
use nine_core::metadata::SaidField;
use nine_core::rules::RuleStatus;
use nine_engine::why::{Does, GoesWith, ItemReport, OfRule, explain_item};
use nine_stores::reading::Words;
use serde::Serialize;

use crate::args::SHOWN;
use crate::commands::suggest::explained::{self, ExplainedRecord};
use crate::failure::Done;
use crate::output::style::{CHANGE, DOUBT, FAINT, PLAIN, STRONG};
use crate::output::table::{Table, TableColumn, cell, styled};
use crate::output::{self, tags};
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine why ~/Downloads/statement.pdf\n  nine why 'downloads/statement.pdf'      the same, as places are written"
)]
pub struct WhyArgs {
    /// The item: a path, or PLACE/path as nine writes it
    #[arg(value_name = "PATH")]
    pub path: PathBuf,
    /// As table or json
    #[arg(long, default_value = "table", help_heading = SHOWN, hide_possible_values = true)]
    pub format: WhyFormat,
}

/// Formats of the answer about one item
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum WhyFormat {
    /// For people
    Table,
    /// One JSON object
    Json,
}

/// Runs it.
///
/// # Errors
/// If there is no such item, or as the exit status has it.
pub fn run(args: WhyArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    let answer = explain_item(&workspace, &args.path)?;
    let shown = Shown { session, config: workspace.config(), answer: &answer };
    match args.format {
        WhyFormat::Table => shown.print()?,
        WhyFormat::Json => {
            let mut out = output::raw();
            serde_json::to_writer(&mut out, &shown.record()).map_err(std::io::Error::from)?;
            writeln!(out)?;
            out.flush()?;
        }
    }
    Ok(())
}

struct Shown<'a> {
    session: &'a Session,
    config: &'a Config,
    answer: &'a ItemReport<'a>,
}

#[derive(Serialize)]
struct Record {
    item: String,
    path: String,
    r#type: &'static str,
    evidence: String,
    mislabelled: bool,
    size: u64,
    items: Option<u64>,
    tags: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    tags_inside: Vec<String>,
    answers: Vec<AnswerRecord>,
    modified: String,
    opened: Option<String>,
    arrived: Option<String>,
    copies: Option<u32>,
    stays: Option<String>,
    keep_together: Option<&'static str>,
    goes_with: Option<String>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    says: BTreeMap<&'static str, String>,
    words: Option<u64>,
    words_note: Option<String>,
    saved_searches: Vec<String>,
    rules: Vec<RuleRecord>,
    #[serde(skip_serializing_if = "Option::is_none")]
    suggested: Option<ExplainedRecord>,
}

/// What a facet answers.
#[derive(Serialize)]
struct AnswerRecord {
    facet: String,
    answer: Option<String>,
    confidence: Option<u8>,
    evidence: Option<String>,
    doubt: Option<String>,
}

#[derive(Serialize)]
struct RuleRecord {
    rule: String,
    applies: bool,
    why: Vec<String>,
    does: Vec<String>,
}

impl Shown<'_> {
    fn evidence(&self) -> String {
        match self.answer.item.verdict().evidence {
            Evidence::Folder => "it is a folder".into(),
            Evidence::Link => "it is a link, which is not followed".into(),
            Evidence::Extension => "by its extension; the content says nothing else".into(),
            Evidence::Both(what) => format!("by its extension, and the content is {what}"),
            Evidence::Content(what) => format!("by its content: {what}"),
            Evidence::Contradiction(what) => {
                let ext = escape(self.answer.item.extension());
                format!("by its content: {what}, whatever {ext} promises (mislabelled)")
            }
            Evidence::None => "neither the name nor the content tells".into(),
        }
    }

    fn date(&self, at: Option<nine_core::moment::Moment>) -> Option<String> {
        at.map(|at| self.session.now().minute(at))
    }

    fn record(&self) -> Record {
        let item = &self.answer.item;
        let rules = self.answer.rules.iter().map(|of| RuleRecord {
            rule: of.rule.name.clone(),
            applies: of.status == RuleStatus::Applies,
            why: self.reasons(&of.status),
            does: of.does.as_ref().map(|does| self.does(does)).unwrap_or_default(),
        });
        Record {
            item: item.spot.to_string(),
            path: self.answer.at.to_string(),
            r#type: item.verdict().item_type.word(),
            evidence: self.evidence(),
            mislabelled: item.is_mislabelled(),
            size: item.size,
            items: item.items,
            tags: item.tags.clone(),
            tags_inside: item.note_tags.clone(),
            answers: self.answers(),
            modified: self.session.now().minute(item.newest),
            opened: self.date(item.entry.opened),
            arrived: self.date(item.entry.born),
            copies: item.copies,
            stays: item.stays.as_ref().map(|stays| stays.original.item.to_string()),
            keep_together: item.together.map(|together| together.words()),
            says: self.said().into_iter().map(|(name, value, _)| (name, value)).collect(),
            goes_with: self.answer.goes_with.as_ref().map(|goes| goes.folder.to_string()),
            words: self.words().map(|words| nine_core::words::count(&words.body)),
            words_note: self.words().map(|words| words.note.clone()).filter(|note| !note.is_empty()),
            saved_searches: self.found_by(),
            rules: rules.collect(),
            suggested: self.answer.suggested.as_ref().map(ExplainedRecord::of),
        }
    }

    /// What every facet answers.
    fn answers(&self) -> Vec<AnswerRecord> {
        let record = |(facet, finding): &(&Arc<Facet>, Finding)| AnswerRecord {
            facet: facet.name.clone(),
            doubt: finding.doubt(&facet.name),
            answer: finding.value().map(str::to_owned),
            confidence: finding.found.as_ref().map(|found| found.confidence),
            evidence: finding.found.as_ref().map(Found::evidence),
        };
        self.answer.answers.iter().map(record).collect()
    }

    /// The saved searches that find the item.
    fn found_by(&self) -> Vec<String> {
        self.answer.found_by.iter().map(|search| search.name.clone()).collect()
    }

    /// Why a rule does not apply, a line each.
    fn reasons(&self, status: &RuleStatus) -> Vec<String> {
        match status {
            RuleStatus::Applies => Vec::new(),
            RuleStatus::Lacks(unknown) => {
                vec![format!("its condition holds, but {}", unknown.words())]
            }
            RuleStatus::Preceded(by) => {
                vec![format!("`{}` comes first and files it", self.answer.rules[*by].rule.name)]
            }
            RuleStatus::OtherPile => vec!["it is for other piles".into()],
            RuleStatus::TooDeep => {
                vec!["it reaches only what lies loose; `reach = \"deep\"` would reach inside folders".into()]
            }
            RuleStatus::Hidden => {
                vec!["the item is hidden, and the rule does not ask for hidden ones".into()]
            }
            RuleStatus::IsNeeded if self.answer.item.copies.is_some_and(|copies| copies > 1) => {
                vec!["others have its bytes, and this is the one that stays".into()]
            }
            RuleStatus::IsNeeded => vec!["nothing else has its bytes".into()],
            RuleStatus::Unfinished => {
                vec!["it is a partial download, and the rule does not ask for those".into()]
            }
            RuleStatus::GoesWithFolder => vec!["it would, but the item goes with its folder".into()],
            RuleStatus::Fails(explanation) => explanation
                .failures
                .iter()
                .map(|failure| format!("{}: {}", failure.test, failure.found))
                .collect(),
        }
    }

    /// What the item says of itself: the word, the value, and what to know of it.
    fn said(&self) -> Vec<(&'static str, String, String)> {
        let Some(said) = &self.answer.item.said else { return Vec::new() };
        let told = |field: SaidField| {
            let value = said.written(field, self.session.now())?;
            let zone = said.taken.filter(|_| field == SaidField::Taken);
            let note = match zone.map(|taken| taken.has_zone()) {
                Some(true) => "by the camera's clock",
                Some(false) => "by the camera's clock, which noted no time zone",
                None => "as it says itself",
            };
            Some((field.word(), escape(value.as_bytes()), note.to_owned()))
        };
        SaidField::all().filter_map(told).collect()
    }

    /// The folder with which the item goes, and what becomes of that.
    fn goes_with(&self) -> Option<(String, String)> {
        let GoesWith { folder, by } = self.answer.goes_with.as_ref()?;
        let what = match by {
            Some((rule, does)) => match self.does(&Does { tags: Vec::new(), ..does.clone() }).pop() {
                Some(line) => format!("`{}` {line}", plain(&rule.name)),
                None => format!("`{}` keeps it where it is", plain(&rule.name)),
            },
            None => "it is kept together, and no rule moves it".into(),
        };
        Some((folder.to_string(), what))
    }

    /// What a rule that applies would do, a line each.
    fn does(&self, does: &Does) -> Vec<String> {
        let name = does.name.as_ref().map(|name| format!("names it {}", escape(name)));
        let folder = does.folder.as_ref().map(|folder| format!("puts it into {folder}"));
        let discards = does.discards.then(|| "puts it into the trash".to_owned());
        let tags = (!does.tags.is_empty()).then(|| format!("tags it {}", plain(&does.tags.join(", "))));
        name.into_iter().chain(folder).chain(discards).chain(tags).collect()
    }

    fn words(&self) -> Option<&Words> {
        self.answer.words.as_ref()
    }

    /// How many have its bytes, and what stays.
    fn copies(&self) -> Option<(String, String)> {
        let item = &self.answer.item;
        let stays = item.stays.as_ref();
        let note = stays.map(|stays| format!("{} stays: {}", stays.original.item, stays.because));
        let many = match item.copies? {
            1 => "nothing else has its bytes".to_owned(),
            many => format!("{} with its bytes", counted(many.into(), "item", "items")),
        };
        Some((many, note.unwrap_or_default()))
    }

    fn print(&self) -> std::io::Result<()> {
        let mut out = output::out();
        let (look, item, now) = (&self.session.look, &self.answer.item, self.session.now());
        writeln!(out, "{STRONG}{}{STRONG:#}", look.name(item.name()))?;
        let at = self.session.environment.shown_at(&self.answer.at);
        writeln!(out, "{FAINT}{}{FAINT:#}\n", look.text(&at))?;
        let mut facts = Table::new(&[TableColumn::Left, TableColumn::Left, TableColumn::Left]).indented(2);
        let mut fact = |name: &str, value: String, note: String| {
            facts.line(vec![
                styled(name.to_owned(), FAINT),
                cell(look.text(&value)),
                styled(look.text(&note), FAINT),
            ]);
        };
        fact("type", item.verdict().item_type.word().into(), self.evidence());
        let inside =
            item.items.map_or(String::new(), |items| format!("{} inside", counted(items, "file", "files")));
        fact("size", readable(item.size), inside);
        let tags = tags::shown(self.config, look, &item.tags);
        fact("tags", if tags.is_empty() { "none".into() } else { tags }, String::new());
        if !item.note_tags.is_empty() {
            let inside = tags::shown(self.config, look, &item.note_tags);
            fact("", inside, "in its own text".into());
        }
        for AnswerRecord { facet, answer, evidence, doubt, .. } in self.answers() {
            let note = match (evidence, doubt) {
                (Some(evidence), Some(doubt)) if doubt.contains("is not sure") => {
                    format!("{evidence}; not sure")
                }
                (Some(_), Some(doubt)) => doubt,
                (evidence, _) => evidence.unwrap_or_default(),
            };
            fact(&facet, answer.unwrap_or_else(|| "not known".into()), note);
        }
        fact("modified", now.minute(item.newest), format!("{} ago", now.age(item.newest)));
        for (name, at) in [("opened", item.entry.opened), ("arrived", item.entry.born)] {
            let note = at.map_or(String::new(), |at| format!("{} ago", now.age(at)));
            fact(name, self.date(at).unwrap_or_else(|| "not known".into()), note);
        }
        if let Some((many, note)) = self.copies() {
            fact("copies", many, note);
        }
        if let Some(together) = item.together {
            fact("moved", "as one".into(), format!("it is {}", together.words()));
        }
        for (name, value, note) in self.said() {
            fact(name, value, note);
        }
        if let Some((folder, what)) = self.goes_with() {
            fact("goes with", folder, what);
        }
        if let Some(words) = self.words() {
            let many = counted(nine_core::words::count(&words.body), "word", "words");
            fact("inside", many, words.note.clone());
        }
        let found_by = plain(&self.found_by().join(", "));
        if !found_by.is_empty() {
            fact("found by", found_by, "saved searches".into());
        }
        facts.print(&mut out, look)?;
        writeln!(out)?;
        self.print_rules(&mut out)?;
        if let Some(found) = self.answer.suggested.as_ref().filter(|found| explained::says_something(found)) {
            writeln!(out)?;
            explained::print(found, look, &mut out)?;
        }
        out.flush()
    }

    fn print_rules(&self, out: &mut impl Write) -> std::io::Result<()> {
        let look = &self.session.look;
        if self.answer.rules.is_empty() {
            let why = match self.config.rules.is_empty() {
                true => "There are no rules.",
                false => "It lies in no pile, so no rule is tried on it.",
            };
            return writeln!(out, "{FAINT}{why}{FAINT:#}");
        }
        for OfRule { rule, status, does } in &self.answer.rules {
            let (word, style) = match status {
                RuleStatus::Applies => ("applies", CHANGE),
                RuleStatus::Lacks(_) => ("in doubt", DOUBT),
                _ => ("no", PLAIN),
            };
            let name = look.text(&plain(&rule.name));
            writeln!(out, "  {STRONG}{name}{STRONG:#}  {style}{word}{style:#}")?;
            for line in does.iter().flat_map(|does| self.does(does)) {
                writeln!(out, "      {CHANGE}{}{CHANGE:#}", look.text(&line))?;
            }
            for reason in self.reasons(status) {
                writeln!(out, "      {FAINT}{}{FAINT:#}", look.text(&reason))?;
            }
        }
        Ok(())
    }
}

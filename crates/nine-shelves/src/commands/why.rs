//! `nine why`: everything known about one item.

use std::io::Write;
use std::os::unix::ffi::OsStrExt;

use nine_core::amount::{counted, readable};
use nine_core::config::Config;
use nine_core::escape::escape;
use nine_core::facet::{Facet, Found};
use nine_core::find::Rows;
use nine_core::item::{Entry, Item, Kind as ItemKind};
use nine_core::kinds::{Evidence, name_says_little};
use nine_core::plan::tidy::{Wants, item};
use nine_core::rules::{Standing, explain};
use nine_core::saved::SavedSearch;
use nine_core::tree::{Batch, FolderNo, Gathering, NodeId, Tree};
use nine_stores::StoreDetails;
use nine_stores::reading::Words;
use serde::Serialize;

use crate::cli::{WhyArgs, WhyFormat};
use crate::error::{Done, Failure};
use crate::looking::{How, Looking, Remembered, all_grounds, remembered};
use crate::output::style::{CHANGE, DOUBT, FAINT, PLAIN, STRONG};
use crate::output::table::{Column, Table, cell, styled};
use crate::output::{self, tags};
use crate::recovery;
use crate::session::{Opened, Session};
use crate::whereabouts::{self, find};

/// Runs it.
///
/// # Errors
/// If there is no such item, or as the exit status has it.
pub fn run(args: &WhyArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    recovery::before_reading(session, &loaded.config);
    let opened = session.open(&loaded.config);
    let found = find(session, &opened, &args.path)?;
    let mut item = item_of(&found, session)?;
    let Remembered { arrived, words } = remember(&found, session, &loaded.config, &opened, &item);
    item.entry.born = item.entry.born.or(arrived);
    compare(&mut item, session, &loaded.config, &opened)?;
    item.text = words.as_ref().map(|words| words.body.clone());
    let standings = if loaded.config.pile(&found.spot.place).is_some() {
        explain(&loaded.config.rules, &as_rules_see_it(&item, &loaded.config), &session.now)
    } else {
        Vec::new()
    };
    let answer = Answer {
        session,
        config: &loaded.config,
        item: &item,
        words,
        standings,
        path: found.store.absolute(&item.spot.path),
    };
    match args.format {
        WhyFormat::Table => answer.print()?,
        WhyFormat::Json => {
            let mut out = output::raw();
            serde_json::to_writer(&mut out, &answer.record()).map_err(std::io::Error::from)?;
            writeln!(out)?;
            out.flush()?;
        }
    }
    Ok(())
}

/// What the catalogue knows of an item, if it lies in one of the places.
fn remember(
    found: &whereabouts::Found,
    session: &Session,
    config: &Config,
    opened: &Opened,
    item: &Item,
) -> Remembered {
    let grounds = all_grounds(session, config, opened);
    let Some(ground) = grounds.iter().find(|ground| ground.base.place == found.spot.place) else {
        return Remembered::default();
    };
    let has_words = item.entry.kind == ItemKind::File && item.verdict().item_type.has_words();
    remembered(session, ground, &*found.store, &found.spot.path, &item.entry, has_words)
}

/// Learns what else has an item's bytes, where a rule of its pile asks for that.
fn compare(item: &mut Item, session: &Session, config: &Config, opened: &Opened) -> Done {
    let rules = config.rules.iter().filter(|rule| rule.is_for_pile(&item.spot.place));
    let grounds = all_grounds(session, config, opened);
    let own = grounds.into_iter().find(|ground| ground.base.place == item.spot.place);
    let Some(own) = own.filter(|_| Wants::of_rules(rules).copies) else { return Ok(()) };
    let mut looking = Looking::look(session, vec![own], &How::Now)?;
    looking.set_beside(all_grounds(session, config, opened));
    let tree = &looking.views[0].tree;
    let Some(id) = tree.find(&item.spot.path) else { return Ok(()) };
    let mut rows = Rows::none(tree.rows());
    rows.add(id.row());
    item.stays = looking.learn_copies(0, &rows, Some(config)).remove(&id);
    item.copies = looking.views[0].tree.copies(id);
    looking.keep();
    Ok(())
}

/// The item with all its details; a folder is read to its depth.
fn item_of(found: &whereabouts::Found, session: &Session) -> Done<Item> {
    let failure = |e: nine_stores::StoreError| Failure::system(format!("{}: {e}", found.spot));
    let entry = found.entry()?;
    let wants = Wants { tags: true, types: true, contents: true, text: false, copies: false };
    let (spot, store) = (found.spot.clone(), &*found.store);
    if entry.kind == ItemKind::Folder {
        let inside = store.inside(&spot.path).map_err(failure)?;
        let scan = inside.scan(&Default::default(), &session.watch).map_err(failure)?;
        let details = StoreDetails { store, tree: &scan.tree, catalogue: None, stays: None };
        return Ok(item(&scan.tree, Tree::ROOT, spot, &details, wants));
    }
    let mut gathering = Gathering::new(Entry { kind: ItemKind::Folder, ..entry.clone() });
    let mut batch = Batch::default();
    batch.push(spot.path.name(), entry);
    gathering.add(FolderNo::ROOT, batch);
    let (tree, id) = (gathering.finish(), NodeId::new(1));
    let details = StoreDetails { store, tree: &tree, catalogue: None, stays: None };
    Ok(item(&tree, id, spot, &details, wants))
}

/// The item as the rules see it: inside folders a known extension tells the type, unless a rule asks
/// whether the content agrees.
fn as_rules_see_it(item: &Item, config: &Config) -> Item {
    let rules = config.rules.iter().filter(|rule| rule.is_for_pile(&item.spot.place));
    let is_seen = item.is_loose() || name_says_little(item.name()) || Wants::of_rules(rules).contents;
    Item { content: item.content.filter(|_| is_seen), ..item.clone() }
}

struct Answer<'a> {
    session: &'a Session,
    config: &'a Config,
    item: &'a Item,
    words: Option<Words>,
    standings: Vec<Standing>,
    path: std::path::PathBuf,
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
    words: Option<u64>,
    words_note: Option<String>,
    saved_searches: Vec<String>,
    rules: Vec<RuleRecord>,
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
}

impl Answer<'_> {
    fn evidence(&self) -> String {
        match self.item.verdict().evidence {
            Evidence::Folder => "it is a folder".into(),
            Evidence::Link => "it is a link, which is not followed".into(),
            Evidence::Extension => "by its extension; the content says nothing else".into(),
            Evidence::Both(what) => format!("by its extension, and the content is {what}"),
            Evidence::Content(what) => format!("by its content: {what}"),
            Evidence::Contradiction(what) => {
                let ext = escape(self.item.extension());
                format!("by its content: {what}, whatever {ext} promises (mislabelled)")
            }
            Evidence::None => "neither the name nor the content tells".into(),
        }
    }

    fn date(&self, at: Option<nine_core::moment::Moment>) -> Option<String> {
        at.map(|at| self.session.now.minute(at))
    }

    fn record(&self) -> Record {
        let item = self.item;
        let rules = self.config.rules.iter().zip(&self.standings).map(|(rule, standing)| RuleRecord {
            rule: rule.name.clone(),
            applies: *standing == Standing::Applies,
            why: self.reasons(standing),
        });
        Record {
            item: item.spot.to_string(),
            path: escape(self.path.as_os_str().as_bytes()),
            r#type: item.verdict().item_type.word(),
            evidence: self.evidence(),
            mislabelled: item.is_mislabelled(),
            size: item.size,
            items: item.items,
            tags: item.tags.clone(),
            tags_inside: item.note_tags.clone(),
            answers: self.answers(),
            modified: self.session.now.minute(item.newest),
            opened: self.date(item.entry.opened),
            arrived: self.date(item.entry.born),
            copies: item.copies,
            stays: item.stays.as_ref().map(|stays| stays.original.item.to_string()),
            keep_together: item.together.map(|together| together.words()),
            words: self.words.as_ref().map(|words| nine_core::words::count(&words.body)),
            words_note: self.words.as_ref().map(|words| words.note.clone()).filter(|note| !note.is_empty()),
            saved_searches: self.found_by(),
            rules: rules.collect(),
        }
    }

    /// What every facet answers.
    fn answers(&self) -> Vec<AnswerRecord> {
        let ask = |facet: &std::sync::Arc<Facet>| {
            let finding = facet.ask(self.item, &self.session.now);
            AnswerRecord {
                facet: facet.name.clone(),
                doubt: finding.doubt(&facet.name),
                answer: finding.value().map(str::to_owned),
                confidence: finding.found.as_ref().map(|found| found.confidence),
                evidence: finding.found.as_ref().map(Found::evidence),
            }
        };
        self.config.facets.iter().map(ask).collect()
    }

    /// The saved searches that find the item.
    fn found_by(&self) -> Vec<String> {
        let finds = |search: &&SavedSearch| search.condition.holds(self.item, &self.session.now);
        self.config.searches.iter().filter(finds).map(|search| search.name.clone()).collect()
    }

    /// Why a rule does not apply, a line each.
    fn reasons(&self, standing: &Standing) -> Vec<String> {
        match standing {
            Standing::Applies => Vec::new(),
            Standing::Lacks(unknown) => {
                vec![format!("its condition holds, but {}", unknown.words())]
            }
            Standing::Preceded(by) => {
                vec![format!("`{}` comes first and files it", self.config.rules[*by].name)]
            }
            Standing::OtherPile => vec!["it is for other piles".into()],
            Standing::TooDeep => {
                vec!["it reaches only what lies loose; `reach = \"deep\"` would reach inside folders".into()]
            }
            Standing::Hidden => {
                vec!["the item is hidden, and the rule does not ask for hidden ones".into()]
            }
            Standing::IsNeeded if self.item.copies.is_some_and(|copies| copies > 1) => {
                vec!["others have its bytes, and this is the one that stays".into()]
            }
            Standing::IsNeeded => vec!["nothing else has its bytes".into()],
            Standing::Unfinished => {
                vec!["it is a partial download, and the rule does not ask for those".into()]
            }
            Standing::Fails(explanation) => explanation
                .failures
                .iter()
                .map(|failure| format!("{}: {}", failure.test, failure.found))
                .collect(),
        }
    }

    fn print(&self) -> std::io::Result<()> {
        let mut out = output::out();
        let (look, item, now) = (&self.session.look, self.item, &self.session.now);
        writeln!(out, "{STRONG}{}{STRONG:#}", look.name(item.name()))?;
        writeln!(out, "{FAINT}{}{FAINT:#}\n", look.text(&self.session.shown(&self.path)))?;
        let mut facts = Table::new(&[Column::Left, Column::Left, Column::Left]).indented(2);
        let mut fact = |name: &str, value: String, note: String| {
            facts.line(vec![styled(name, FAINT), cell(look.text(&value)), styled(look.text(&note), FAINT)]);
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
        if let Some(copies) = item.copies {
            let stays = item.stays.as_ref();
            let note = stays.map(|stays| format!("{} stays: {}", stays.original.item, stays.because));
            let many = match copies {
                1 => "nothing else has its bytes".to_owned(),
                many => format!("{} with its bytes", counted(many.into(), "item", "items")),
            };
            fact("copies", many, note.unwrap_or_default());
        }
        if let Some(together) = item.together {
            fact("moved", "as one".into(), format!("it is {}", together.words()));
        }
        if let Some(words) = &self.words {
            let many = counted(nine_core::words::count(&words.body), "word", "words");
            fact("inside", many, words.note.clone());
        }
        let found_by = nine_core::escape::plain(&self.found_by().join(", "));
        if !found_by.is_empty() {
            fact("found by", found_by, "saved searches".into());
        }
        facts.print(&mut out, look)?;
        writeln!(out)?;
        self.print_rules(&mut out)?;
        out.flush()
    }

    fn print_rules(&self, out: &mut impl Write) -> std::io::Result<()> {
        let look = &self.session.look;
        if self.standings.is_empty() {
            let why = match self.config.rules.is_empty() {
                true => "There are no rules.",
                false => "It lies in no pile, so no rule is tried on it.",
            };
            return writeln!(out, "{FAINT}{why}{FAINT:#}");
        }
        for (rule, standing) in self.config.rules.iter().zip(&self.standings) {
            let (word, style) = match standing {
                Standing::Applies => ("applies", CHANGE),
                Standing::Lacks(_) => ("in doubt", DOUBT),
                _ => ("no", PLAIN),
            };
            let name = look.text(&nine_core::escape::plain(&rule.name));
            writeln!(out, "  {STRONG}{name}{STRONG:#}  {style}{word}{style:#}")?;
            for reason in self.reasons(standing) {
                writeln!(out, "      {FAINT}{}{FAINT:#}", look.text(&reason))?;
            }
        }
        Ok(())
    }
}

//! `nine why`: everything known about one item.

use std::io::Write;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use nine_core::amount::{counted, readable};
use nine_core::config::Config;
use nine_core::escape::escape;
use nine_core::item::{Entry, Item, Kind as ItemKind};
use nine_core::kinds::Evidence;
use nine_core::place::{ItemPath, Spot};
use nine_core::plan::tidy::{Wants, item};
use nine_core::rules::{Standing, explain};
use nine_core::tree::{Batch, FolderNo, Gathering, NodeId, Tree};
use nine_stores::{LocalStore, Store, StoreDetails};
use serde::Serialize;

use crate::cli::{WhyArgs, WhyFormat};
use crate::error::{Done, Failure};
use crate::output::style::{CHANGE, DOUBT, FAINT, PLAIN, STRONG};
use crate::output::table::{Column, Table, cell, styled};
use crate::output::{self};
use crate::recovery;
use crate::session::{Opened, Session};

/// Runs it.
///
/// # Errors
/// If there is no such item, or as the exit status has it.
pub fn run(args: &WhyArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    recovery::recover_last_run(session, &loaded.config)?;
    let opened = session.open(&loaded.config);
    let found = find(session, &opened, &args.path)?;
    let item = found.item(session)?;
    let standings = if found.in_pile(&loaded.config) {
        explain(&loaded.config.rules, &item, &session.now)
    } else {
        Vec::new()
    };
    let answer = Answer {
        session,
        config: &loaded.config,
        item: &item,
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

/// An item found by the path that was typed.
struct Found {
    spot: Spot,
    store: std::sync::Arc<LocalStore>,
}

/// The name of the place of what lies in no configured one.
const NO_PLACE: &str = "elsewhere";

/// Finds the item: a path on the disk first, then `PLACE/path`.
fn find(session: &Session, opened: &Opened, typed: &Path) -> Done<Found> {
    let shown = escape(typed.as_os_str().as_bytes());
    if std::fs::symlink_metadata(typed).is_ok() {
        return find_on_disk(session, opened, typed);
    }
    let spot = Spot::parse(&typed.to_string_lossy()).ok();
    let named = spot.and_then(|spot| Some((opened.store(&spot.place)?.clone(), spot)));
    match named {
        Some((store, spot)) if store.entry(&spot.path).is_ok_and(|entry| entry.is_some()) => {
            Ok(Found { spot, store })
        }
        _ => Err(Failure::words(format!("there is nothing at {shown}"))
            .hint("give a path, or a place and a path below it, such as downloads/letter.txt")),
    }
}

fn find_on_disk(session: &Session, opened: &Opened, typed: &Path) -> Done<Found> {
    // The item itself may be a link; only the folders above it are resolved.
    let absolute = std::path::absolute(typed)?;
    let parent = absolute.parent().map(std::fs::canonicalize).transpose()?;
    let real = match (parent, absolute.file_name()) {
        (Some(parent), Some(name)) => parent.join(name),
        _ => absolute,
    };
    let mut best: Option<(usize, Found)> = None;
    for place in &opened.open {
        let root = std::fs::canonicalize(place.store.path())?;
        let Ok(below) = real.strip_prefix(&root) else {
            continue;
        };
        let depth = root.as_os_str().len();
        if let Some(path) = ItemPath::new(below.as_os_str().as_bytes()).filter(|p| !p.is_root())
            && best.as_ref().is_none_or(|(other, _)| depth > *other)
        {
            best = Some((
                depth,
                Found { spot: Spot::new(place.name.clone(), path), store: place.store.clone() },
            ));
        }
    }
    if let Some((_, found)) = best {
        return Ok(found);
    }
    let failure = |e: nine_stores::StoreError| Failure::system(format!("{}: {e}", session.shown(&real)));
    let folder = real.parent().unwrap_or(&real);
    let store = LocalStore::open(folder, session.settings(&Config::default(), true)).map_err(failure)?;
    let name = real.file_name().map(|name| name.as_bytes().to_vec()).unwrap_or_default();
    let path = ItemPath::new(name)
        .filter(|p| !p.is_root())
        .ok_or_else(|| Failure::words(format!("{} is not an item", session.shown(&real))))?;
    Ok(Found { spot: Spot::new(NO_PLACE, path), store: std::sync::Arc::new(store) })
}

impl Found {
    fn in_pile(&self, config: &Config) -> bool {
        config.pile(&self.spot.place).is_some()
    }

    /// The item with all its details; a folder is read to its depth.
    fn item(&self, session: &Session) -> Done<Item> {
        let failure = |e: nine_stores::StoreError| Failure::system(format!("{}: {e}", self.spot));
        let entry = self.store.entry(&self.spot.path).map_err(failure)?;
        let entry = entry.ok_or_else(|| failure(nine_stores::StoreError::NotThere))?;
        let wants = Wants { tags: true, types: true };
        let details = StoreDetails(&*self.store);
        if entry.kind == ItemKind::Folder {
            let inner = self.store.absolute(&self.spot.path);
            let store =
                LocalStore::open(&inner, session.settings(&Config::default(), true)).map_err(failure)?;
            let scan = store.scan(&Default::default(), &session.watch).map_err(failure)?;
            return Ok(item(&scan.tree, Tree::ROOT, self.spot.clone(), &details, wants));
        }
        let root = Entry { kind: ItemKind::Folder, ..entry.clone() };
        let mut gathering = Gathering::new(root);
        let mut batch = Batch::default();
        batch.push(self.spot.path.name(), entry);
        gathering.add(FolderNo::ROOT, batch);
        let tree = gathering.finish();
        let id = NodeId::new(1);
        let mut found = item(&tree, id, self.spot.clone(), &details, wants);
        if found.content.is_none() && found.entry.kind == ItemKind::File {
            found.content = nine_core::plan::Details::content(&details, &self.spot.path);
        }
        Ok(found)
    }
}

struct Answer<'a> {
    session: &'a Session,
    config: &'a Config,
    item: &'a Item,
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
    modified: String,
    opened: Option<String>,
    arrived: Option<String>,
    keep_together: Option<&'static str>,
    rules: Vec<RuleRecord>,
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
            modified: self.session.now.minute(item.newest),
            opened: self.date(item.entry.opened),
            arrived: self.date(item.entry.born),
            keep_together: item.together.map(|together| together.words()),
            rules: rules.collect(),
        }
    }

    /// Why a rule does not apply, a line each.
    fn reasons(&self, standing: &Standing) -> Vec<String> {
        match standing {
            Standing::Applies => Vec::new(),
            Standing::Lacks(unknown) => {
                vec![format!("its condition holds, but `{}` is not known", unknown.0)]
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
        let tags = nine_core::escape::plain(&item.tags.join(", "));
        fact("tags", if tags.is_empty() { "none".into() } else { tags }, String::new());
        fact("modified", now.minute(item.newest), format!("{} ago", now.age(item.newest)));
        for (name, at) in [("opened", item.entry.opened), ("arrived", item.entry.born)] {
            let note = at.map_or(String::new(), |at| format!("{} ago", now.age(at)));
            fact(name, self.date(at).unwrap_or_else(|| "not known".into()), note);
        }
        if let Some(together) = item.together {
            fact("moved", "as one".into(), format!("it is {}", together.words()));
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

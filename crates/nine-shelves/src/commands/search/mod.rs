//! `nine search`: one flat list of all that matches.

mod order;
mod print;
mod saved;

use nine_core::condition::{Condition, Flag};
use nine_core::config::Config;
use nine_core::diagnostic::{any_of, nearest};
use nine_core::escape::plain;
use nine_core::find::Rows;
use nine_core::place::ItemPath;
use nine_core::tree::{Column, NodeId, Unlearned, mark};

use crate::cli::{Format, GROUPS, GroupBy, ItemColumn, SearchArgs, SortBy};
use crate::error::{Done, Failure, Kind};
use crate::looking::{
    Ground, How, Looking, Question, View, all_grounds, all_rows, columns_of, grounds_of, nowhere,
};
use crate::output::items::{ALL, Hit, Listing, USUAL};
use crate::session::{Loaded, Opened, Session};
use crate::{archive, conditions, displays, recovery};

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &SearchArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    if args.list {
        return saved::list(args, session, &loaded);
    }
    if let Some(name) = &args.drop {
        return saved::forget(session, &loaded, name);
    }
    recovery::before_reading(session, &loaded.config);
    let condition = conditions::read(&loaded.config, &args.condition, &args.saved)?;
    let loaded = match (&args.save, &condition) {
        (Some(name), Some(condition)) => saved::save(args, session, loaded, name, condition)?,
        (Some(_), None) => {
            return Err(Failure::words("there is no condition to save")
                .hint("write it behind `search`: nine search type packed --save packed"));
        }
        (None, _) => loaded,
    };
    check_group(args, &loaded.config)?;
    let opened = session.open(&loaded.config);
    let grounds = grounds(args, session, &loaded, &opened)?;
    let search = Search::new(args, condition, session, &loaded.config, &opened);
    let (looking, found) = search.find(grounds)?;
    search.print(&looking, &found)?;
    if !args.known {
        displays::refresh_after_search(session, &loaded.config, args.save.iter().chain(&args.saved));
    }
    if looking.troubles > 0 { Err(Failure::new(Kind::Partly, "")) } else { Ok(()) }
}

/// A list can be grouped by a facet that there is.
fn check_group(args: &SearchArgs, config: &Config) -> Done {
    let Some(GroupBy::Facet(name)) = args.by.as_ref().filter(|by| match by {
        GroupBy::Facet(name) => config.facets.get(name).is_none(),
        _ => false,
    }) else {
        return Ok(());
    };
    let known = || GROUPS.iter().map(|(word, _)| *word).chain(config.facets.names());
    let failure = Failure::words(format!("nothing can be grouped by `{}`", plain(name)));
    Err(match nearest(name, known()) {
        Some(near) => failure.hint(format!("did you mean `{near}`?")),
        None => failure.hint(format!("it can be grouped by {}", any_of(known()))),
    })
}

/// The places that are looked at.
fn grounds(args: &SearchArgs, session: &Session, loaded: &Loaded, opened: &Opened) -> Done<Vec<Ground>> {
    let config = &loaded.config;
    if !args.within.is_empty() {
        return grounds_of(session, config, opened, &args.within, args.known);
    }
    let mut grounds = all_grounds(session, config, opened);
    grounds.extend(grounds_of(session, config, opened, &args.also, args.known)?);
    if grounds.is_empty() {
        return Err(nowhere(session, "there is no place to look in", "give a folder with --in"));
    }
    Ok(grounds)
}

/// A search as it was asked for.
struct Search<'a> {
    args: &'a SearchArgs,
    condition: Option<Condition>,
    columns: Vec<ItemColumn>,
    session: &'a Session,
    config: &'a Config,
    opened: &'a Opened,
}

/// What a search found.
#[derive(Default)]
pub(super) struct FoundItems {
    /// The items of which something is told, in order.
    hits: Vec<Hit>,
    /// How many were found.
    files: u64,
    folders: u64,
    /// Bytes of the files.
    bytes: u64,
    /// Items that would be found too if they were not hidden.
    hidden: u64,
}

impl<'a> Search<'a> {
    fn new(
        args: &'a SearchArgs,
        condition: Option<Condition>,
        session: &'a Session,
        config: &'a Config,
        opened: &'a Opened,
    ) -> Self {
        let mut columns = match (args.columns.is_empty(), args.format) {
            (false, _) => args.columns.clone(),
            (true, Format::Csv | Format::Json) => ALL.to_vec(),
            // The heading of a group says it already.
            (true, _) if args.by == Some(GroupBy::Folder) => {
                USUAL.into_iter().filter(|column| *column != ItemColumn::Location).collect()
            }
            (true, _) => USUAL.to_vec(),
        };
        if args.with_hash && !columns.contains(&ItemColumn::Blake3) {
            columns.push(ItemColumn::Blake3);
        }
        Self { args, condition, columns, session, config, opened }
    }

    /// Looks, asks, and puts what was found in order.
    fn find(&self, grounds: Vec<Ground>) -> Done<(Looking<'a>, FoundItems)> {
        let how = if self.args.known { How::AsKnown(self.known_columns()) } else { How::Now };
        let with_packs = self.args.within.is_empty() && !self.args.no_archive;
        let mut looking = Looking::look(self.session, grounds, &how)?;
        if with_packs {
            looking.add_packs(self.opened, &archive::dated(self.opened));
        }
        looking.set_beside(all_grounds(self.session, self.config, self.opened));
        self.check_text(&looking)?;
        let mut found = FoundItems::default();
        for view in 0..looking.views.len() {
            let (rows, hidden) = self.rows(&mut looking, view)?;
            let told = self.told(&rows, found.hits.len());
            self.learn_for_columns(&mut looking, view, &told);
            if self.args.known {
                looking.recall_rows(view, &[Column::Size], &rows)?;
                looking.recall_rows(view, &self.told_columns(), &told)?;
            }
            let tree = &looking.views[view].tree;
            for id in rows.ids() {
                // What lies in a folder that is listed is in the folder's bytes already.
                match tree.is_folder(id) {
                    true => found.folders += 1,
                    false => found.bytes += tree.size(id),
                }
            }
            found.files += rows.len() as u64;
            found.hits.extend(told.ids().map(|id| Hit { view: view as u32, id }));
            found.hidden += hidden;
        }
        found.files -= found.folders;
        looking.keep();
        order::sort(&mut found.hits, &looking, self.args.sort, self.args.reverse);
        Ok((looking, found))
    }

    fn question<'c>(&self, condition: &'c Condition) -> Question<'c> {
        Question { condition, inside: self.args.inside, reads_text: self.args.text }
    }

    fn with_hidden(&self) -> bool {
        self.args.hidden || self.condition.as_ref().is_some_and(|c| c.mentions(Flag::Hidden))
    }

    /// The rows of a view that the search finds, and how many more there would be with the hidden
    /// ones, as far as that is known without looking into anything.
    fn rows(&self, looking: &mut Looking, view: usize) -> Done<(Rows, u64)> {
        let all = self.candidates(looking, view);
        let tree = &looking.views[view].tree;
        let hidden = all.filter(|row| tree.has_mark(NodeId::new(row), mark::HIDDEN));
        let (shown, hidden) = match self.with_hidden() {
            true => (all, None),
            false => (all.without(&hidden), Some(hidden).filter(|hidden| !hidden.is_empty())),
        };
        let Some(condition) = &self.condition else {
            return Ok((shown, hidden.map_or(0, |hidden| hidden.len() as u64)));
        };
        if looking.views[view].is_known {
            // Nothing is looked into, so all may be asked at once.
            let all = hidden.clone().map_or(shown.clone(), |hidden| shown.clone().or(&hidden));
            let found = looking.find(view, self.question(condition), &all)?;
            let left_out = hidden.map_or(0, |hidden| found.clone().and(&hidden).len() as u64);
            return Ok((found.and(&shown), left_out));
        }
        let rows = looking.find(view, self.question(condition), &shown)?;
        let left_out = hidden.map_or(0, |hidden| {
            looking.with_query(view, |query| query.find(condition, &hidden).yes.len() as u64)
        });
        Ok((rows, left_out))
    }

    /// Those of the rows of which something is told, when so many were found before.
    fn told(&self, rows: &Rows, before: usize) -> Rows {
        let in_order = self.args.sort.is_none() && !self.args.reverse && self.args.by.is_none();
        let Some(limit) = self.args.limit.filter(|_| in_order) else {
            return rows.clone();
        };
        let mut told = Rows::none(rows.rows());
        rows.ids().take(limit.saturating_sub(before)).for_each(|id| told.add(id.row()));
        told
    }

    fn candidates(&self, looking: &Looking, view: usize) -> Rows {
        let tree = &looking.views[view].tree;
        let asks = self.condition.as_ref().is_some_and(Condition::asks_for_folders);
        let folders = self.args.folders || asks;
        let only_empty = self.args.empty_folders;
        let all = match (only_empty, folders) {
            (true, _) => all_rows(tree).filter(|row| tree.items(NodeId::new(row)) == Some(0)),
            (false, true) => all_rows(tree),
            (false, false) => all_rows(tree).filter(|row| !tree.is_folder(NodeId::new(row))),
        };
        let archived = if self.args.no_archive { self.archived(&looking.views[view]) } else { None };
        match archived {
            Some(inside) => all.filter(|row| !inside.contains(&row)),
            None => all,
        }
    }

    /// The rows of the archive, where a view has it.
    fn archived(&self, view: &View) -> Option<std::ops::Range<usize>> {
        let base = &view.ground.base;
        let shelf = self.opened.archive.iter().find(|shelf| shelf.place == base.place)?;
        let below = ItemPath::of_names(shelf.path.parts().skip(base.path.depth()));
        let is_below = *shelf == *base || shelf.is_inside(base);
        let id = view.tree.find(&below).filter(|_| is_below)?;
        Some(id.row()..id.row() + 1 + view.tree.inside(id).count())
    }

    fn learn_for_columns(&self, looking: &mut Looking, view: usize, rows: &Rows) {
        let has = |column| self.columns.contains(&column);
        if has(ItemColumn::Tags) || matches!(self.args.by, Some(GroupBy::Tag | GroupBy::Facet(_))) {
            looking.learn(view, rows, Unlearned { tags: true, content: false });
        }
        let by_type = self.args.by == Some(GroupBy::Type) || self.args.sort == Some(SortBy::Type);
        if has(ItemColumn::Blake3) {
            looking.learn_digests(view, rows);
        }
        if has(ItemColumn::Type) || by_type {
            looking.learn_types(view, rows);
        }
    }

    /// The columns of the catalogue that the condition is answered from.
    fn known_columns(&self) -> Vec<Column> {
        let mut columns = columns_of(self.condition.as_ref(), self.args.inside);
        if self.args.empty_folders {
            columns.extend([Column::Folder, Column::FolderItems, Column::FolderRead]);
        }
        columns
    }

    /// The columns of the catalogue that order, groups and output are told from.
    fn told_columns(&self) -> Vec<Column> {
        use Column::{
            AgeFrom, Arrived, Born, Folder, FolderNewest, Modified, NameEnd, Names, Opened, Parent, Type,
        };
        let mut columns = vec![Parent, NameEnd, Names, FolderNewest, Folder, Modified];
        self.columns.iter().for_each(|column| columns.extend_from_slice(column.needs()));
        columns.extend_from_slice(match &self.args.by {
            Some(GroupBy::Type) => &[Type],
            Some(GroupBy::Facet(_)) => &[Column::Tags, Column::Words, Column::Text, Type],
            Some(GroupBy::Tag) => ItemColumn::Tags.needs(),
            Some(GroupBy::Age) => &[AgeFrom],
            _ => &[],
        });
        columns.extend_from_slice(match self.args.sort {
            Some(SortBy::Type) => &[Type],
            Some(SortBy::Opened) => &[Opened],
            Some(SortBy::Arrived) => &[Born, Arrived],
            _ => &[],
        });
        if self.args.show {
            columns.push(Type);
        }
        columns
    }

    /// Words are only found where somebody asked for them to be read.
    fn check_text(&self, looking: &Looking) -> Done {
        let asks = self.condition.as_ref().is_some_and(|c| !c.text_tests().is_empty());
        let read = |view: &View| view.ground.reads_text || view.tree.ids().any(|id| view.tree.text(id) != 0);
        if asks && !self.args.text && !looking.views.iter().any(read) {
            return Err(Failure::words("the words inside these files have not been read").hint(
                "add --text to read them now, or `text = true` to a pile or bookcase to have it done always",
            ));
        }
        Ok(())
    }

    /// Files whose words would be asked for and were never read.
    fn unread(&self, looking: &Looking) -> u64 {
        if self.args.known || self.condition.as_ref().is_none_or(|c| c.text_tests().is_empty()) {
            return 0;
        }
        let of = |view: &View| {
            let tree = &view.tree;
            let unread = |id: &NodeId| tree.may_have_words(*id) && tree.text(*id) == 0;
            tree.ids().filter(unread).filter(|id| !tree.has_mark(*id, mark::HIDDEN)).count() as u64
        };
        looking.views.iter().map(of).sum()
    }

    fn listing<'l>(&'l self, looking: &'l Looking<'a>) -> Listing<'l> {
        Listing {
            looking,
            config: self.config,
            now: &self.session.now,
            look: &self.session.look,
            archive: &self.opened.archive,
            columns: &self.columns,
        }
    }
}

//! `nine retrieve`: what was archived or swept, back to where it came from or onto a shelf.

use std::collections::{BTreeSet, HashSet};
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use nine_carry::daybook::Ended;
use nine_core::amount::counted;
use nine_core::archive::Form;
use nine_core::condition::Condition;
use nine_core::config::Config;
use nine_core::escape::escape;
use nine_core::item::Kind;
use nine_core::place::{ItemPath, Spot};
use nine_core::plan::Proposal;
use nine_core::plan::retrieve::{Away, plan};
use nine_core::plan::sweep::{LATER, is_swept};
use nine_core::worklist::Act;

use super::history::read_run;
use super::put::{self, listed};
use crate::archive::{self, Dated};
use crate::cli::RetrieveArgs;
use crate::error::{Done, Failure};
use crate::looking::{How, Looking, Question, all_grounds};
use crate::output::style::FAINT;
use crate::pipeline::{Planned, show_ask_carry};
use crate::selection::selectable;
use crate::session::{Opened, Session};
use crate::{layout, recovery, whereabouts};

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &RetrieveArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    let config = &loaded.config;
    recovery::before_changing(session, config)?;
    let opened = session.open(config);
    let layouts = layout::layouts(config, &opened);
    let on = args.on.as_deref().map(|on| {
        let target = put::Target {
            on,
            makes_new: args.new_folder,
            show: &args.show,
            config,
            opened: &opened,
            layouts: &layouts,
        };
        target.read()
    });
    let on = on.transpose()?;
    let mut store =
        Stored { session, opened: &opened, dated: archive::dated(&opened), emptied: BTreeSet::new() };
    let (away, troubles) = store.selected(args, config)?;
    let count = counted(away.len() as u64, "item", "items");
    let proposals = plan(away, on.as_ref(), args.clash.into(), &|folder| listed(&opened.places, folder));
    let planned = Planned {
        troubles,
        clear_away: store.emptied.into_iter().collect(),
        ..Planned::new("nine retrieve".into(), proposals, &opened.places)
    };
    show_ask_carry(session, &opened, planned, &args.show, |_, out| {
        writeln!(out, "{FAINT}{count} selected; a pack stays as it is{FAINT:#}")
    })
}

/// What is archived and swept.
struct Stored<'a> {
    session: &'a Session,
    opened: &'a Opened,
    dated: Vec<Dated>,
    /// Folders that may be empty afterwards, and were only made to put things away.
    emptied: BTreeSet<Spot>,
}

impl Stored<'_> {
    /// The selected items and where they came from, and how many could not be found, each of which was
    /// named.
    fn selected(&mut self, args: &RetrieveArgs, config: &Config) -> Done<(Vec<Away>, usize)> {
        if let Some(run) = args.run {
            return self.of_run(run);
        }
        if let Some(condition) = args.selection.condition(config)? {
            return self.by_condition(config, &condition);
        }
        let paths = args.selection.paths()?;
        if paths.is_empty() {
            return Err(Failure::words("nothing is selected").hint(
                "give paths, --where CONDITION, --saved NAME, --run RUN, or - for paths on standard input",
            ));
        }
        let mut away = Vec::new();
        for path in &paths {
            away.extend(self.at(&self.by_its_bookcase(self.spot(path)?))?);
        }
        Ok((once_each(away), 0))
    }

    /// Where a path leads, which may be into a pack.
    fn spot(&self, typed: &Path) -> Done<Spot> {
        let mut inside = Vec::new();
        let mut here = typed.to_owned();
        loop {
            if let Ok(found) = whereabouts::find(self.session, self.opened, &here) {
                let is_pack = Form::of_name(found.spot.path.name()).is_some();
                if !inside.is_empty() && !is_pack {
                    break;
                }
                let names = inside.iter().rev().map(|name: &std::ffi::OsString| name.as_bytes());
                let below = ItemPath::of_names(names);
                return Ok(Spot::new(found.spot.place, found.spot.path.join_path(&below)));
            }
            let (Some(name), Some(parent)) = (here.file_name(), here.parent()) else { break };
            inside.push(name.to_owned());
            here = parent.to_owned();
        }
        let shown = escape(typed.as_os_str().as_bytes());
        Err(Failure::words(format!("there is nothing at {shown}"))
            .hint("nine search finds what is archived, and where"))
    }

    /// What came as an item and lies at a spot or below it.
    fn at(&mut self, spot: &Spot) -> Done<Vec<Away>> {
        let holder = |dated: &&Dated| *spot == dated.at || spot.is_inside(&dated.at);
        let found = match self.dated.iter().find(holder) {
            Some(dated) => self.in_dated(dated, spot)?,
            None => self.swept(spot)?,
        };
        if found.is_empty() {
            let message = format!("{spot} was neither archived nor swept");
            return Err(Failure::words(message).hint("nine search finds what is archived, and where"));
        }
        for away in found.iter().filter(|away| !away.item.unpacks) {
            self.note_emptied(&away.item.item);
        }
        Ok(found)
    }

    fn in_dated(&self, dated: &Dated, spot: &Spot) -> Done<Vec<Away>> {
        let contents = dated.contents().map_err(|why| {
            Failure::system(format!("{} cannot be read: {why}", dated.list))
                .hint("mend it, or bring items back with nine put")
        })?;
        let inside = ItemPath::of_names(spot.path.parts().skip(dated.at.path.depth()));
        let mut found = Vec::new();
        let paths: Vec<&ItemPath> = match contents.0.contains_key(&inside) {
            true => vec![&inside],
            false => contents.items().map(|(path, _)| path).filter(|path| path.is_inside(&inside)).collect(),
        };
        for path in paths {
            let line = &contents.0[path];
            let at = Spot::new(dated.at.place.clone(), dated.at.path.join_path(path));
            let item = if dated.form.is_some() {
                let below = contents.below(path).map(|(_, line)| line);
                let (size, newest) =
                    below.fold((0, line.modified), |(s, n), l| (s + l.size, n.max(l.modified)));
                let new = Proposal::new(at, line.kind, dated.entry.stamp(), line.tags.clone());
                Some(Proposal { size, modified: newest, unpacks: true, ..new })
            } else {
                self.on_disk(&at)?
            };
            found.extend(item.map(|item| Away { item, from: line.from.clone() }));
        }
        Ok(found)
    }

    /// What lies at a spot; `None` if nothing does.
    fn on_disk(&self, spot: &Spot) -> Done<Option<Proposal>> {
        let Some(store) = self.opened.store(&spot.place) else { return Ok(None) };
        let failure = |error: nine_stores::StoreError| Failure::system(format!("{spot}: {error}"));
        let Some(entry) = store.entry(&spot.path).map_err(failure)? else { return Ok(None) };
        let found = whereabouts::Found { spot: spot.clone(), store: store.clone() };
        let totals = found.totals(self.session, &entry)?;
        let tags = store.tags(&spot.path).unwrap_or_default();
        let new = Proposal::new(spot.clone(), entry.kind, entry.stamp(), tags);
        Ok(Some(Proposal { size: totals.size, modified: totals.newest, ..new }))
    }

    /// What was swept and lies at a spot or is it: it came from its pile.
    fn swept(&self, spot: &Spot) -> Done<Vec<Away>> {
        let parts: Vec<&[u8]> = spot.path.parts().collect();
        let is_in_swept = parts.first().is_some_and(|name| is_swept(name));
        let from = |name: &[u8]| Spot::new(spot.place.clone(), ItemPath::root().join(name));
        match parts.as_slice() {
            [_] if is_in_swept => {
                let mut found = Vec::new();
                for (name, _) in listed(&self.opened.places, spot) {
                    let at = Spot::new(spot.place.clone(), spot.path.join(&name));
                    found.extend(self.on_disk(&at)?.map(|item| Away { item, from: from(&name) }));
                }
                Ok(found)
            }
            [_, .., name] if is_in_swept => {
                Ok(self.on_disk(spot)?.into_iter().map(|item| Away { item, from: from(name) }).collect())
            }
            _ => Ok(Vec::new()),
        }
    }

    /// The folders above an item that were made to put it away.
    fn note_emptied(&mut self, item: &Spot) {
        let dated =
            self.dated.iter().find(|dated| item.is_inside(&dated.at)).map(|dated| dated.at.path.depth());
        let most = dated.unwrap_or(1);
        let mut folder = item.folder();
        while folder.path.depth() >= most && folder.path.name() != LATER.as_bytes() {
            self.emptied.insert(folder.clone());
            folder = folder.folder();
        }
    }

    /// All that a run moved away and that is still where it put it, or in a pack.
    fn of_run(&mut self, number: u64) -> Done<(Vec<Away>, usize)> {
        let run = read_run(self.session, number)?;
        let mut away = Vec::new();
        for (at, step) in run.steps.iter().enumerate() {
            let is_done = matches!(run.ended.get(&at), Some(Ended::Done { .. }));
            let Act::Move { to } = &step.act else { continue };
            if let Some(item) = self.on_disk(to)?.filter(|_| is_done) {
                self.note_emptied(&item.item);
                away.push(Away { item, from: step.item.clone() });
            }
        }
        let packed = self.dated.iter().filter(|dated| dated.form.is_some());
        for dated in packed {
            let contents = dated.listed();
            for (path, _) in contents.items().filter(|(_, line)| line.run == number) {
                let spot = Spot::new(dated.at.place.clone(), dated.at.path.join_path(path));
                away.extend(self.in_dated(dated, &spot)?);
            }
        }
        if away.is_empty() {
            let message = format!("nothing that run {number} moved is still where it put it");
            return Err(Failure::words(message).hint(format!("nine history {number} shows what it did")));
        }
        Ok((away, 0))
    }

    /// Whatever a condition finds of what is archived or swept.
    fn by_condition(&mut self, config: &Config, condition: &Condition) -> Done<(Vec<Away>, usize)> {
        let mut looking =
            Looking::look(self.session, all_grounds(self.session, config, self.opened), &How::Now)?;
        looking.add_packs(self.opened, &self.dated);
        let mut spots = Vec::new();
        for view in 0..looking.views.len() {
            let rows = selectable(&looking, view, condition);
            let found =
                looking.find(view, Question { condition, inside: false, reads_text: false }, &rows)?;
            let found = found.ids().map(|id| self.by_its_bookcase(looking.views[view].spot(id)));
            spots.extend(found.filter(|spot| self.is_away(spot)));
        }
        looking.keep();
        let troubles = looking.troubles;
        let mut away = Vec::new();
        for spot in spots {
            away.extend(self.at(&spot)?);
        }
        Ok((once_each(away), troubles))
    }

    /// What lies in the archive, under the name of its bookcase where that is a pile too.
    fn by_its_bookcase(&self, spot: Spot) -> Spot {
        match self.opened.archive.first() {
            Some(shelf) if archive::holds(&self.opened.archive, &spot) => {
                Spot::new(shelf.place.clone(), spot.path)
            }
            _ => spot,
        }
    }

    fn is_away(&self, spot: &Spot) -> bool {
        let is_item = |dated: &Dated| {
            let inside = ItemPath::of_names(spot.path.parts().skip(dated.at.path.depth()));
            spot.is_inside(&dated.at) && dated.listed().0.contains_key(&inside)
        };
        let is_swept = spot.path.depth() > 1
            && spot.path.parts().next().is_some_and(is_swept)
            && !archive::holds(&self.opened.archive, spot);
        is_swept || self.dated.iter().any(is_item)
    }
}

/// Leaves out what was named twice, and what lies in a folder that comes back as a whole.
fn once_each(away: Vec<Away>) -> Vec<Away> {
    let folders: HashSet<Spot> =
        away.iter().filter(|a| a.item.kind == Kind::Folder).map(|a| a.item.item.clone()).collect();
    let mut seen = HashSet::new();
    let lies_in_one = |spot: &Spot| {
        let mut here = spot.folder();
        while !here.path.is_root() && !folders.contains(&here) {
            here = here.folder();
        }
        !here.path.is_root()
    };
    away.into_iter()
        .filter(|away| seen.insert(away.item.item.clone()) && !lies_in_one(&away.item.item))
        .collect()
}

//! A worklist shown before it is carried out: grouped by target folder, a line an item.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::io::{self, Write};

use super::style::{CHANGE, DOUBT, FAINT, PLAIN, REFUSED, STRONG};
use super::table::{Cell, Table, TableColumn, cell, shorten, styled};
use super::{Look, side_by_side};
use nine_core::amount::{count, counted, readable};
use nine_core::collation::Collation;
use nine_core::escape::{plain, showable};
use nine_core::item::Kind;
use nine_core::merging::{LineChange, changed_lines};
use nine_core::moment::Now;
use nine_core::place::Spot;
use nine_core::worklist::{Act, Checked, Doubt, Step, Worklist};
use nine_stores::made_of_each;

/// How many lines of a group are shown where not all are asked for.
const LINES: usize = 15;

/// The column in which the name stands.
const NAME: usize = 1;

/// How long a reason may be to be told whole.
const SHORT: usize = 20;

/// A worklist with what its check found.
pub struct Shown<'a> {
    pub worklist: &'a Worklist,
    pub checked: &'a Checked,
    pub now: &'a Now,
    pub look: &'a Look,
    pub collation: &'a Collation,
    /// Whether every line is shown.
    pub all: bool,
    /// Whether there is more than one bookcase, so that places need their names.
    pub name_places: bool,
}

/// The groups in the order in which they are shown.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
enum Section {
    Folder(Spot),
    Made,
    Unmade,
    Written,
    Tags,
    Trash,
    FromTrash,
    Left,
    Refused,
}

impl<'a> Shown<'a> {
    /// Prints every group.
    pub fn print(&self, out: &mut impl Write) -> io::Result<()> {
        let beside = self.tags_beside_moves();
        let tables = self.groups(&beside);
        // Reasons that are all short, such as the date that decided, are told whole.
        let is_short = self.worklist.steps.iter().all(|step| step.why_in_short().chars().count() <= SHORT);
        // All groups share their columns, so that figures stand under figures.
        // There may be very many lines, so that none is kept: each is made once to be measured, and once to be shown.
        let mut table = self.table(is_short);
        for (_, steps, shown) in &tables {
            side_by_side::measure(&mut table, &steps[..*shown], |at| self.cells(*at, &beside));
        }
        let widths = table.widths(self.look);
        let named = tables.iter().flat_map(|(_, steps, shown)| &steps[..*shown]);
        table.tell_apart(NAME, named.map(|at| self.name(&self.worklist.steps[*at])), &widths, self.look);
        let told_before = self.told_before(tables.iter().flat_map(|(_, steps, shown)| &steps[..*shown]));
        for (group, steps, shown) in &tables {
            self.heading(out, group, steps)?;
            side_by_side::write(out, &steps[..*shown], |at, out| {
                table.print_line(out, self.look, &widths, &self.cells(*at, &beside))?;
                self.notes(out, *at, &told_before)
            })?;
            if *shown < steps.len() {
                let more = counted((steps.len() - shown) as u64, "more line", "more lines");
                writeln!(out, "  {FAINT}{} {more}; --all shows them{FAINT:#}", self.look.text("…"))?;
            }
            writeln!(out)?;
        }
        Ok(())
    }

    /// What is shown together, in the order of names, and how much of it.
    fn groups(&self, beside: &HashMap<usize, usize>) -> Vec<(Section, Vec<usize>, usize)> {
        let shown_elsewhere: HashSet<usize> = beside.values().copied().collect();
        let mut groups: BTreeMap<Section, Vec<usize>> = BTreeMap::new();
        let mut last = None;
        for at in (0..self.worklist.steps.len()).filter(|at| !shown_elsewhere.contains(at)) {
            let group = self.group(at, last.take());
            groups.entry(group.clone()).or_default().push(at);
            last = Some(group);
        }
        let groups: Vec<(Section, Vec<usize>)> = groups.into_iter().collect();
        let sorted = made_of_each(&groups, 1, |(_, steps)| {
            let mut steps = steps.clone();
            self.collation.sort(&mut steps, |at, key| key(shown_name(&self.worklist.steps[*at])));
            steps
        });
        let with_shown = |((group, _), steps): ((Section, _), Vec<usize>)| {
            let shown = if self.all || steps.len() <= LINES + 3 { steps.len() } else { LINES };
            (group, steps, shown)
        };
        groups.into_iter().zip(sorted).map(with_shown).collect()
    }

    /// The group of a step; mostly many in a row have that of the one before.
    fn group(&self, at: usize, before: Option<Section>) -> Section {
        if self.checked.refused.contains_key(&at) {
            return Section::Refused;
        }
        let step = &self.worklist.steps[at];
        match &step.act {
            Act::Move { to } | Act::Copy { to } | Act::Pack { to } | Act::Unpack { to } => match before {
                Some(Section::Folder(folder)) if to.lies_in(&folder) => Section::Folder(folder),
                _ => Section::Folder(to.folder()),
            },
            Act::Make => Section::Made,
            Act::Unmake => Section::Unmade,
            Act::Write { .. } => Section::Written,
            Act::Tag { .. } => Section::Tags,
            Act::Discard { .. } => Section::Trash,
            Act::Restore { .. } => Section::FromTrash,
            Act::Leave => Section::Left,
        }
    }

    /// For each item that is moved, the tag step whose tags are shown beside it.
    fn tags_beside_moves(&self) -> HashMap<usize, usize> {
        let allowed = || self.checked.order.iter().copied();
        let of = |at: usize| &self.worklist.steps[at];
        let tags: HashMap<&Spot, usize> = allowed()
            .filter(|at| matches!(of(*at).act, Act::Tag { .. }))
            .map(|at| (&of(at).item, at))
            .collect();
        if tags.is_empty() {
            return HashMap::new();
        }
        let moves = allowed().filter(|at| matches!(of(*at).act, Act::Move { .. } | Act::Copy { .. }));
        moves.filter_map(|at| Some((at, *tags.get(&of(at).item)?))).collect()
    }

    fn heading(&self, out: &mut impl Write, group: &Section, steps: &[usize]) -> io::Result<()> {
        let many = steps.len() as u64;
        let bytes = readable(steps.iter().map(|at| self.worklist.steps[*at].size).sum());
        let items = match group {
            Section::Made | Section::Unmade => counted(many, "folder", "folders"),
            Section::Written => counted(many, "text", "texts"),
            _ => format!("{}, {bytes}", counted(many, "item", "items")),
        };
        let (text, style, note) = match group {
            Section::Folder(folder) => (self.folder(folder), STRONG, String::new()),
            Section::Made => ("New folders".into(), STRONG, String::new()),
            Section::Unmade => ("Empty folders".into(), STRONG, " taken away".into()),
            Section::Written => ("Texts".into(), STRONG, " written anew".into()),
            Section::Tags => ("Tags".into(), STRONG, " get tags and stay where they are".into()),
            Section::Trash => ("Trash".into(), STRONG, " put away, not deleted".into()),
            Section::FromTrash => ("Out of the trash".into(), STRONG, String::new()),
            Section::Left => ("Left for you to decide".into(), DOUBT.bold(), String::new()),
            Section::Refused => ("Cannot be done".into(), REFUSED.bold(), String::new()),
        };
        let text = shorten(&text, self.look.width.saturating_sub(30), self.look.ascii);
        writeln!(out, "{style}{text}{style:#}  {FAINT}{items}{note}{FAINT:#}")
    }

    fn folder(&self, folder: &Spot) -> String {
        let path = self.look.name(folder.path.as_bytes()).into_owned();
        match (folder.path.is_root(), self.name_places) {
            (true, _) => folder.place.to_string(),
            (false, true) => format!("{}/{path}", folder.place),
            (false, false) => path,
        }
    }

    fn table(&self, is_short: bool) -> Table<'a> {
        use TableColumn::{Left, Right, Shortened, Squeezed, YieldingRight};
        let why = if is_short { Left } else { Squeezed(2) };
        Table::new(&[Left, Shortened, Squeezed(1), Right, YieldingRight, Squeezed(3), why]).indented(2)
    }

    fn cells(&self, at: usize, beside: &HashMap<usize, usize>) -> [Cell<'a>; 7] {
        let step = &self.worklist.steps[at];
        let refused = self.checked.refused.contains_key(&at);
        let (mark, style) = match (&step.act, refused) {
            (_, true) => ("x", REFUSED),
            (Act::Leave, _) => ("?", DOUBT),
            (Act::Discard { .. } | Act::Unmake, _) => ("-", CHANGE),
            (_, _) if !step.doubts.is_empty() => ("?", DOUBT),
            _ => ("+", CHANGE),
        };
        let tags = self.tags(&self.worklist.steps[*beside.get(&at).unwrap_or(&at)], step.target());
        if matches!(step.act, Act::Make | Act::Unmake | Act::Write { .. }) {
            // Where they are stands in the name, and there is no more to them.
            let name = styled(self.name(step), if refused { PLAIN } else { STRONG });
            let why = styled(self.look.shown(showable(step.why_in_short())), FAINT);
            return [styled(mark, style), name, cell(""), cell(""), cell(""), cell(""), why];
        }
        [
            styled(mark, style),
            styled(self.name(step), if refused { PLAIN } else { STRONG }),
            styled(self.look.shown(step.item.folder_written()), FAINT),
            cell(readable(step.size)),
            styled(self.now.age(step.modified), FAINT),
            styled(tags, CHANGE),
            styled(self.look.shown(showable(step.why_in_short())), FAINT),
        ]
    }

    /// The name that the item will have.
    fn name<'s>(&self, step: &'s Step) -> Cow<'s, str> {
        let name = self.look.name(shown_name(step));
        match step.kind == Kind::Folder && !matches!(step.act, Act::Pack { .. }) {
            true => name + "/",
            false => name,
        }
    }

    /// The tags that a step gives and takes. Of `lender/Harrow Dock Trust` only `lender` is told where
    /// the item's new path says the rest.
    fn tags(&self, step: &Step, target: Option<&Spot>) -> String {
        let Act::Tag { from, to } = &step.act else {
            return String::new();
        };
        let path = target.map(|target| String::from_utf8_lossy(target.path.as_bytes()).into_owned());
        let short = |tag: &'_ String| match (tag.split_once('/'), &path) {
            (Some((above, value)), Some(path)) if path.contains(value) => above.to_owned(),
            _ => tag.clone(),
        };
        let gained = to.iter().filter(|tag| !from.contains(tag)).map(|tag| format!("+{}", short(tag)));
        let lost = from.iter().filter(|tag| !to.contains(tag)).map(|tag| format!("-{tag}"));
        let all: Vec<String> = gained.chain(lost).collect();
        self.look.text(&plain(&all.join(" ")))
    }

    /// What all items of a folder have in common is told once: the doubts of these steps, by the step and their place
    /// in it, that a step before has told.
    fn told_before<'s>(&self, steps: impl Iterator<Item = &'s usize>) -> HashSet<(usize, usize)> {
        let (mut told, mut before) = (HashSet::new(), HashSet::new());
        for at in steps {
            for (place, doubt) in self.worklist.steps[*at].doubts.iter().enumerate() {
                if let Doubt::Opens { from, to } = doubt
                    && !told.insert((from, to))
                {
                    before.insert((*at, place));
                }
            }
        }
        before
    }

    /// The name that is given up, and why a step is in doubt or refused, below its line.
    fn notes(
        &self,
        out: &mut impl Write,
        at: usize,
        told_before: &HashSet<(usize, usize)>,
    ) -> io::Result<()> {
        let step = &self.worklist.steps[at];
        if is_renamed(step) {
            let old = self.look.name(step.item.path.name());
            let old = shorten(&old, self.look.width - 10, self.look.ascii);
            writeln!(out, "     {FAINT}was{FAINT:#} {old}")?;
        }
        for line in step.why.lines().skip(1) {
            for line in self.look.lines(&plain(line), 5) {
                writeln!(out, "     {FAINT}{line}{FAINT:#}")?;
            }
        }
        // How likely a suggestion is stands at the end of its line.
        let is_told = |place: usize, doubt: &Doubt| {
            !matches!(doubt, Doubt::Suggested { .. }) && !told_before.contains(&(at, place))
        };
        let doubts = step.doubts.iter().enumerate().filter(|(place, doubt)| is_told(*place, doubt));
        for (_, doubt) in doubts {
            for line in self.look.lines(&doubt.words(self.now), 5) {
                writeln!(out, "     {DOUBT}{line}{DOUBT:#}")?;
            }
        }
        if let Act::Write { from, to } = &step.act {
            self.changed_lines(out, from.as_deref().unwrap_or_default(), to)?;
        }
        if let Some(problem) = self.checked.refused.get(&at) {
            for line in self.look.lines(&problem.words(), 5) {
                writeln!(out, "     {REFUSED}{line}{REFUSED:#}")?;
            }
        }
        Ok(())
    }

    /// The lines of a text that change.
    fn changed_lines(&self, out: &mut impl Write, from: &str, to: &str) -> io::Result<()> {
        for line in changed_lines(from, to) {
            let (sign, style, text) = match &line {
                LineChange::Stays(text) => (" ", FAINT, text.as_str()),
                LineChange::Goes(text) => ("-", REFUSED, text.as_str()),
                LineChange::Comes(text) => ("+", CHANGE, text.as_str()),
                LineChange::Gap => (" ", FAINT, "…"),
            };
            let text = self.look.text(&plain(text));
            writeln!(out, "     {style}{sign} {text}{style:#}")?;
        }
        Ok(())
    }

    /// `34 steps: 28 moved (45 MB), 6 tagged; 2 in doubt`.
    pub fn summary(&self) -> String {
        let (mut by_word, mut bytes, mut renamed) = (Vec::<(&str, u64)>::new(), 0, 0);
        for step in self.checked.order.iter().map(|at| &self.worklist.steps[*at]) {
            let word = step.act.word();
            match by_word.iter_mut().find(|(known, _)| *known == word) {
                Some((_, many)) => *many += 1,
                None => by_word.push((word, 1)),
            }
            if let Act::Move { to } = &step.act {
                bytes += step.size;
                renamed += u64::from(to.path.name() != step.item.path.name());
            }
        }
        let many = |word: &str| by_word.iter().find(|(known, _)| *known == word).map_or(0, |(_, many)| *many);
        let mut parts = Vec::new();
        let mut part = |number: u64, text: String| {
            if number > 0 {
                parts.push(text);
            }
        };
        part(many("move"), format!("{} to move ({})", count(many("move")), readable(bytes)));
        part(renamed, format!("{} of them to rename", count(renamed)));
        part(many("copy"), format!("{} to copy", count(many("copy"))));
        part(many("pack"), format!("{} to pack", count(many("pack"))));
        part(many("unpack"), format!("{} to unpack", count(many("unpack"))));
        part(many("make"), format!("{} to make", counted(many("make"), "folder", "folders")));
        part(many("unmake"), format!("{} to take away", counted(many("unmake"), "folder", "folders")));
        part(many("write"), format!("{} to write", counted(many("write"), "text", "texts")));
        part(many("tag"), format!("{} to tag", count(many("tag"))));
        part(many("discard"), format!("{} to discard", count(many("discard"))));
        part(many("restore"), format!("{} to restore", count(many("restore"))));
        let doubtful = self.worklist.steps.iter().filter(|step| !step.doubts.is_empty()).count() as u64;
        part(doubtful, format!("{} in doubt", count(doubtful)));
        let refused = self.checked.refused.len() as u64;
        part(refused, format!("{} cannot be done", count(refused)));
        let steps = counted(self.checked.order.len() as u64, "step", "steps");
        if parts.is_empty() { steps } else { format!("{steps}: {}", parts.join(", ")) }
    }
}

/// The name that the item will have.
fn shown_name(step: &Step) -> &[u8] {
    match &step.act {
        Act::Move { to } | Act::Copy { to } | Act::Pack { to } | Act::Unpack { to } => to.path.name(),
        // Of these the way to them says more.
        Act::Make | Act::Unmake | Act::Write { .. } => step.item.path.as_bytes(),
        _ => step.item.path.name(),
    }
}

/// Whether a step gives its item another name.
fn is_renamed(step: &Step) -> bool {
    matches!(&step.act, Act::Move { to } | Act::Unpack { to } if to.path.name() != step.item.path.name())
}

//! Lists of items: a line each, in columns.

use std::io::{self, Write};
use std::sync::LazyLock;

use clap::ValueEnum;
use clap::builder::PossibleValue;
use nine_core::amount::readable;
use nine_core::escape::{escape, plain};
use nine_core::item::Kind;
use nine_core::metadata::{SaidField, TextField};
use nine_core::moment::Moment;
use nine_core::place::Spot;
use nine_core::tree::{Column, NodeId, Tree};
use nine_engine::looking::{Looking, View};
use nine_engine::search::{Hit, location};
use nine_engine::workspace::holds;
use serde_json::{Map, Value, json};

use super::records::written;
use super::style::{FAINT, PLAIN, STRONG};
use super::table::{Cell, Table, TableColumn, cell, styled};
use super::{Look, tags};
use crate::failure::Done;

/// The columns of a list of items
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ItemColumn {
    Name,
    /// The place and the folders above it
    Location,
    Size,
    /// How long ago it was changed
    Age,
    /// When it was changed
    Modified,
    Type,
    Tags,
    Opened,
    Arrived,
    /// How many files a folder holds
    Items,
    /// The whole path
    Path,
    /// The BLAKE3 digest of the bytes
    Blake3,
    /// Whether it is in the archive
    Archived,
    /// What the item says of itself
    Said(SaidField),
}

/// Lines whose widths are found together; a longer list goes on with these widths.
const BLOCK: usize = 2_000;

/// The columns that people see where they ask for none.
pub const USUAL: [ItemColumn; 4] =
    [ItemColumn::Name, ItemColumn::Location, ItemColumn::Size, ItemColumn::Age];

/// The columns that programs get where they ask for none.
pub const ALL: [ItemColumn; 11] = [
    ItemColumn::Name,
    ItemColumn::Location,
    ItemColumn::Path,
    ItemColumn::Type,
    ItemColumn::Size,
    ItemColumn::Items,
    ItemColumn::Modified,
    ItemColumn::Opened,
    ItemColumn::Arrived,
    ItemColumn::Tags,
    ItemColumn::Archived,
];

/// Every column that can be asked for.
static COLUMNS: LazyLock<Vec<ItemColumn>> = LazyLock::new(|| {
    let rest = [ItemColumn::Age, ItemColumn::Blake3];
    ALL.into_iter().chain(rest).chain(SaidField::all().map(ItemColumn::Said)).collect()
});

impl ValueEnum for ItemColumn {
    fn value_variants<'a>() -> &'a [Self] {
        &COLUMNS
    }

    fn to_possible_value(&self) -> Option<PossibleValue> {
        let value = PossibleValue::new(self.word());
        Some(if self.help().is_empty() { value } else { value.help(self.help()) })
    }
}

impl ItemColumn {
    /// Its heading, and its name in CSV and JSON.
    pub fn word(self) -> &'static str {
        match self {
            ItemColumn::Name => "name",
            ItemColumn::Location => "location",
            ItemColumn::Size => "size",
            ItemColumn::Age => "age",
            ItemColumn::Modified => "modified",
            ItemColumn::Type => "type",
            ItemColumn::Tags => "tags",
            ItemColumn::Opened => "opened",
            ItemColumn::Arrived => "arrived",
            ItemColumn::Items => "items",
            ItemColumn::Path => "path",
            ItemColumn::Blake3 => "blake3",
            ItemColumn::Archived => "archived",
            ItemColumn::Said(field) => field.word(),
        }
    }

    /// The columns of the catalogue that it is told from, besides those that are always there.
    pub fn needs(self) -> &'static [Column] {
        match self {
            ItemColumn::Type => &[Column::Type],
            ItemColumn::Tags => &[Column::Tags, Column::Words],
            ItemColumn::Opened => &[Column::Opened],
            ItemColumn::Arrived => &[Column::Born, Column::Arrived],
            ItemColumn::Items => &[Column::FolderItems, Column::FolderRead],
            ItemColumn::Blake3 => &[Column::Whole, Column::Digests],
            ItemColumn::Said(_) => &[Column::Text, Column::Type],
            _ => &[],
        }
    }

    /// What there is to know of it beside its word.
    fn help(self) -> &'static str {
        match self {
            ItemColumn::Location => "The place and the folders above it",
            ItemColumn::Age => "How long ago it was changed",
            ItemColumn::Modified => "When it was changed",
            ItemColumn::Items => "How many files a folder holds",
            ItemColumn::Path => "The whole path",
            ItemColumn::Blake3 => "The BLAKE3 digest of the bytes",
            ItemColumn::Archived => "Whether it is in the archive",
            ItemColumn::Said(SaidField::Taken) => "When a camera took it, by its own clock",
            ItemColumn::Said(SaidField::Text(TextField::Origin)) => "The address that a download came from",
            ItemColumn::Said(_) => "What it says of itself",
            _ => "",
        }
    }

    fn set(self) -> TableColumn {
        match self {
            ItemColumn::Name => TableColumn::Shortened,
            ItemColumn::Location | ItemColumn::Path => TableColumn::Squeezed(1),
            ItemColumn::Size | ItemColumn::Items | ItemColumn::Said(SaidField::Figure(_)) => {
                TableColumn::Right
            }
            ItemColumn::Age => TableColumn::Yielding,
            _ => TableColumn::Left,
        }
    }
}

/// What a list is told from.
pub struct ItemListing<'a> {
    /// The places that were looked at.
    pub looking: &'a Looking<'a>,
    /// How to draw.
    pub look: &'a Look,
    /// The archive's shelf, under each name that it has; what lies there is marked.
    pub archive: &'a [Spot],
    /// The columns.
    pub columns: &'a [ItemColumn],
}

impl ItemListing<'_> {
    fn view(&self, hit: Hit) -> &View {
        &self.looking.views[hit.view as usize]
    }

    /// Whether an item is in the archive.
    fn is_archived(&self, hit: Hit) -> bool {
        !self.archive.is_empty() && holds(self.archive, &self.view(hit).spot(hit.id))
    }

    /// Prints a table, with headings if it is not one of several.
    pub fn print_table(
        &self,
        out: &mut impl Write,
        hits: &[Hit],
        widths: &mut Option<Vec<usize>>,
        indent: usize,
        headed: bool,
    ) -> io::Result<()> {
        for (number, block) in hits.chunks(BLOCK).enumerate() {
            let mut table = self.table(indent);
            if number == 0 && headed {
                table.line(self.columns.iter().map(|column| styled(column.word(), FAINT)).collect());
            }
            for hit in block {
                table.line(self.columns.iter().map(|column| self.cell(*hit, *column)).collect());
            }
            let widths = widths.get_or_insert_with(|| table.widths(self.look));
            table.print_with(out, self.look, widths)?;
        }
        Ok(())
    }

    /// The widths that serve all of several lists.
    pub fn widths(&self, hits: &[Hit], indent: usize) -> Vec<usize> {
        let mut table = self.table(indent);
        for hit in hits.iter().take(BLOCK) {
            table.line(self.columns.iter().map(|column| self.cell(*hit, *column)).collect());
        }
        table.widths(self.look)
    }

    fn table(&self, indent: usize) -> Table<'_> {
        let columns: Vec<TableColumn> = self.columns.iter().map(|column| column.set()).collect();
        Table::new(&columns).indented(indent)
    }

    fn cell(&self, hit: Hit, column: ItemColumn) -> Cell<'_> {
        let (view, id) = (self.view(hit), hit.id);
        let tree = &view.tree;
        match column {
            ItemColumn::Name => {
                let name = self.look.name(name_of(view, id));
                match tree.kind(id) {
                    Kind::Folder => styled(name + "/", STRONG),
                    _ => styled(name, PLAIN),
                }
            }
            ItemColumn::Location => {
                let mark = if self.is_archived(hit) { "  archived" } else { "" };
                styled(format!("{}{mark}", self.look.text(&location(view, id))), FAINT)
            }
            ItemColumn::Size => cell(readable(tree.size(id))),
            ItemColumn::Age => styled(self.looking.workspace.now().age(tree.newest(id)), FAINT),
            ItemColumn::Tags => match tree.all_tags(id) {
                Some(tags) => {
                    cell(self.look.text(&tags::shown(self.looking.workspace.config(), self.look, &tags)))
                }
                None => cell(""),
            },
            ItemColumn::Path => styled(self.look.text(&self.text(hit, column)), FAINT),
            other => styled(self.look.text(&self.text(hit, other)), FAINT),
        }
    }

    /// A column's value as programs read it.
    pub fn text(&self, hit: Hit, column: ItemColumn) -> String {
        let (view, id) = (self.view(hit), hit.id);
        let tree = &view.tree;
        let minute =
            |at: Option<Moment>| at.map_or(String::new(), |at| self.looking.workspace.now().minute(at));
        match column {
            ItemColumn::Name => escape(name_of(view, id)),
            ItemColumn::Location => location(view, id),
            ItemColumn::Size => tree.size(id).to_string(),
            ItemColumn::Age => self.looking.workspace.now().age(tree.newest(id)),
            ItemColumn::Modified => minute(Some(tree.newest(id))),
            ItemColumn::Type => tree.item_type(id).word().into(),
            ItemColumn::Tags => match tree.all_tags(id) {
                Some(tags) => plain(&nine_core::tags::to_attribute(&tags)),
                None => String::new(),
            },
            ItemColumn::Opened => minute(tree.opened(id)),
            ItemColumn::Arrived => minute(tree.born(id)),
            ItemColumn::Items => tree.items(id).map_or(String::new(), |items| items.to_string()),
            ItemColumn::Path => escape(view.location(id).as_typed().as_encoded_bytes()),
            ItemColumn::Archived => if self.is_archived(hit) { "yes" } else { "" }.into(),
            ItemColumn::Blake3 => tree.digest(id).map_or(String::new(), |digest| digest.to_string()),
            ItemColumn::Said(field) => {
                self.said(hit, field).map_or(String::new(), |value| escape(value.as_bytes()))
            }
        }
    }

    /// What an item says of itself in a column.
    fn said(&self, hit: Hit, field: SaidField) -> Option<String> {
        self.looking.said_by(self.view(hit), hit.id)?.written(field, self.looking.workspace.now())
    }

    /// An item as one JSON object.
    pub fn record(&self, hit: Hit) -> Value {
        let (view, id) = (self.view(hit), hit.id);
        let tree = &view.tree;
        let mut record = Map::new();
        record.insert("item".into(), view.spot(id).to_string().into());
        for column in self.columns {
            let text = || self.text(hit, *column);
            let value = match column {
                ItemColumn::Size => json!(tree.size(id)),
                ItemColumn::Items => json!(tree.items(id)),
                ItemColumn::Archived => json!(self.is_archived(hit)),
                ItemColumn::Tags => match tree.all_tags(id) {
                    Some(tags) => json!(tags),
                    None => Value::Null,
                },
                ItemColumn::Said(field) => self.said(hit, *field).map_or(Value::Null, Value::String),
                ItemColumn::Opened | ItemColumn::Arrived | ItemColumn::Blake3 => {
                    Some(text()).filter(|text| !text.is_empty()).map_or(Value::Null, Value::String)
                }
                _ => text().into(),
            };
            record.insert(column.word().into(), value);
        }
        record.into()
    }
}

fn name_of(view: &View, id: NodeId) -> &[u8] {
    if id == Tree::ROOT { view.area.base.path.name() } else { view.tree.name(id) }
}

/// Prints the absolute paths of hits, each byte as it is.
pub fn print_paths(looking: &Looking, hits: &[Hit], end: &[u8]) -> Done {
    let mut out = super::raw();
    for hit in hits {
        let path = looking.views[hit.view as usize].location(hit.id).as_typed();
        out.write_all(path.as_encoded_bytes())?;
        out.write_all(end)?;
    }
    Ok(out.flush()?)
}

/// Prints hits as CSV with a heading.
pub fn print_csv(listing: &ItemListing, hits: &[Hit]) -> Done {
    let mut csv = csv::Writer::from_writer(super::raw());
    let heading = std::iter::once("item").chain(listing.columns.iter().map(|column| column.word()));
    csv.write_record(heading).map_err(written)?;
    for hit in hits {
        let spot = listing.view(*hit).spot(hit.id).to_string();
        let values = listing
            .columns
            .iter()
            .map(|column| nine_core::worklist::table::no_formula(listing.text(*hit, *column)));
        csv.write_record(std::iter::once(spot).chain(values)).map_err(written)?;
    }
    Ok(csv.flush()?)
}

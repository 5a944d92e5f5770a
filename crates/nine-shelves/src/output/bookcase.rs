//! The picture of a bookcase: a row a shelf, a spine a folder, its width the folder's share.

use std::io::{self, Write};

use anstyle::Style;
use nine_core::amount::{count, counted, readable};
use nine_engine::shelves::{ShelfRow, Spine};
use unicode_width::UnicodeWidthStr;

use super::Look;
use super::style::{CHANGE, FAINT, PLAIN, STRONG};
use super::table::shorten;
use super::tags::style_of;

/// Files on a shelf now, and files that will come.
fn files(row: &ShelfRow) -> (u64, u64) {
    row.spines.iter().fold((0, 0), |(items, added), spine| (items + spine.items, added + spine.added))
}

/// A line in pieces, each in its own style.
pub type StyledLine = Vec<(Style, String)>;

/// Prints the bookcase, each row with a note behind it.
pub fn print(out: &mut impl Write, look: &Look, rows: &[(&ShelfRow, String)]) -> io::Result<()> {
    for line in lines(look, rows) {
        for (style, text) in line {
            match style == PLAIN {
                true => write!(out, "{text}")?,
                false => write!(out, "{style}{text}{style:#}")?,
            }
        }
        writeln!(out)?;
    }
    Ok(())
}

/// The bookcase, a line a shelf. The fullest shelf is as wide as the room for spines.
pub fn lines(look: &Look, rows: &[(&ShelfRow, String)]) -> Vec<StyledLine> {
    let names: Vec<String> =
        rows.iter().map(|(row, _)| shorten(&marked(row, look), 28, look.ascii).into_owned()).collect();
    let name_width = names.iter().map(|name| name.width()).max().unwrap_or(0);
    let figures: Vec<[String; 3]> = rows.iter().map(|(row, _)| figures(row)).collect();
    let widest = |at: usize| figures.iter().map(|f| f[at].width()).max().unwrap_or(0);
    let widths = [widest(0), widest(1), widest(2)];
    let note_width = rows.iter().map(|(_, note)| note.width()).max().map_or(0, |widest| widest + 2);
    let taken = name_width + widths.iter().sum::<usize>() + note_width + 2 * 4 + 2;
    let room = look.width.saturating_sub(taken).clamp(10, 60);
    let fullest = rows.iter().map(|(row, _)| files(row).0 + files(row).1).max().unwrap_or(0).max(1);
    let mut lines = Vec::new();
    for (((row, note), name), figures) in rows.iter().zip(&names).zip(&figures) {
        let (spines, used) = spines(row, fullest, room, look.ascii);
        let [items, bytes, added] = figures;
        let style = row.color.map_or(STRONG, |color| style_of(Some(color)).bold());
        let gap = |width: usize| (PLAIN, " ".repeat(width));
        let mut line = vec![gap(2), (style, name.clone()), gap(name_width - name.width() + 2)];
        line.extend(spines);
        line.push((PLAIN, format!("{}  {items:>1$}  ", " ".repeat(room - used), widths[0])));
        line.push((FAINT, format!("{bytes:>0$}", widths[1])));
        if !added.is_empty() {
            line.extend([gap(2), (CHANGE, format!("{added:>0$}", widths[2]))]);
        }
        if !note.is_empty() {
            line.extend([gap(2), (FAINT, note.clone())]);
        }
        lines.push(line);
    }
    lines
}

/// The shelf's name, with its mark behind the number where it stands in no name.
fn marked(row: &ShelfRow, look: &Look) -> String {
    match (row.mark.as_deref().filter(|_| !look.ascii), row.name.split_once(' ')) {
        (Some(mark), Some((number, title))) => format!("{number} {mark} {title}"),
        _ => row.name.clone(),
    }
}

fn figures(row: &ShelfRow) -> [String; 3] {
    let (items, added) = files(row);
    let added = match added {
        0 => String::new(),
        n => format!("+{}", count(n)),
    };
    [counted(items, "file", "files"), readable(row.bytes), added]
}

/// The spines of a shelf and how many columns they take. Every spine has at least one column; where
/// there are more spines than room, neighbours share one.
fn spines(row: &ShelfRow, fullest: u64, room: usize, ascii: bool) -> (StyledLine, usize) {
    let total = files(row).0 + files(row).1;
    let wide = |part: u64| (part as u128 * room as u128).div_ceil(u128::from(fullest)) as usize;
    let held: Vec<&Spine> = row.spines.iter().filter(|spine| spine.items + spine.added > 0).collect();
    let whole = wide(total).clamp(held.len().min(room), room);
    let mut out = StyledLine::new();
    let (mut before, mut used) = (0u64, 0);
    for (at, spine) in held.iter().enumerate() {
        before += spine.items + spine.added;
        let left_for_others = held.len() - at - 1;
        let end = (before as u128 * whole as u128 / u128::from(total.max(1))) as usize;
        let end = end.max(used + 1).min(whole.saturating_sub(left_for_others).max(used));
        let columns = end - used;
        if columns == 0 {
            continue;
        }
        let new = (spine.added as usize * columns).div_ceil((spine.items + spine.added).max(1) as usize);
        out.extend(spine_line(columns - new.min(columns), new.min(columns), ascii));
        used = end;
    }
    (out, used)
}

/// One spine: what stands there, then what will come; its last column leaves a gap to the next.
fn spine_line(old: usize, new: usize, ascii: bool) -> StyledLine {
    let (body, edge, fresh, fresh_edge) =
        if ascii { ("=", "]", "+", "]") } else { ("█", "▉", "▒", "▌") };
    let standing = match (old, new) {
        (0, _) => None,
        (old, 0) => Some((FAINT, body.repeat(old - 1) + edge)),
        (old, _) => Some((FAINT, body.repeat(old))),
    };
    let coming = (new > 0).then(|| (CHANGE, fresh.repeat(new - 1) + fresh_edge));
    standing.into_iter().chain(coming).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plain(row: &ShelfRow, fullest: u64, room: usize) -> (String, usize) {
        let (line, used) = spines(row, fullest, room, true);
        (line.into_iter().map(|(_, text)| text).collect(), used)
    }

    fn row(spines: &[(u64, u64)]) -> ShelfRow {
        let spine = |(items, added): &(u64, u64)| Spine { name: String::new(), items: *items, added: *added };
        let spines = spines.iter().map(spine).collect();
        ShelfRow { name: "1 Boats".into(), spines, ..ShelfRow::default() }
    }

    #[test]
    fn a_spine_is_as_wide_as_its_share() {
        assert_eq!(plain(&row(&[(10, 0), (30, 0)]), 40, 20), ("====]==============]".into(), 20));
        assert_eq!(plain(&row(&[(10, 0)]), 40, 20), ("====]".into(), 5));
        assert_eq!(plain(&row(&[]), 40, 20), (String::new(), 0));
    }

    #[test]
    fn small_and_many_spines_still_show() {
        assert_eq!(plain(&row(&[(1, 0), (1000, 0)]), 1001, 10), ("]========]".into(), 10));
        let (_, used) = plain(&row(&[(1, 0); 50]), 50, 10);
        assert_eq!(used, 10);
    }
}

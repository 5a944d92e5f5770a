//! Pictures that look alike: resized, saved anew, compressed more.
//!
//! Each picture has a print of 64 bits: brightness in a grid of nine columns and eight rows, a bit for
//! each pair of neighbours that says which is brighter. What is saved anew keeps nearly all of them.

use super::Member;
use crate::tree::{Looks, Tree};

/// Pictures whose prints differ in at most so many of the 64 bits look alike.
pub const NEAR: u32 = 6;

/// A print with fewer bits of either kind than this is that of a plain area and tells nothing.
const PLAIN: u32 = 5;

/// How much the shape of two pictures may differ, in parts of a hundred.
const SHAPE: u64 = 3;

/// A picture that is compared with others.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Picture {
    /// Which it is.
    pub member: Member,
    /// What it looks like.
    pub looks: Looks,
    /// Its bytes.
    pub size: u64,
}

/// Puts pictures together that look alike: each joins the nearest of the larger ones that lead a group,
/// so that no chain of small differences joins pictures that differ much.
///
/// Groups have two pictures or more, the one with the most pixels first.
pub fn look_alike(mut pictures: Vec<Picture>) -> Vec<Vec<Picture>> {
    let pixels = |picture: &Picture| u64::from(picture.looks.pixels.0) * u64::from(picture.looks.pixels.1);
    pictures.retain(|picture| (PLAIN..=64 - PLAIN).contains(&picture.looks.print.count_ones()));
    pictures.sort_by_key(|picture| (std::cmp::Reverse((pixels(picture), picture.size)), picture.member));
    let mut groups: Vec<Vec<Picture>> = Vec::new();
    // The prints alone, side by side, since every picture is held against all of them.
    let mut leaders: Vec<u64> = Vec::new();
    for picture in pictures {
        let print = picture.looks.print;
        let near = leaders.iter().enumerate().filter(|(_, leader)| (print ^ **leader).count_ones() <= NEAR);
        let near = near.filter(|(at, _)| same_shape(groups[*at][0].looks.pixels, picture.looks.pixels));
        match near.min_by_key(|(_, leader)| (print ^ **leader).count_ones()) {
            Some((at, _)) => groups[at].push(picture),
            None => {
                leaders.push(print);
                groups.push(vec![picture]);
            }
        }
    }
    groups.retain(|group| group.len() > 1);
    groups
}

/// Whether two pictures have about the same shape.
fn same_shape(a: (u32, u32), b: (u32, u32)) -> bool {
    let (left, right) = (u64::from(a.0) * u64::from(b.1), u64::from(b.0) * u64::from(a.1));
    // A small picture's sides are rounded to whole pixels.
    let rounding = u64::from(a.0.max(a.1)) + u64::from(b.0.max(b.1));
    left.abs_diff(right) <= left.max(right) * SHAPE / 100 + rounding
}

/// The print of brightness in nine columns and eight rows, row by row.
pub fn print_of(brightness: &[[u8; 9]; 8]) -> u64 {
    let pairs = brightness.iter().flat_map(|row| row.windows(2).map(|pair| pair[0] > pair[1]));
    pairs.fold(0, |print, brighter| print << 1 | u64::from(brighter))
}

/// The pictures of some trees that were looked at.
pub fn pictures(trees: &[&Tree], take: impl Fn(Member) -> bool) -> Vec<Picture> {
    let mut found = Vec::new();
    for (view, tree) in trees.iter().enumerate() {
        for id in tree.ids() {
            let member = Member::new(view, id);
            if let Some(Some(looks)) = tree.looks(id)
                && take(member)
            {
                found.push(Picture { member, looks, size: tree.size(id) });
            }
        }
    }
    found
}

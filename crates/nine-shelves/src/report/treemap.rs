//! Where the areas of a map lie: squarified treemaps (Bruls, Huizing, van Wijk 2000), which keep areas near squares.

/// Where an area lies in a map that is one wide and one high.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Area {
    pub left: f64,
    pub top: f64,
    pub width: f64,
    pub height: f64,
}

/// Areas in proportion to sizes, which stand in falling order. `across` says how many times as wide as high the whole
/// is where it is looked at. What has no size has no area.
pub fn areas(sizes: &[u64], across: f64) -> Vec<Area> {
    let all: u64 = sizes.iter().sum();
    let mut free = Area { left: 0.0, top: 0.0, width: across, height: 1.0 };
    let mut areas = Vec::with_capacity(sizes.len());
    let scale = across / (all.max(1)) as f64;
    let mut rest = sizes;
    while !rest.is_empty() {
        let many = row_length(rest, scale, free.width.min(free.height));
        let (row, after) = rest.split_at(many);
        areas.extend(lay(row, scale, &mut free));
        rest = after;
    }
    areas
        .into_iter()
        .map(|area| Area { left: area.left / across, width: area.width / across, ..area })
        .collect()
}

/// How many of the first belong into one row along a side: as many as make it better.
fn row_length(sizes: &[u64], scale: f64, side: f64) -> usize {
    let mut best = worst_ratio(&sizes[..1], scale, side);
    for many in 2..=sizes.len() {
        let ratio = worst_ratio(&sizes[..many], scale, side);
        if ratio > best {
            return many - 1;
        }
        best = ratio;
    }
    sizes.len()
}

/// How far from a square the worst area of a row is: 1 or more.
fn worst_ratio(row: &[u64], scale: f64, side: f64) -> f64 {
    let sum: f64 = row.iter().map(|size| *size as f64 * scale).sum();
    let ratio = |size: u64| {
        let size = size as f64 * scale;
        (side * side * size / (sum * sum)).max(sum * sum / (side * side * size))
    };
    row.iter().map(|size| ratio(*size)).fold(1.0, f64::max)
}

/// Lays a row along the shorter side of what is free.
fn lay(row: &[u64], scale: f64, free: &mut Area) -> Vec<Area> {
    let sum: f64 = row.iter().map(|size| *size as f64 * scale).sum();
    let stands = free.width >= free.height;
    let side = if stands { free.height } else { free.width };
    let thick = if side > 0.0 { sum / side } else { 0.0 };
    let mut along = 0.0;
    let mut areas = Vec::with_capacity(row.len());
    for size in row {
        let length = if thick > 0.0 { *size as f64 * scale / thick } else { 0.0 };
        areas.push(match stands {
            true => Area { left: free.left, top: free.top + along, width: thick, height: length },
            false => Area { left: free.left + along, top: free.top, width: length, height: thick },
        });
        along += length;
    }
    match stands {
        true => (free.left, free.width) = (free.left + thick, (free.width - thick).max(0.0)),
        false => (free.top, free.height) = (free.top + thick, (free.height - thick).max(0.0)),
    }
    areas
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn areas_are_those_of_the_paper() {
        // Its example: 6, 6, 4, 3, 2, 2, 1 in six by four.
        let found = areas(&[6, 6, 4, 3, 2, 2, 1], 1.5);
        let close = |a: f64, b: f64| (a - b).abs() < 1e-9;
        // The first two stand above one another, half as wide as the whole.
        assert!(close(found[0].width, 0.5) && close(found[0].height, 0.5) && close(found[1].top, 0.5));
        // Then 4 and 3 lie side by side.
        assert!(close(found[2].top, 0.0) && close(found[3].top, 0.0) && close(found[2].height, 7.0 / 12.0));
    }

    proptest! {
        #[test]
        fn areas_are_in_proportion_and_cover_all(mut sizes in proptest::collection::vec(0u64..1_000_000, 1..40), across in 0.5f64..4.0) {
            sizes.sort_by(|a, b| b.cmp(a));
            let found = areas(&sizes, across);
            let all: u64 = sizes.iter().sum();
            prop_assert_eq!(found.len(), sizes.len());
            for (area, size) in found.iter().zip(&sizes) {
                let part = if all == 0 { 0.0 } else { *size as f64 / all as f64 };
                prop_assert!((area.width * area.height - part).abs() < 1e-6);
                prop_assert!(area.left > -1e-9 && area.left + area.width < 1.0 + 1e-6);
                prop_assert!(area.top > -1e-9 && area.top + area.height < 1.0 + 1e-6);
            }
            let overlaps = |a: &Area, b: &Area| {
                let eps = 1e-7;
                a.left + a.width > b.left + eps && b.left + b.width > a.left + eps
                    && a.top + a.height > b.top + eps && b.top + b.height > a.top + eps
            };
            for (at, one) in found.iter().enumerate() {
                prop_assert!(!found[..at].iter().any(|other| overlaps(one, other)));
            }
        }
    }
}

//! Small bars: shares of a whole, a line each.

use super::Look;

/// How wide the longest bar usually is.
pub const WIDTH: usize = 10;

/// A bar for `part` where `most` is as wide as `width`; anything that is there has at least a sliver.
pub fn bar(look: &Look, part: u64, most: u64, width: usize) -> String {
    if part == 0 || most == 0 {
        return String::new();
    }
    let eighths = (u128::from(part) * (width as u128 * 8)).div_ceil(u128::from(most)) as usize;
    if look.ascii {
        return "#".repeat(eighths.div_ceil(8));
    }
    let ends = ["", "▏", "▎", "▍", "▌", "▋", "▊", "▉"];
    format!("{}{}", "█".repeat(eighths / 8), ends[eighths % 8])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bars_are_shares_and_never_vanish() {
        let mut look = Look { width: 80, ascii: false, terminal: false, color: true };
        assert_eq!(bar(&look, 10, 10, WIDTH), "██████████");
        assert_eq!(bar(&look, 1, 1_000_000, WIDTH), "▏");
        assert_eq!(bar(&look, 0, 10, WIDTH), "");
        look.ascii = true;
        assert_eq!(bar(&look, 5, 10, WIDTH), "#####");
        assert_eq!(bar(&look, u64::MAX, u64::MAX, WIDTH), "##########");
    }
}

//! Words and names that people use, so that one is not taken for a slip of another.

use std::cmp::Ordering;
use std::sync::LazyLock;

use fst::Map;

/// Common English words and the commonest surnames and first names; see `data/README.md`.
static KNOWN: LazyLock<Option<Map<&[u8]>>> =
    LazyLock::new(|| Map::new(&include_bytes!("../../data/words.fst")[..]).ok());

/// The bit of a word, and that of a name.
const WORD: u64 = 1;

fn class(word: &str) -> u64 {
    KNOWN.as_ref().and_then(|known| known.get(word)).unwrap_or(0)
}

/// Whether a folded word is a word or a name.
pub(super) fn is_known(word: &str) -> bool {
    class(word) != 0
}

/// Whether a folded word is a name and no word.
pub fn is_name(word: &str) -> bool {
    class(word) & WORD == 0 && class(word) != 0
}

/// Whether a folded word is a common word and nobody's name.
pub(super) fn is_only_word(word: &str) -> bool {
    class(word) == WORD
}

/// Whether a folded word is a common word.
pub fn is_word(word: &str) -> bool {
    class(word) & WORD != 0
}

/// Whether one is the other with an ending, as `receipts` is of `receipt`; names have none, since `Williams`
/// and `William` are two.
pub(super) fn is_ending_of(a: &str, b: &str) -> bool {
    let (short, long) = if a.len() < b.len() { (a, b) } else { (b, a) };
    let plural = match short.strip_suffix('y') {
        Some(start) => long.strip_suffix("ies") == Some(start),
        None => false,
    };
    let ended = long.strip_prefix(short).is_some_and(|ending| matches!(ending, "s" | "es"));
    (plural || ended) && is_word(short)
}

/// Whether one word is the other but for one slip of the hand: two letters swapped, one left out or doubled or not,
/// or one of a neighbouring key. A name may not differ in its first or last letter, since `Minto` and `Minton`
/// are two, nor have a letter more or another that is far on the keys.
pub(super) fn is_slip_of(typed: &str, wanted: &str) -> bool {
    if strsim::osa_distance(typed, wanted) != 1 {
        return false;
    }
    let (typed, letters): (Vec<char>, Vec<char>) = (typed.chars().collect(), wanted.chars().collect());
    let same = typed.iter().zip(&letters).take_while(|(a, b)| a == b).count();
    let is_free = is_word(wanted);
    let swapped = typed.len() == letters.len()
        && typed.get(same + 1) == letters.get(same)
        && typed.get(same) == letters.get(same + 1);
    if swapped {
        return true;
    }
    let is_inside = same > 0 && typed.last() == letters.last();
    if !is_free && !is_inside {
        return false;
    }
    match typed.len().cmp(&letters.len()) {
        Ordering::Less => true,
        // A letter that stands there twice, or one more of a neighbouring key.
        Ordering::Greater => {
            let beside = [same.checked_sub(1), Some(same + 1)];
            let mut beside = beside.into_iter().flatten().filter_map(|at| typed.get(at));
            is_free || beside.any(|other| *other == typed[same] || are_neighbours(*other, typed[same]))
        }
        Ordering::Equal => is_free || are_neighbours(typed[same], letters[same]),
    }
}

/// Whether two letters stand side by side on the usual keyboards.
fn are_neighbours(a: char, b: char) -> bool {
    const ROWS: [&str; 3] = ["qwertyuiop", "asdfghjkl", "zxcvbnm"];
    let place =
        |c: char| ROWS.iter().enumerate().find_map(|(row, keys)| Some((row as i32, keys.find(c)? as i32)));
    let (Some((row, column)), Some((other_row, other))) = (place(a), place(b)) else { return false };
    match other_row - row {
        0 => (other - column).abs() == 1,
        // A lower row stands half a key to the right.
        1 => matches!(other - column, -1 | 0),
        -1 => matches!(other - column, 0 | 1),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_and_names_are_known_and_slips_are_not() {
        for word in ["harrow", "harlow", "lefebvre", "oconnell", "mission", "statement", "receipt"] {
            assert!(is_known(word), "{word}");
        }
        for word in ["recipet", "insurence", "kitiwake", "agreemnt", "statment"] {
            assert!(!is_known(word), "{word}");
        }
    }

    #[test]
    fn a_slip_is_one_letter_and_no_other_name() {
        for (typed, wanted) in [
            ("harow", "harrow"),
            ("kittiwkae", "kittiwake"),
            ("kittiwaek", "kittiwake"),
            ("lantren", "lantern"),
            ("pelliw", "pellow"),
            ("recept", "receipt"),
        ] {
            assert!(is_slip_of(typed, wanted), "{typed}");
        }
        for (typed, wanted) in [
            ("minton", "minto"),
            ("kittqiwake", "kittiwake"),
            ("harlaw", "harlow"),
            ("inton", "minton"),
            ("hrow", "harrow"),
        ] {
            assert!(!is_slip_of(typed, wanted), "{typed}");
        }
    }

    #[test]
    fn an_ending_makes_no_other_word() {
        assert!(is_ending_of("receipts", "receipt") && is_ending_of("copy", "copies"));
        assert!(!is_ending_of("williams", "william") && !is_ending_of("lefebvre", "lefevre"));
    }
}

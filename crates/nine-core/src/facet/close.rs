//! How close a word of a name is to a word of an answer.
//!
//! The measure is 1 minus the edits by the letters of the longer word, where an edit is a letter put
//! in, left out or changed, or two neighbours swapped (optimal string alignment, after Damerau 1964).
//! Words are taken for one another from [`CLOSE`] on, and with at most [`MOST_EDITS`] edits. Words under
//! four letters must be equal.

/// From where on two words are taken for one another.
pub const CLOSE: f64 = 0.70;

/// The most edits that are forgiven in one word, however long.
pub const MOST_EDITS: usize = 4;

/// What a wrong first letter costs: people rarely mistype it, while other words often differ in it.
const FIRST_LETTER: f64 = 0.10;

/// The fewest letters that a cut-off word must have left.
pub const SHORTEST_CUT: usize = 3;

/// A word that names are compared with.
#[derive(Debug, Clone)]
pub struct CloseTarget {
    text: String,
    letters: usize,
    /// Which letters it has, and which of them twice or more.
    mask: [u64; 2],
}

impl CloseTarget {
    /// Prepares a folded word.
    pub fn new(text: String) -> Self {
        Self { letters: text.chars().count(), mask: mask(&text), text }
    }

    /// The word.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// How many letters it has.
    pub fn letters(&self) -> usize {
        self.letters
    }

    /// In how many letters two words differ. An edit changes the number of two letters by one each, and
    /// so at most two bits.
    fn differs(&self, other: &Self) -> usize {
        let bits = |nth: usize| (self.mask[nth] ^ other.mask[nth]).count_ones() as usize;
        bits(0) + bits(1)
    }

    /// How many kinds of its letters another word lacks.
    pub fn lacking_in(&self, other: &Self) -> usize {
        (self.mask[0] & !other.mask[0]).count_ones() as usize
    }
}

/// The most edits that two words may be apart, the longer of which has this many letters.
pub fn most_edits(longer: usize) -> usize {
    edits_within(1.0 - CLOSE, longer)
}

/// The most edits that are no more than this share of so many letters.
fn edits_within(share: f64, letters: usize) -> usize {
    // The small part is for what floating point makes of 0.3 * 10.
    ((share * letters as f64 + 1e-9) as usize).min(MOST_EDITS)
}

/// How close a word is to a target, from [`CLOSE`] to 1; `None` if they are too far apart.
pub fn similarity(word: &CloseTarget, target: &CloseTarget) -> Option<f64> {
    if word.text == target.text {
        return Some(1.0);
    }
    let longer = word.letters.max(target.letters);
    let same_start = word.text.chars().next() == target.text.chars().next();
    let given_up = 1.0 - CLOSE - if same_start { 0.0 } else { FIRST_LETTER };
    let most = edits_within(given_up, longer);
    let shorter = word.letters.min(target.letters);
    if shorter < 4 || longer - shorter > most || word.differs(target) > 2 * most {
        return None;
    }
    let edits = strsim::osa_distance(&word.text, &target.text);
    if edits > most {
        return None;
    }
    let close = 1.0 - edits as f64 / longer as f64 - if same_start { 0.0 } else { FIRST_LETTER };
    (close >= CLOSE - 1e-9).then_some(close)
}

/// How much a cut-off word (`agree` for `agreement`) counts; `None` if it is none.
pub fn cut_off(word: &CloseTarget, target: &CloseTarget) -> Option<f64> {
    let cut = word.letters >= SHORTEST_CUT && word.letters < target.letters;
    let left = word.letters as f64 / target.letters as f64;
    (cut && target.text.starts_with(&word.text)).then_some(0.60 + 0.35 * left)
}

/// How much a word that [`lacks_vowels`] (`stmt` for `statement`) counts; `None` if it is none of the target.
pub fn without_vowels(word: &CloseTarget, target: &CloseTarget) -> Option<f64> {
    let ends = |text: &str| (text.chars().next(), text.chars().next_back());
    if word.letters + 1 >= target.letters || ends(&word.text) != ends(&target.text) {
        return None;
    }
    let mut rest = target.text.chars();
    let left = word.letters as f64 / target.letters as f64;
    let stands = word.text.chars().all(|letter| rest.any(|c| c == letter));
    (stands && left >= 0.4).then_some(0.55 + 0.25 * left)
}

/// Whether a word may have lost its vowels but the first.
pub fn lacks_vowels(word: &CloseTarget) -> bool {
    let is_vowel = |b: u8| matches!(b, b'a' | b'e' | b'i' | b'o' | b'u');
    let text = word.text.as_bytes();
    (3..=6).contains(&text.len())
        && text.iter().all(u8::is_ascii_lowercase)
        && !text[1..].iter().copied().any(is_vowel)
}

/// Which letters and digits a word has, and which twice or more, a bit each; others share bits.
fn mask(text: &str) -> [u64; 2] {
    let bit = |c: char| match c {
        'a'..='z' => c as u32 - 'a' as u32,
        '0'..='9' => 26 + c as u32 - '0' as u32,
        other => 36 + other as u32 % 28,
    };
    text.chars().fold([0, 0], |[once, twice], c| {
        let c = 1 << bit(c);
        [once | c, twice | (once & c)]
    })
}

/// The fewest edits that make some part of `text` equal to `word` of at most 64 letters, by the
/// bit-parallel method of Myers (1999); `None` if the word is longer.
pub fn edits_inside(word: &str, text: &str) -> Option<usize> {
    let letters: Vec<char> = word.chars().collect();
    let many = letters.len();
    if many == 0 || many > 64 {
        return None;
    }
    let last = 1u64 << (many - 1);
    let (mut up, mut down) = (u64::MAX, 0u64);
    let (mut edits, mut fewest) = (many, many);
    for c in text.chars() {
        let equal = letters.iter().enumerate().fold(0, |mask, (at, l)| mask | u64::from(*l == c) << at);
        let across = (((equal & up).wrapping_add(up)) ^ up) | equal;
        let more = down | !(across | up);
        let fewer = up & across;
        if more & last != 0 {
            edits += 1;
        }
        if fewer & last != 0 {
            edits -= 1;
        }
        let (more, fewer) = (more << 1, fewer << 1);
        up = fewer | !((equal | down) | more);
        down = more & (equal | down);
        fewest = fewest.min(edits);
    }
    Some(fewest)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn close(a: &str, b: &str) -> Option<f64> {
        similarity(&CloseTarget::new(a.into()), &CloseTarget::new(b.into()))
    }

    #[test]
    fn misspellings_are_forgiven_and_other_words_are_not() {
        for (a, b) in [
            ("harow", "harrow"),
            ("kitiwake", "kittiwake"),
            ("recipet", "receipt"),
            ("insurence", "insurance"),
        ] {
            assert!(close(a, b).is_some(), "{a} {b}");
        }
        for (a, b) in [("lock", "dock"), ("art", "arc"), ("lender", "vendor"), ("trust", "tides")] {
            assert_eq!(close(a, b), None, "{a} {b}");
        }
        assert_eq!(most_edits(10), 3);
    }

    #[test]
    fn a_cut_off_word_counts_by_what_is_left() {
        let cut = |a: &str, b: &str| cut_off(&CloseTarget::new(a.into()), &CloseTarget::new(b.into()));
        assert!(cut("agree", "agreement") < cut("agreemen", "agreement"));
        assert_eq!(cut("ag", "agreement"), None);
        assert_eq!(cut("agreement", "agreement"), None);
    }

    #[test]
    fn vowels_may_be_left_out() {
        let bare = |a: &str, b: &str| {
            let word = CloseTarget::new(a.into());
            lacks_vowels(&word) && without_vowels(&word, &CloseTarget::new(b.into())).is_some()
        };
        assert!(bare("stmt", "statement") && bare("rtrn", "return") && bare("accts", "accounts"));
        assert!(!bare("stmt", "street") && !bare("state", "statement") && !bare("smt", "statement"));
    }

    proptest! {
        /// The bit-parallel method against the edits to every part of the text.
        #[test]
        fn edits_inside_are_the_fewest(word in "[a-c]{1,6}", text in "[a-c]{0,9}") {
            let parts = (0..=text.len()).flat_map(|from| (from..=text.len()).map(move |to| (from, to)));
            let plain = parts.map(|(from, to)| strsim::levenshtein(&word, &text[from..to])).min();
            prop_assert_eq!(edits_inside(&word, &text), plain);
        }

        /// The quick look at letters never turns away what the measure itself would take.
        #[test]
        fn the_quick_look_loses_nothing(a in "[a-fé0-2]{4,12}", b in "[a-fé0-2]{4,12}") {
            let longer = a.chars().count().max(b.chars().count());
            let edits = strsim::osa_distance(&a, &b);
            let start = if a.chars().next() == b.chars().next() { 0.0 } else { FIRST_LETTER };
            let plain = 1.0 - edits as f64 / longer as f64 - start;
            prop_assert_eq!(close(&a, &b).is_some(), (plain >= CLOSE - 1e-9 && edits <= MOST_EDITS) || a == b);
        }
    }
}

//! Types told from content, of the formats that the stores are tested with.

use nine_core::kinds::{Content, decide};

use crate::Figure;
use crate::looks::{is_wrong, look, may_be, named};
use crate::samples::{Sample, samples};

/// Prints every figure.
pub fn measure(shows: bool) {
    let looked: Vec<(Sample, Content)> = samples()
        .into_iter()
        .map(|sample| {
            let content = look(&sample.bytes);
            (sample, content)
        })
        .collect();
    println!("types, {} formats", looked.len());
    let is_right = |name: &str, sample: &Sample, content: &Content| {
        let verdict = decide(name.as_bytes(), Some(content));
        let right = verdict.item_type.word() == sample.item_type && !is_wrong(&verdict);
        if shows && !right {
            println!("  {name} {} {verdict:?}", sample.ext);
        }
        right
    };
    let own = looked.iter().filter(|(sample, content)| is_right(&named(sample), sample, content)).count();
    Figure::share("with their extension", own, looked.len()).at_least(99.5);
    let signed: Vec<_> = looked.iter().filter(|(sample, _)| sample.tells).collect();
    let bare = signed.iter().filter(|(sample, content)| is_right("x", sample, content)).count();
    Figure::share("without, where the content has a signature", bare, signed.len()).at_least(95.0);
    let (mut told, mut all) = (0, 0);
    for (sample, content) in &looked {
        for (wrong, _) in
            looked.iter().filter(|(wrong, _)| wrong.item_type != sample.item_type && !may_be(sample, wrong))
        {
            all += 1;
            let is_told = is_wrong(&decide(named(wrong).as_bytes(), Some(content)));
            told += usize::from(is_told);
            if shows && !is_told {
                println!("  {} under .{} is not told", sample.ext, wrong.ext);
            }
        }
    }
    Figure::share("under a wrong extension, told as mislabelled", told, all).at_least(95.0);
}

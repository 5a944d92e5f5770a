//! Notes are parsed in the program's own process, so no text may end it, hold it up or take much memory.

use std::time::{Duration, Instant};

use nine_stores::reading::{NOTE, tags_in_note};
use proptest::prelude::*;

/// Far more than the slowest of these takes, on a machine with much else to do.
const PATIENCE: Duration = Duration::from_secs(20);

/// Reads the tags on a thread with little stack: a parser that recurses with the text ends the test program.
fn read(text: Vec<u8>) -> Vec<String> {
    let begun = Instant::now();
    let thread = std::thread::Builder::new().stack_size(512 << 10);
    let tags = thread.spawn(move || tags_in_note(&text)).unwrap().join().unwrap();
    assert!(begun.elapsed() < PATIENCE, "{:?}", begun.elapsed());
    tags
}

fn with_header(header: &str) -> Vec<u8> {
    format!("---\n{header}\n---\nWords. #oars\n").into_bytes()
}

#[test]
fn headers_that_grow_or_nest_without_end_leave_the_rest_of_the_note() {
    let aliases: String =
        (1..200).map(|n| format!("a{n}: &a{n} [{}]\n", format!("*a{},", n - 1).repeat(9))).collect();
    let bomb = format!("a0: &a0 [x,x,x,x,x,x,x,x,x]\n{aliases}");
    let deep = |open: &str, many: usize| format!("tags: {}", open.repeat(many));
    for header in [
        bomb,
        deep("[", 16_000),
        deep("{a: ", 4_000),
        deep("- ", 8_000),
        deep("? ", 8_000),
        deep("!!str ", 2_000),
    ] {
        assert_eq!(read(with_header(&header)), ["oars"], "{:.40}", header);
    }
}

#[test]
fn texts_that_nest_without_end_are_read_in_time() {
    for piece in [
        "> ", "- ", "* ", "1. ", "[", "![", "[a](", "`", "*a_", "<a", "&", "#a ", "```\n", "|", "\\", "[^",
        "<!--", "#",
    ] {
        read(piece.repeat(NOTE / piece.len()).into_bytes());
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(debug_assertions) { 300 } else { 5_000 }))]

    #[test]
    fn no_text_harms(
        header in prop::collection::vec(
            prop_oneof![Just("tags"), Just(": "), Just("\n"), Just("- "), Just("["), Just("]"), Just("{"), Just("}"),
                Just("&a "), Just("*a"), Just("!!binary "), Just("|\n"), Just(">-\n"), Just("\""), Just("'"), Just("#"),
                Just("? "), Just("%YAML 9\n"), Just("\t"), Just("\u{85}"), Just("a"), Just("0x1"), Just(", "), Just("<<: ")],
            0..60,
        ),
        body in prop::collection::vec(any::<u8>(), 0..200),
    ) {
        let mut note = format!("---\n{}\n---\n", header.concat()).into_bytes();
        note.extend(body);
        let tags = read(note);
        prop_assert!(tags.iter().all(|tag| tag.len() <= 100 && !tag.contains(char::is_control)));
    }
}

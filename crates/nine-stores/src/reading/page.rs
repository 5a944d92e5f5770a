//! Web pages, and other texts with tags.

use std::cell::{Cell, RefCell};

use html5ever::tendril::StrTendril;
use html5ever::tokenizer::states::RawKind;
use html5ever::tokenizer::{
    BufferQueue, TagKind, Token, TokenSink, TokenSinkResult, Tokenizer, TokenizerOpts,
};

use super::{Body, Words, plain};

/// Bytes that are handed to the tokenizer at once.
const BLOCK: usize = 1 << 16;

pub(super) fn words(bytes: &[u8]) -> Words {
    text(&plain::decoded(bytes)).into_words("")
}

/// The text between the tags, without scripts and styles.
pub(super) fn text(page: &str) -> Body {
    let tokenizer = Tokenizer::new(Sink::default(), TokenizerOpts::default());
    let queue = BufferQueue::default();
    let mut rest = page;
    while !rest.is_empty() && !tokenizer.sink.body.borrow().is_full {
        let end = (1..=BLOCK.min(rest.len())).rev().find(|at| rest.is_char_boundary(*at));
        let (block, after) = rest.split_at(end.unwrap_or(rest.len()));
        queue.push_back(StrTendril::from_slice(block));
        let _ = tokenizer.feed(&queue);
        rest = after;
    }
    tokenizer.end();
    tokenizer.sink.body.into_inner()
}

#[derive(Default)]
struct Sink {
    body: RefCell<Body>,
    is_silent: Cell<bool>,
}

impl TokenSink for Sink {
    type Handle = ();

    fn process_token(&self, token: Token, _line: u64) -> TokenSinkResult<()> {
        match token {
            Token::CharacterTokens(text) if !self.is_silent.get() => {
                self.body.borrow_mut().add(&text);
            }
            Token::TagToken(tag) => {
                let name: &str = &tag.name;
                let opens = tag.kind == TagKind::StartTag && !tag.self_closing;
                let unspoken = matches!(name, "script" | "style");
                if unspoken || opens {
                    self.is_silent.set(unspoken && opens);
                }
                // Tags part words, except those that stand within them.
                if !matches!(name, "b" | "i" | "em" | "strong" | "span" | "a" | "u" | "small" | "mark") {
                    self.body.borrow_mut().add("\n");
                }
                match name {
                    "script" if opens => return TokenSinkResult::RawData(RawKind::ScriptData),
                    "style" if opens => return TokenSinkResult::RawData(RawKind::Rawtext),
                    "title" | "textarea" if opens => return TokenSinkResult::RawData(RawKind::Rcdata),
                    _ => {}
                }
            }
            _ => {}
        }
        TokenSinkResult::Continue
    }
}

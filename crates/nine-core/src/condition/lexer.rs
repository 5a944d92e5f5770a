//! A condition's text cut into words, lists of values and brackets.

use std::ops::Range;

use crate::diagnostic::Diagnostic;

/// One value of a word; several if commas joined them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Value {
    pub text: String,
    pub quoted: bool,
    pub span: Range<usize>,
}

/// A piece of the text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Token {
    Open(Range<usize>),
    Close(Range<usize>),
    /// One value, or several joined by commas without a space.
    Values(Vec<Value>, Range<usize>),
}

impl Token {
    pub fn span(&self) -> Range<usize> {
        match self {
            Token::Open(span) | Token::Close(span) | Token::Values(_, span) => span.clone(),
        }
    }

    /// The token as a word of the language: a single value without quotes, in small letters.
    pub fn word(&self) -> Option<String> {
        match self {
            Token::Values(values, _) => match values.as_slice() {
                [Value { text, quoted: false, .. }] => Some(text.to_ascii_lowercase()),
                _ => None,
            },
            _ => None,
        }
    }
}

pub(super) fn tokens(text: &str) -> Result<Vec<Token>, Diagnostic> {
    let mut lexer = Lexer { text, at: 0 };
    let mut tokens = Vec::new();
    while let Some(c) = lexer.skip_space() {
        let start = lexer.at;
        match c {
            '(' | ')' => {
                lexer.at += 1;
                let span = start..lexer.at;
                tokens.push(if c == '(' { Token::Open(span) } else { Token::Close(span) });
            }
            _ => {
                let values = lexer.values()?;
                tokens.push(Token::Values(values, start..lexer.at));
            }
        }
    }
    Ok(tokens)
}

struct Lexer<'a> {
    text: &'a str,
    at: usize,
}

impl Lexer<'_> {
    fn peek(&self) -> Option<char> {
        self.text[self.at..].chars().next()
    }

    fn skip_space(&mut self) -> Option<char> {
        while let Some(c) = self.peek().filter(|c| c.is_whitespace()) {
            self.at += c.len_utf8();
        }
        self.peek()
    }

    fn values(&mut self) -> Result<Vec<Value>, Diagnostic> {
        let mut values = Vec::new();
        loop {
            values.push(self.value()?);
            if self.peek() != Some(',') {
                return Ok(values);
            }
            self.at += 1;
        }
    }

    fn value(&mut self) -> Result<Value, Diagnostic> {
        let start = self.at;
        let quoted = matches!(self.peek(), Some('"' | '\''));
        let text = if quoted { self.quoted()? } else { self.bare() };
        if !quoted && text.is_empty() {
            let comma = start.saturating_sub(1)..(start + 1).min(self.text.len());
            return Err(Diagnostic::new(comma, "a value is missing beside this comma")
                .help("a comma joins values without a space: type image,video"));
        }
        if quoted && self.peek().is_some_and(|c| !c.is_whitespace() && !matches!(c, ',' | '(' | ')')) {
            return Err(Diagnostic::new(start..self.at, "something follows the closing quote")
                .help("put a space or a comma behind the quote"));
        }
        Ok(Value { text, quoted, span: start..self.at })
    }

    fn bare(&mut self) -> String {
        let rest = &self.text[self.at..];
        let ends = |c: char| c.is_whitespace() || matches!(c, ',' | '(' | ')');
        let word = &rest[..rest.find(ends).unwrap_or(rest.len())];
        self.at += word.len();
        word.to_owned()
    }

    fn quoted(&mut self) -> Result<String, Diagnostic> {
        let start = self.at;
        let mut chars = self.text[start..].char_indices();
        let mut value = String::new();
        let quote = chars.next().map(|(_, c)| c);
        while let Some((at, c)) = chars.next() {
            if Some(c) == quote {
                self.at = start + at + c.len_utf8();
                return Ok(value);
            }
            if c != '\\' {
                value.push(c);
                continue;
            }
            match chars.clone().next().map(|(_, next)| next) {
                Some(next @ ('"' | '\'' | '\\')) => value.push(next),
                Some('n') => value.push('\n'),
                Some('t') => value.push('\t'),
                // Any other backslash is itself, so that \d serves in a regular expression.
                _ => {
                    value.push('\\');
                    continue;
                }
            }
            chars.next();
        }
        Err(Diagnostic::new(start..self.text.len(), "this quote is never closed")
            .help("close it with the same mark"))
    }
}

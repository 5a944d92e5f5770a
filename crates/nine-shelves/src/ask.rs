//! The one question.

use std::io::{BufRead, IsTerminal, Write};

use crate::failure::{Done, Failure, FailureKind};

/// What a person agrees to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Consent {
    /// All of it.
    All,
    /// Only what is not in doubt.
    OnlySure,
    /// It is gone through first.
    Review,
}

/// What may be answered besides yes and no.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Offered {
    /// Only what is not in doubt.
    pub only_sure: bool,
    /// To go through it first.
    pub review: bool,
}

/// Whether there is a person to ask.
pub fn has_person() -> bool {
    std::io::stdin().is_terminal() && std::io::stderr().is_terminal()
}

/// Asks for a yes, or for one of what is offered besides.
///
/// # Errors
/// [`FailureKind::Declined`] if the answer is anything else.
pub fn agree(question: &str, offered: Offered) -> Done<Consent> {
    let mut out = std::io::stderr().lock();
    let Offered { only_sure, review } = offered;
    let all = [
        ("y", "all of it", true),
        ("s", "only what is sure", only_sure),
        ("r", "review it", review),
        ("n", "nothing", true),
    ];
    let told: Vec<_> = all.into_iter().filter(|(_, _, is_offered)| *is_offered).collect();
    let letters = told.iter().map(|(letter, ..)| *letter).collect::<Vec<_>>().join("/");
    discard_earlier_input();
    match told.len() {
        2 => write!(out, "\n{question} [{letters}] ")?,
        _ => {
            let words: Vec<String> =
                told.iter().map(|(letter, words, _)| format!("{letter} {words}")).collect();
            write!(out, "\n{question} {} [{letters}] ", words.join(", "))?;
        }
    }
    out.flush()?;
    match line()?.to_lowercase().as_str() {
        "y" | "yes" => Ok(Consent::All),
        "s" | "sure" if only_sure => Ok(Consent::OnlySure),
        "r" | "review" if review => Ok(Consent::Review),
        _ => Err(Failure::new(FailureKind::Declined, "nothing has been changed")),
    }
}

/// Asks for one of several letters. An empty answer is the usual one.
///
/// # Errors
/// [`FailureKind::Declined`] if there is no answer.
pub fn choose(choices: &[(char, String)], usual: char, question: &str) -> Done<char> {
    let mut out = std::io::stderr().lock();
    for (letter, words) in choices {
        let mark = if *letter == usual { "*" } else { " " };
        writeln!(out, "  {mark}{letter}  {words}")?;
    }
    loop {
        write!(out, "  {question} [{usual}] ")?;
        out.flush()?;
        let answer = line()?.to_lowercase();
        let letter = if answer.is_empty() { Some(usual) } else { answer.chars().next() };
        let known = choices.iter().find(|(known, _)| Some(*known) == letter && answer.chars().count() <= 1);
        if let Some((known, _)) = known {
            return Ok(*known);
        }
    }
}

/// Asks for a line, again until `read` understands it; an empty one is the usual answer. What `read` says against an
/// answer is told.
///
/// # Errors
/// [`FailureKind::Declined`] if there is no answer.
pub fn answer<T>(question: &str, usual: &str, read: impl Fn(&str) -> Result<T, String>) -> Done<T> {
    let mut out = std::io::stderr().lock();
    loop {
        write!(out, "{question} [{usual}] ")?;
        out.flush()?;
        let typed = line()?;
        match read(if typed.is_empty() { usual } else { &typed }) {
            Ok(answer) => return Ok(answer),
            Err(why) => writeln!(out, "  {why}")?,
        }
    }
}

/// Waits until the person goes on.
///
/// # Errors
/// If the input ends.
pub fn wait_for_enter(words: &str) -> Done {
    let mut out = std::io::stderr().lock();
    write!(out, "{words} ")?;
    out.flush()?;
    line().map(drop)
}

/// Discards what was typed before the question was shown: it was no answer to it.
fn discard_earlier_input() {
    // Without a terminal nothing is typed, and the input is a text that the user prepared.
    let _ = rustix::termios::tcflush(std::io::stdin(), rustix::termios::QueueSelector::IFlush);
}

/// A line of the person's; the end of the input is a no.
fn line() -> Done<String> {
    let mut answer = String::new();
    if std::io::stdin().lock().read_line(&mut answer)? == 0 {
        return Err(Failure::new(FailureKind::Declined, "nothing has been changed"));
    }
    Ok(answer.trim().to_owned())
}

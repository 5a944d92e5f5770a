//! The one question.

use std::io::{BufRead, IsTerminal, Write};

use crate::error::{Done, Failure, Kind};

/// Whether there is a person to ask.
pub fn has_person() -> bool {
    std::io::stdin().is_terminal() && std::io::stderr().is_terminal()
}

/// Asks for a yes.
///
/// # Errors
/// [`Kind::Declined`] if the answer is anything else.
pub fn agree(question: &str) -> Done {
    let mut out = std::io::stderr().lock();
    write!(out, "\n{question} [y/n] ")?;
    out.flush()?;
    let mut answer = String::new();
    std::io::stdin().lock().read_line(&mut answer)?;
    match answer.trim().to_lowercase().as_str() {
        "y" | "yes" => Ok(()),
        _ => Err(Failure::new(Kind::Declined, "nothing has been changed")),
    }
}

/// Asks for one of several letters; says whether it was given as a capital. An empty answer is the
/// usual one.
///
/// # Errors
/// [`Kind::Declined`] if there is no answer.
pub fn choose(choices: &[(char, String)], usual: char, hint: &str) -> Done<(char, bool)> {
    let usual = choices.iter().map(|(letter, _)| *letter).find(|letter| *letter == usual);
    let mut out = std::io::stderr().lock();
    for (letter, words) in choices {
        let mark = if Some(*letter) == usual { "*" } else { " " };
        writeln!(out, "  {mark}{letter}  {words}")?;
    }
    loop {
        write!(out, "  {hint} [{}] ", usual.map_or_else(String::new, String::from))?;
        out.flush()?;
        let answer = line()?;
        let mut letters = answer.chars();
        match (letters.next(), letters.next()) {
            (None, _) if usual.is_some() => return Ok((usual.unwrap_or_default(), false)),
            (Some(letter), None) => {
                let small = letter.to_lowercase().next().unwrap_or(letter);
                if choices.iter().any(|(known, _)| *known == small) {
                    return Ok((small, letter.is_uppercase()));
                }
            }
            _ => {}
        }
    }
}

/// Asks for a number from 1 to `most`; `None` for an empty answer.
///
/// # Errors
/// [`Kind::Declined`] if there is no answer.
pub fn number(question: &str, most: usize) -> Done<Option<usize>> {
    let mut out = std::io::stderr().lock();
    loop {
        write!(out, "  {question} ")?;
        out.flush()?;
        let answer = line()?;
        match answer.parse::<usize>() {
            Ok(number) if (1..=most).contains(&number) => return Ok(Some(number)),
            _ if answer.is_empty() => return Ok(None),
            _ => {}
        }
    }
}

/// A line of the person's; the end of the input is a no.
fn line() -> Done<String> {
    let mut answer = String::new();
    if std::io::stdin().lock().read_line(&mut answer)? == 0 {
        return Err(Failure::new(Kind::Declined, "nothing has been changed"));
    }
    Ok(answer.trim().to_owned())
}

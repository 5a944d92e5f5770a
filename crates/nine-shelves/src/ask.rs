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

//! How the stand-in misbehaves, on request.

use std::str::FromStr;
use std::time::Duration;

/// What goes wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Wrong {
    /// The connection is dropped before anything was done.
    DropBefore,
    /// It is done, and then the connection is dropped without an answer.
    DropAfter,
    /// It is done, and half of the answer is sent.
    Half,
    /// Another status is answered, and nothing is done.
    Status(u16),
    /// The answer takes this long.
    Slow(Duration),
    /// The answer sends the client to another address.
    Elsewhere,
    /// The answer to a listing never ends.
    Endless,
    /// A listing speaks of something that lies elsewhere.
    Astray,
    /// A listing is no XML.
    Garbled,
    /// It is busy, and asks to be left alone for this long.
    AskFor(&'static str),
    /// Every folder has one in it, without end.
    Nested,
    /// A listing names a file and a folder of one name.
    Twice,
}

/// Something that goes wrong with some requests.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// What.
    pub wrong: Wrong,
    /// Of which method; of any where that is left out.
    pub method: Option<String>,
    /// From which request of that method on, counted from 1.
    pub from: u64,
    /// How many of them.
    pub times: u64,
}

impl Fault {
    /// Something that goes wrong once, with the `nth` request of any method.
    pub fn once(wrong: Wrong, nth: u64) -> Self {
        Self { wrong, method: None, from: nth, times: 1 }
    }

    /// The same, with requests of one method.
    pub fn of(self, method: &str) -> Self {
        Self { method: Some(method.to_owned()), ..self }
    }
}

/// `WRONG[:METHOD[:FROM[:TIMES]]]`, such as `drop-after:MOVE:3`, `503:PUT`, `slow-200`.
impl FromStr for Fault {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let mut parts = text.split(':');
        let word = parts.next().unwrap_or_default();
        let wrong = match word {
            "drop-before" => Wrong::DropBefore,
            "drop-after" => Wrong::DropAfter,
            "half" => Wrong::Half,
            "elsewhere" => Wrong::Elsewhere,
            "endless" => Wrong::Endless,
            "astray" => Wrong::Astray,
            "garbled" => Wrong::Garbled,
            "nested" => Wrong::Nested,
            "twice" => Wrong::Twice,
            _ => match (word.strip_prefix("slow-").map(str::parse), word.parse()) {
                (Some(Ok(millis)), _) => Wrong::Slow(Duration::from_millis(millis)),
                (None, Ok(status)) => Wrong::Status(status),
                _ => return Err(format!("`{word}` is no fault that is known")),
            },
        };
        let method = parts.next().filter(|method| *method != "*").map(str::to_owned);
        let number = |text: Option<&str>, usual| match text {
            None => Ok(usual),
            Some(text) => text.parse().map_err(|_| format!("`{text}` is no number")),
        };
        let from = number(parts.next(), 1)?;
        Ok(Self { wrong, method, from, times: number(parts.next(), u64::MAX)? })
    }
}

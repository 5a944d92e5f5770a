//! The one error on top: kind, message, hint.

use std::io::Write;
use std::process::ExitCode;

use nine_engine::{Environment, Error};

use crate::output;
use crate::output::style::REFUSED;
use crate::wording;

/// What kind of failure it is; sets the exit status.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FailureKind {
    /// Some of it could not be done, and each was named.
    Partly,
    /// The system did not let it be done.
    System,
    /// The words or the configuration are wrong.
    Words,
    /// The person said no.
    Declined,
    /// Nobody reads the output any more.
    Pipe,
}

/// A failure in words.
#[derive(Debug)]
pub struct Message {
    /// Sets the exit status.
    pub kind: FailureKind,
    /// What happened, to what.
    pub message: String,
    /// What to do next.
    pub hint: Option<String>,
}

/// Why a command did not end well.
#[derive(Debug)]
pub enum Failure {
    /// In words already.
    Message(Message),
    /// As the engine has it; the words are put to it where it is told.
    Engine(Error),
}

/// What a command answers.
pub type Done<T = ()> = Result<T, Failure>;

impl Failure {
    /// A failure of some kind. An empty message says nothing more.
    pub fn new(kind: FailureKind, message: impl Into<String>) -> Self {
        Self::Message(Message { kind, message: message.into(), hint: None })
    }

    /// The words or the configuration are wrong.
    pub fn words(message: impl Into<String>) -> Self {
        Self::new(FailureKind::Words, message)
    }

    /// The system did not let it be done.
    pub fn system(message: impl Into<String>) -> Self {
        Self::new(FailureKind::System, message)
    }

    /// Some of it could not be done, and each was named.
    pub fn partly() -> Self {
        Self::new(FailureKind::Partly, "")
    }

    /// What happened, in words.
    pub fn told(&self, environment: &Environment) -> Message {
        match self {
            Self::Message(Message { kind, message, hint }) => {
                Message { kind: *kind, message: message.clone(), hint: hint.clone() }
            }
            Self::Engine(error) => wording::tell(error, environment),
        }
    }

    /// Whether nobody reads the output any more.
    pub fn is_pipe(&self) -> bool {
        matches!(self, Self::Message(Message { kind: FailureKind::Pipe, .. }))
    }

    /// Whether the person said no.
    pub fn is_declined(&self) -> bool {
        matches!(self, Self::Message(Message { kind: FailureKind::Declined, .. }))
    }

    /// Whether some of it was done.
    pub fn is_partly(&self) -> bool {
        matches!(self, Self::Message(Message { kind: FailureKind::Partly, .. }))
    }

    /// The same with what to do next.
    pub fn hint(mut self, hint: impl Into<String>) -> Self {
        if let Self::Message(told) = &mut self {
            told.hint = Some(hint.into());
        }
        self
    }

    /// Tells it on standard error and gives the exit status.
    pub fn report(self, environment: Option<&Environment>) -> ExitCode {
        let told = match (self, environment) {
            (Self::Message(told), _) => told,
            (Self::Engine(error), Some(environment)) => wording::tell(&error, environment),
            (Self::Engine(error), None) => {
                Message { kind: FailureKind::System, message: error.to_string(), hint: None }
            }
        };
        let mut out = output::err();
        if !told.message.is_empty() {
            let _ = writeln!(out, "{REFUSED}nine:{REFUSED:#} {}", told.message);
        }
        if let Some(hint) = &told.hint {
            let _ = writeln!(out, "      {hint}");
        }
        match told.kind {
            FailureKind::Partly | FailureKind::System => ExitCode::from(1),
            FailureKind::Words => ExitCode::from(2),
            FailureKind::Declined => ExitCode::from(3),
            FailureKind::Pipe => ExitCode::SUCCESS,
        }
    }
}

impl From<Error> for Failure {
    fn from(error: Error) -> Self {
        match error {
            Error::Io(error) => error.into(),
            other => Self::Engine(other),
        }
    }
}

impl From<std::io::Error> for Failure {
    fn from(error: std::io::Error) -> Self {
        match error.kind() {
            std::io::ErrorKind::BrokenPipe => Self::new(FailureKind::Pipe, ""),
            _ => Self::system(error.to_string()),
        }
    }
}

/// How a command ends that has told each trouble already.
///
/// # Errors
/// If there was any.
pub fn unless(troubles: usize) -> Done {
    if troubles == 0 { Ok(()) } else { Err(Failure::partly()) }
}

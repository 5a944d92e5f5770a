//! The one error on top: kind, message, hint.

use std::io::Write;
use std::process::ExitCode;

/// What kind of failure it is; sets the exit status.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
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

/// Why a command did not end well.
#[derive(Debug)]
pub struct Failure {
    kind: Kind,
    message: String,
    hint: Option<String>,
}

/// What a command answers.
pub type Done<T = ()> = Result<T, Failure>;

impl Failure {
    /// A failure of some kind. An empty message says nothing more.
    pub fn new(kind: Kind, message: impl Into<String>) -> Self {
        Self { kind, message: message.into(), hint: None }
    }

    /// The words or the configuration are wrong.
    pub fn words(message: impl Into<String>) -> Self {
        Self::new(Kind::Words, message)
    }

    /// The system did not let it be done.
    pub fn system(message: impl Into<String>) -> Self {
        Self::new(Kind::System, message)
    }

    /// The same with what to do next.
    pub fn hint(mut self, hint: impl Into<String>) -> Self {
        self.hint = Some(hint.into());
        self
    }

    /// Tells it on standard error and gives the exit status.
    pub fn report(&self) -> ExitCode {
        let mut out = crate::output::err();
        let error = crate::output::style::REFUSED;
        if !self.message.is_empty() {
            let _ = writeln!(out, "{error}nine:{error:#} {}", self.message);
        }
        if let Some(hint) = &self.hint {
            let _ = writeln!(out, "      {hint}");
        }
        match self.kind {
            Kind::Partly | Kind::System => ExitCode::from(1),
            Kind::Words => ExitCode::from(2),
            Kind::Declined => ExitCode::from(3),
            Kind::Pipe => ExitCode::SUCCESS,
        }
    }
}

/// What happened, on one line.
impl std::fmt::Display for Failure {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.message)
    }
}

impl From<std::io::Error> for Failure {
    fn from(error: std::io::Error) -> Self {
        match error.kind() {
            std::io::ErrorKind::BrokenPipe => Self::new(Kind::Pipe, ""),
            _ => Self::system(error.to_string()),
        }
    }
}

//! Words read in a process of their own, so that a hostile file can at worst end that process.

mod frames;
mod timed;

use std::io::{self, BufReader};
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use nine_stores::ContainerReader;
use nine_stores::reading::Words;

pub use frames::{read_frame, write_frame};
use timed::Timed;

use crate::workspace::ReaderProgram;

/// How long one file may take.
pub const PATIENCE: Duration = Duration::from_secs(10);

/// What is asked about a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ask {
    /// Its words.
    Words,
    /// Up to so many lines that tell what it is.
    Glance(u8),
    /// What it looks like, if it is a picture: pixels across, down, and the print in sixteen digits.
    Looks,
    /// The picture itself, made to fit into so many pixels across and down; see [`nine_stores::reading::Raster`].
    Picture(u16, u16),
    /// The names in the root of a compound document, one per line.
    CompoundNames,
}

impl Ask {
    /// As the process gets it: what is asked, and two numbers.
    fn bytes(self) -> [u8; 5] {
        let (what, first, second) = match self {
            Ask::Words => (0, 0, 0),
            Ask::Glance(lines) => (1, u16::from(lines), 0),
            Ask::Looks => (2, 0, 0),
            Ask::Picture(across, down) => (3, across, down),
            Ask::CompoundNames => (4, 0, 0),
        };
        let ([a, b], [c, d]) = (first.to_le_bytes(), second.to_le_bytes());
        [what, a, b, c, d]
    }

    /// Reads it as the process gets it.
    pub fn from_bytes(bytes: &[u8]) -> Self {
        let number = |at: usize| bytes.get(at..at + 2).map_or(0, |two| u16::from_le_bytes([two[0], two[1]]));
        match bytes.first() {
            Some(1) => Ask::Glance(number(1).clamp(1, 255) as u8),
            Some(2) => Ask::Looks,
            Some(3) => Ask::Picture(number(1), number(3)),
            Some(4) => Ask::CompoundNames,
            _ => Ask::Words,
        }
    }
}

/// Reads files in a process of its own, which is started when it is needed and ended when a file
/// takes too long.
#[derive(Debug)]
pub struct Reader {
    program: ReaderProgram,
    at_work: Option<Worker>,
}

#[derive(Debug)]
struct Worker {
    child: Child,
    to: Timed<ChildStdin>,
    from: BufReader<Timed<ChildStdout>>,
}

impl Reader {
    /// A reader that is started with the first question.
    pub fn new(program: &ReaderProgram) -> Self {
        Self { program: program.clone(), at_work: None }
    }

    /// Asks about a file of this name whose first bytes these are, out of `size`.
    pub fn ask(&mut self, ask: Ask, name: &[u8], bytes: &[u8], size: u64) -> Words {
        match self.answer(ask, name, bytes, size) {
            Ok(words) => words,
            Err(error) => {
                self.end();
                match error.kind() {
                    io::ErrorKind::TimedOut => {
                        Words::none(format!("given up after {} seconds", PATIENCE.as_secs()))
                    }
                    io::ErrorKind::BrokenPipe | io::ErrorKind::UnexpectedEof => {
                        Words::none("given up: reading it took too much memory or ended the reader")
                    }
                    _ => Words::none(format!("the reader cannot be run: {error}")),
                }
            }
        }
    }

    /// One deadline covers all of it: a file's bytes on their way to the process, and each byte of the answer.
    fn answer(&mut self, ask: Ask, name: &[u8], bytes: &[u8], size: u64) -> io::Result<Words> {
        let worker = match &mut self.at_work {
            Some(worker) => worker,
            none => none.insert(Worker::start(&self.program)?),
        };
        worker.finish_by(Instant::now() + self.program.patience);
        write_frame(&mut worker.to, &ask.bytes())?;
        write_frame(&mut worker.to, name)?;
        write_frame(&mut worker.to, &size.to_le_bytes())?;
        write_frame(&mut worker.to, bytes)?;
        let text = |bytes: Vec<u8>| String::from_utf8_lossy(&bytes).into_owned();
        let body = text(read_frame(&mut worker.from)?.ok_or(io::ErrorKind::UnexpectedEof)?);
        let note = text(read_frame(&mut worker.from)?.ok_or(io::ErrorKind::UnexpectedEof)?);
        let said = text(read_frame(&mut worker.from)?.ok_or(io::ErrorKind::UnexpectedEof)?);
        Ok(Words { body, note, said })
    }

    fn end(&mut self) {
        if let Some(mut worker) = self.at_work.take() {
            let _ = worker.child.kill();
            let _ = worker.child.wait();
        }
    }
}

impl Drop for Reader {
    fn drop(&mut self) {
        self.end();
    }
}

impl Worker {
    fn start(reader: &ReaderProgram) -> io::Result<Self> {
        // Nothing of the user's environment is for it, least of all a drive's password.
        let mut child = Command::new(&reader.program)
            .arg(&reader.argument)
            .env_clear()
            .envs(reader.variables.iter().cloned())
            .current_dir("/")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()?;
        let (Some(to), Some(from)) = (child.stdin.take(), child.stdout.take()) else {
            return Err(io::ErrorKind::BrokenPipe.into());
        };
        Ok(Self { child, to: Timed::new(to)?, from: BufReader::new(Timed::new(from)?) })
    }

    fn finish_by(&mut self, deadline: Instant) {
        self.to.deadline = deadline;
        self.from.get_mut().deadline = deadline;
    }
}

/// A reader for several threads, which take turns.
#[derive(Debug)]
pub(crate) struct SharedReader(Mutex<Reader>);

impl SharedReader {
    pub fn new(program: &ReaderProgram) -> Self {
        Self(Mutex::new(Reader::new(program)))
    }
}

impl ContainerReader for SharedReader {
    fn compound_names(&self, name: &[u8], bytes: &[u8]) -> Vec<String> {
        let mut reader = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let words = reader.ask(Ask::CompoundNames, name, bytes, bytes.len() as u64);
        words.body.lines().map(str::to_owned).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::Ask;

    #[test]
    fn what_is_asked_arrives() {
        for ask in [Ask::Words, Ask::Glance(7), Ask::Looks, Ask::Picture(300, 2), Ask::CompoundNames] {
            assert_eq!(Ask::from_bytes(&ask.bytes()), ask);
        }
        assert_eq!(Ask::from_bytes(&[]), Ask::Words);
    }
}

//! The process that reads: it answers one question after another until nobody asks any more.

use std::fs::File;
use std::io::{self, BufWriter, Write};

use nine_core::tree::Looks;
use nine_stores::reading::{Words, glance, looks, words};
use rustix::process::{Resource, Rlimit, setrlimit};

use super::Ask;
use super::frames::{read_frame, write_frame};
use crate::error::Done;

/// The memory that reading may take.
const MEMORY: u64 = 2 << 30;

/// Answers on standard output what is asked on standard input.
///
/// # Errors
/// If they cannot be used.
pub fn serve() -> Done {
    let limit = Rlimit { current: Some(MEMORY), maximum: Some(MEMORY) };
    setrlimit(Resource::As, limit).map_err(io::Error::from)?;
    // A panic is answered, not told.
    std::panic::set_hook(Box::new(|_| {}));
    // Some libraries print; their words must not come between the answers.
    let answers = File::from(rustix::io::dup(rustix::stdio::stdout()).map_err(io::Error::from)?);
    let nowhere = File::options().write(true).open("/dev/null")?;
    rustix::stdio::dup2_stdout(&nowhere).map_err(io::Error::from)?;
    let (mut asked, mut answers) = (io::stdin().lock(), BufWriter::new(answers));
    while let Some(ask) = read_frame(&mut asked)? {
        let mut next =
            || -> io::Result<Vec<u8>> { Ok(read_frame(&mut asked)?.ok_or(io::ErrorKind::UnexpectedEof)?) };
        let (name, size, bytes) = (next()?, next()?, next()?);
        misbehave(&name);
        let size = size.try_into().map_or(bytes.len() as u64, u64::from_le_bytes);
        let ask = Ask::from_byte(ask.first().copied().unwrap_or_default());
        let read = std::panic::catch_unwind(|| match ask {
            Ask::Words => words(&name, &bytes, size),
            Ask::Looks => match looks(&bytes) {
                Ok(Looks { pixels, print }) => {
                    Words { body: format!("{} {} {print:016x}", pixels.0, pixels.1), note: String::new() }
                }
                Err(why) => Words::none(why),
            },
            Ask::Glance(lines) => {
                Words { body: glance(&name, &bytes, size, lines.into()).join("\n"), note: String::new() }
            }
        });
        let Words { body, note } = read.unwrap_or_else(|_| Words::none("it is damaged"));
        write_frame(&mut answers, body.as_bytes())?;
        write_frame(&mut answers, note.as_bytes())?;
        answers.flush()?;
    }
    Ok(())
}

/// Lets a test see what becomes of a reader that never ends, or that is ended. Debug builds only.
fn misbehave(name: &[u8]) {
    #[cfg(debug_assertions)]
    if std::env::var_os("NINE_READER_MISBEHAVES").is_some() {
        match name {
            b"endless.txt" => std::thread::sleep(std::time::Duration::from_secs(3600)),
            b"fatal.txt" => std::process::abort(),
            _ => {}
        }
    }
    let _ = name;
}

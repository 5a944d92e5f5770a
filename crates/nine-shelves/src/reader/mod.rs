//! The process that reads what is inside files: it answers one question after another until nobody asks any more. A
//! hostile file can at worst end that process.

mod confine;

use std::fs::File;
use std::io::{self, BufWriter, Write};

use nine_core::tree::Looks;
use nine_stores::reading::{Words, compound_names, glance, inside, looks, raster};
use rustix::process::{Resource, Rlimit, setrlimit};

pub use confine::is_confined_by_kernel;
use nine_engine::reader::{Ask, read_frame, write_frame};

use crate::failure::Done;

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
    drop(nowhere);
    confine::confine();
    let (mut asked, mut answers) = (io::stdin().lock(), BufWriter::new(answers));
    while let Some(ask) = read_frame(&mut asked)? {
        let mut next =
            || -> io::Result<Vec<u8>> { Ok(read_frame(&mut asked)?.ok_or(io::ErrorKind::UnexpectedEof)?) };
        let (name, size, bytes) = (next()?, next()?, next()?);
        let size = size.try_into().map_or(bytes.len() as u64, u64::from_le_bytes);
        let ask = Ask::from_bytes(&ask);
        let read = std::panic::catch_unwind(|| match ask {
            _ if misbehaves(&name) => Words { body: reached(), ..Words::default() },
            Ask::Words => inside(&name, &bytes, size),
            Ask::Looks => match looks(&bytes) {
                Ok(Looks { pixels, print }) => {
                    Words { body: format!("{} {} {print:016x}", pixels.0, pixels.1), ..Words::default() }
                }
                Err(why) => Words::none(why),
            },
            Ask::CompoundNames => Words { body: compound_names(&bytes).join("\n"), ..Words::default() },
            Ask::Glance(lines) => glance(&name, &bytes, size, lines.into()),
            Ask::Picture(across, down) => match raster(&bytes, across.into(), down.into()) {
                Ok(picture) => Words { body: picture.written(), ..Words::default() },
                Err(why) => Words::none(why),
            },
        });
        let Words { body, note, said } = read.unwrap_or_else(|_| Words::none("it is damaged"));
        write_frame(&mut answers, body.as_bytes())?;
        write_frame(&mut answers, note.as_bytes())?;
        write_frame(&mut answers, said.as_bytes())?;
        answers.flush()?;
    }
    Ok(())
}

/// The variable by which a test has the reader misbehave.
pub const MISBEHAVES: &str = "NINE_READER_MISBEHAVES";

/// Lets a test see what becomes of a reader that never ends, that is ended, or that reaches for what is not its own.
/// Debug builds only.
fn misbehaves(name: &[u8]) -> bool {
    if !cfg!(debug_assertions) || std::env::var_os(MISBEHAVES).is_none() {
        return false;
    }
    match name {
        b"endless.txt" => std::thread::sleep(std::time::Duration::from_secs(3600)),
        b"fatal.txt" => std::process::abort(),
        _ => return name == b"curious.txt",
    }
    false
}

/// What a hostile file could reach from here, in words.
fn reached() -> String {
    let tries = [
        ("file", File::open("/etc/passwd").is_ok()),
        ("folder", std::fs::read_dir("/").is_ok()),
        ("new file", File::create(std::env::temp_dir().join("nine-was-here")).is_ok()),
        ("stream", std::net::TcpListener::bind("127.0.0.1:0").is_ok()),
        ("datagram", std::net::UdpSocket::bind("127.0.0.1:0").is_ok()),
        ("program", std::process::Command::new("/bin/true").status().is_ok()),
    ];
    let reached: Vec<&str> = tries.iter().filter(|(_, reached)| *reached).map(|(what, _)| *what).collect();
    format!("reached {}", if reached.is_empty() { "nothing".to_owned() } else { reached.join(", ") })
}

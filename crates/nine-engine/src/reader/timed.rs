//! Pipes with a deadline for each read and write.

use std::io::{self, Read, Write};
use std::os::fd::AsFd;
use std::time::Instant;

use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::fs::{OFlags, fcntl_getfl, fcntl_setfl};
use rustix::io::Errno;

/// A pipe whose reads and writes fail with [`io::ErrorKind::TimedOut`] after the deadline.
#[derive(Debug)]
pub struct Timed<P> {
    pipe: P,
    /// When it gives up.
    pub deadline: Instant,
}

impl<P: AsFd> Timed<P> {
    /// Makes the pipe non-blocking.
    ///
    /// # Errors
    /// Returns an error if the system refuses that.
    pub fn new(pipe: P) -> io::Result<Self> {
        let flags = fcntl_getfl(&pipe)?;
        fcntl_setfl(&pipe, flags | OFlags::NONBLOCK)?;
        Ok(Self { pipe, deadline: Instant::now() })
    }

    /// Waits until the pipe can be used.
    fn wait(&self, until: PollFlags) -> io::Result<()> {
        loop {
            let left = self.deadline.saturating_duration_since(Instant::now());
            let timeout = Timespec::try_from(left).map_err(io::Error::other)?;
            match poll(&mut [PollFd::new(&self.pipe, until)], Some(&timeout)) {
                Ok(0) => return Err(io::ErrorKind::TimedOut.into()),
                Ok(_) => return Ok(()),
                Err(Errno::INTR) => {}
                Err(other) => return Err(other.into()),
            }
        }
    }

    fn retry<T>(&mut self, until: PollFlags, mut call: impl FnMut(&mut P) -> io::Result<T>) -> io::Result<T> {
        loop {
            self.wait(until)?;
            match call(&mut self.pipe) {
                Err(error) if error.kind() == io::ErrorKind::WouldBlock => {}
                done => return done,
            }
        }
    }
}

impl<P: AsFd + Read> Read for Timed<P> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        self.retry(PollFlags::IN, |pipe| pipe.read(buffer))
    }
}

impl<P: AsFd + Write> Write for Timed<P> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.retry(PollFlags::OUT, |pipe| pipe.write(bytes))
    }

    fn flush(&mut self) -> io::Result<()> {
        self.pipe.flush()
    }
}

#[cfg(test)]
mod tests {
    use std::io::ErrorKind;
    use std::time::Duration;

    use super::*;

    #[test]
    fn an_answer_that_stops_half_way_and_a_question_that_is_not_taken_end_at_the_deadline() {
        let (reader, mut writer) = io::pipe().unwrap();
        let mut reader = Timed::new(reader).unwrap();
        writer.write_all(b"half").unwrap();
        reader.deadline = Instant::now() + Duration::from_millis(50);
        let mut answer = [0; 8];
        assert_eq!(reader.read_exact(&mut answer).unwrap_err().kind(), ErrorKind::TimedOut);
        assert_eq!(&answer[..4], b"half");

        let (_not_read, writer) = io::pipe().unwrap();
        let mut writer = Timed::new(writer).unwrap();
        writer.deadline = Instant::now() + Duration::from_millis(50);
        let more_than_a_pipe_holds = vec![0; 4 << 20];
        assert_eq!(writer.write_all(&more_than_a_pipe_holds).unwrap_err().kind(), ErrorKind::TimedOut);
    }
}

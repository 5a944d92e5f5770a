//! `nine`: clears a cluttered desktop, downloads folder and drive.

use std::process::ExitCode;

fn main() -> ExitCode {
    nine_shelves::run()
}

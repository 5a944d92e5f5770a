//! A fault of the program itself: it ends the command with a message that names the item, on whatever thread it happens.

use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Mutex;

use nine_core::escape::plain;
use nine_stores::ItemPanic;

use crate::failure::{Done, Failure};

/// Where in the source the last panic happened.
static SOURCE: Mutex<String> = Mutex::new(String::new());

/// Runs a command; a panic in it becomes a failure.
pub fn caught(command: impl FnOnce() -> Done) -> Done {
    // Parsers panic on damaged files; these panics are caught and expected, so none is printed by itself.
    std::panic::set_hook(Box::new(|what| {
        if let (Ok(mut source), Some(location)) = (SOURCE.lock(), what.location()) {
            *source = location.to_string();
        }
    }));
    catch_unwind(AssertUnwindSafe(command)).unwrap_or_else(|payload| {
        let ItemPanic { item, message } = ItemPanic::of(&*payload);
        let source = SOURCE.lock().map(|source| source.clone()).unwrap_or_default();
        let at = if item.is_empty() { String::new() } else { format!(" while reading {}", plain(&item)) };
        let message = format!("internal error{at}: {} ({source})", plain(&message));
        let hint = "nothing is lost: what was being changed is finished or undone by the next command. \
            Please report this";
        Err(Failure::system(message).hint(hint))
    })
}

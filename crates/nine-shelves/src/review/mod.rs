//! The full-screen review: what lies there at the left, where it may go at the right. It draws, and reads keys; what
//! is decided is decided by [`OpenReview`].

mod act;
mod answer;
mod app;
mod ask;
mod dialog;
mod draw;
mod keys;
mod list;
mod paint;
mod sixel;
mod terminal;
mod words;

use std::path::PathBuf;
use std::time::{Duration, Instant};

use nine_engine::review::OpenReview;

use crate::failure::Done;
use crate::output;
use crate::session::Session;
use app::App;
use paint::Paint;
use terminal::Screen;

pub use terminal::{expect_screen, give_back_for_good, has_screen};

/// How a review ends.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Ended {
    /// What was decided is carried out; with `open_sure` also what is proposed without a doubt.
    Carry {
        /// Whether that counts too.
        open_sure: bool,
    },
    /// It is written to a table.
    Write(PathBuf),
    /// It is gone on with another time.
    Kept,
    /// All that was decided is forgotten.
    Dropped,
}

/// How soon answers that are to come are looked for, and how long nothing may happen before what was decided is flushed.
const SOON: Duration = Duration::from_millis(15);
const IDLE: Duration = Duration::from_millis(1000);

/// Goes through a review on the screen until the person ends it.
///
/// # Errors
/// If there is no terminal, or it goes away. What was decided is kept then.
pub fn go_through(session: &Session, open: &mut OpenReview) -> Done<Ended> {
    expect_screen()?;
    let mut screen = Screen::take(session)?;
    let paint = Paint { color: output::has_color(), ascii: session.look.ascii };
    let mut app = App::new(session, paint, open);
    app.cell_pixels = if screen.draws_sixels { screen.cell_pixels() } else { None };
    let mut picture = sixel::Picture::default();
    let mut is_first = true;
    // Whether more of the list is to be kept.
    let mut keeps = true;
    let mut last_event = Instant::now();
    loop {
        app.take_answers();
        picture.show(&mut screen, &mut app)?;
        if std::mem::take(&mut is_first) {
            // The first sight comes before the first line of the record.
            app.open.keep()?;
        }
        app.ask_inside();
        let mut event = None;
        while event.is_none() {
            let wait = match keeps || app.has_work() {
                true => Duration::ZERO,
                false if app.waits() => SOON,
                false => IDLE,
            };
            event = screen.event(wait)?;
            if keeps && event.is_none() {
                keeps = app.open.keep_more()?;
            }
            if event.is_none() && (app.take_answers() || app.find_offer()) {
                break;
            }
            if event.is_none() && last_event.elapsed() >= IDLE {
                app.open.flush();
            }
        }
        if let Some(event) = event {
            last_event = Instant::now();
            app.event(&event);
            misbehave(&event);
        }
        if let Some(ended) = app.ended.take() {
            return Ok(ended);
        }
    }
}

/// Lets a test see what a fault of the program leaves of the terminal. Debug builds only.
fn misbehave(event: &ratatui::crossterm::event::Event) {
    let is_paste = matches!(event, ratatui::crossterm::event::Event::Paste(_));
    if cfg!(debug_assertions) && is_paste && std::env::var_os("NINE_SCREEN_MISBEHAVES").is_some() {
        panic!("asked for by a test");
    }
}

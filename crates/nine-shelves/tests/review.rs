//! The review, through a terminal: what is shown, and what comes of keys.

#[path = "program/support.rs"]
mod support;

#[path = "review/screen.rs"]
mod screen;

#[path = "review/everywhere.rs"]
mod everywhere;
#[path = "review/stories.rs"]
mod stories;
#[path = "review/views.rs"]
mod views;

//! The built program on drives: the small one that ships with it, or, with `NINE_SERVER=URL=FOLDER`, on a server
//! that serves this folder at this address; `NINE_SERVER_LOGIN` and `NINE_SERVER_CERTIFICATE` go with it (`tests/servers`).

#[path = "program/support.rs"]
mod support;

#[path = "drive/drive.rs"]
#[allow(dead_code)] // some of it is used by the harness
mod drive;

#[path = "drive/archive.rs"]
mod archive;
#[path = "drive/conduct.rs"]
mod conduct;
#[path = "drive/filing.rs"]
mod filing;
#[path = "drive/listing.rs"]
mod listing;
#[path = "drive/machines.rs"]
mod machines;
#[path = "drive/mixed.rs"]
mod mixed;

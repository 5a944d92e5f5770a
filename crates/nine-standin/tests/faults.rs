//! What the stand-in does wrong, it does when it is asked to and not otherwise.

use std::io::{Read, Write};
use std::net::TcpStream;

use nine_standin::{Fault, Settings, Standin, Wrong};

/// Sends one request on a connection of its own; what came back, which is nothing if the line was cut.
fn ask(drive: &Standin, method: &str, path: &str, body: &str) -> String {
    let mut stream = TcpStream::connect(("127.0.0.1", drive.port())).unwrap();
    let length = body.len();
    let head = format!(
        "{method} {path} HTTP/1.1\r\nhost: drive\r\nconnection: close\r\ncontent-length: {length}\r\n\r\n"
    );
    stream.write_all(format!("{head}{body}").as_bytes()).unwrap();
    let mut answer = Vec::new();
    let _ = stream.read_to_end(&mut answer);
    String::from_utf8_lossy(&answer).into_owned()
}

fn served() -> (tempfile::TempDir, Standin) {
    let folder = tempfile::tempdir().unwrap();
    let settings = Settings { root: folder.path().to_owned(), tells_changes: true, ..Settings::default() };
    (folder, Standin::start(settings).unwrap())
}

#[test]
fn faults_are_read_as_they_are_typed() {
    let read = |text: &str| text.parse::<Fault>();
    assert_eq!(read("drop-after:MOVE:3:1").unwrap(), Fault::once(Wrong::DropAfter, 3).of("MOVE"));
    assert_eq!(read("503").unwrap(), Fault { times: u64::MAX, ..Fault::once(Wrong::Status(503), 1) });
    assert_eq!(read("slow-20:*:2:4").unwrap().from, 2);
    for wrong in ["", "drop", "slow-x", "503:GET:x"] {
        assert!(read(wrong).is_err(), "{wrong}");
    }
}

#[test]
fn a_dropped_answer_tells_whether_it_was_done() {
    let (folder, drive) = served();
    drive.misbehave([Fault::once(Wrong::DropBefore, 1), Fault::once(Wrong::DropAfter, 2)]);
    assert_eq!(ask(&drive, "PUT", "/a", "x"), "");
    assert!(!folder.path().join("a").exists());
    assert_eq!(ask(&drive, "PUT", "/a", "x"), "");
    assert_eq!(std::fs::read(folder.path().join("a")).unwrap(), b"x");
    assert!(ask(&drive, "GET", "/a", "").starts_with("HTTP/1.1 200"));
    assert_eq!(drive.asked().len(), 3);
}

#[test]
fn changes_are_told_from_a_token_on() {
    let (_folder, drive) = served();
    let ask_since = |token: &str| {
        let body = format!(
            "<D:sync-collection xmlns:D=\"DAV:\"><D:sync-token>{token}</D:sync-token></D:sync-collection>"
        );
        ask(&drive, "REPORT", "/", &body)
    };
    let token =
        |answer: &str| answer.rsplit("<D:sync-token>").next().unwrap().split('<').next().unwrap().to_owned();
    ask(&drive, "PUT", "/a", "x");
    let first = ask_since("");
    let since = token(&first);
    ask(&drive, "PUT", "/b", "x");
    ask(&drive, "DELETE", "/a", "");
    let told = ask_since(&since);
    assert!(told.contains("<D:href>/b</D:href><D:propstat>"), "{told}");
    assert!(told.contains("<D:href>/a</D:href><D:status>HTTP/1.1 404"), "{told}");
    assert!(ask_since("urn:of-another-time").contains("valid-sync-token"));
}

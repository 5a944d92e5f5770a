//! From a connection to the library, with what goes wrong in between.

use std::convert::Infallible;
use std::io;
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use bytes::Bytes;
use dav_server::DavHandler;
use dav_server::memls::MemLs;
use futures_util::stream;
use http::header::{AUTHORIZATION, CONTENT_LENGTH, LOCATION, RETRY_AFTER, WWW_AUTHENTICATE};
use http::{HeaderMap, HeaderValue, Request, Response, StatusCode};
use http_body::Frame;
use http_body_util::combinators::UnsyncBoxBody;
use http_body_util::{BodyExt, Full, StreamBody};
use hyper::body::Incoming;
use hyper::server::conn::http1;
use hyper::service::service_fn;
use hyper_util::rt::TokioIo;
use percent_encoding::percent_decode_str;
use sha2::Digest as _;

use crate::faults::Wrong;
use crate::folder::Folder;
use crate::{Asked, Shared, held};

type Body = UnsyncBoxBody<Bytes, io::Error>;

/// The connection ends here, without an answer.
type Answered = Result<Response<Body>, io::Error>;

/// Serves until it is dropped.
pub(crate) async fn serve(listener: TcpListener, shared: Arc<Shared>) {
    let Ok(listener) = tokio::net::TcpListener::from_std(listener) else { return };
    let folder = Folder::new(Arc::clone(&shared.settings));
    let dav = DavHandler::builder().filesystem(Box::new(folder)).locksystem(MemLs::new()).build_handler();
    for connection in 0.. {
        let Ok((stream, _)) = listener.accept().await else { continue };
        let _ = stream.set_nodelay(true);
        let (shared, dav) = (Arc::clone(&shared), dav.clone());
        tokio::spawn(async move {
            let answer = |request| answer(Arc::clone(&shared), dav.clone(), connection, request);
            let service = service_fn(answer);
            let _ = http1::Builder::new().serve_connection(TokioIo::new(stream), service).await;
        });
    }
}

fn whole(status: StatusCode, text: impl Into<Bytes>) -> Response<Body> {
    let body = Full::new(text.into()).map_err(|never: Infallible| match never {}).boxed_unsync();
    let mut response = Response::new(body);
    *response.status_mut() = status;
    response
}

fn broken() -> io::Error {
    io::Error::from(io::ErrorKind::ConnectionAborted)
}

async fn answer(
    shared: Arc<Shared>,
    dav: DavHandler,
    connection: usize,
    mut request: Request<Incoming>,
) -> Answered {
    let method = request.method().as_str().to_owned();
    let path = request.uri().path().to_owned();
    let with_credentials = request.headers().contains_key(AUTHORIZATION);
    let depth = request.headers().get("depth").and_then(|depth| depth.to_str().ok()).map(str::to_owned);
    let asked = Asked { method: method.clone(), path: path.clone(), depth, with_credentials, connection };
    held(&shared.asked).push(asked);
    tokio::time::sleep(shared.settings.delay).await;
    let wrong = going_wrong(&shared, &method);
    match wrong {
        Some(Wrong::DropBefore) => return Err(broken()),
        Some(Wrong::Slow(delay)) => tokio::time::sleep(delay).await,
        Some(Wrong::Status(status)) => return Ok(refusal(status)),
        Some(Wrong::AskFor(pause)) => {
            let mut response = refusal(503);
            response.headers_mut().insert(RETRY_AFTER, HeaderValue::from_static(pause));
            return Ok(response);
        }
        Some(made_up @ (Wrong::Nested | Wrong::Twice)) if method == "PROPFIND" => {
            let lists = request.headers().get("depth").is_some_and(|depth| depth.as_bytes() == b"1");
            return Ok(whole(StatusCode::MULTI_STATUS, make_up(&path, lists, made_up)));
        }
        Some(Wrong::Elsewhere) => {
            let mut response = whole(StatusCode::MOVED_PERMANENTLY, "");
            let other = format!("http://127.0.0.2:{}{path}", shared.settings.port);
            response.headers_mut().insert(LOCATION, HeaderValue::from_str(&other).map_err(|_| broken())?);
            return Ok(response);
        }
        _ => {}
    }
    if let Some(refused) = refused(&shared, &request) {
        return Ok(refused);
    }
    if shared.settings.careless {
        be_careless(request.headers_mut());
    }
    if method == "REPORT" {
        return report(&shared, request).await;
    }
    let sum = wants_sum(&shared, &request);
    let depth = request.headers().get("depth").map(|depth| depth.as_bytes() == b"0");
    let tells_token = shared.settings.tells_changes && method == "PROPFIND" && depth == Some(true);
    let to = request.headers().get("destination").and_then(|to| to.to_str().ok()).map(str::to_owned);
    let (parts, body) = dav.handle(request).await.into_parts();
    let mut response = Response::from_parts(parts, body.map_err(io::Error::other).boxed_unsync());
    if response.status().is_success() {
        note_changes(&shared, &method, &path, to.as_deref());
    }
    if tells_token && response.status() == StatusCode::MULTI_STATUS {
        response = with_token(&shared, response).await?;
    }
    if let Some(sum) = sum.and_then(|file| std::fs::read(file).ok()) {
        let written = format!("sha-256=:{}:", STANDARD.encode(sha2::Sha256::digest(&sum)));
        response.headers_mut().insert("repr-digest", HeaderValue::from_str(&written).map_err(|_| broken())?);
    }
    spoil(response, wrong).await
}

/// What goes wrong with this request, if anything does.
fn going_wrong(shared: &Shared, method: &str) -> Option<Wrong> {
    let mut wrong = None;
    for (fault, seen) in held(&shared.faults).iter_mut() {
        if fault.method.as_deref().is_none_or(|of| of == method) {
            *seen += 1;
            if *seen >= fault.from && *seen - fault.from < fault.times {
                wrong = wrong.or(Some(fault.wrong));
            }
        }
    }
    wrong
}

fn refusal(status: u16) -> Response<Body> {
    let status = StatusCode::from_u16(status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
    let mut response = whole(status, "");
    if matches!(status, StatusCode::SERVICE_UNAVAILABLE | StatusCode::TOO_MANY_REQUESTS) {
        response.headers_mut().insert(RETRY_AFTER, HeaderValue::from_static("1"));
    }
    response
}

/// Who may not come in, what may not be done, and what there is no room for.
fn refused(shared: &Shared, request: &Request<Incoming>) -> Option<Response<Body>> {
    let settings = &shared.settings;
    if let Some((name, password)) = &settings.login {
        let wanted = format!("Basic {}", STANDARD.encode(format!("{name}:{password}")));
        if request.headers().get(AUTHORIZATION).is_none_or(|given| given.as_bytes() != wanted.as_bytes()) {
            let mut response = whole(StatusCode::UNAUTHORIZED, "");
            response
                .headers_mut()
                .insert(WWW_AUTHENTICATE, HeaderValue::from_static("Basic realm=\"drive\""));
            return Some(response);
        }
    }
    let reads = ["GET", "HEAD", "OPTIONS", "PROPFIND", "REPORT"].contains(&request.method().as_str());
    if settings.read_only && !reads {
        return Some(whole(StatusCode::FORBIDDEN, ""));
    }
    let length =
        request.headers().get(CONTENT_LENGTH).and_then(|length| length.to_str().ok()?.parse::<u64>().ok());
    let is_full = |room: u64| Folder::used(&settings.root) + length.unwrap_or(0) > room;
    (request.method() == "PUT" && settings.quota.is_some_and(is_full))
        .then(|| whole(StatusCode::INSUFFICIENT_STORAGE, ""))
}

fn be_careless(headers: &mut HeaderMap) {
    for name in ["if-match", "if-none-match", "if", "overwrite"] {
        headers.remove(name);
    }
}

async fn report(shared: &Shared, request: Request<Incoming>) -> Answered {
    if !shared.settings.tells_changes {
        return Ok(whole(StatusCode::NOT_IMPLEMENTED, ""));
    }
    let path = request.uri().path().to_owned();
    let body = request.into_body().collect().await.map_err(io::Error::other)?.to_bytes();
    let body = String::from_utf8_lossy(&body).into_owned();
    let told = held(&shared.changes).report(&shared.settings.root, &path, &body);
    Ok(match told {
        Some(xml) => whole(StatusCode::MULTI_STATUS, xml),
        None => whole(
            StatusCode::FORBIDDEN,
            "<?xml version=\"1.0\"?><D:error xmlns:D=\"DAV:\"><D:valid-sync-token/></D:error>",
        ),
    })
}

/// Adds the token that stands for this moment, which the library knows nothing of.
async fn with_token(shared: &Shared, response: Response<Body>) -> Answered {
    let (mut parts, body) = response.into_parts();
    let text = String::from_utf8_lossy(&body.collect().await?.to_bytes()).into_owned();
    let token = held(&shared.changes).token();
    let told = format!(
        "<D:propstat><D:prop><D:sync-token>{token}</D:sync-token><D:supported-report-set><D:supported-report>\
         <D:report><D:sync-collection/></D:report></D:supported-report></D:supported-report-set></D:prop>\
         <D:status>HTTP/1.1 200 OK</D:status></D:propstat></D:response>"
    );
    parts.headers.remove(CONTENT_LENGTH);
    let text = text.replacen("</D:response>", &told, 1);
    let body = Full::new(Bytes::from(text)).map_err(|never: Infallible| match never {}).boxed_unsync();
    Ok(Response::from_parts(parts, body))
}

fn note_changes(shared: &Shared, method: &str, path: &str, to: Option<&str>) {
    let mut changes = held(&shared.changes);
    if ["PUT", "MKCOL", "DELETE", "MOVE", "PROPPATCH"].contains(&method) {
        changes.note(path);
    }
    if let Some(to) = to.filter(|_| ["MOVE", "COPY"].contains(&method)) {
        let below = to.split_once("://").and_then(|(_, rest)| rest.find('/').map(|at| &rest[at..]));
        changes.note(below.unwrap_or(to));
    }
}

/// The file whose checksum is asked for.
fn wants_sum(shared: &Shared, request: &Request<Incoming>) -> Option<PathBuf> {
    let asked = shared.settings.tells_sums && request.headers().contains_key("want-repr-digest");
    asked.then(|| absolute(&shared.settings.root, request.uri().path()))
}

fn absolute(root: &Path, path: &str) -> PathBuf {
    use std::os::unix::ffi::OsStringExt;
    let decoded: Vec<u8> = percent_decode_str(path.trim_start_matches('/')).collect();
    root.join(PathBuf::from(std::ffi::OsString::from_vec(decoded)))
}

/// Spoils an answer.
async fn spoil(response: Response<Body>, wrong: Option<Wrong>) -> Answered {
    let Some(wrong) = wrong else { return Ok(response) };
    if wrong == Wrong::DropAfter {
        // All of the request was read and acted on.
        let _ = response.into_body().collect().await;
        return Err(broken());
    }
    let is_listing = response.status() == StatusCode::MULTI_STATUS;
    let (mut parts, body) = response.into_parts();
    let bytes = body.collect().await?.to_bytes();
    match wrong {
        Wrong::Half => {
            let half = bytes.slice(..bytes.len() / 2);
            parts.headers.insert(CONTENT_LENGTH, HeaderValue::from(bytes.len()));
            let frames = stream::iter([Ok(Frame::data(half)), Err(broken())]);
            return Ok(Response::from_parts(parts, StreamBody::new(frames).boxed_unsync()));
        }
        Wrong::Endless if is_listing => {
            parts.headers.remove(CONTENT_LENGTH);
            let filler = Bytes::from(vec![b' '; 64 * 1024]);
            let frames = stream::repeat_with(move || Ok(Frame::data(filler.clone())));
            return Ok(Response::from_parts(parts, StreamBody::new(frames).boxed_unsync()));
        }
        _ => {}
    }
    let text = String::from_utf8_lossy(&bytes).into_owned();
    let text = match wrong {
        Wrong::Astray if is_listing => astray(&text),
        Wrong::Garbled if is_listing => text.replace("</D:href>", "</D:hfer>"),
        _ => text,
    };
    parts.headers.remove(CONTENT_LENGTH);
    tokio::time::sleep(Duration::ZERO).await;
    let body = Full::new(Bytes::from(text)).map_err(|never: Infallible| match never {}).boxed_unsync();
    Ok(Response::from_parts(parts, body))
}

/// A listing of what is not there.
fn make_up(path: &str, lists: bool, wrong: Wrong) -> String {
    let one = |href: &str, kind: &str| {
        format!(
            "<D:response><D:href>{href}</D:href><D:propstat><D:prop><D:resourcetype>{kind}</D:resourcetype>\
             <D:getetag>\"1\"</D:getetag></D:prop><D:status>HTTP/1.1 200 OK</D:status></D:propstat></D:response>"
        )
    };
    let (own, folder) = (path.trim_end_matches('/'), "<D:collection/>");
    let mut text = one(&format!("{own}/"), folder);
    if lists {
        text += &one(&format!("{own}/x/"), folder);
        if wrong == Wrong::Twice {
            text += &one(&format!("{own}/x"), "");
        }
    }
    format!("<?xml version=\"1.0\"?><D:multistatus xmlns:D=\"DAV:\">{text}</D:multistatus>")
}

/// Puts a response about what lies elsewhere into a listing.
fn astray(text: &str) -> String {
    let one = "<D:response><D:href>/../../etc/passwd</D:href><D:propstat><D:prop><D:resourcetype/>\
        <D:getcontentlength>1</D:getcontentlength></D:prop><D:status>HTTP/1.1 200 OK</D:status></D:propstat>\
        </D:response></D:multistatus>";
    text.replace("</D:multistatus>", one)
}

//! Requests to one drive: sent, answered, and where that does no harm sent again.

use std::fmt;
use std::io::{self, Read};
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Mutex, OnceLock};
use std::time::Duration;

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use jiff::fmt::rfc2822::DateTimeParser;
use nine_core::escape::plain;
use ureq::http::{HeaderMap, Method};
use ureq::tls::{Certificate, PemItem, RootCerts, TlsConfig, parse_pem};
use ureq::{Agent, Body, SendBody, Timeout};

use super::address::Address;
use crate::StoreError;
use crate::fault::point;
use crate::work::held;

/// How often something is tried, at most.
pub(super) const TRIES: u32 = 5;

/// How often the way to a drive is tried: nobody likes to wait for one that is away.
const TRIES_TO_CONNECT: u32 = 3;

/// How many requests in a row may come to nothing before the drive is given up.
const MOST_IN_VAIN: u32 = 12;

/// How long a drive may ask to be left alone, in all, before it is given up.
const MOST_PATIENCE: Duration = Duration::from_secs(120);

/// The longest pause that a drive may ask for.
const LONGEST_WISH: Duration = Duration::from_secs(24 * 60 * 60);

/// How long the way to a drive may take.
const TO_CONNECT: Duration = Duration::from_secs(10);

/// How long an answer that is no file's content may take in all.
const TO_LIST: Duration = Duration::from_secs(600);

/// How long a drive may think, and how long nothing may come.
const TO_ANSWER: Duration = Duration::from_secs(60);

/// Who the person is to the drive.
pub struct Login {
    /// The name; without one the secret is a token of its own (RFC 6750).
    pub user: Option<String>,
    /// Where the password or token comes from; asked at most once, and only when it is needed.
    pub secret: Box<dyn Fn() -> Result<String, String> + Send + Sync>,
}

impl fmt::Debug for Login {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Login").field("user", &self.user).finish_non_exhaustive()
    }
}

/// What is sent.
#[derive(Debug, Default)]
pub(super) struct HttpRequest {
    pub method: &'static str,
    pub url: String,
    pub headers: Vec<(&'static str, String)>,
    pub text: Option<String>,
}

impl HttpRequest {
    pub fn new(method: &'static str, url: String) -> Self {
        Self { method, url, ..Self::default() }
    }

    pub fn with(mut self, header: &'static str, value: impl Into<String>) -> Self {
        self.headers.push((header, value.into()));
        self
    }

    pub fn xml(mut self, text: String) -> Self {
        self.headers.push(("content-type", "application/xml; charset=utf-8".into()));
        self.headers.push(("content-length", text.len().to_string()));
        self.text = Some(text);
        self
    }

    /// Whether it may be sent again when it is not known what became of it.
    fn is_harmless(&self) -> bool {
        matches!(self.method, "GET" | "HEAD" | "OPTIONS" | "PROPFIND" | "REPORT" | "PROPPATCH")
    }
}

/// What came back.
pub(super) struct HttpResponse {
    pub status: u16,
    pub headers: HeaderMap,
    pub body: Body,
}

impl HttpResponse {
    pub fn header(&self, name: &str) -> Option<&str> {
        self.headers.get(name)?.to_str().ok()
    }
}

/// Why there is no answer.
#[derive(Debug)]
pub(super) enum Trouble {
    /// The drive surely did nothing.
    NotSent(StoreError),
    /// It may have done it.
    Unsure(StoreError),
}

impl From<Trouble> for StoreError {
    fn from(trouble: Trouble) -> Self {
        match trouble {
            Trouble::NotSent(error) | Trouble::Unsure(error) => error,
        }
    }
}

/// The way to one drive.
pub(super) struct Wire {
    agent: Agent,
    login: Option<Login>,
    header: OnceLock<Result<String, String>>,
    /// The first pause before something is tried again; it doubles.
    pause: Duration,
    /// Requests in a row that came to nothing although they were sent again and again.
    in_vain: AtomicU32,
    /// Why the drive cannot be reached; then it is not tried again by this program.
    down: Mutex<Option<String>>,
    /// How the server called itself last.
    server: Mutex<Option<String>>,
    /// How many requests may be under way at once.
    pub at_once: usize,
}

impl fmt::Debug for Wire {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Wire").field("login", &self.login).finish_non_exhaustive()
    }
}

impl Wire {
    pub fn new(login: Option<Login>, authority: Option<&[u8]>, at_once: usize, pause: Duration) -> Self {
        // What is no certificate vouches for nobody.
        let known = authority.map(|pem| RootCerts::new_with_certs(&certificates(pem)));
        let config = Agent::config_builder()
            .http_status_as_error(false)
            .allow_non_standard_methods(true)
            // Credentials go to this host and port alone.
            .max_redirects(0)
            .max_redirects_will_error(false)
            .proxy(None)
            .tls_config(TlsConfig::builder().root_certs(known.unwrap_or(RootCerts::WebPki)).build())
            .user_agent("nine-shelves")
            .max_idle_connections(at_once)
            .max_idle_connections_per_host(at_once)
            .timeout_resolve(Some(TO_CONNECT))
            .timeout_connect(Some(TO_CONNECT))
            .timeout_recv_response(Some(TO_ANSWER))
            .timeout_per_read(Some(TO_ANSWER))
            .timeout_per_write(Some(TO_ANSWER))
            .build();
        Self {
            agent: config.new_agent(),
            login,
            header: OnceLock::new(),
            pause,
            in_vain: AtomicU32::new(0),
            down: Mutex::default(),
            server: Mutex::default(),
            at_once,
        }
    }

    /// How the server called itself last; `None` as long as it was asked for nothing.
    pub fn server(&self) -> Option<String> {
        held(&self.server).clone()
    }

    /// Sends something and waits for the answer, again where that does no harm and the drive is busy or the line
    /// was cut.
    pub fn ask(&self, request: &HttpRequest) -> Result<HttpResponse, Trouble> {
        let (mut waited, mut tries) = (Duration::ZERO, 0);
        loop {
            tries += 1;
            let answer = match request.text.as_deref().map(str::as_bytes) {
                Some(mut text) => self.send(request, SendBody::from_reader(&mut text)),
                None => self.send(request, SendBody::none()),
            };
            let again = match &answer {
                Ok(answer) => is_busy(answer.status) || (request.is_harmless() && is_ailing(answer.status)),
                Err(Trouble::NotSent(_)) => tries < TRIES_TO_CONNECT && !self.is_given_up(),
                Err(Trouble::Unsure(_)) => request.is_harmless(),
            };
            let pause =
                answer.as_ref().ok().and_then(retry_after).unwrap_or_else(|| self.pause_before(tries));
            if !again || tries >= TRIES || waited.saturating_add(pause) > MOST_PATIENCE {
                return self.settled(answer);
            }
            waited += pause;
            std::thread::sleep(pause);
        }
    }

    /// How long to wait before trying once more.
    pub fn pause_before(&self, tries: u32) -> Duration {
        self.pause * 2_u32.pow(tries.saturating_sub(1).min(8))
    }

    /// Sends a stream, once: it cannot be read again.
    pub fn send_stream(
        &self,
        request: &HttpRequest,
        content: &mut dyn Read,
    ) -> Result<HttpResponse, Trouble> {
        self.send(request, SendBody::from_reader(content))
    }

    /// Notes that the drive cannot be reached, or that nothing has come through to it for a while.
    fn settled(&self, answer: Result<HttpResponse, Trouble>) -> Result<HttpResponse, Trouble> {
        let why = match &answer {
            Ok(answer) if is_busy(answer.status) || is_ailing(answer.status) => {
                "it is out of order".to_owned()
            }
            Ok(_) => {
                self.in_vain.store(0, Ordering::Relaxed);
                return answer;
            }
            Err(Trouble::NotSent(StoreError::Unreachable(why))) => {
                self.give_up(why);
                return answer;
            }
            Err(Trouble::NotSent(error) | Trouble::Unsure(error)) => error.to_string(),
        };
        if self.in_vain.fetch_add(1, Ordering::Relaxed) + 1 >= MOST_IN_VAIN {
            self.give_up(&why);
        }
        answer
    }

    fn is_given_up(&self) -> bool {
        held(&self.down).is_some()
    }

    fn give_up(&self, why: &str) {
        *held(&self.down) = Some(why.to_owned());
    }

    fn send(&self, request: &HttpRequest, body: SendBody) -> Result<HttpResponse, Trouble> {
        if let Some(why) = &*held(&self.down) {
            return Err(Trouble::NotSent(StoreError::Unreachable(why.clone())));
        }
        let method = Method::from_bytes(request.method.as_bytes()).expect("a method is a plain word");
        let mut built = ureq::http::Request::builder().method(method).uri(&request.url);
        for (name, value) in &request.headers {
            built = built.header(*name, value);
        }
        if let Some(header) = self.credentials()? {
            built = built.header("authorization", header);
        }
        let built = built
            .body(body)
            .map_err(|error| Trouble::NotSent(StoreError::System(plain(&error.to_string()))))?;
        let changes = !matches!(request.method, "GET" | "HEAD" | "OPTIONS" | "PROPFIND" | "REPORT");
        if changes {
            point();
        }
        // Listings are short; content may take as long as it takes, as long as something comes.
        let built = match request.method {
            "GET" | "PUT" => built,
            _ => self.agent.configure_request(built).timeout_recv_body(Some(TO_LIST)).build(),
        };
        let answer = self.agent.run(built);
        if changes {
            point();
        }
        let answer = answer.map_err(|error| trouble(&error))?;
        let (parts, body) = answer.into_parts();
        let server = parts.headers.get("server").and_then(|name| name.to_str().ok()).unwrap_or_default();
        *held(&self.server) = Some(plain(server));
        Ok(HttpResponse { status: parts.status.as_u16(), headers: parts.headers, body })
    }

    /// The header that says who the person is.
    fn credentials(&self) -> Result<Option<&str>, Trouble> {
        let Some(login) = &self.login else { return Ok(None) };
        let made = self.header.get_or_init(|| {
            let secret = (login.secret)()?;
            Ok(match &login.user {
                Some(user) => format!("Basic {}", STANDARD.encode(format!("{user}:{secret}"))),
                None => format!("Bearer {secret}"),
            })
        });
        match made {
            Ok(header) => Ok(Some(header)),
            Err(why) => Err(Trouble::NotSent(StoreError::Login(why.clone()))),
        }
    }
}

fn certificates(pem: &[u8]) -> Vec<Certificate<'static>> {
    let items = parse_pem(pem).filter_map(Result::ok);
    items.filter_map(|item| if let PemItem::Certificate(found) = item { Some(found) } else { None }).collect()
}

/// Whether a drive says that it did nothing, and may do it later.
fn is_busy(status: u16) -> bool {
    matches!(status, 429 | 503)
}

/// Whether something went wrong on the other side.
pub(super) fn is_ailing(status: u16) -> bool {
    matches!(status, 408 | 500 | 502 | 504)
}

/// Whether a drive says plainly that it did not do it, and will not.
pub(super) fn is_plain_refusal(status: u16) -> bool {
    matches!(status, 300..=499 | 501 | 505 | 507 | 508) && !is_ailing(status)
}

/// How long a drive asks to be left alone: seconds, or a date, which counts from the drive's own.
pub(super) fn retry_after(answer: &HttpResponse) -> Option<Duration> {
    let text = answer.header("retry-after")?.trim();
    // Whatever a server asks for, sums of it must not run over.
    if !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit()) {
        let seconds = text.parse().unwrap_or(u64::MAX);
        return Some(Duration::from_secs(seconds).min(LONGEST_WISH));
    }
    let date = |text: &str| DateTimeParser::new().parse_timestamp(text).ok();
    let (then, now) = (date(text)?, date(answer.header("date")?)?);
    let wish = u64::try_from(then.as_second().saturating_sub(now.as_second())).ok()?;
    Some(Duration::from_secs(wish).min(LONGEST_WISH))
}

fn trouble(error: &ureq::Error) -> Trouble {
    let unreachable = |why: &str| Trouble::NotSent(StoreError::Unreachable(why.to_owned()));
    match error {
        ureq::Error::HostNotFound => unreachable("there is no host of that name"),
        ureq::Error::ConnectionFailed => unreachable("the connection failed"),
        ureq::Error::Timeout(Timeout::Connect | Timeout::Resolve) => unreachable("it does not answer"),
        ureq::Error::Io(error) if error.kind() == io::ErrorKind::ConnectionRefused => {
            unreachable("nothing listens there")
        }
        ureq::Error::Tls(_) | ureq::Error::Rustls(_) | ureq::Error::Pem(_) => {
            unreachable(&plain(&format!("it cannot show that it is who it says ({error})")))
        }
        ureq::Error::Timeout(_) => Trouble::Unsure(StoreError::Broken("it took too long to answer".into())),
        other => Trouble::Unsure(StoreError::Broken(plain(&other.to_string()))),
    }
}

/// What an answer that is no success means.
pub(super) fn refusal(answer: &HttpResponse, address: &Address) -> StoreError {
    match answer.status {
        401 | 407 => StoreError::Login("the drive does not accept the name and password".into()),
        403 | 405 => StoreError::NoRight,
        404 | 410 => StoreError::NotThere,
        409 => StoreError::NotThere,
        412 => StoreError::Changed,
        413 | 507 => StoreError::DriveFull,
        414 => StoreError::NameTooLong,
        423 => StoreError::Locked,
        status if is_busy(status) => StoreError::Busy,
        300..=399 => {
            let to = answer.header("location").unwrap_or("an address that it does not name");
            StoreError::SentElsewhere(plain(to), address.origin())
        }
        status => StoreError::Drive(status),
    }
}

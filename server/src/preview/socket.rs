//! The preview socket: requests in as JSON, frames out as bytes, latest wins.

use super::flow::{self, Flow};
use super::layout::Kind;
use super::reading::{ReadingRequest, read};
use super::request::{CardsRequest, PictureRequest, RowRequest, SampleRequest};
use super::studio::Studio;
use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use actix_web::{HttpRequest, HttpResponse, web};
use actix_ws::{AggregatedMessage, CloseCode, CloseReason, ProtocolError};
use futures_util::StreamExt;
use serde::{Deserialize, Serialize};
use serde_json::json;
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::Notify;

/// The longest request: a path of 200 steps with full curves stays far below.
const MOST_BYTES: usize = 1 << 20;

/// Tells sockets apart.
static VIEWERS: AtomicU32 = AtomicU32::new(1);

/// What a page may ask for.
#[derive(Debug, Deserialize)]
#[serde(tag = "ask", rename_all = "lowercase")]
enum Ask {
    Picture(PictureRequest),
    Beside(PictureRequest),
    Loupe(PictureRequest),
    Reel(PictureRequest),
    Row(RowRequest),
    Reading(ReadingRequest),
    Sample(SampleRequest),
    Cards(CardsRequest),
}

/// The newest request of each sort that nobody has begun with.
#[derive(Default)]
struct Waiting {
    picture: Option<PictureRequest>,
    beside: Option<PictureRequest>,
    loupe: Option<PictureRequest>,
    reel: Option<PictureRequest>,
    sample: Option<SampleRequest>,
    row: Option<(RowRequest, usize)>,
    cards: Option<(Arc<CardsRequest>, usize)>,
    reading: Option<ReadingRequest>,
}

#[derive(Default)]
struct Inbox {
    viewer: u32,
    waiting: Mutex<Waiting>,
    news: Notify,
    /// Set when a newer picture makes the work under way pointless.
    stop: AtomicBool,
    flow: Flow,
    /// The page reads nothing: the socket is closed.
    unread: Notify,
}

/// The work to do next: the picture in hand before what stands around it, the row one picture at a time, so
/// that a newer picture gets in between.
enum Work {
    Picture(PictureRequest, Kind),
    Sample(SampleRequest),
    Reading(ReadingRequest),
    Thumbnail(RowRequest, usize),
    Card(Arc<CardsRequest>, usize),
}

impl Inbox {
    fn lock(&self) -> std::sync::MutexGuard<'_, Waiting> {
        self.waiting.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn put(&self, mut ask: Ask) {
        if let Ask::Picture(r) | Ask::Beside(r) | Ask::Loupe(r) | Ask::Reel(r) = &mut ask {
            r.viewer = self.viewer;
        }
        if let Ask::Sample(r) = &mut ask {
            r.viewer = self.viewer;
        }
        let mut w = self.lock();
        match ask {
            Ask::Picture(r) => {
                w.picture = Some(r);
                self.stop.store(true, Ordering::Relaxed);
            }
            Ask::Beside(r) => w.beside = Some(r),
            Ask::Loupe(r) => w.loupe = Some(r),
            Ask::Reel(r) => w.reel = Some(r),
            Ask::Sample(r) => w.sample = Some(r),
            Ask::Row(r) => w.row = Some((r, 0)),
            Ask::Cards(r) => w.cards = Some((Arc::new(r), 0)),
            Ask::Reading(r) => w.reading = Some(r),
        }
        drop(w);
        self.news.notify_one();
    }

    fn next(&self) -> Option<Work> {
        let mut w = self.lock();
        // Under the lock: a picture that comes after this work was chosen stops it.
        self.stop.store(false, Ordering::Relaxed);
        if let Some(r) = w.picture.take() {
            return Some(Work::Picture(r, Kind::Picture));
        }
        if let Some(r) = w.sample.take() {
            return Some(Work::Sample(r));
        }
        if let Some(r) = w.beside.take() {
            return Some(Work::Picture(r, Kind::Beside));
        }
        if let Some(r) = w.loupe.take() {
            return Some(Work::Picture(r, Kind::Loupe));
        }
        if let Some(r) = w.reading.take() {
            return Some(Work::Reading(r));
        }
        if let Some((r, i)) = w.row.take() {
            if i + 1 < r.shots.len() {
                w.row = Some((r.clone(), i + 1));
            }
            if i < r.shots.len() {
                let place = r.place(i);
                return Some(Work::Thumbnail(r, place));
            }
        }
        if let Some(r) = w.reel.take() {
            return Some(Work::Picture(r, Kind::Reel));
        }
        let (r, i) = w.cards.take()?;
        if i + 1 < r.paths.len() {
            w.cards = Some((r.clone(), i + 1));
        }
        (i < r.paths.len()).then_some(Work::Card(r, i))
    }
}

/// Work that a newer picture stopped and that is still wanted.
enum Again {
    Picture(Box<PictureRequest>, Kind),
    Card(Arc<CardsRequest>, usize),
}

impl Waiting {
    /// Goes back to a picture that stands beside the one in hand, unless a newer one of its sort waits.
    fn again_picture(&mut self, r: PictureRequest, kind: Kind) {
        let slot = match kind {
            Kind::Loupe => &mut self.loupe,
            Kind::Reel => &mut self.reel,
            _ => &mut self.beside,
        };
        slot.get_or_insert(r);
    }

    /// Goes back to a card, unless other cards were asked for meanwhile.
    fn again(&mut self, r: Arc<CardsRequest>, i: usize) {
        if self.cards.as_ref().is_none_or(|(now, _)| Arc::ptr_eq(now, &r)) {
            self.cards = Some((r, i));
        }
    }
}

/// What goes back.
enum Answer {
    Bytes(Vec<u8>),
    Text(String),
    /// The work was stopped for a newer picture.
    Nothing,
}

fn work(studio: &Studio, work: &Work, stop: &AtomicBool) -> ApiResult<Answer> {
    let bytes = |frame: Option<Vec<u8>>| frame.map_or(Answer::Nothing, Answer::Bytes);
    match work {
        Work::Picture(r, kind) => studio.picture(r, *kind, stop).map(bytes),
        Work::Sample(r) => {
            let samples = studio.samples(r)?;
            Ok(Answer::Text(json!({ "samples": { "seq": r.seq, "at": r.at, "found": samples } }).to_string()))
        }
        Work::Thumbnail(r, i) => studio.thumbnail(r, *i, stop).map(bytes),
        Work::Card(r, i) => studio.card(r, *i, stop).map(bytes),
        Work::Reading(r) => Ok(Answer::Text(json!({ "reading": read(r, &studio.media)? }).to_string())),
    }
}

/// Which request an answer belongs to: what was asked for, and the number that it had.
#[derive(Debug, Default, Serialize, Deserialize)]
struct Of {
    ask: String,
    #[serde(default)]
    seq: u32,
}

impl Of {
    fn work(work: &Work) -> Self {
        let (ask, seq) = match work {
            Work::Picture(r, Kind::Beside) => ("beside", r.seq),
            Work::Picture(r, Kind::Loupe) => ("loupe", r.seq),
            Work::Picture(r, Kind::Reel) => ("reel", r.seq),
            Work::Picture(r, _) => ("picture", r.seq),
            Work::Sample(r) => ("sample", r.seq),
            Work::Reading(r) => ("reading", r.seq),
            Work::Thumbnail(r, _) => ("row", r.seq),
            Work::Card(r, _) => ("cards", r.seq),
        };
        Self { ask: ask.into(), seq }
    }

    /// Of a request that cannot be read as a whole: as much of it as says which one it is.
    fn unreadable(text: &str) -> Self {
        serde_json::from_str(text).unwrap_or_default()
    }
}

fn problem(of: &Of, e: &ApiError) -> String {
    if let ApiError::Internal(cause) = e {
        tracing::error!("preview: {cause}");
    }
    json!({ "problem": { "ask": of.ask, "seq": of.seq, "detail": e.to_string() } }).to_string()
}

/// Why a socket is closed, for whoever looks at it from outside.
fn reason(code: CloseCode, says: impl Into<String>) -> Option<CloseReason> {
    Some(CloseReason { code, description: Some(says.into()) })
}

/// How often a page is asked whether it is there, and how long it may say nothing at all.
const PING_EVERY: Duration = Duration::from_secs(20);
const SILENCE: Duration = Duration::from_secs(65);

/// Opens a preview socket.
pub async fn open(
    request: HttpRequest,
    body: web::Payload,
    studio: web::Data<Studio>,
) -> Result<HttpResponse, actix_web::Error> {
    let (response, session, stream) = actix_ws::handle(&request, body)?;
    let stream =
        stream.max_frame_size(MOST_BYTES).aggregate_continuations().max_continuation_size(MOST_BYTES);
    let inbox = Arc::new(Inbox { viewer: VIEWERS.fetch_add(1, Ordering::Relaxed), ..Default::default() });
    let worker = actix_web::rt::spawn(answer(studio, session.clone(), inbox.clone()));
    actix_web::rt::spawn(async move {
        let why = hear(session.clone(), stream, &inbox).await;
        worker.abort();
        // A page that reads nothing does not read this either; its connection ends with its session.
        let _ = tokio::time::timeout(GOODBYE, session.close(why)).await;
    });
    Ok(response)
}

/// How long it is tried to say goodbye.
const GOODBYE: Duration = Duration::from_secs(2);

/// Takes what comes from a page until it is gone, or gives no more sign of life; gives why the socket is closed then.
async fn hear(
    mut session: actix_ws::Session,
    mut stream: actix_ws::AggregatedMessageStream,
    inbox: &Arc<Inbox>,
) -> Option<CloseReason> {
    let mut beat = tokio::time::interval(PING_EVERY);
    beat.tick().await;
    loop {
        let message = tokio::select! {
            message = stream.next() => message,
            () = inbox.unread.notified() => {
                return reason(CloseCode::Policy, format!("nothing was read for {} s", flow::PATIENCE.as_secs()));
            }
            _ = beat.tick() => {
                if inbox.flow.silence() > SILENCE {
                    return reason(CloseCode::Away, format!("nothing was heard for {} s", SILENCE.as_secs()));
                }
                // Apart, since a page that reads nothing would keep this waiting.
                let mut session = session.clone();
                actix_web::rt::spawn(async move { session.ping(b"").await });
                continue;
            }
        };
        inbox.flow.hears();
        let said = match message {
            None => return None,
            Some(Err(ProtocolError::Overflow)) => {
                return reason(CloseCode::Size, format!("a request is longer than {} MB", MOST_BYTES >> 20));
            }
            Some(Err(e)) => return reason(CloseCode::Protocol, e.to_string()),
            Some(Ok(AggregatedMessage::Text(text))) => match serde_json::from_str(&text) {
                Ok(ask) => {
                    inbox.put(ask);
                    Ok(())
                }
                Err(e) => {
                    let e = ApiError::Invalid(format!("this request cannot be read: {e}"));
                    session.text(problem(&Of::unreadable(&text), &e)).await
                }
            },
            Some(Ok(AggregatedMessage::Binary(_))) => {
                let e = ApiError::Invalid("requests are JSON, sent as text and not as bytes".into());
                session.text(problem(&Of::default(), &e)).await
            }
            Some(Ok(AggregatedMessage::Ping(bytes))) => session.pong(&bytes).await,
            Some(Ok(AggregatedMessage::Pong(bytes))) => {
                inbox.flow.reads(&bytes);
                Ok(())
            }
            Some(Ok(AggregatedMessage::Close(why))) => return why,
        };
        if said.is_err() {
            return None;
        }
    }
}

/// Sends a picture once there is room for it; `false` where the page is gone, or reads nothing.
async fn send(session: &mut actix_ws::Session, inbox: &Inbox, bytes: Vec<u8>) -> bool {
    let length = bytes.len();
    if tokio::time::timeout(flow::PATIENCE, inbox.flow.room(length)).await.is_err() {
        inbox.unread.notify_one();
        return false;
    }
    let ping = inbox.flow.sends(length);
    session.binary(bytes).await.is_ok() && session.ping(&ping).await.is_ok()
}

/// Answers what waits in the inbox until the page is gone.
async fn answer(studio: web::Data<Studio>, mut session: actix_ws::Session, inbox: Arc<Inbox>) {
    loop {
        let Some(next) = inbox.next() else {
            inbox.news.notified().await;
            continue;
        };
        let of = Of::work(&next);
        // A newer picture stops what stands around it, but does not make it pointless.
        let stopped = match &next {
            Work::Picture(r, kind) if *kind != Kind::Picture => {
                Some(Again::Picture(Box::new(r.clone()), *kind))
            }
            Work::Card(r, i) => Some(Again::Card(r.clone(), *i)),
            _ => None,
        };
        let (studio, all) = (studio.clone(), inbox.clone());
        let answer = blocking(move || work(&studio, &next, &all.stop)).await;
        let sent = match answer {
            Ok(Answer::Bytes(bytes)) => send(&mut session, &inbox, bytes).await,
            Ok(Answer::Text(text)) => session.text(text).await.is_ok(),
            Ok(Answer::Nothing) => {
                match stopped {
                    Some(Again::Picture(r, kind)) => inbox.lock().again_picture(*r, kind),
                    Some(Again::Card(r, i)) => inbox.lock().again(r, i),
                    None => {}
                }
                true
            }
            Err(e) => session.text(problem(&of, &e)).await.is_ok(),
        };
        if !sent {
            return;
        }
    }
}

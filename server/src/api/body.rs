//! Bodies of requests: read as they come, as long as they may be, and not for ever.

use crate::error::{ApiError, ApiResult};
use actix_web::dev::Payload;
use actix_web::web::{Bytes, BytesMut};
use actix_web::{FromRequest, HttpRequest};
use futures_util::{Stream, StreamExt};
use std::future::Future;
use std::pin::Pin;
use std::time::{Duration, Instant};

/// A body of which less came in this time has stopped, or keeps a place for nobody.
pub const WINDOW: Duration = Duration::from_secs(30);
/// The least that comes in a [`WINDOW`]: 2 KB a second.
pub const LEAST: usize = 60 << 10;

/// The longest body of a call, as its route says.
#[derive(Clone, Copy)]
pub struct Most(pub usize);

/// Watches how fast a body comes.
pub struct Pace {
    since: Instant,
    came: usize,
    window: Duration,
}

impl Pace {
    /// A body that begins to come.
    pub fn new(window: Duration) -> Self {
        Self { since: Instant::now(), came: 0, window }
    }

    /// The next piece of a body, its end, or that it comes too slowly, in words.
    pub async fn next<E>(
        &mut self,
        body: &mut (impl Stream<Item = Result<Bytes, E>> + Unpin),
    ) -> Result<Option<Result<Bytes, E>>, String> {
        let left = self.window.saturating_sub(self.since.elapsed());
        let slow = || format!("less than {} KB came in {} s", LEAST >> 10, self.window.as_secs());
        let next = tokio::time::timeout(left, body.next()).await.map_err(|_| slow())?;
        if let Some(Ok(piece)) = &next {
            self.came += piece.len();
            if self.came >= LEAST {
                (self.since, self.came) = (Instant::now(), 0);
            }
        }
        Ok(next)
    }
}

/// Reads a body of up to `most` bytes.
pub async fn whole<E: std::fmt::Display>(
    mut body: impl Stream<Item = Result<Bytes, E>> + Unpin,
    most: usize,
) -> ApiResult<BytesMut> {
    let unreadable = |why: String| ApiError::Invalid(format!("the request's body cannot be read: {why}"));
    let (mut all, mut pace) = (BytesMut::new(), Pace::new(WINDOW));
    while let Some(piece) = pace.next(&mut body).await.map_err(unreadable)? {
        let piece = piece.map_err(|e| unreadable(e.to_string()))?;
        if all.len() + piece.len() > most {
            return Err(unreadable(format!("it is longer than the limit of {} MB", most >> 20)));
        }
        all.extend_from_slice(&piece);
    }
    Ok(all)
}

/// A file as a body, as long as its route says at most.
pub struct File(Bytes);

impl std::ops::Deref for File {
    type Target = [u8];

    fn deref(&self) -> &[u8] {
        &self.0
    }
}

impl FromRequest for File {
    type Error = ApiError;
    type Future = Pin<Box<dyn Future<Output = ApiResult<Self>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let most = request.app_data::<Most>().map_or(0, |m| m.0);
        let payload = payload.take();
        Box::pin(async move { Ok(Self(whole(payload, most).await?.freeze())) })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use futures_util::stream;

    type Piece = Result<Bytes, std::io::Error>;

    #[actix_web::test]
    async fn a_body_that_trickles_ends_and_one_that_comes_slowly_enough_does_not() {
        let short = Duration::from_millis(200);
        let every = |pieces: usize, length: usize, pause: u64| {
            Box::pin(stream::unfold(0, move |i| async move {
                tokio::time::sleep(Duration::from_millis(pause)).await;
                (i < pieces).then(|| (Piece::Ok(Bytes::from(vec![0; length])), i + 1))
            }))
        };
        let mut trickles = every(1000, 1, 10);
        let mut pace = Pace::new(short);
        let mut came = 0;
        let why = loop {
            match pace.next(&mut trickles).await {
                Ok(Some(_)) => came += 1,
                Ok(None) => panic!("it came to its end"),
                Err(why) => break why,
            }
        };
        assert!(why.contains("less than 60 KB") && came < 100, "{came}: {why}");
        let mut fast = every(10, LEAST, 50);
        let mut pace = Pace::new(short);
        let mut came = 0;
        while pace.next(&mut fast).await.unwrap().is_some() {
            came += 1;
        }
        assert_eq!(came, 10, "half a second in all, and never too slow");
        let mut silent = Box::pin(stream::pending::<Piece>());
        assert!(Pace::new(short).next(&mut silent).await.is_err());
    }
}

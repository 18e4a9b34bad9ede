//! How much of what was sent over a socket its page has read. A page that reads nothing gets nothing more: pictures are made
//! when there is room for them, and one that is asked for meanwhile takes the place of the one before.
//!
//! After each picture goes a ping with a number. Whoever reads the socket answers pings in the order in which they came
//! (RFC 6455, 5.5.3), so that the pong of a number says that everything before it was read.

use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};
use tokio::sync::Notify;

/// Bytes that may be on their way unread; one message may be, however long it is. Four pictures of 960 x 540 while dragging.
const MOST_UNREAD: usize = 9 << 20;
/// After so long a page that reads nothing is given up.
pub const PATIENCE: Duration = Duration::from_secs(30);

/// What goes to a page, and what it read.
pub struct Flow {
    unread: Mutex<Unread>,
    read: Notify,
}

struct Unread {
    /// The number of the last ping.
    last: u32,
    /// Numbers of pings that were not answered yet, each with the bytes before it.
    sent: VecDeque<(u32, usize)>,
    /// When anything came from the page last.
    heard: Instant,
}

impl Default for Flow {
    fn default() -> Self {
        let unread = Unread { last: 0, sent: VecDeque::new(), heard: Instant::now() };
        Self { unread: Mutex::new(unread), read: Notify::new() }
    }
}

impl Flow {
    fn lock(&self) -> std::sync::MutexGuard<'_, Unread> {
        self.unread.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Counts a message that is sent; gives what its ping says.
    pub fn sends(&self, bytes: usize) -> [u8; 4] {
        let mut unread = self.lock();
        unread.last = unread.last.wrapping_add(1);
        let number = unread.last;
        unread.sent.push_back((number, bytes));
        number.to_be_bytes()
    }

    /// Takes the pong of a page: all before it was read. One that answers none of the pings is a sign of life alone.
    pub fn reads(&self, pong: &[u8]) {
        let mut unread = self.lock();
        unread.heard = Instant::now();
        let Ok(number) = pong.try_into().map(u32::from_be_bytes) else { return };
        if let Some(at) = unread.sent.iter().position(|(sent, _)| *sent == number) {
            unread.sent.drain(..=at);
            drop(unread);
            self.read.notify_one();
        }
    }

    /// Takes note that something came from the page.
    pub fn hears(&self) {
        self.lock().heard = Instant::now();
    }

    /// How long nothing came from the page.
    pub fn silence(&self) -> Duration {
        self.lock().heard.elapsed()
    }

    /// Bytes that were sent and not read.
    pub fn unread(&self) -> usize {
        self.lock().sent.iter().map(|(_, bytes)| bytes).sum()
    }

    /// Waits until there is room for a message. For one task at a time.
    pub async fn room(&self, bytes: usize) {
        loop {
            let unread = self.unread();
            if unread == 0 || unread + bytes <= MOST_UNREAD {
                return;
            }
            self.read.notified().await;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use futures_util::FutureExt;

    #[test]
    fn what_was_read_makes_room_and_nothing_else_does() {
        let flow = Flow::default();
        assert!(flow.room(usize::MAX / 2).now_or_never().is_some(), "one may be as long as it likes");
        let first = flow.sends(MOST_UNREAD);
        assert!(flow.room(1).now_or_never().is_none());
        let second = flow.sends(10);
        for wrong in [&[][..], b"abc", b"abcd", &[0; 9]] {
            flow.reads(wrong);
            assert_eq!(flow.unread(), MOST_UNREAD + 10);
        }
        flow.reads(&first);
        assert_eq!(flow.unread(), 10);
        assert!(flow.room(100).now_or_never().is_some());
        flow.reads(&second);
        flow.reads(&first);
        assert_eq!(flow.unread(), 0);
    }

    #[test]
    fn the_pong_of_a_later_ping_stands_for_those_before_it() {
        let flow = Flow::default();
        let pings: Vec<_> = (0..5).map(|_| flow.sends(1000)).collect();
        flow.reads(&pings[3]);
        assert_eq!(flow.unread(), 1000);
    }
}

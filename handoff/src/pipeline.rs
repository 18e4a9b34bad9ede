//! Pictures one after the other, with reading, work and writing at once.

use std::sync::mpsc::sync_channel;

/// Takes each item through reading, work and writing: while some are worked on, the next is read and the last is written. What
/// reading gives no result for is left out.
///
/// As many are worked on at once as there are `rooms`, in turn, each in one of its own: what work keeps from one to the next. Two
/// are enough for all processors to have something to do where the one has come to what cannot be shared out. They are written
/// in order, on the calling thread, and there are never more than two beside those in the rooms on the way.
pub fn pipeline<I, R, W, S>(
    items: impl Iterator<Item = I> + Send,
    read: impl Fn(I) -> Option<R> + Send,
    rooms: &mut [S],
    work: impl Fn(&mut S, R) -> W + Sync,
    mut write: impl FnMut(W) + Send,
) where
    R: Send,
    W: Send,
    S: Send,
{
    std::thread::scope(|scope| {
        let (mut to_work, mut to_write) = (Vec::new(), Vec::new());
        for room in rooms {
            let (was_read, found) = sync_channel::<R>(0);
            let (worked, made) = sync_channel::<W>(0);
            let work = &work;
            scope.spawn(move || {
                for found in found {
                    // Nobody writes any more: there is nothing to work for.
                    if worked.send(work(room, found)).is_err() {
                        return;
                    }
                }
            });
            to_work.push(was_read);
            to_write.push(made);
        }
        scope.spawn(move || {
            for (found, room) in items.filter_map(read).zip(to_work.iter().cycle()) {
                // The others ended.
                if room.send(found).is_err() {
                    return;
                }
            }
        });
        // The room whose turn it is has nothing more: no other has either.
        to_write.iter().cycle().map_while(|made| made.recv().ok()).for_each(&mut write);
    });
}

#[cfg(test)]
mod tests {
    use super::pipeline;
    use std::sync::atomic::{AtomicUsize, Ordering};

    #[test]
    fn everything_goes_through_once_and_in_order() {
        for count in [0, 1, 2, 57] {
            for rooms in 1..4 {
                let mut written = Vec::new();
                let mut done = vec![0; rooms];
                let work = |done: &mut i32, i: i32| {
                    *done += 1;
                    // Some take longer than those after them.
                    std::hint::black_box((0..i * 7919 % 13 * 10_000).fold(0_i32, i32::wrapping_add));
                    i * 10
                };
                pipeline(0..count, |i| (i % 3 != 1).then_some(i), &mut done, work, |i| written.push(i));
                let want: Vec<i32> = (0..count).filter(|i| i % 3 != 1).map(|i| i * 10).collect();
                assert_eq!(written, want);
                assert_eq!(done.iter().sum::<i32>() as usize, want.len());
            }
        }
    }

    #[test]
    fn no_more_are_on_the_way_than_were_promised() {
        let (begun, most) = (AtomicUsize::new(0), AtomicUsize::new(0));
        let read = |i: usize| {
            let now = begun.fetch_add(1, Ordering::SeqCst) + 1;
            most.fetch_max(now, Ordering::SeqCst);
            Some(i)
        };
        let write = |_| {
            begun.fetch_sub(1, Ordering::SeqCst);
        };
        pipeline(0..500, read, &mut [(), ()], |(), i| i, write);
        assert!(most.into_inner() <= 4);
    }
}

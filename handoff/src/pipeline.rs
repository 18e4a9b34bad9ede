//! Pictures one after the other, with reading, work and writing at once.

use std::sync::mpsc::sync_channel;

/// Takes each item through reading, work and writing: while one is worked on, the next is read and the last is written. What
/// reading gives no result for is left out. Work runs on the calling thread, in order, as does writing on its own; there are
/// never more than three items on the way.
pub fn pipeline<I, R, W>(
    items: impl Iterator<Item = I> + Send,
    read: impl Fn(I) -> Option<R> + Send,
    mut work: impl FnMut(R) -> W,
    mut write: impl FnMut(W) + Send,
) where
    R: Send,
    W: Send,
{
    std::thread::scope(|scope| {
        let (was_read, to_work) = sync_channel::<R>(0);
        let (worked, to_write) = sync_channel::<W>(0);
        scope.spawn(move || {
            for found in items.filter_map(read) {
                // The others ended: there is nobody left to read for.
                if was_read.send(found).is_err() {
                    return;
                }
            }
        });
        scope.spawn(move || to_write.into_iter().for_each(&mut write));
        for found in to_work {
            if worked.send(work(found)).is_err() {
                break;
            }
        }
        drop(worked);
    });
}

#[cfg(test)]
mod tests {
    use super::pipeline;

    #[test]
    fn everything_goes_through_once_and_in_order() {
        for count in [0, 1, 2, 57] {
            let mut written = Vec::new();
            pipeline(0..count, |i| (i % 3 != 1).then_some(i), |i| i * 10, |i| written.push(i));
            let want: Vec<i32> = (0..count).filter(|i| i % 3 != 1).map(|i| i * 10).collect();
            assert_eq!(written, want);
        }
    }
}

//! Where memory comes from.
#![allow(unsafe_code)]

use mimalloc::MiMalloc;
use std::alloc::{GlobalAlloc, Layout, System};

/// Bytes from which on memory comes from the system and goes back to it at once: above a picture of 3840×2160, below one of
/// 8K and its file.
const LARGE: usize = 160 << 20;

/// Pictures of two megabytes come and go thirty times a second: an allocator that keeps its pages saves the kernel from
/// handing out zeroed ones each time. It keeps those of a whole 8K picture too, for a second, and two of them are more than
/// the server may ever take: so these do not come from it.
pub struct Memory;

// SAFETY: each block comes from one of two sound allocators, and its size says from which; a block that grows or shrinks past
// the border is copied.
unsafe impl GlobalAlloc for Memory {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        // SAFETY: the caller's promises are those that the allocators ask for, here and below.
        unsafe { if layout.size() < LARGE { MiMalloc.alloc(layout) } else { System.alloc(layout) } }
    }

    unsafe fn alloc_zeroed(&self, layout: Layout) -> *mut u8 {
        // SAFETY: as above.
        unsafe {
            if layout.size() < LARGE { MiMalloc.alloc_zeroed(layout) } else { System.alloc_zeroed(layout) }
        }
    }

    unsafe fn dealloc(&self, block: *mut u8, layout: Layout) {
        // SAFETY: the layout is the one that the block was made with.
        unsafe {
            if layout.size() < LARGE {
                MiMalloc.dealloc(block, layout);
            } else {
                System.dealloc(block, layout);
            }
        }
    }

    unsafe fn realloc(&self, block: *mut u8, layout: Layout, size: usize) -> *mut u8 {
        // SAFETY: as above; the new layout has the old one's alignment, and the caller says that its size is sound. Both
        // blocks hold as many bytes as are copied.
        unsafe {
            match (layout.size() < LARGE, size < LARGE) {
                (true, true) => MiMalloc.realloc(block, layout, size),
                (false, false) => System.realloc(block, layout, size),
                _ => {
                    let new = self.alloc(Layout::from_size_align_unchecked(size, layout.align()));
                    if !new.is_null() {
                        std::ptr::copy_nonoverlapping(block, new, layout.size().min(size));
                        self.dealloc(block, layout);
                    }
                    new
                }
            }
        }
    }
}

/// Takes memory in pages of the size that the processor has, from now on, also where the allocator asks for larger ones. A
/// server's blocks of some hundred kilobytes come and go on many threads, and of pages of two megabytes each of them would have
/// a whole one cleared. What works through a few large pictures, as rendering does, is a tenth faster with large pages.
pub fn in_small_pages() {
    // A kernel that knows no large pages has nothing to switch off.
    #[cfg(target_os = "linux")]
    let _ = rustix::thread::disable_transparent_huge_pages(true);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_block_holds_stays_while_it_grows_and_shrinks_past_the_border() {
        // The program's own allocator is this one, here too.
        let round: Vec<u8> = (0..251_u8).cycle().take(251 << 10).collect();
        let mut bytes = round.repeat(LARGE / round.len() + 1);
        bytes.truncate(LARGE - 5);
        let whole = |bytes: &[u8]| bytes.chunks(round.len()).all(|part| *part == round[..part.len()]);
        bytes.shrink_to_fit();
        for more in [LARGE, 2 * LARGE] {
            bytes.reserve_exact(more);
            assert!(whole(&bytes));
        }
        for less in [LARGE - 5, 4096] {
            bytes.truncate(less);
            bytes.shrink_to_fit();
            assert!(whole(&bytes) && bytes.len() == less);
        }
        // SAFETY: a sound layout, and what was made with it goes back with it.
        unsafe {
            let layout = Layout::from_size_align_unchecked(LARGE + 64, 64);
            let zeroed = Memory.alloc_zeroed(layout);
            assert!(!zeroed.is_null() && (zeroed as usize).is_multiple_of(64) && *zeroed.add(LARGE) == 0);
            Memory.dealloc(zeroed, layout);
        }
    }
}

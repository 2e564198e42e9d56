//! Work that takes the processor (parsing what a page sent, judging it, cutting pictures), kept from
//! holding up everything else: off the threads that answer people, and no more of it at once than the
//! machine has processors.
//!
//! It has no clock. How long one piece may take is a count of steps in the core, so that the same document
//! is always judged the same, on a busy machine too.

#![warn(missing_docs)]

use std::sync::LazyLock;
use tokio::runtime::{Handle, RuntimeFlavor};
use tokio::sync::Semaphore;

/// As many as there are processors.
fn places() -> usize {
    std::thread::available_parallelism().map_or(2, usize::from)
}

static PLACES: LazyLock<Semaphore> = LazyLock::new(|| Semaphore::new(places()));

/// Does work that takes the processor, once a place is free. What waits for a place waits in the order in
/// which it came, and gives its place in the line up when it is dropped.
pub async fn heavy<T>(work: impl FnOnce() -> T) -> T {
    // The semaphore is never closed.
    let _place = PLACES.acquire().await;
    match Handle::current().runtime_flavor() {
        RuntimeFlavor::MultiThread => tokio::task::block_in_place(work),
        // One thread: there is no other to go on with.
        _ => work(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::Arc;
    use std::sync::atomic::{AtomicUsize, Ordering};
    use std::sync::mpsc::channel;

    #[tokio::test(flavor = "multi_thread", worker_threads = 1)]
    async fn so_many_at_once_and_the_runtime_goes_on() {
        let (now, most) = (Arc::new(AtomicUsize::new(0)), Arc::new(AtomicUsize::new(0)));
        let mut held = Vec::new();
        let mut let_go = Vec::new();
        let (began, has_begun) = channel();
        for _ in 0..places() + 3 {
            let (free, wait) = channel::<()>();
            let_go.push(free);
            let (now, most, began) = (now.clone(), most.clone(), began.clone());
            held.push(tokio::spawn(heavy(move || {
                most.fetch_max(now.fetch_add(1, Ordering::SeqCst) + 1, Ordering::SeqCst);
                began.send(()).ok();
                wait.recv().ok();
                now.fetch_sub(1, Ordering::SeqCst);
            })));
        }
        // The only thread of this runtime is held by work, and still goes on with others.
        let begun = tokio::task::spawn_blocking(move || {
            for _ in 0..places() {
                has_begun.recv().unwrap();
            }
        });
        begun.await.unwrap();
        assert_eq!(most.load(Ordering::SeqCst), places());
        drop(let_go);
        for task in held {
            task.await.unwrap();
        }
        assert_eq!(most.load(Ordering::SeqCst), places(), "never more at once");
    }

    #[tokio::test(flavor = "multi_thread")]
    async fn a_panic_gives_its_place_back() {
        for _ in 0..places() + 1 {
            let task = tokio::spawn(heavy(|| {
                std::panic::resume_unwind(Box::new("on purpose"));
            }));
            assert!(task.await.unwrap_err().is_panic());
        }
        assert_eq!(heavy(|| 7).await, 7);
    }

    #[tokio::test]
    async fn one_thread_does_it_itself() {
        assert_eq!(heavy(|| 7).await, 7);
    }
}

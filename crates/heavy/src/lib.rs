//! Work that takes the processor (parsing what a page sent, judging it, cutting pictures), kept
//! from holding up everything else: off the threads that answer people, and no more of it at once
//! than the machine has processors.
//!
//! Verdicts have no clock: how long [`heavy`] work may take is a count of steps in the core, so
//! that the same document is always judged the same, on a busy machine too. Work whose steps cannot
//! be counted beforehand, or that nobody may want any more when it is half done, goes through
//! [`within`].

#![warn(missing_docs)]

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, LazyLock};
use std::time::{Duration, Instant};
use tokio::runtime::{Handle, RuntimeFlavor};
use tokio::sync::Semaphore;

/// Returns the number of places: one for each processor.
fn places() -> usize {
    std::thread::available_parallelism().map_or(2, usize::from)
}

static PLACES: LazyLock<Semaphore> = LazyLock::new(|| Semaphore::new(places()));

/// Does work that takes the processor, once a place is free. What waits for a place waits in the
/// order in which it came, and gives its place in the line up when it is dropped.
pub async fn heavy<T>(work: impl FnOnce() -> T) -> T {
    // The semaphore is never closed.
    let _place = PLACES.acquire().await;
    match Handle::current().runtime_flavor() {
        RuntimeFlavor::MultiThread => tokio::task::block_in_place(work),
        // One thread: there is no other to go on with.
        _ => work(),
    }
}

/// Tells work when to stop: its time is over, or nobody waits for it any more.
#[derive(Debug)]
pub struct Stop {
    left: AtomicBool,
    until: Instant,
}

impl Stop {
    /// False from when the work should end; asked between two of its steps.
    pub fn may_go_on(&self) -> bool {
        !self.left.load(Ordering::Relaxed) && Instant::now() < self.until
    }
}

/// The work did not end in its time.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("it took too long and was given up")]
pub struct TooLong;

/// Stops the work when who waits for it is gone.
struct Waiter(Arc<Stop>);

impl Drop for Waiter {
    fn drop(&mut self) {
        self.0.left.store(true, Ordering::Relaxed);
    }
}

/// Does work that takes the processor on a thread of its own, once a place is free, and waits for
/// it no longer than `longest`. The work asks [`Stop::may_go_on`] between its steps; it keeps its
/// place until it has ended.
///
/// # Errors
/// [`TooLong`], where it did not end in its time.
pub async fn within<T: Send + 'static>(
    longest: Duration,
    work: impl FnOnce(&Stop) -> T + Send + 'static,
) -> Result<T, TooLong> {
    // The semaphore is never closed.
    let place = PLACES.acquire().await;
    let stop = Arc::new(Stop {
        left: AtomicBool::new(false),
        until: Instant::now() + longest,
    });
    let waiter = Waiter(stop.clone());
    let done = tokio::task::spawn_blocking(move || {
        let _place = place;
        work(&stop)
    });
    let done = tokio::time::timeout(longest, done).await;
    drop(waiter);
    match done {
        Ok(Ok(done)) => Ok(done),
        Ok(Err(error)) => match error.try_into_panic() {
            Ok(panic) => std::panic::resume_unwind(panic),
            // Only a runtime that ends cancels it.
            Err(_) => Err(TooLong),
        },
        Err(_) => Err(TooLong),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::AtomicUsize;
    use std::sync::mpsc::channel;

    #[tokio::test(flavor = "multi_thread")]
    async fn work_whose_time_is_over_is_left_and_ends_by_itself() {
        let (ended, has_ended) = channel();
        let told = within(Duration::from_millis(1), move |stop| {
            while stop.may_go_on() {
                std::thread::yield_now();
            }
            ended.send(()).ok();
        });
        // Who waits may be told just before or just after the work has noticed.
        let _ = told.await;
        let ended = tokio::task::spawn_blocking(move || has_ended.recv());
        ended.await.unwrap().unwrap();
        assert_eq!(within(Duration::from_secs(60), |_| 7).await, Ok(7));
    }

    #[tokio::test(flavor = "multi_thread")]
    async fn work_that_nobody_waits_for_stops() {
        let (began, has_begun) = channel();
        let (ended, has_ended) = channel();
        let waiting = tokio::spawn(within(Duration::from_secs(3_600), move |stop| {
            began.send(()).ok();
            while stop.may_go_on() {
                std::thread::yield_now();
            }
            ended.send(()).ok();
        }));
        let begun = tokio::task::spawn_blocking(move || has_begun.recv());
        begun.await.unwrap().unwrap();
        waiting.abort();
        let ended = tokio::task::spawn_blocking(move || has_ended.recv());
        ended.await.unwrap().unwrap();
    }

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

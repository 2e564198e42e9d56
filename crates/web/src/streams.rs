//! How many streams of events are open: some for each session, some hundreds in all. A page holds
//! one only while it is seen, and the pages of one browser share one.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Streams of one session: a few windows beside each other.
const MOST_EACH: usize = 4;
/// Streams that may be open at a time.
const MOST: usize = 1_000;

/// Open streams, counted by session.
#[derive(Default)]
pub struct Streams {
    open: Mutex<HashMap<i64, usize>>,
}

/// Counts as open until it is dropped.
pub struct Open {
    streams: Arc<Streams>,
    session: i64,
}

impl Streams {
    /// Opens one more stream; returns none where there are enough.
    pub fn open(self: &Arc<Self>, session: i64) -> Option<Open> {
        let mut open = self.open.lock().unwrap_or_else(PoisonError::into_inner);
        let all: usize = open.values().sum();
        let own = open.entry(session).or_default();
        if *own >= MOST_EACH || all >= MOST {
            return None;
        }
        *own += 1;
        Some(Open {
            streams: self.clone(),
            session,
        })
    }
}

impl Drop for Open {
    fn drop(&mut self) {
        let open = self.streams.open.lock();
        let mut open = open.unwrap_or_else(PoisonError::into_inner);
        if let Some(own) = open.get_mut(&self.session) {
            *own -= 1;
            if *own == 0 {
                open.remove(&self.session);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_session_has_some_and_closing_makes_room() {
        let streams = Arc::new(Streams::default());
        let mut own: Vec<_> = (0..9).filter_map(|_| streams.open(1)).collect();
        assert_eq!(own.len(), MOST_EACH);
        assert!(streams.open(2).is_some(), "another session has its own");
        own.pop();
        assert!(streams.open(1).is_some());
        drop(own);
        assert!(streams.open.lock().unwrap().is_empty());
        let all: Vec<_> = (0..2_000).filter_map(|i| streams.open(i)).collect();
        assert_eq!(all.len(), MOST);
    }
}

//! Connections of one peer: no more than its share, and the one that waits longest without a
//! request gives way to a new one.

use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use tokio::sync::Notify;

/// Place of one connection.
#[derive(Debug, Default)]
pub struct Seat {
    leave: Notify,
    asked: AtomicBool,
}

impl Seat {
    /// A request came over it.
    pub fn ask(&self) {
        self.asked.store(true, Ordering::Relaxed);
    }

    /// Waits until it must give way.
    pub async fn must_leave(&self) {
        self.leave.notified().await;
    }
}

/// All connections, by peer.
#[derive(Debug, Default)]
pub struct Seats(Mutex<HashMap<IpAddr, Vec<Arc<Seat>>>>);

/// A connection's place; given back when dropped.
#[derive(Debug)]
pub struct SeatGuard {
    seats: Arc<Seats>,
    peer: IpAddr,
    /// Place that is held.
    pub seat: Arc<Seat>,
}

impl Seats {
    /// Takes a place for a new connection. Where the peer has `most` already, one of its own gives
    /// way: the oldest that never asked for anything, else the oldest.
    pub fn take(self: &Arc<Seats>, peer: IpAddr, most: usize) -> SeatGuard {
        let peer = peer.to_canonical();
        let seat = Arc::new(Seat::default());
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let own = all.entry(peer).or_default();
        if own.len() >= most {
            let silent = own.iter().position(|s| !s.asked.load(Ordering::Relaxed));
            let gives_way = own.remove(silent.unwrap_or(0));
            gives_way.leave.notify_one();
        }
        own.push(seat.clone());
        SeatGuard {
            seats: self.clone(),
            peer,
            seat,
        }
    }
}

impl Drop for SeatGuard {
    fn drop(&mut self) {
        let mut all = self.seats.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(own) = all.get_mut(&self.peer) {
            own.retain(|s| !Arc::ptr_eq(s, &self.seat));
            if own.is_empty() {
                all.remove(&self.peer);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use futures_util::FutureExt;

    #[test]
    fn the_oldest_silent_one_of_the_same_peer_gives_way() {
        let seats = Arc::new(Seats::default());
        let peer = |n: u8| IpAddr::from([192, 0, 2, n]);
        let other = seats.take(peer(9), 2);
        let first = seats.take(peer(1), 2);
        let second = seats.take(peer(1), 2);
        first.seat.ask();
        let left = |t: &SeatGuard| t.seat.must_leave().now_or_never().is_some();
        let third = seats.take(peer(1), 2);
        assert_eq!(
            (left(&first), left(&second), left(&other)),
            (false, true, false)
        );
        third.seat.ask();
        // Where all have asked, the oldest.
        let fourth = seats.take(peer(1), 2);
        assert_eq!((left(&first), left(&third)), (true, false));
        drop((first, second, third, fourth, other));
        assert!(seats.0.lock().unwrap().is_empty());
    }
}

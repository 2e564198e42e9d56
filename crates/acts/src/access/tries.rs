//! Who may try to sign in, and how long they wait after failing: the wait doubles with each
//! failure, for the address they come from and for the account they ask for. Nobody is locked out:
//! an account's wait ends after a minute, and a browser from which its person signed in before has
//! a count of its own, which others' failures do not touch. What is kept is bounded, whatever is
//! tried.

use sha2::{Digest, Sha256};
use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// Counts that are kept; the oldest go.
const MOST_KEPT: usize = 20_000;
/// Failures older than this are forgotten.
const FORGET: Duration = Duration::from_secs(3600);

/// Attempt to sign in: where it comes from and what it asks for.
#[derive(Debug, Clone, Copy)]
pub struct Attempt<'a> {
    /// Network address that the attempt came from.
    pub peer: IpAddr,
    /// The account, in any case.
    pub account: &'a str,
    /// The token of a browser that is known to the account.
    pub browser: Option<&'a str>,
}

/// Key that failures are counted by. Texts only as hashes: an account's name may be of any length.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Key {
    Peer(IpAddr),
    Account([u8; 32]),
    Browser([u8; 32]),
}

impl Key {
    /// Failures that cost nothing, and the longest wait.
    fn rule(self) -> (u32, Duration) {
        match self {
            Key::Peer(_) => (20, Duration::from_secs(900)),
            Key::Account(_) => (6, Duration::from_secs(60)),
            Key::Browser(_) => (6, Duration::from_secs(300)),
        }
    }
}

fn hash(text: &str) -> [u8; 32] {
    Sha256::digest(text.trim().to_lowercase().as_bytes()).into()
}

/// An IPv6 peer has a whole network of 64 bits to come from (RFC 6177).
fn network(peer: IpAddr) -> IpAddr {
    match peer.to_canonical() {
        IpAddr::V6(v6) => {
            let bits = u128::from(v6) & !u128::from(u64::MAX);
            IpAddr::V6(bits.into())
        }
        v4 => v4,
    }
}

/// Returns the keys that an attempt has to wait for. A browser that is known to the account does
/// not wait for what others at its address did: its token opens the way to this one account only.
fn waits_for(attempt: &Attempt) -> Vec<Key> {
    let [peer, who] = keys(attempt);
    match attempt.browser {
        Some(_) => vec![who],
        None => vec![peer, who],
    }
}

fn keys(attempt: &Attempt) -> [Key; 2] {
    let who = match attempt.browser {
        Some(token) => Key::Browser(hash(token)),
        None => Key::Account(hash(attempt.account)),
    };
    [Key::Peer(network(attempt.peer)), who]
}

#[derive(Debug, Clone, Copy)]
struct Count {
    failures: u32,
    last: Instant,
}

/// Failures by address and account.
#[derive(Default)]
pub struct Tries {
    counts: Mutex<HashMap<Key, Count>>,
}

impl Tries {
    /// Returns how long this attempt has to wait; none where it may be made now.
    pub fn wait(&self, attempt: &Attempt, now: Instant) -> Option<Duration> {
        let counts = self.counts.lock().unwrap_or_else(PoisonError::into_inner);
        let wait = |key: Key| {
            let count = counts.get(&key)?;
            let since = now.saturating_duration_since(count.last);
            let (free, most) = key.rule();
            let beyond = count
                .failures
                .checked_sub(free)
                .filter(|_| since < FORGET)?;
            let wait = Duration::from_secs(1 << beyond.min(20)).min(most);
            wait.checked_sub(since).filter(|w| !w.is_zero())
        };
        waits_for(attempt).into_iter().filter_map(wait).max()
    }

    /// Counts a failed attempt against its address and its peer.
    pub fn failed(&self, attempt: &Attempt, now: Instant) {
        let mut counts = self.counts.lock().unwrap_or_else(PoisonError::into_inner);
        for key in keys(attempt) {
            if counts.len() >= MOST_KEPT && !counts.contains_key(&key) {
                forget(&mut counts, now);
            }
            let count = counts.entry(key).or_insert(Count {
                failures: 0,
                last: now,
            });
            if now.saturating_duration_since(count.last) >= FORGET {
                count.failures = 0;
            }
            count.failures = count.failures.saturating_add(1);
            count.last = now;
        }
    }

    /// Forgets what somebody mistyped before they signed in. The address's count stays, or one
    /// account would open the way to try all others.
    pub fn succeeded(&self, attempt: &Attempt) {
        let mut counts = self.counts.lock().unwrap_or_else(PoisonError::into_inner);
        counts.remove(&keys(attempt)[1]);
    }

    /// Counts that are kept.
    pub fn kept(&self) -> usize {
        let counts = self.counts.lock().unwrap_or_else(PoisonError::into_inner);
        counts.len()
    }
}

/// Makes room: what is forgotten goes, and where that is not enough the older half.
fn forget(counts: &mut HashMap<Key, Count>, now: Instant) {
    counts.retain(|_, c| now.saturating_duration_since(c.last) < FORGET);
    if counts.len() < MOST_KEPT {
        return;
    }
    let mut times: Vec<Instant> = counts.values().map(|c| c.last).collect();
    let middle = times.len() / 2;
    let (_, middle, _) = times.select_nth_unstable(middle);
    let middle = *middle;
    counts.retain(|_, c| c.last > middle);
}

#[cfg(test)]
mod tests {
    use super::*;

    fn from(last: u8) -> IpAddr {
        IpAddr::from([192, 0, 2, last])
    }

    fn attempt(peer: IpAddr, account: &str) -> Attempt<'_> {
        Attempt {
            peer,
            account,
            browser: None,
        }
    }

    #[test]
    fn the_wait_grows_and_ends() {
        let (tries, now) = (Tries::default(), Instant::now());
        let one = attempt(from(1), "ada@fenwick.example");
        for _ in 0..5 {
            tries.failed(&one, now);
            assert_eq!(tries.wait(&one, now), None);
        }
        let mut waits = Vec::new();
        for _ in 0..9 {
            tries.failed(&one, now);
            waits.extend(tries.wait(&one, now).map(|w| w.as_secs()));
        }
        assert_eq!(waits, [1, 2, 4, 8, 16, 32, 60, 60, 60]);
        // In any case and with blanks around it is the same account, from elsewhere too.
        let other = attempt(from(2), " ADA@fenwick.example ");
        assert!(tries.wait(&other, now).is_some());
        let later = now + Duration::from_secs(60);
        assert_eq!(tries.wait(&other, later), None);
        tries.succeeded(&one);
        assert_eq!(tries.wait(&one, now), None);
        // After an hour nothing is held against anybody.
        tries.failed(&one, now);
        assert_eq!(tries.wait(&one, now + FORGET), None);
    }

    #[test]
    fn others_failures_do_not_keep_a_known_browser_out() {
        let (tries, now) = (Tries::default(), Instant::now());
        for i in 0..200 {
            tries.failed(&attempt(from(i), "ada@fenwick.example"), now);
        }
        let known = Attempt {
            browser: Some("token"),
            ..attempt(from(201), "ada@fenwick.example")
        };
        assert_eq!(tries.wait(&known, now), None);
        // Nor do failures of strangers at its own address.
        for i in 0..200 {
            let name = format!("{i}@fenwick.example");
            tries.failed(&attempt(from(201), &name), now);
        }
        assert_eq!(tries.wait(&known, now), None);
        // Its own failures do count.
        for _ in 0..7 {
            tries.failed(&known, now);
        }
        assert!(tries.wait(&known, now).is_some());
    }

    #[test]
    fn one_address_does_not_try_all_accounts() {
        let (tries, now) = (Tries::default(), Instant::now());
        let names: Vec<String> = (0..40).map(|i| format!("{i}@fenwick.example")).collect();
        for name in &names {
            tries.failed(&attempt(from(1), name), now);
        }
        assert!(
            tries.wait(&attempt(from(1), "new@fenwick.example"), now)
                > Some(Duration::from_secs(600))
        );
        assert_eq!(
            tries.wait(&attempt(from(2), "new@fenwick.example"), now),
            None
        );
        // Addresses of one network of 64 bits count as one, and so do both forms of an IPv4
        // address.
        let v6 = |last: u16| IpAddr::from([0x2001, 0xdb8, 0, 1, 0, 0, 0, last]);
        for (i, name) in names.iter().enumerate() {
            tries.failed(&attempt(v6(i as u16), name), now);
        }
        assert!(
            tries
                .wait(&attempt(v6(999), "new@fenwick.example"), now)
                .is_some()
        );
        let mapped: IpAddr = "::ffff:192.0.2.1".parse().unwrap();
        assert!(
            tries
                .wait(&attempt(mapped, "new@fenwick.example"), now)
                .is_some()
        );
    }

    #[test]
    fn what_is_kept_is_bounded_whatever_is_tried() {
        let (tries, now) = (Tries::default(), Instant::now());
        let long = "x".repeat(100_000);
        for i in 0..(MOST_KEPT as u64 * 2) {
            let peer = IpAddr::from((i as u32).to_be_bytes());
            let account = if i == 0 { long.clone() } else { i.to_string() };
            tries.failed(&attempt(peer, &account), now + Duration::from_millis(i));
            assert!(tries.kept() <= MOST_KEPT + 2);
        }
    }
}

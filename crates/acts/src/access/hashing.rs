//! Hashing of passwords: Argon2id with the crate's recommended parameters, off the runtime's
//! threads. Each hash takes 19 MB and tens of milliseconds on purpose, so only a few run at once
//! and only some wait: a flood of attempts is answered with "busy", not with all the memory there
//! is.

use crate::{ActError, Result};
use argon2::Argon2;
use argon2::password_hash::rand_core::OsRng;
use argon2::password_hash::{PasswordHash, PasswordHasher, PasswordVerifier, SaltString};
use std::sync::Arc;
use tokio::sync::Semaphore;

/// Characters a password may have: more make no password better.
pub const MOST_PASSWORD: usize = 1_000;
/// Passwords that are hashed at the same time.
const AT_ONCE: usize = 2;
/// Requests that wait for theirs.
const MOST_WAITING: usize = 24;

/// Returns the hash under which a password is stored.
pub fn hash_password(password: &str) -> String {
    let salt = SaltString::generate(&mut OsRng);
    let hash = Argon2::default().hash_password(password.as_bytes(), &salt);
    // The parameters are constants that the crate accepts.
    hash.map(|h| h.to_string()).unwrap_or_default()
}

/// Returns whether a password is the one of a hash.
fn verify_password(password: &str, hash: &str) -> bool {
    let verifier = Argon2::default();
    let hash = PasswordHash::new(hash);
    hash.is_ok_and(|h| verifier.verify_password(password.as_bytes(), &h).is_ok())
}

/// A hash to compare with when there is no such person, so that the time tells nothing.
static NOBODY: std::sync::LazyLock<String> = std::sync::LazyLock::new(|| hash_password("nobody"));

/// The places at which hashes are made.
#[derive(Clone)]
pub struct Hashing {
    running: Arc<Semaphore>,
    waiting: Arc<Semaphore>,
}

impl Default for Hashing {
    fn default() -> Self {
        Hashing {
            running: Arc::new(Semaphore::new(AT_ONCE)),
            waiting: Arc::new(Semaphore::new(AT_ONCE + MOST_WAITING)),
        }
    }
}

impl Hashing {
    /// Returns the hash of a password, computed outside the runtime's threads.
    ///
    /// # Errors
    /// [`ActError::Busy`], where too many wait.
    pub async fn hash(&self, password: &str) -> Result<String> {
        let password = password.to_string();
        self.run(move || hash_password(&password)).await
    }

    /// Compares a password with a hash; without one the comparison takes as long and fails.
    ///
    /// # Errors
    /// [`ActError::Busy`], where too many wait.
    pub async fn verify(&self, password: &str, hash: Option<&str>) -> Result<bool> {
        if password.chars().count() > MOST_PASSWORD {
            return Ok(false);
        }
        let known = hash.filter(|h| !h.is_empty()).map(str::to_string);
        let password = password.to_string();
        self.run(move || {
            let hash = known.as_deref().unwrap_or(NOBODY.as_str());
            verify_password(&password, hash) && known.is_some()
        })
        .await
    }

    async fn run<T: Send + 'static>(&self, work: impl FnOnce() -> T + Send + 'static) -> Result<T> {
        let _waiting = self.waiting.try_acquire().map_err(|_| ActError::Busy)?;
        // Neither is ever closed.
        let _running = self.running.acquire().await.map_err(|_| ActError::Busy)?;
        tokio::task::spawn_blocking(work)
            .await
            .map_err(|_| ActError::Busy)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test(flavor = "multi_thread")]
    async fn a_flood_is_answered_and_not_hashed() {
        let hashing = Hashing::default();
        let hash = hash_password("fern and sallow");
        let mut all = tokio::task::JoinSet::new();
        for _ in 0..200 {
            let (hashing, hash) = (hashing.clone(), hash.clone());
            all.spawn(async move { hashing.verify("guess", Some(&hash)).await });
        }
        let (mut compared, mut busy) = (0, 0);
        while let Some(done) = all.join_next().await {
            match done.unwrap() {
                Ok(right) => {
                    assert!(!right);
                    compared += 1;
                }
                Err(ActError::Busy) => busy += 1,
                Err(other) => panic!("{other}"),
            }
        }
        assert!(
            compared >= AT_ONCE && busy > 0,
            "{compared} compared, {busy} busy"
        );
        // Afterwards everything is as before.
        assert!(
            hashing
                .verify("fern and sallow", Some(&hash))
                .await
                .unwrap()
        );
    }

    #[tokio::test]
    async fn without_a_hash_nothing_is_right() {
        let hashing = Hashing::default();
        assert!(!hashing.verify("nobody", None).await.unwrap());
        assert!(!hashing.verify("", Some("")).await.unwrap());
        let long = "x".repeat(MOST_PASSWORD + 1);
        assert!(
            !hashing
                .verify(&long, Some(&hash_password(&long)))
                .await
                .unwrap()
        );
    }
}

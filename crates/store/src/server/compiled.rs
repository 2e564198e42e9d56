//! Profiles that were read before: reading one compiles its patterns, and a page of the application
//! asks for several.

use crate::Result;
use sha2::{Digest, Sha256};
use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};

/// Profiles kept at most; there are as many as suppliers, platforms and consent managers.
const MOST: usize = 500;

/// Compiled profiles by the hash of their text: another text is another profile.
pub(crate) struct ProfileCache<T>(Mutex<HashMap<[u8; 32], T>>);

impl<T> Default for ProfileCache<T> {
    fn default() -> Self {
        ProfileCache(Mutex::default())
    }
}

impl<T: Clone> ProfileCache<T> {
    /// The profile of a text, read now or before.
    pub fn of(&self, text: &str, read: impl FnOnce(&str) -> Result<T>) -> Result<T> {
        let hash = Sha256::digest(text.as_bytes()).into();
        let known = || self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(profile) = known().get(&hash) {
            return Ok(profile.clone());
        }
        let profile = read(text)?;
        let mut known = known();
        if known.len() >= MOST {
            known.clear();
        }
        known.insert(hash, profile.clone());
        Ok(profile)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_is_read_once_and_a_mistake_each_time() {
        let (kept, mut times) = (ProfileCache::default(), 0);
        for text in ["a", "b", "a"] {
            let read = |t: &str| {
                times += 1;
                Ok(t.to_string())
            };
            assert_eq!(kept.of(text, read).unwrap(), text);
        }
        assert_eq!(times, 2);
        for _ in 0..2 {
            assert!(kept.of("c", |_| Err(crate::StoreError::Seal)).is_err());
        }
        for n in 0..1_200 {
            kept.of(&n.to_string(), |t| Ok(t.to_string())).unwrap();
        }
        assert!(kept.0.lock().unwrap().len() <= MOST);
    }
}

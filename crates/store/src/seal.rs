//! Secrets at rest (tokens of platforms and consoles), sealed with ChaCha20-Poly1305 under the
//! installation's key, which lives in a file beside the data and not in the database. Each is bound to
//! its row: copied to another, it does not open.

use crate::{Result, StoreError};
use ring::aead::{Aad, CHACHA20_POLY1305, LessSafeKey, NONCE_LEN, Nonce, UnboundKey};
use std::path::Path;

/// Seals secrets with a key that lies outside the database.
#[derive(Clone)]
pub struct Sealer {
    key: [u8; 32],
}

impl Sealer {
    /// Reads the key, or makes one that only its owner may read.
    ///
    /// # Errors
    /// Where the key can be neither read nor made.
    pub fn from_file(path: &Path) -> std::io::Result<Sealer> {
        if let Ok(bytes) = std::fs::read(path)
            && let Ok(key) = bytes.try_into()
        {
            return Ok(Sealer { key });
        }
        let key: [u8; 32] = rand::random();
        use std::io::Write;
        use std::os::unix::fs::OpenOptionsExt;
        std::fs::OpenOptions::new()
            .write(true)
            .create_new(true)
            .mode(0o600)
            .open(path)?
            .write_all(&key)?;
        Ok(Sealer { key })
    }

    fn cipher(&self) -> Result<LessSafeKey> {
        UnboundKey::new(&CHACHA20_POLY1305, &self.key)
            .map(LessSafeKey::new)
            .map_err(|_| StoreError::Seal)
    }

    /// Seals a text for one row: `place` names it, and nothing sealed opens at another.
    ///
    /// # Errors
    /// Where the cipher refuses.
    pub fn seal(&self, place: &str, text: &str) -> Result<Vec<u8>> {
        let nonce: [u8; NONCE_LEN] = rand::random();
        let mut body = text.as_bytes().to_vec();
        self.cipher()?
            .seal_in_place_append_tag(
                Nonce::assume_unique_for_key(nonce),
                Aad::from(place),
                &mut body,
            )
            .map_err(|_| StoreError::Seal)?;
        Ok([nonce.as_slice(), &body].concat())
    }

    /// Opens what was sealed for this place.
    ///
    /// # Errors
    /// [`StoreError::Seal`], where it was sealed with another key or for another place.
    pub fn open(&self, place: &str, sealed: &[u8]) -> Result<String> {
        let (nonce, body) = sealed.split_at_checked(NONCE_LEN).ok_or(StoreError::Seal)?;
        let mut body = body.to_vec();
        let nonce = Nonce::try_assume_unique_for_key(nonce).map_err(|_| StoreError::Seal)?;
        let plain = self
            .cipher()?
            .open_in_place(nonce, Aad::from(place), &mut body)
            .map_err(|_| StoreError::Seal)?;
        String::from_utf8(plain.to_vec()).map_err(|_| StoreError::Seal)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sealed_secrets_open_with_their_key_only() {
        let folder = tempfile::tempdir().unwrap();
        let one = Sealer::from_file(&folder.path().join("a")).unwrap();
        let again = Sealer::from_file(&folder.path().join("a")).unwrap();
        let other = Sealer::from_file(&folder.path().join("b")).unwrap();
        let sealed = one.seal("site 1", "token").unwrap();
        assert_ne!(sealed, one.seal("site 1", "token").unwrap());
        assert_eq!(again.open("site 1", &sealed).unwrap(), "token");
        assert!(
            other.open("site 1", &sealed).is_err()
                && one.open("site 1", &sealed[1..]).is_err()
                && one.open("site 1", &[]).is_err()
                && one.open("site 2", &sealed).is_err()
        );
    }
}

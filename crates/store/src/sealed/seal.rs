//! Secrets at rest (tokens of platforms and consoles), sealed with ChaCha20-Poly1305 under the
//! installation's key, which lives in a file beside the data and not in the database. Each is bound
//! to its row: copied to another, it does not open.

use crate::{Result, StoreError};
use ring::aead::{Aad, CHACHA20_POLY1305, LessSafeKey, NONCE_LEN, Nonce, UnboundKey};
use std::path::Path;

/// Seals secrets with a key that lies outside the database.
#[derive(Clone)]
pub struct Sealer {
    key: [u8; 32],
}

impl Sealer {
    /// Reads the key; none where there is no such file.
    ///
    /// # Errors
    /// Where the file cannot be read, or holds something else.
    pub fn read(path: &Path) -> std::io::Result<Option<Sealer>> {
        let bytes = match std::fs::read(path) {
            Ok(bytes) => bytes,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(None),
            Err(e) => return Err(e),
        };
        let length = bytes.len();
        let key = bytes.try_into().map_err(|_| {
            let why = format!("it has {length} bytes where a key has 32: put the right file there");
            std::io::Error::new(std::io::ErrorKind::InvalidData, why)
        })?;
        Ok(Some(Sealer { key }))
    }

    /// Makes a key that only its owner may read. It appears whole or not at all, and of two
    /// programs that start together both take the same.
    ///
    /// # Errors
    /// Where it cannot be made.
    pub fn make(path: &Path) -> std::io::Result<Sealer> {
        let folder = path.parent().unwrap_or(Path::new("."));
        let mut file = tempfile::NamedTempFile::new_in(folder)?;
        std::io::Write::write_all(&mut file, &rand::random::<[u8; 32]>())?;
        match file.persist_noclobber(path) {
            Ok(_) => {}
            Err(e) if e.error.kind() == std::io::ErrorKind::AlreadyExists => {}
            Err(e) => return Err(e.error),
        }
        Sealer::read(path)?.ok_or_else(|| std::io::ErrorKind::NotFound.into())
    }

    /// Reads the key, or makes one.
    ///
    /// # Errors
    /// Where the key can be neither read nor made.
    pub fn from_file(path: &Path) -> std::io::Result<Sealer> {
        match Sealer::read(path)? {
            Some(sealer) => Ok(sealer),
            None => Sealer::make(path),
        }
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
        use std::os::unix::fs::PermissionsExt;
        let mode = std::fs::metadata(folder.path().join("a"))
            .unwrap()
            .permissions()
            .mode();
        assert_eq!(mode & 0o777, 0o600);
        std::fs::write(folder.path().join("c"), "short").unwrap();
        let error = Sealer::from_file(&folder.path().join("c")).err().unwrap();
        assert!(
            error.to_string().contains("5 bytes where a key has 32"),
            "{error}"
        );
    }
}

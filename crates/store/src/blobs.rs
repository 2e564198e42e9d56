//! Pictures, logos, PDFs and documents of visits, through the `object_store` crate: a folder by default. Keys are the
//! content's hash, so the same picture is kept once and a key never changes its meaning.

use crate::{Result, StoreError};
use object_store::local::LocalFileSystem;
use object_store::path::Path;
use object_store::{ObjectStore, ObjectStoreExt};
use sha2::Digest;
use std::os::unix::fs::PermissionsExt;
use std::sync::Arc;

/// Pictures and papers, by the hash of what they hold.
#[derive(Clone)]
pub struct Blobs {
    store: Arc<dyn ObjectStore>,
}

impl Blobs {
    /// In a folder, which is made where it is missing, and which nobody else can enter: pictures show
    /// what clients' sites show to some.
    ///
    /// # Errors
    /// Where the folder cannot be made or is somebody else's.
    pub fn folder(path: &std::path::Path) -> Result<Blobs> {
        let private = std::fs::Permissions::from_mode(0o700);
        std::fs::create_dir_all(path)
            .and_then(|()| std::fs::set_permissions(path, private))
            .map_err(|e| StoreError::Corrupt {
                what: "blob folder",
                why: e.to_string(),
            })?;
        Ok(Blobs {
            store: Arc::new(LocalFileSystem::new_with_prefix(path)?),
        })
    }

    /// The extension is part of the key and tells the media type.
    ///
    /// # Errors
    /// Where the blob cannot be written.
    pub async fn put(&self, bytes: Vec<u8>, extension: &str) -> Result<String> {
        let hash: String = sha2::Sha256::digest(&bytes)
            .iter()
            .take(20)
            .map(|b| format!("{b:02x}"))
            .collect();
        let key = format!("{}/{hash}.{extension}", &hash[..2]);
        self.store
            .put(&Path::from(key.as_str()), bytes.into())
            .await?;
        Ok(key)
    }

    /// Removes a blob; one that is gone is fine.
    ///
    /// # Errors
    /// Where the store refuses.
    pub async fn remove(&self, key: &str) -> Result<()> {
        if !is_key(key) {
            return Ok(());
        }
        match self.store.delete(&Path::from(key)).await {
            Ok(()) | Err(object_store::Error::NotFound { .. }) => Ok(()),
            Err(error) => Err(error.into()),
        }
    }

    /// Nothing where there is no such blob, or the key is none of ours.
    ///
    /// # Errors
    /// Where the blob cannot be read; one that is not there is none.
    pub async fn get(&self, key: &str) -> Result<Option<bytes::Bytes>> {
        if !is_key(key) {
            return Ok(None);
        }
        match self.store.get(&Path::from(key)).await {
            Ok(found) => Ok(Some(found.bytes().await?)),
            Err(object_store::Error::NotFound { .. }) => Ok(None),
            Err(error) => Err(error.into()),
        }
    }
}

fn is_key(key: &str) -> bool {
    let parts: Vec<&str> = key.split(['/', '.']).collect();
    let &[folder, hash, ending] = parts.as_slice() else {
        return false;
    };
    let hexadecimal = hash.len() == 40 && hash.chars().all(|c| c.is_ascii_hexdigit());
    let placed = folder.len() == 2 && hash.starts_with(folder);
    hexadecimal && placed && ending.chars().all(|c| c.is_ascii_alphanumeric())
}

/// By the ending of a key; none for what is not to be sent to a browser.
pub fn media_type(key: &str) -> Option<&'static str> {
    match key.rsplit('.').next() {
        Some("png") => Some("image/png"),
        Some("jpg") => Some("image/jpeg"),
        Some("svg") => Some("image/svg+xml"),
        Some("pdf") => Some("application/pdf"),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn what_is_put_is_got_and_nothing_else() {
        let folder = tempfile::tempdir().unwrap();
        let blobs = Blobs::folder(folder.path()).unwrap();
        let key = blobs.put(b"picture".to_vec(), "png").await.unwrap();
        assert_eq!(key, blobs.put(b"picture".to_vec(), "png").await.unwrap());
        assert_eq!(blobs.get(&key).await.unwrap().unwrap().as_ref(), b"picture");
        for bad in [
            "../../etc/passwd",
            "ab/../x.png",
            "",
            &key.replace(".png", ".pn/g"),
        ] {
            assert_eq!(blobs.get(bad).await.unwrap(), None, "{bad}");
        }
    }
}

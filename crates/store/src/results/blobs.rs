//! Pictures, logos, PDFs and documents of visits, through the `object_store` crate: a folder by
//! default, or a bucket. Keys are the content's hash, so the same picture is kept once and a key
//! never changes its meaning.

use crate::{Result, StoreError};
use futures_util::TryStreamExt;
use object_store::aws::AmazonS3Builder;
use object_store::local::LocalFileSystem;
use object_store::path::Path;
use object_store::prefix::PrefixStore;
use object_store::{ClientOptions, ObjectStore, ObjectStoreExt, RetryConfig};
// For its secure connections: object_store turns on none of them.
use reqwest as _;
use sha2::Digest;
use std::os::unix::fs::PermissionsExt;
use std::sync::Arc;
use std::time::Duration;

/// Pictures and papers, by the hash of what they hold.
#[derive(Clone)]
pub struct Blobs {
    store: Arc<dyn ObjectStore>,
}

impl Blobs {
    /// Opens a store in a folder, which is made where it is missing, and which nobody else can
    /// enter: pictures show what clients' sites show to some.
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

    /// Opens a store in a bucket that is spoken to by the S3 protocol, `s3://BUCKET/PREFIX`;
    /// several machines share it. Server, region and keys come from the variables that the
    /// protocol's programs share (`AWS_ENDPOINT_URL`, `AWS_REGION`, `AWS_ACCESS_KEY_ID`,
    /// `AWS_SECRET_ACCESS_KEY`; a server without TLS needs `AWS_ALLOW_HTTP=true`).
    ///
    /// # Errors
    /// Where the address is none, or something of that is missing.
    pub fn bucket(address: &str) -> Result<Blobs> {
        let _ = rustls::crypto::ring::default_provider().install_default();
        let rest = address.strip_prefix("s3://").unwrap_or_default();
        let (bucket, prefix) = rest.split_once('/').unwrap_or((rest, ""));
        if bucket.is_empty() {
            return Err(StoreError::Corrupt {
                what: "address of the bucket",
                why: format!("{address} is none: write s3://BUCKET/PREFIX"),
            });
        }
        let http = std::env::var("AWS_ALLOW_HTTP").is_ok_and(|v| v == "true");
        let options = ClientOptions::new()
            .with_allow_http(http)
            .with_connect_timeout(Duration::from_secs(5))
            .with_timeout(Duration::from_secs(30));
        // A person who waits for a page is told within half a minute; a job is made again.
        let retry = RetryConfig {
            max_retries: 3,
            retry_timeout: Duration::from_secs(30),
            ..RetryConfig::default()
        };
        let server = AmazonS3Builder::from_env()
            .with_bucket_name(bucket)
            .with_client_options(options)
            .with_retry(retry)
            .build()?;
        let prefix = prefix.trim_matches('/');
        Ok(Blobs {
            store: Arc::new(PrefixStore::new(server, prefix)),
        })
    }

    /// All keys that are there; what is none of ours is passed over.
    ///
    /// # Errors
    /// Where the store refuses.
    pub async fn keys(&self) -> Result<Vec<String>> {
        let listed = self.store.list(None).map_ok(|o| o.location.to_string());
        let mut keys: Vec<String> = listed.try_collect().await?;
        keys.retain(|key| is_key(key));
        keys.sort_unstable();
        Ok(keys)
    }

    /// Brings a blob back under its key, from a backup.
    ///
    /// # Errors
    /// Where the bytes are not those of the key, or cannot be written.
    pub async fn put_back(&self, key: &str, bytes: Vec<u8>) -> Result<()> {
        let ending = key.rsplit('.').next().unwrap_or_default();
        let own = key_of(&bytes, ending);
        if own != key {
            return Err(StoreError::Corrupt {
                what: "blob",
                why: format!("{key} holds what belongs to {own}"),
            });
        }
        self.put(bytes, ending).await.map(|_| ())
    }

    /// The extension is part of the key and tells the media type.
    ///
    /// # Errors
    /// Where the blob cannot be written.
    pub async fn put(&self, bytes: Vec<u8>, extension: &str) -> Result<String> {
        let key = key_of(&bytes, extension);
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

    /// Returns the bytes of a blob; none where there is no such blob, or the key is none of ours.
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

fn key_of(bytes: &[u8], ending: &str) -> String {
    let hash = sha2::Sha256::digest(bytes);
    let hash: String = hash.iter().take(20).map(|b| format!("{b:02x}")).collect();
    format!("{}/{hash}.{ending}", &hash[..2])
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

/// Returns the media type by the ending of a key; none for what is not to be sent to a browser.
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
    async fn keys_are_listed_and_brought_back_whole_only() {
        let folder = tempfile::tempdir().unwrap();
        let blobs = Blobs::folder(folder.path()).unwrap();
        let key = blobs.put(b"picture".to_vec(), "png").await.unwrap();
        std::fs::write(folder.path().join("note.txt"), "somebody's").unwrap();
        assert_eq!(blobs.keys().await.unwrap(), std::slice::from_ref(&key));
        blobs.remove(&key).await.unwrap();
        let damaged = blobs.put_back(&key, b"pixture".to_vec()).await;
        assert!(damaged.unwrap_err().to_string().contains("holds what"));
        assert_eq!(blobs.keys().await.unwrap(), [""; 0]);
        blobs.put_back(&key, b"picture".to_vec()).await.unwrap();
        assert_eq!(blobs.keys().await.unwrap(), [key]);
    }

    #[test]
    fn an_address_without_a_bucket_is_told() {
        for bad in ["s3://", "bucket", "s3:///prefix"] {
            let told = Blobs::bucket(bad).err().unwrap().to_string();
            assert!(told.contains("s3://BUCKET/PREFIX"), "{told}");
        }
    }

    #[tokio::test]
    async fn what_is_put_is_got_and_nothing_else() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("blobs");
        let blobs = Blobs::folder(&path).unwrap();
        // Nobody else can enter.
        let mode = std::fs::metadata(&path).unwrap().permissions().mode();
        assert_eq!(mode & 0o777, 0o700);
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

//! Blobs in a bucket, against a real server of the S3 protocol from npm (`e2e/with-bucket.mjs`),
//! which checks each signature.
#![allow(clippy::unwrap_used)]

use newtfern_store::results::blobs::Blobs;

fn bucket(prefix: &str) -> Blobs {
    let bucket = std::env::var("NEWTFERN_TEST_BUCKET").expect("run ./run test");
    Blobs::bucket(&format!("{bucket}/{prefix}")).unwrap()
}

#[tokio::test]
async fn two_machines_share_a_bucket() {
    let (one, other) = (bucket("shared"), bucket("shared/"));
    let picture = vec![7u8; 300_000];
    let key = one.put(picture.clone(), "png").await.unwrap();
    // The same picture from another machine is the same blob.
    assert_eq!(other.put(picture.clone(), "png").await.unwrap(), key);
    assert_eq!(other.get(&key).await.unwrap().unwrap(), picture);
    assert_eq!(other.keys().await.unwrap(), std::slice::from_ref(&key));
    other.remove(&key).await.unwrap();
    other.remove(&key).await.unwrap();
    assert_eq!(one.get(&key).await.unwrap(), None);
}

#[tokio::test]
async fn a_prefix_is_a_place_of_its_own() {
    let (one, other) = (bucket("one/deep"), bucket("other"));
    let key = one.put(b"sheet".to_vec(), "pdf").await.unwrap();
    assert_eq!(other.get(&key).await.unwrap(), None);
    assert_eq!(other.keys().await.unwrap(), [""; 0]);
    other.put_back(&key, b"sheet".to_vec()).await.unwrap();
    one.remove(&key).await.unwrap();
    assert_eq!(other.keys().await.unwrap(), [key]);
}

/// Retried, then told; never taken for a blob that is not there.
#[tokio::test]
async fn a_bucket_that_is_not_there_is_an_error_not_an_empty_one() {
    let none = Blobs::bucket("s3://no-such-bucket").unwrap();
    assert!(none.put(b"x".to_vec(), "png").await.is_err());
    assert!(none.keys().await.is_err());
}

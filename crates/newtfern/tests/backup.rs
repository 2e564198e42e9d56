//! A backup restores an identical installation, and nothing is restored from a damaged one. The key
//! is asked for at every start.
#![allow(clippy::unwrap_used)]

use newtfern_model::site::SiteFields;
use newtfern_store::Store;
use newtfern_store::results::blobs::Blobs;
use newtfern_store::sealed::seal::Sealer;
use newtfern_store::server::scratch;
use newtfern_verdict::brand::BrandSheet;
use std::path::Path;
use std::process::Output;
use tokio::process::Command;

async fn run(words: &[&str], database: &str, folder: &Path, more: &[&Path]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_newtfern"))
        .arg("admin")
        .args(words)
        .args(["--database", database, "--folder"])
        .arg(folder)
        .args(more)
        .env("NEWTFERN_PASSWORD", "fern and sallow")
        .output()
        .await
        .unwrap()
}

fn said(output: &Output) -> String {
    let (out, err) = (&output.stdout, &output.stderr);
    String::from_utf8_lossy(out).into_owned() + &String::from_utf8_lossy(err)
}

/// An empty database on the tests' server.
async fn empty(server: &str) -> String {
    let admin = Store::connect(server).await.unwrap();
    let name = format!("empty_{}", &newtfern_store::fresh_token()[..16]);
    sqlx::query(sqlx::AssertSqlSafe(format!("create database {name}")))
        .execute(&admin.pool)
        .await
        .unwrap();
    admin.pool.close().await;
    let mut address = url::Url::parse(server).unwrap();
    address.set_path(&name);
    address.into()
}

/// Every row of every table, as text.
async fn rows(address: &str) -> Vec<String> {
    let store = Store::connect(address).await.unwrap();
    let mut all = Vec::new();
    for table in store.row_counts().await.unwrap().keys() {
        let sql = format!("select t::text from \"{table}\" t order by 1");
        let found: Vec<String> = sqlx::query_scalar(sqlx::AssertSqlSafe(sql))
            .fetch_all(&store.pool)
            .await
            .unwrap();
        all.extend(found.into_iter().map(|row| format!("{table} {row}")));
    }
    store.pool.close().await;
    all
}

/// From a bucket that several machines share, into the folder of one, and back into another bucket.
#[tokio::test(flavor = "multi_thread")]
async fn pictures_go_from_a_bucket_into_a_folder_and_back() {
    let server = std::env::var(scratch::SERVER).expect("run ./run test");
    let bucket = std::env::var("NEWTFERN_TEST_BUCKET").expect("run ./run test");
    let bucket = |name: &str| format!("{bucket}/{}/{name}", newtfern_store::fresh_token());
    let (shared, next) = (bucket("shared"), bucket("next"));
    let temp = tempfile::tempdir().unwrap();
    let at = |name: &str| temp.path().join(name);
    let there = |bucket: &str| ["--blobs".to_string(), bucket.to_string()];
    let (first, folder) = (empty(&server).await, at("first"));
    assert!(run(ADD, &first, &folder, &[]).await.status.success());
    let pictures = Blobs::bucket(&shared).unwrap();
    let key = pictures.put(b"a picture".to_vec(), "png").await.unwrap();

    let (to, copy) = (at("backup"), at("key.copy"));
    let [blobs, place] = there(&shared);
    let words = ["backup", &blobs, &place];
    let made = run(
        &words,
        &first,
        &folder,
        &[&to, Path::new("--key-to"), &copy],
    )
    .await;
    assert!(made.status.success(), "{}", said(&made));
    assert!(to.join("blobs").join(&key).is_file());

    let [blobs, place] = there(&next);
    let words = ["restore", &blobs, &place];
    let more: &[&Path] = &[&to, Path::new("--key"), &copy];
    let restored = run(&words, &empty(&server).await, &at("second"), more).await;
    assert!(restored.status.success(), "{}", said(&restored));
    let restored = Blobs::bucket(&next).unwrap();
    let bytes = restored.get(&key).await.unwrap().unwrap();
    assert_eq!(bytes.as_ref(), b"a picture");
    // Into a bucket that holds something, nothing is restored.
    let again = run(&words, &empty(&server).await, &at("third"), more).await;
    assert!(said(&again).contains("is not empty"), "{}", said(&again));
}

const ADD: &[&str] = &[
    "add-person",
    "--email",
    "ada@fenwick.example",
    "--name",
    "Ada",
];

#[tokio::test(flavor = "multi_thread")]
async fn what_was_backed_up_is_restored_as_it_was_or_not_at_all() {
    // One story: each part stands on what the one before left behind.
    let server = std::env::var(scratch::SERVER).expect("run ./run test");
    let temp = tempfile::tempdir().unwrap();
    let at = |name: &str| temp.path().join(name);
    let (first, folder) = (empty(&server).await, at("first"));
    let added = run(ADD, &first, &folder, &[]).await;
    assert!(added.status.success(), "{}", said(&added));
    let store = Store::connect(&first).await.unwrap();
    let sealer = Sealer::read(&folder.join("seal.key")).unwrap().unwrap();
    let blobs = Blobs::folder(&folder.join("blobs")).unwrap();
    let key = blobs.put(b"a picture".to_vec(), "png").await.unwrap();
    let mut tx = store.begin().await.unwrap();
    let client = tx
        .add_client("Lenn Kite Workshop", &BrandSheet::default())
        .await
        .unwrap();
    let site = SiteFields {
        name: "Shop".into(),
        url: "https://kites.example/".into(),
        ..SiteFields::default()
    };
    let site = tx.add_site(client, &site).await.unwrap();
    let sealed = sealer.seal("site token", "secret-1").unwrap();
    tx.set_site_token(site, &sealed).await.unwrap();
    tx.commit().await.unwrap();
    store.pool.close().await;

    let (to, copy) = (at("backup"), at("key.copy"));
    let made = run(
        &["backup"],
        &first,
        &folder,
        &[&to, Path::new("--key-to"), &copy],
    )
    .await;
    assert!(made.status.success(), "{}", said(&made));
    // The sums are in the form that coreutils read, and the key is not among the files.
    let checked = Command::new("sha256sum")
        .args(["--check", "--quiet", "SHA256SUMS"])
        .current_dir(&to)
        .output()
        .await
        .unwrap();
    assert!(checked.status.success(), "{}", said(&checked));
    assert!(!to.join("seal.key").exists());
    let again = run(&["backup"], &first, &folder, &[&to]).await;
    assert!(
        said(&again).contains("is there already"),
        "{}",
        said(&again)
    );

    let (second, new) = (empty(&server).await, at("second"));
    let restore = |key: &Path| {
        let (second, new, to, key) = (second.clone(), new.clone(), to.clone(), key.to_path_buf());
        async move {
            run(
                &["restore"],
                &second,
                &new,
                &[&to, Path::new("--key"), &key],
            )
            .await
        }
    };
    // A picture that was damaged on its way: nothing is restored.
    let picture = to.join("blobs").join(&key);
    std::fs::write(&picture, b"a p1cture").unwrap();
    let damaged = restore(&copy).await;
    assert!(
        said(&damaged).contains("is damaged: its sum is another"),
        "{}",
        said(&damaged)
    );
    assert!(rows(&second).await.is_empty() && !new.exists());
    std::fs::write(&picture, b"a picture").unwrap();
    let keyless = restore(&at("no such key")).await;
    assert!(
        said(&keyless).contains("there is no key"),
        "{}",
        said(&keyless)
    );
    std::fs::write(at("other key"), [7; 32]).unwrap();
    let wrong = restore(&at("other key")).await;
    assert!(said(&wrong).contains("not the one"), "{}", said(&wrong));
    assert!(rows(&second).await.is_empty() && !new.exists());

    let restored = restore(&copy).await;
    assert!(restored.status.success(), "{}", said(&restored));
    assert!(said(&restored).contains("1 blobs"), "{}", said(&restored));
    assert_eq!(rows(&first).await, rows(&second).await);
    assert_eq!(
        std::fs::read(new.join("blobs").join(&key)).unwrap(),
        b"a picture"
    );
    let sealer = Sealer::read(&new.join("seal.key")).unwrap().unwrap();
    assert_eq!(sealer.open("site token", &sealed).unwrap(), "secret-1");
    let twice = restore(&copy).await;
    assert!(said(&twice).contains("not empty"), "{}", said(&twice));
    // It starts, and goes on where the other stood.
    let other = [
        "add-person",
        "--email",
        "bo@fenwick.example",
        "--name",
        "Bo",
    ];
    let more = run(&other, &second, &new, &[]).await;
    assert!(more.status.success(), "{}", said(&more));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_missing_or_wrong_key_stops_the_start_and_says_what_to_do() {
    let server = std::env::var(scratch::SERVER).expect("run ./run test");
    let temp = tempfile::tempdir().unwrap();
    let (database, folder) = (empty(&server).await, temp.path().join("data"));
    assert!(run(ADD, &database, &folder, &[]).await.status.success());
    let key = folder.join("seal.key");
    let kept = std::fs::read(&key).unwrap();
    let start = || run(&["reassess"], &database, &folder, &[]);

    std::fs::remove_file(&key).unwrap();
    let missing = start().await;
    assert!(!missing.status.success());
    assert!(said(&missing).contains("is missing") && said(&missing).contains("put its copy back"));
    assert!(!key.exists(), "no new key is made in its place");

    std::fs::write(&key, [7; 32]).unwrap();
    let wrong = start().await;
    assert!(!wrong.status.success());
    assert!(said(&wrong).contains("not the one"), "{}", said(&wrong));

    std::fs::write(&key, b"short").unwrap();
    assert!(said(&start().await).contains("5 bytes where a key has 32"));

    std::fs::write(&key, kept).unwrap();
    let right = start().await;
    assert!(right.status.success(), "{}", said(&right));
}

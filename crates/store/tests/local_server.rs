//! The server of the demo and the tests trusts whoever reaches it: so nobody else may.
#![allow(clippy::unwrap_used)]

use newtfern_store::Store;
use newtfern_store::server::local_server::LocalServer;
use std::os::unix::fs::PermissionsExt;

#[tokio::test(flavor = "multi_thread")]
async fn no_other_user_of_the_machine_reaches_the_server() {
    let folder = tempfile::Builder::new()
        .prefix("with blank ")
        .tempdir_in("/var/tmp")
        .unwrap();
    // As root the server runs as a user of its own, who must be able to come here.
    std::fs::set_permissions(folder.path(), std::fs::Permissions::from_mode(0o755)).unwrap();
    let server = LocalServer::start(&folder.path().join("cluster")).unwrap();
    let address = server.database("house").await.unwrap();
    let store = Store::connect(&address).await.unwrap();
    let ask = |sql: &'static str| sqlx::query_scalar::<_, String>(sql).fetch_one(&store.pool);
    assert_eq!(ask("show listen_addresses").await.unwrap(), "");
    let socket = ask("show unix_socket_directories").await.unwrap();
    let mode = |path: &str| std::fs::metadata(path).unwrap().permissions().mode() & 0o777;
    assert_eq!(mode(&socket), 0o700, "{socket}");
    assert_eq!(mode(&ask("show data_directory").await.unwrap()), 0o700);
    store.pool.close().await;
    drop(server);
    assert!(
        !std::path::Path::new(&socket).exists(),
        "it leaves nothing behind"
    );
}

/// A program that is killed leaves its server running: the next start ends it and goes on with the
/// data.
#[tokio::test(flavor = "multi_thread")]
async fn a_server_that_was_left_behind_does_not_keep_the_next_from_starting() {
    let folder = tempfile::Builder::new()
        .prefix("left behind ")
        .tempdir_in("/var/tmp")
        .unwrap();
    std::fs::set_permissions(folder.path(), std::fs::Permissions::from_mode(0o755)).unwrap();
    let cluster = folder.path().join("cluster");
    let first = LocalServer::start(&cluster).unwrap();
    let store = Store::connect(&first.database("house").await.unwrap())
        .await
        .unwrap();
    sqlx::query("create table kept (n integer)")
        .execute(&store.pool)
        .await
        .unwrap();
    // While its program lives, nobody takes the folder from it.
    let refused = LocalServer::start(&cluster).err().unwrap().to_string();
    assert!(refused.contains("another program uses"), "{refused}");
    first.leave_behind();
    let second = LocalServer::start(&cluster).unwrap();
    let again = Store::connect(&second.database("house").await.unwrap())
        .await
        .unwrap();
    let kept: i64 = sqlx::query_scalar("select count(*) from kept")
        .fetch_one(&again.pool)
        .await
        .unwrap();
    assert_eq!(kept, 0);
    again.pool.close().await;
}

//! The server of the demo and the tests trusts whoever reaches it: so nobody else may.
#![allow(clippy::unwrap_used)]

use newtfern_store::Store;
use newtfern_store::local_server::LocalServer;
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

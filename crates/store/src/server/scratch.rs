//! A new, empty, migrated database on a given server: one for each test and for the benchmark. The
//! server is a throw-away itself (`newtfern admin with-database`).

use crate::{Result, Store, StoreError, doing, fresh_token};

/// Variable in which `newtfern admin with-database` leaves the server's address.
pub const SERVER: &str = "NEWTFERN_TEST_DATABASE";

/// Makes an empty database and brings its schema up to date.
///
/// # Errors
/// Where the server does not answer, or the schema cannot be made.
pub async fn database(server: &str) -> Result<Store> {
    Ok(with_address(server).await?.0)
}

/// Makes a database and returns it with the address for other processes.
///
/// # Errors
/// Where the server does not answer, or the schema cannot be made.
pub async fn with_address(server: &str) -> Result<(Store, String)> {
    let name = format!("scratch_{}", &fresh_token()[..16]);
    let admin = Store::connect(server).await?;
    migrated_once(&admin, server).await?;
    // A name cannot be a parameter; this one is made of hexadecimal digits.
    let copy = format!("create database {name} template {TEMPLATE}");
    sqlx::query(sqlx::AssertSqlSafe(copy))
        .execute(&admin.pool)
        .await
        .map_err(doing("making a scratch database"))?;
    admin.pool.close().await;
    let address = address_of(server, &name)?;
    Ok((Store::connect(&address).await?, address))
}

/// Drops a scratch database when it goes itself: hundreds of them fill a small disk.
pub struct Scratch {
    server: String,
    name: String,
}

impl Scratch {
    /// Takes care of the database at an address of this server.
    pub fn of(server: &str, address: &str) -> Scratch {
        Scratch {
            server: server.to_string(),
            name: url::Url::parse(address)
                .map(|a| a.path().trim_matches('/').to_string())
                .unwrap_or_default(),
        }
    }
}

impl Drop for Scratch {
    fn drop(&mut self) {
        let (server, name) = (self.server.clone(), self.name.clone());
        // A thread of its own: this may be the end of an asynchronous test.
        let gone = std::thread::spawn(move || {
            let runtime = tokio::runtime::Builder::new_current_thread()
                .enable_all()
                .build();
            runtime.map(|r| r.block_on(dropped(&server, &name)))
        });
        // What stays goes with the server.
        let _ = gone.join();
    }
}

async fn dropped(server: &str, name: &str) -> Result<()> {
    let admin = Store::connect(server).await?;
    let gone = format!("drop database if exists {name} with (force)");
    sqlx::query(sqlx::AssertSqlSafe(gone))
        .execute(&admin.pool)
        .await
        .map_err(doing("dropping a scratch database"))?;
    admin.pool.close().await;
    Ok(())
}

/// The database that all others are copied from: its schema is made once a server.
const TEMPLATE: &str = "scratch_template";
/// Key of the lock under which it is made.
const MAKING: i64 = 0x6e66_7363;

fn address_of(server: &str, database: &str) -> Result<String> {
    let mut address = url::Url::parse(server)
        .map_err(|e| StoreError::Connect(sqlx::Error::Configuration(e.into())))?;
    address.set_path(database);
    Ok(address.into())
}

async fn migrated_once(admin: &Store, server: &str) -> Result<()> {
    let failed = || doing("making the scratch databases' template");
    let mut one = admin.pool.acquire().await.map_err(failed())?;
    sqlx::query("select pg_advisory_lock($1)")
        .bind(MAKING)
        .execute(&mut *one)
        .await
        .map_err(failed())?;
    let known = "select exists (select 1 from pg_database where datname = $1 and datistemplate)";
    let there: bool = sqlx::query_scalar(known)
        .bind(TEMPLATE)
        .fetch_one(&mut *one)
        .await
        .map_err(failed())?;
    if !there {
        for make in ["drop database if exists", "create database"] {
            sqlx::query(sqlx::AssertSqlSafe(format!("{make} {TEMPLATE}")))
                .execute(&mut *one)
                .await
                .map_err(failed())?;
        }
        let store = Store::connect(&address_of(server, TEMPLATE)?).await?;
        store.migrate().await?;
        store.pool.close().await;
        // Said last: one that broke off half way is made anew.
        let done = format!("alter database {TEMPLATE} is_template true");
        sqlx::query(sqlx::AssertSqlSafe(done))
            .execute(&mut *one)
            .await
            .map_err(failed())?;
    }
    sqlx::query("select pg_advisory_unlock($1)")
        .bind(MAKING)
        .execute(&mut *one)
        .await
        .map(|_| ())
        .map_err(failed())
}

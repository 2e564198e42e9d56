//! A new, empty, migrated database on a given server: one for each test and for the benchmark. The
//! server is a throw-away itself (`newtfern admin with-database`), so nothing is dropped.

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
    // A name cannot be a parameter; this one is made of hexadecimal digits.
    sqlx::query(sqlx::AssertSqlSafe(format!("create database {name}")))
        .execute(&admin.pool)
        .await
        .map_err(doing("making a scratch database"))?;
    admin.pool.close().await;
    let mut address = url::Url::parse(server)
        .map_err(|e| StoreError::Connect(sqlx::Error::Configuration(e.into())))?;
    address.set_path(&name);
    let store = Store::connect(address.as_str()).await?;
    store.migrate().await?;
    Ok((store, address.into()))
}

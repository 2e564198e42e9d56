//! Clients and their brand sheets.

use crate::access::audit::like;
use crate::handles::ClientRows;
use crate::{Result, StoreError, Tx, doing, unique};
use newtfern_verdict::brand::BrandSheet;
use serde::Deserialize;
use serde_json::Value;
use std::collections::HashMap;

/// A client of the agency.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Client {
    /// Number of the client.
    pub id: i64,
    /// Unique name of the client.
    pub name: String,
    /// Brand sheet as design tokens.
    pub sheet: Value,
    /// Blob of its logo.
    pub logo: Option<String>,
    /// Media type of its logo.
    pub logo_type: Option<String>,
    /// Number of its sites.
    #[sqlx(default)]
    pub sites: i64,
}

impl Client {
    /// The typed brand sheet.
    ///
    /// # Errors
    /// [`StoreError::Corrupt`], where its shape is not read any more.
    pub fn sheet(&self) -> Result<BrandSheet> {
        read_sheet(&self.sheet)
    }
}

fn read_sheet(sheet: &Value) -> Result<BrandSheet> {
    BrandSheet::deserialize(sheet).map_err(|e| StoreError::Corrupt {
        what: "brand sheet",
        why: e.to_string(),
    })
}

impl Tx {
    /// A client that is about to be changed: nobody else changes it before this transaction ends.
    pub async fn client_for_change(&mut self, id: i64) -> Result<Option<Client>> {
        sqlx::query_as(
            "select id, name, sheet, logo, logo_type from clients where id = $1 for update",
        )
        .bind(id)
        .fetch_optional(&mut *self.inner)
        .await
        .map_err(doing("reading a client"))
    }

    /// Adds a client and returns its number.
    ///
    /// # Errors
    /// [`StoreError::Taken`], where a client of this name is there.
    pub async fn add_client(&mut self, name: &str, sheet: &BrandSheet) -> Result<i64> {
        sqlx::query_scalar("insert into clients (name, sheet) values ($1, $2) returning id")
            .bind(name.trim())
            .bind(sqlx::types::Json(sheet))
            .fetch_one(&mut *self.inner)
            .await
            .map_err(unique("a client of this name", name, "adding a client"))
    }

    /// Changes a client's name and brand sheet.
    ///
    /// # Errors
    /// [`StoreError::Taken`], where another client has the name.
    pub async fn set_sheet(&mut self, id: i64, name: &str, sheet: &BrandSheet) -> Result<()> {
        sqlx::query("update clients set name = $2, sheet = $3 where id = $1")
            .bind(id)
            .bind(name.trim())
            .bind(sqlx::types::Json(sheet))
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(unique(
                "a client of this name",
                name,
                "changing a brand sheet",
            ))
    }

    /// Removes a client; its sites are moved before.
    pub async fn remove_client(&mut self, id: i64) -> Result<()> {
        sqlx::query("delete from clients where id = $1")
            .bind(id)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("removing a client"))
    }

    /// Keeps the blob of a logo.
    pub async fn set_logo(&mut self, id: i64, blob: &str, media_type: &str) -> Result<()> {
        sqlx::query("update clients set logo = $2, logo_type = $3 where id = $1")
            .bind(id)
            .bind(blob)
            .bind(media_type)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping a logo"))
    }
}

async fn sheets_of(
    within: impl sqlx::PgExecutor<'_>,
    clients: &[i64],
) -> Result<HashMap<i64, BrandSheet>> {
    let rows: Vec<(i64, Value)> =
        sqlx::query_as("select id, sheet from clients where id = any($1)")
            .bind(clients)
            .fetch_all(within)
            .await
            .map_err(doing("reading brand sheets"))?;
    let read = |(id, sheet): (i64, Value)| Ok((id, read_sheet(&sheet)?));
    rows.into_iter().map(read).collect()
}

impl Tx {
    /// Brand sheets of some clients, as they are in this transaction.
    ///
    /// # Errors
    /// Where a stored sheet is of a shape that is not read.
    pub async fn sheets_of(&mut self, clients: &[i64]) -> Result<HashMap<i64, BrandSheet>> {
        sheets_of(&mut *self.inner, clients).await
    }
}

impl ClientRows<'_> {
    /// Returns a client by its number.
    pub async fn client(self, id: i64) -> Result<Option<Client>> {
        sqlx::query_as(
            "select id, name, sheet, logo, logo_type, (select count(*) from sites \
            where client_id = clients.id) as sites from clients where id = $1",
        )
        .bind(id)
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("reading a client"))
    }

    /// The client of a name.
    pub async fn client_by_name(self, name: &str) -> Result<Option<i64>> {
        sqlx::query_scalar("select id from clients where lower(name) = lower($1)")
            .bind(name.trim())
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("looking up a client"))
    }

    /// Numbers and names of all clients, for lists to choose from.
    pub async fn client_names(self) -> Result<Vec<(i64, String)>> {
        sqlx::query_as("select id, name from clients order by name")
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("listing clients"))
    }

    /// Brand sheets of some clients.
    ///
    /// # Errors
    /// Where a stored sheet is of a shape that is not read.
    pub async fn sheets_of(self, clients: &[i64]) -> Result<HashMap<i64, BrandSheet>> {
        sheets_of(&self.store.pool, clients).await
    }

    /// Returns one page of clients whose names have the words of a search, and how many there are.
    pub async fn page(self, search: &str, offset: i64, limit: i64) -> Result<(Vec<Client>, i64)> {
        let like = like(search);
        let rows = sqlx::query_as(
            "select id, name, sheet, logo, logo_type, (select count(*) \
            from sites where client_id = clients.id) as sites from clients where name ilike $1 \
            order by name offset $2 \
            limit $3",
        )
        .bind(&like)
        .bind(offset)
        .bind(limit)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("listing clients"))?;
        let total = sqlx::query_scalar("select count(*) from clients where name ilike $1")
            .bind(&like)
            .fetch_one(&self.store.pool)
            .await
            .map_err(doing("counting clients"))?;
        Ok((rows, total))
    }
}

//! Suppliers, platforms and consent managers as profile texts, and settings with one value each.

use crate::compiled::Compiled;
use crate::{Result, Store, StoreError, Tx, doing};
use newtfern_core::consent::Region;
use newtfern_core::design::Layer;
use newtfern_core::platform::Platform;
use newtfern_core::private_hosts::PrivateHosts;
use newtfern_core::profile::{ConsentManager, Supplier};
use serde_json::Value;
use std::fmt::Display;
use std::sync::LazyLock;

/// A profile in a list.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Named {
    /// Its short name.
    pub id: String,
    /// Its name for people.
    pub name: String,
}

fn corrupt(what: &'static str) -> impl Fn(String) -> StoreError {
    move |why| StoreError::Corrupt { what, why }
}

static SUPPLIERS: LazyLock<Compiled<Supplier>> = LazyLock::new(Compiled::default);
static PLATFORMS: LazyLock<Compiled<Platform>> = LazyLock::new(Compiled::default);
static MANAGERS: LazyLock<Compiled<ConsentManager>> = LazyLock::new(Compiled::default);

/// The profile of a text, which is compiled once.
fn compiled<T: Clone, E: Display>(
    kept: &Compiled<T>,
    what: &'static str,
    read: fn(&str) -> std::result::Result<T, E>,
    text: &str,
) -> Result<T> {
    kept.of(text, |t| read(t).map_err(|e| corrupt(what)(e.to_string())))
}

fn supplier_of(text: &str) -> Result<Supplier> {
    compiled(&SUPPLIERS, "supplier profile", Supplier::from_toml, text)
}

/// The setting that holds the list of private addresses which visits may go to.
const PRIVATE_HOSTS: &str = "private_hosts";

/// Checks of each kind that stay for each site where nothing else is set (common practice: what a month
/// of daily looks leaves).
pub const USUAL_CHECKS: i64 = 30;

impl Store {
    async fn text(&self, sql: &'static str, id: &str) -> Result<Option<String>> {
        sqlx::query_scalar(sql)
            .bind(id)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("reading a profile"))
    }

    /// The text of a supplier's profile.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn supplier_text(&self, id: &str) -> Result<Option<String>> {
        self.text("select profile from suppliers where id = $1", id)
            .await
    }

    /// A supplier.
    ///
    /// # Errors
    /// Where the database refuses, or a profile is of a shape that is not read.
    pub async fn supplier(&self, id: &str) -> Result<Option<Supplier>> {
        let text = self.supplier_text(id).await?;
        text.map(|t| supplier_of(&t)).transpose()
    }

    /// All suppliers.
    ///
    /// # Errors
    /// Where the database refuses, or a profile is of a shape that is not read.
    pub async fn all_suppliers(&self) -> Result<Vec<Supplier>> {
        let texts: Vec<String> = sqlx::query_scalar("select profile from suppliers order by id")
            .fetch_all(&self.pool)
            .await
            .map_err(doing("reading supplier profiles"))?;
        texts.iter().map(|t| supplier_of(t)).collect()
    }

    /// All platforms.
    ///
    /// # Errors
    /// Where the database refuses, or a profile is of a shape that is not read.
    pub async fn platforms(&self) -> Result<Vec<Platform>> {
        let texts: Vec<String> = sqlx::query_scalar("select profile from platforms order by name")
            .fetch_all(&self.pool)
            .await
            .map_err(doing("reading platform profiles"))?;
        let read = |t: &String| compiled(&PLATFORMS, "platform profile", Platform::from_toml, t);
        texts.iter().map(read).collect()
    }

    /// A consent manager.
    ///
    /// # Errors
    /// Where the database refuses, or a profile is of a shape that is not read.
    pub async fn consent_manager(&self, id: &str) -> Result<Option<ConsentManager>> {
        let text = self
            .text("select profile from consent_managers where id = $1", id)
            .await?;
        let read =
            |t: String| compiled(&MANAGERS, "consent profile", ConsentManager::from_toml, &t);
        text.map(read).transpose()
    }

    /// All consent managers, by name.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn consent_managers(&self) -> Result<Vec<Named>> {
        sqlx::query_as("select id, name from consent_managers order by name")
            .fetch_all(&self.pool)
            .await
            .map_err(doing("listing consent managers"))
    }

    /// The sealed token of a supplier's console.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn supplier_token(&self, id: &str) -> Result<Option<Vec<u8>>> {
        let found: Option<Option<Vec<u8>>> =
            sqlx::query_scalar("select token_sealed from suppliers where id = $1")
                .bind(id)
                .fetch_optional(&self.pool)
                .await
                .map_err(doing("reading a token"))?;
        Ok(found.flatten())
    }

    /// The value of a setting.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn setting(&self, name: &str) -> Result<Option<Value>> {
        sqlx::query_scalar("select value from settings where name = $1")
            .bind(name)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("reading a setting"))
    }

    /// How many checks of each kind stay for each site.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn keep_checks(&self) -> Result<i64> {
        let kept = self.setting("keep_checks").await?;
        Ok(kept.and_then(|v| v.as_i64()).unwrap_or(USUAL_CHECKS))
    }

    /// The agency's house style.
    ///
    /// # Errors
    /// Where the database refuses, or a profile is of a shape that is not read.
    pub async fn house_style(&self) -> Result<Layer> {
        let value = self
            .setting("house_style")
            .await?
            .unwrap_or_else(|| serde_json::json!({}));
        serde_json::from_value(value).map_err(|e| corrupt("house style")(e.to_string()))
    }

    /// The private and local addresses that visits may go to.
    ///
    /// # Errors
    /// Where the database refuses, or what it holds is no such list.
    pub async fn private_hosts(&self) -> Result<PrivateHosts> {
        let kept = self.setting(PRIVATE_HOSTS).await?;
        let text = kept.as_ref().and_then(|v| v.as_str()).unwrap_or_default();
        PrivateHosts::read(text).map_err(|e| corrupt("list of private hosts")(e.to_string()))
    }
}

/// The region profiles that ship with the program.
pub fn regions() -> Vec<Region> {
    let texts = [
        include_str!("../../../profiles/regions/opt-in.toml"),
        include_str!("../../../profiles/regions/none.toml"),
    ];
    texts
        .iter()
        .filter_map(|t| Region::from_toml(t).ok())
        .collect()
}

/// The rules for visitors of a country; the strictest where it is unknown.
pub fn region_of(country: &str) -> Region {
    Region::for_country(&regions(), country)
}

impl Tx {
    /// Keeps a supplier's profile.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn put_supplier(&mut self, supplier: &Supplier, text: &str) -> Result<()> {
        let sql = "insert into suppliers (id, name, profile) values ($1, $2, $3) \
            on conflict (id) do update set name = $2, profile = $3";
        self.put_profile(
            sql,
            &supplier.id,
            &supplier.name,
            text,
            "keeping a supplier profile",
        )
        .await
    }

    /// Keeps a platform's profile.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn put_platform(&mut self, platform: &Platform, text: &str) -> Result<()> {
        let sql = "insert into platforms (id, name, profile) values ($1, $2, $3) \
            on conflict (id) do update set name = $2, profile = $3";
        self.put_profile(
            sql,
            &platform.id,
            &platform.name,
            text,
            "keeping a platform profile",
        )
        .await
    }

    /// Keeps a consent manager's profile.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn put_consent(&mut self, manager: &ConsentManager, text: &str) -> Result<()> {
        let sql = "insert into consent_managers (id, name, profile) values ($1, $2, $3) \
            on conflict (id) do update set name = $2, profile = $3";
        self.put_profile(
            sql,
            &manager.id,
            &manager.name,
            text,
            "keeping a consent profile",
        )
        .await
    }

    async fn put_profile(
        &mut self,
        sql: &'static str,
        id: &str,
        name: &str,
        text: &str,
        what: &'static str,
    ) -> Result<()> {
        sqlx::query(sql)
            .bind(id)
            .bind(name)
            .bind(text)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing(what))
    }

    /// Keeps the sealed token of a supplier's console.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn set_supplier_token(&mut self, id: &str, sealed: &[u8]) -> Result<()> {
        sqlx::query("update suppliers set token_sealed = $2 where id = $1")
            .bind(id)
            .bind(sealed)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping a token"))
    }

    /// Keeps the value of a setting.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn set_setting(&mut self, name: &str, value: &Value) -> Result<()> {
        sqlx::query(
            "insert into settings (name, value) values ($1, $2) \
            on conflict (name) do update set value = $2",
        )
        .bind(name)
        .bind(value)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("keeping a setting"))
    }

    /// Keeps the private and local addresses that visits may go to.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn set_private_hosts(&mut self, list: &PrivateHosts) -> Result<()> {
        self.set_setting(PRIVATE_HOSTS, &list.to_string().into())
            .await
    }
}

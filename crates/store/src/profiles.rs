//! Suppliers, platforms and consent managers as profile texts, and settings with one value each.

use crate::compiled::Compiled;
use crate::profile_room::{NewProfile, PROGRAM};
use crate::{Result, Store, StoreError, Tx, doing};
use newtfern_core::agency::Agency;
use newtfern_core::consent::Region;
use newtfern_core::design::Layer;
use newtfern_core::platform::Platform;
use newtfern_core::private_hosts::PrivateHosts;
use newtfern_core::profile::{ConsentManager, Supplier};
use newtfern_core::profiles::ProfileKind;
use newtfern_core::site::SiteFields;
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
static REGIONS: LazyLock<Compiled<Region>> = LazyLock::new(Compiled::default);
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

    /// A platform.
    ///
    /// # Errors
    /// Where the database refuses, or a profile is of a shape that is not read.
    pub async fn platform(&self, id: &str) -> Result<Option<Platform>> {
        let text = self
            .text("select profile from platforms where id = $1", id)
            .await?;
        let read = |t: String| compiled(&PLATFORMS, "platform profile", Platform::from_toml, &t);
        text.map(read).transpose()
    }

    /// The platform that a site names.
    ///
    /// # Errors
    /// As [`Store::platform`].
    pub async fn platform_of(&self, site: &SiteFields) -> Result<Option<Platform>> {
        match &site.platform_id {
            Some(id) => self.platform(id).await,
            None => Ok(None),
        }
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

    /// All consent managers, whole.
    ///
    /// # Errors
    /// Where the database refuses, or a profile is of a shape that is not read.
    pub async fn all_consent_managers(&self) -> Result<Vec<ConsentManager>> {
        let texts: Vec<String> =
            sqlx::query_scalar("select profile from consent_managers order by id")
                .fetch_all(&self.pool)
                .await
                .map_err(doing("reading consent profiles"))?;
        let read =
            |t: &String| compiled(&MANAGERS, "consent profile", ConsentManager::from_toml, t);
        texts.iter().map(read).collect()
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

    /// The agency that runs this installation.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn agency(&self) -> Result<Agency> {
        let kept = self.setting("agency").await?;
        Ok(kept.map(|v| Agency::read(&v)).unwrap_or_default())
    }

    /// The rules for visitors of a country; the strictest where it is unknown. Where no region is kept,
    /// those that ship with the program.
    ///
    /// # Errors
    /// Where the database refuses, or a profile is of a shape that is not read.
    pub async fn region_of(&self, country: &str) -> Result<Region> {
        let texts: Vec<String> = sqlx::query_scalar("select profile from regions order by id")
            .fetch_all(&self.pool)
            .await
            .map_err(doing("reading region profiles"))?;
        let read = |t: &String| compiled(&REGIONS, "region profile", Region::from_toml, t);
        let mut kept: Vec<Region> = texts.iter().map(read).collect::<Result<_>>()?;
        if kept.is_empty() {
            kept = regions();
        }
        Ok(Region::for_country(&kept, country))
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

/// Texts of the region profiles that ship with the program.
pub const SHIPPED_REGIONS: [&str; 3] = [
    include_str!("../../../profiles/regions/opt-in.toml"),
    include_str!("../../../profiles/regions/opt-out.toml"),
    include_str!("../../../profiles/regions/none.toml"),
];

/// The region profiles that ship with the program.
pub fn regions() -> Vec<Region> {
    let texts = SHIPPED_REGIONS.iter();
    texts.filter_map(|t| Region::from_toml(t).ok()).collect()
}

impl Tx {
    /// Keeps a supplier's profile as the program brings it.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn put_supplier(&mut self, supplier: &Supplier, text: &str) -> Result<()> {
        let (id, name) = (&supplier.id, &supplier.name);
        self.bring(ProfileKind::Supplier, id, name, text).await
    }

    /// Keeps a platform's profile as the program brings it.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn put_platform(&mut self, platform: &Platform, text: &str) -> Result<()> {
        let (id, name) = (&platform.id, &platform.name);
        self.bring(ProfileKind::Platform, id, name, text).await
    }

    /// Keeps a consent manager's profile as the program brings it.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn put_consent(&mut self, manager: &ConsentManager, text: &str) -> Result<()> {
        let (id, name) = (&manager.id, &manager.name);
        self.bring(ProfileKind::ConsentManager, id, name, text)
            .await
    }

    async fn bring(&mut self, kind: ProfileKind, id: &str, name: &str, text: &str) -> Result<()> {
        let new = NewProfile {
            kind,
            id,
            name,
            text,
        };
        self.put_profile(new, PROGRAM, "").await
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

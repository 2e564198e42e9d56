//! Suppliers, platforms and consent managers as profile texts, and settings with one value each.

use crate::handles::{ProfileRows, SettingRows};
use crate::profile::profile_room::{NewProfile, PROGRAM};
use crate::server::compiled::ProfileCache;
use crate::{Result, StoreError, Tx, doing};
use newtfern_model::agency::Agency;
use newtfern_model::design::Layer;
use newtfern_model::platform::Platform;
use newtfern_model::profile::sample_words::SampleWords;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_model::profiles::{ProfileKind, Profiles};
use newtfern_model::region::Region;
use newtfern_model::site::SiteFields;
use newtfern_standards::private_hosts::PrivateHosts;
use serde_json::Value;
use std::fmt::Display;
use std::sync::LazyLock;

/// A profile in a list.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct ProfileName {
    /// Short name of the profile.
    pub id: String,
    /// Name for people.
    pub name: String,
}

fn corrupt(what: &'static str) -> impl Fn(String) -> StoreError {
    move |why| StoreError::Corrupt { what, why }
}

static SUPPLIERS: LazyLock<ProfileCache<Supplier>> = LazyLock::new(ProfileCache::default);
static PLATFORMS: LazyLock<ProfileCache<Platform>> = LazyLock::new(ProfileCache::default);
static REGIONS: LazyLock<ProfileCache<Region>> = LazyLock::new(ProfileCache::default);
static MANAGERS: LazyLock<ProfileCache<ConsentManager>> = LazyLock::new(ProfileCache::default);

/// The profile of a text, which is compiled once.
fn compiled<T: Clone, E: Display>(
    kept: &ProfileCache<T>,
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
const SAMPLE_WORDS: &str = "sample_words";

/// Checks of each kind that stay for each site where nothing else is set (common practice: what a
/// month of daily looks leaves).
pub const USUAL_CHECKS: i64 = 30;

impl ProfileRows<'_> {
    async fn text(self, sql: &'static str, id: &str) -> Result<Option<String>> {
        sqlx::query_scalar(sql)
            .bind(id)
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading a profile"))
    }

    /// The text of a supplier's profile.
    pub async fn supplier_text(self, id: &str) -> Result<Option<String>> {
        self.text("select profile from suppliers where id = $1", id)
            .await
    }

    /// Returns a supplier's profile by its short name.
    ///
    /// # Errors
    /// Where a stored profile is of a shape that is not read.
    pub async fn supplier(self, id: &str) -> Result<Option<Supplier>> {
        let text = self.supplier_text(id).await?;
        text.map(|t| supplier_of(&t)).transpose()
    }

    /// Returns the profiles of all suppliers.
    ///
    /// # Errors
    /// Where a stored profile is of a shape that is not read.
    pub async fn all_suppliers(self) -> Result<Vec<Supplier>> {
        suppliers(&self.store.pool).await
    }

    /// Returns the profiles of all platforms.
    ///
    /// # Errors
    /// Where a stored profile is of a shape that is not read.
    pub async fn platforms(self) -> Result<Vec<Platform>> {
        platforms(&self.store.pool).await
    }

    /// Returns a platform's profile by its short name.
    ///
    /// # Errors
    /// Where a stored profile is of a shape that is not read.
    pub async fn platform(self, id: &str) -> Result<Option<Platform>> {
        let text = self
            .text("select profile from platforms where id = $1", id)
            .await?;
        let read = |t: String| compiled(&PLATFORMS, "platform profile", Platform::from_toml, &t);
        text.map(read).transpose()
    }

    /// The platform that a site names.
    ///
    /// # Errors
    /// As [`ProfileRows::platform`].
    pub async fn platform_of(self, site: &SiteFields) -> Result<Option<Platform>> {
        match &site.platform_id {
            Some(id) => self.platform(id).await,
            None => Ok(None),
        }
    }

    /// Returns a consent manager's profile by its short name.
    ///
    /// # Errors
    /// Where a stored profile is of a shape that is not read.
    pub async fn consent_manager(self, id: &str) -> Result<Option<ConsentManager>> {
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
    /// Where a stored profile is of a shape that is not read.
    pub async fn all_consent_managers(self) -> Result<Vec<ConsentManager>> {
        managers(&self.store.pool).await
    }

    /// All consent managers, by name.
    pub async fn consent_managers(self) -> Result<Vec<ProfileName>> {
        sqlx::query_as("select id, name from consent_managers order by name")
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("listing consent managers"))
    }

    /// The sealed token of a supplier's console.
    pub async fn supplier_token(self, id: &str) -> Result<Option<Vec<u8>>> {
        let found: Option<Option<Vec<u8>>> =
            sqlx::query_scalar("select token_sealed from suppliers where id = $1")
                .bind(id)
                .fetch_optional(&self.store.pool)
                .await
                .map_err(doing("reading a token"))?;
        Ok(found.flatten())
    }
}

impl SettingRows<'_> {
    /// The value of a setting.
    pub async fn setting(self, name: &str) -> Result<Option<Value>> {
        sqlx::query_scalar("select value from settings where name = $1")
            .bind(name)
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading a setting"))
    }

    /// Returns how many checks of each kind to keep for each site.
    pub async fn keep_checks(self) -> Result<i64> {
        let kept = self.setting("keep_checks").await?;
        Ok(kept.and_then(|v| v.as_i64()).unwrap_or(USUAL_CHECKS))
    }

    /// The agency's house style.
    ///
    /// # Errors
    /// Where a stored profile is of a shape that is not read.
    pub async fn house_style(self) -> Result<Layer> {
        house_style(&self.store.pool).await
    }

    /// The agency that runs this installation.
    pub async fn agency(self) -> Result<Agency> {
        agency(&self.store.pool).await
    }

    /// The rules for visitors of a country; the strictest where it is unknown. Where no region is
    /// kept, those that ship with the program.
    ///
    /// # Errors
    /// Where a stored profile is of a shape that is not read.
    pub async fn region_of(self, country: &str) -> Result<Region> {
        Ok(Region::for_country(
            &kept_regions(&self.store.pool).await?,
            country,
        ))
    }

    /// Sample texts that are looked for beyond the built-in ones.
    pub async fn sample_words(self) -> Result<SampleWords> {
        sample_words(&self.store.pool).await
    }

    /// The private and local addresses that visits may go to.
    ///
    /// # Errors
    /// Where the stored text is no such list.
    pub async fn private_hosts(self) -> Result<PrivateHosts> {
        let kept = self.setting(PRIVATE_HOSTS).await?;
        let text = kept.as_ref().and_then(|v| v.as_str()).unwrap_or_default();
        PrivateHosts::read(text).map_err(|e| corrupt("list of private hosts")(e.to_string()))
    }
}

/// Texts of the region profiles that ship with the program.
pub const SHIPPED_REGIONS: [&str; 3] = [
    include_str!("../../../../profiles/regions/opt-in.toml"),
    include_str!("../../../../profiles/regions/opt-out.toml"),
    include_str!("../../../../profiles/regions/none.toml"),
];

/// The region profiles that ship with the program.
pub fn regions() -> Vec<Region> {
    let texts = SHIPPED_REGIONS.iter();
    texts.filter_map(|t| Region::from_toml(t).ok()).collect()
}

async fn suppliers(within: impl sqlx::PgExecutor<'_>) -> Result<Vec<Supplier>> {
    let texts: Vec<String> = sqlx::query_scalar("select profile from suppliers order by id")
        .fetch_all(within)
        .await
        .map_err(doing("reading supplier profiles"))?;
    texts.iter().map(|t| supplier_of(t)).collect()
}

async fn platforms(within: impl sqlx::PgExecutor<'_>) -> Result<Vec<Platform>> {
    let texts: Vec<String> = sqlx::query_scalar("select profile from platforms order by name")
        .fetch_all(within)
        .await
        .map_err(doing("reading platform profiles"))?;
    let read = |t: &String| compiled(&PLATFORMS, "platform profile", Platform::from_toml, t);
    texts.iter().map(read).collect()
}

async fn managers(within: impl sqlx::PgExecutor<'_>) -> Result<Vec<ConsentManager>> {
    let texts: Vec<String> = sqlx::query_scalar("select profile from consent_managers order by id")
        .fetch_all(within)
        .await
        .map_err(doing("reading consent profiles"))?;
    let read = |t: &String| compiled(&MANAGERS, "consent profile", ConsentManager::from_toml, t);
    texts.iter().map(read).collect()
}

/// Returns the stored regions, or those that ship with the program where none is stored.
async fn kept_regions(within: impl sqlx::PgExecutor<'_>) -> Result<Vec<Region>> {
    let texts: Vec<String> = sqlx::query_scalar("select profile from regions order by id")
        .fetch_all(within)
        .await
        .map_err(doing("reading region profiles"))?;
    let read = |t: &String| compiled(&REGIONS, "region profile", Region::from_toml, t);
    let kept: Vec<Region> = texts.iter().map(read).collect::<Result<_>>()?;
    Ok(match kept.is_empty() {
        true => regions(),
        false => kept,
    })
}

async fn sample_words(within: impl sqlx::PgExecutor<'_>) -> Result<SampleWords> {
    let kept: Option<Value> = sqlx::query_scalar("select value from settings where name = $1")
        .bind(SAMPLE_WORDS)
        .fetch_optional(within)
        .await
        .map_err(doing("reading the sample words"))?;
    let kept = kept.map(serde_json::from_value).transpose();
    Ok(kept
        .map_err(|e| corrupt("list of sample words")(e.to_string()))?
        .unwrap_or_default())
}

async fn agency(within: impl sqlx::PgExecutor<'_>) -> Result<Agency> {
    let kept: Option<Value> =
        sqlx::query_scalar("select value from settings where name = 'agency'")
            .fetch_optional(within)
            .await
            .map_err(doing("reading the agency"))?;
    Ok(kept.map(|v| Agency::read(&v)).unwrap_or_default())
}

impl Tx {
    /// All profiles, as they are in this transaction.
    ///
    /// # Errors
    /// Where a stored profile is of a shape that is not read.
    pub async fn all_profiles(&mut self) -> Result<Profiles> {
        Ok(Profiles {
            suppliers: suppliers(&mut *self.inner).await?,
            platforms: platforms(&mut *self.inner).await?,
            consents: managers(&mut *self.inner).await?,
            regions: kept_regions(&mut *self.inner).await?,
            sample_words: sample_words(&mut *self.inner).await?,
            ..Profiles::default()
        })
    }

    /// The agency that runs this installation, as it is in this transaction.
    pub async fn agency(&mut self) -> Result<Agency> {
        agency(&mut *self.inner).await
    }
}

async fn house_style(within: impl sqlx::PgExecutor<'_>) -> Result<Layer> {
    let value: Option<Value> =
        sqlx::query_scalar("select value from settings where name = 'house_style'")
            .fetch_optional(within)
            .await
            .map_err(doing("reading the house style"))?;
    let value = value.unwrap_or_else(|| serde_json::json!({}));
    serde_json::from_value(value).map_err(|e| corrupt("house style")(e.to_string()))
}

impl Tx {
    /// Keeps a supplier's profile as the program brings it.
    pub async fn put_supplier(&mut self, supplier: &Supplier, text: &str) -> Result<()> {
        let (id, name) = (&supplier.id, &supplier.name);
        self.bring(ProfileKind::Supplier, id, name, text).await
    }

    /// Keeps a platform's profile as the program brings it.
    pub async fn put_platform(&mut self, platform: &Platform, text: &str) -> Result<()> {
        let (id, name) = (&platform.id, &platform.name);
        self.bring(ProfileKind::Platform, id, name, text).await
    }

    /// Keeps a consent manager's profile as the program brings it.
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
    pub async fn set_supplier_token(&mut self, id: &str, sealed: &[u8]) -> Result<()> {
        sqlx::query("update suppliers set token_sealed = $2 where id = $1")
            .bind(id)
            .bind(sealed)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping a token"))
    }

    /// The house style that is about to be changed: nobody else changes it before this transaction
    /// ends.
    pub async fn house_style_for_change(&mut self) -> Result<Layer> {
        sqlx::query("select pg_advisory_xact_lock(hashtext('house_style'))")
            .execute(&mut *self.inner)
            .await
            .map_err(doing("reading the house style"))?;
        self.house_style().await
    }

    /// The values that the agency sets for all, as they are in this transaction.
    ///
    /// # Errors
    /// Where the stored values are of a shape that is not read.
    pub async fn house_style(&mut self) -> Result<Layer> {
        house_style(&mut *self.inner).await
    }

    /// Keeps the value of a setting.
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

    /// Keeps the sample texts that are looked for beyond the built-in ones.
    pub async fn set_sample_words(&mut self, list: &SampleWords) -> Result<()> {
        let json = serde_json::to_value(list).unwrap_or_default();
        self.set_setting(SAMPLE_WORDS, &json).await
    }

    /// Keeps the private and local addresses that visits may go to.
    pub async fn set_private_hosts(&mut self, list: &PrivateHosts) -> Result<()> {
        self.set_setting(PRIVATE_HOSTS, &list.to_string().into())
            .await
    }
}

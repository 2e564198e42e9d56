//! Profiles of all kinds in one list, with their versions and what uses them.

use crate::handles::ProfileRows;
use crate::{Result, StoreError, Tx, doing};
use jiff_sqlx::Timestamp;
use newtfern_model::profiles::ProfileKind;

/// A profile in the list.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct ProfileRow {
    kind: String,
    /// Short name of the profile.
    pub id: String,
    /// Name for people.
    pub name: String,
    /// Sites that use it.
    pub uses: i64,
    /// The number of its last version.
    pub version: i32,
    /// Name of who changed it last.
    pub who: String,
    /// Time of the last change.
    pub at: Option<Timestamp>,
    /// Whether it ships with the program.
    pub shipped: bool,
    /// The program ships another text than the one that ours was made from.
    pub newer_ships: bool,
}

impl ProfileRow {
    /// Returns the kind of the profile.
    ///
    /// # Errors
    /// Where the database holds a kind that this program does not know.
    pub fn kind(&self) -> Result<ProfileKind> {
        ProfileKind::from_key(&self.kind).ok_or_else(|| StoreError::Corrupt {
            what: "profile",
            why: format!(
                "its kind {} is not known: is this program older?",
                self.kind
            ),
        })
    }
}

/// One version of a profile.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Version {
    /// Number of the version, counted from 1.
    pub number: i32,
    /// Text of the version.
    pub text: String,
    /// Name of who made the version.
    pub who: String,
    /// Note for the change history.
    pub why: String,
    /// Time of the version.
    pub at: Timestamp,
}

/// A site that uses a profile.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct ProfileUse {
    /// Number of the site.
    pub id: i64,
    /// Name of the site.
    pub name: String,
    /// Name of the site's client.
    pub client: String,
}

/// A profile as the program ships it.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Shipped {
    /// Text that this release ships.
    pub text: String,
    /// Text that was shipped when ours was last the same.
    pub taken: String,
}

fn table(kind: ProfileKind) -> &'static str {
    match kind {
        ProfileKind::Supplier => "suppliers",
        ProfileKind::Platform => "platforms",
        ProfileKind::ConsentManager => "consent_managers",
        ProfileKind::Region | ProfileKind::SampleWords => "regions",
    }
}

impl ProfileRows<'_> {
    /// Profiles whose name or short name has all words of `q`; of one kind, if one is given.
    pub async fn profiles_found(
        self,
        kind: Option<ProfileKind>,
        q: &str,
        offset: i64,
        limit: i64,
    ) -> Result<(Vec<ProfileRow>, i64)> {
        let words: Vec<String> = crate::text::clean(q)
            .split_whitespace()
            .map(crate::access::audit::like)
            .collect();
        let kind = kind.map(ProfileKind::key);
        let rows = sqlx::query_as(include_str!("../sql/profiles_found.sql"))
            .bind(kind)
            .bind(&words)
            .bind(offset)
            .bind(limit)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("listing profiles"))?;
        let total = sqlx::query_scalar(include_str!("../sql/profiles_counted.sql"))
            .bind(kind)
            .bind(&words)
            .fetch_one(&self.store.pool)
            .await
            .map_err(doing("counting profiles"))?;
        Ok((rows, total))
    }

    /// The text of a profile.
    pub async fn profile_text(self, kind: ProfileKind, id: &str) -> Result<Option<String>> {
        let sql = format!("select profile from {} where id = $1", table(kind));
        sqlx::query_scalar(sqlx::AssertSqlSafe(sql))
            .bind(id)
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading a profile"))
    }

    /// Returns the versions of a profile, the last first.
    pub async fn profile_versions(
        self,
        kind: ProfileKind,
        id: &str,
        limit: i64,
    ) -> Result<Vec<Version>> {
        sqlx::query_as(
            "select number, text, who, why, at from profile_versions \
            where kind = $1 and id = $2 order by number desc limit $3",
        )
        .bind(kind.key())
        .bind(id)
        .bind(limit)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading a profile's versions"))
    }

    /// Sites that use it, so many at most, and how many there are.
    pub async fn profile_uses(
        self,
        kind: ProfileKind,
        id: &str,
        limit: i64,
    ) -> Result<(Vec<ProfileUse>, i64)> {
        let rows: Vec<ProfileUse> = sqlx::query_as(include_str!("../sql/profile_uses.sql"))
            .bind(kind.key())
            .bind(id)
            .bind(limit)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("listing what uses a profile"))?;
        let total = sqlx::query_scalar(include_str!("../sql/profile_uses_counted.sql"))
            .bind(kind.key())
            .bind(id)
            .fetch_one(&self.store.pool)
            .await
            .map_err(doing("counting what uses a profile"))?;
        Ok((rows, total))
    }

    /// All sites that are judged by it.
    pub async fn sites_by_profile(self, kind: ProfileKind, id: &str) -> Result<Vec<i64>> {
        let uses: Vec<ProfileUse> = sqlx::query_as(include_str!("../sql/profile_uses.sql"))
            .bind(kind.key())
            .bind(id)
            .bind(i64::MAX)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("listing what uses a profile"))?;
        Ok(uses.into_iter().map(|u| u.id).collect())
    }

    /// Returns the text that the program ships, if it does.
    pub async fn shipped_profile(self, kind: ProfileKind, id: &str) -> Result<Option<Shipped>> {
        sqlx::query_as("select text, taken from shipped_profiles where kind = $1 and id = $2")
            .bind(kind.key())
            .bind(id)
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading a shipped profile"))
    }
}

/// Name under which acts of the program keep what ships.
pub const PROGRAM: &str = "Newtfern";

/// A profile to be kept.
#[derive(Debug, Clone, Copy)]
pub struct NewProfile<'a> {
    /// Kind of the profile.
    pub kind: ProfileKind,
    /// Short name of the profile.
    pub id: &'a str,
    /// Name for people.
    pub name: &'a str,
    /// Text of the profile, as TOML.
    pub text: &'a str,
}

impl Tx {
    /// Keeps a profile, as a version of its own where the text is another.
    pub async fn profile_for_change(
        &mut self,
        kind: ProfileKind,
        id: &str,
    ) -> Result<Option<String>> {
        let sql = format!(
            "select profile from {} where id = $1 for update",
            table(kind)
        );
        sqlx::query_scalar(sqlx::AssertSqlSafe(sql))
            .bind(id)
            .fetch_optional(&mut *self.inner)
            .await
            .map_err(doing("reading a profile"))
    }

    /// Keeps a profile's text, as a version more.
    pub async fn put_profile(&mut self, new: NewProfile<'_>, who: &str, why: &str) -> Result<()> {
        let sql = format!(
            "insert into {} (id, name, profile) values ($1, $2, $3) \
            on conflict (id) do update set name = $2, profile = $3",
            table(new.kind)
        );
        sqlx::query(sqlx::AssertSqlSafe(sql))
            .bind(new.id)
            .bind(new.name)
            .bind(new.text)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("keeping a profile"))?;
        sqlx::query(include_str!("../sql/add_profile_version.sql"))
            .bind(new.kind.key())
            .bind(new.id)
            .bind(new.text)
            .bind(who)
            .bind(why)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping a profile's version"))
    }

    /// Removes a profile; its versions stay.
    ///
    /// # Errors
    /// Where a site names it.
    pub async fn remove_profile(&mut self, kind: ProfileKind, id: &str) -> Result<()> {
        let sql = format!("delete from {} where id = $1", table(kind));
        sqlx::query(sqlx::AssertSqlSafe(sql))
            .bind(id)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("removing a profile"))
    }

    /// Takes a profile in that ships with the program: one that is not there yet, or that nobody
    /// changed, becomes it; one that somebody changed stays theirs, and what ships now is
    /// remembered beside it.
    pub async fn ship_profile(&mut self, new: NewProfile<'_>) -> Result<()> {
        let known: Option<Shipped> =
            sqlx::query_as("select text, taken from shipped_profiles where kind = $1 and id = $2")
                .bind(new.kind.key())
                .bind(new.id)
                .fetch_optional(&mut *self.inner)
                .await
                .map_err(doing("reading a shipped profile"))?;
        let sql = format!("select profile from {} where id = $1", table(new.kind));
        let ours: Option<String> = sqlx::query_scalar(sqlx::AssertSqlSafe(sql))
            .bind(new.id)
            .fetch_optional(&mut *self.inner)
            .await
            .map_err(doing("reading a profile"))?;
        let follows = match (&known, &ours) {
            // One that somebody removed stays removed.
            (Some(_), None) => false,
            (None, None) => true,
            (Some(known), Some(ours)) => *ours == known.taken,
            // Kept by a version that did not remember what shipped: only the same text is surely
            // ours.
            (None, Some(ours)) => ours == new.text,
        };
        let before = known.map_or_else(|| new.text.to_string(), |k| k.taken);
        let taken = if follows { new.text } else { &before };
        if follows && ours.as_deref() != Some(new.text) {
            self.put_profile(new, PROGRAM, "ships with it").await?;
        }
        sqlx::query(
            "insert into shipped_profiles (kind, id, text, taken) values ($1, $2, $3, $4) \
            on conflict (kind, id) do update set text = $3, taken = $4",
        )
        .bind(new.kind.key())
        .bind(new.id)
        .bind(new.text)
        .bind(taken)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("keeping a shipped profile"))
    }
}

//! Writes outside that were begun and whose end is not known yet.

use crate::error::corrupt;
use crate::handles::BegunRows;
use crate::{Moment, Result, Tx, doing};

/// Seconds that a write has from one call outside to the next; after that its program is taken to
/// be gone.
pub const GIVEN_S: f64 = 60.0;

/// Kind of a write outside.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WriteKind {
    /// Slots of a platform.
    Slots,
    /// Earlier slot texts are written back.
    SlotsBack,
    /// A set of tags.
    Tag,
    /// The set of tags before.
    TagBack,
    /// Settings at a supplier.
    Settings,
    /// Earlier settings are written back.
    SettingsBack,
}

impl WriteKind {
    const ALL: [WriteKind; 6] = [
        WriteKind::Slots,
        WriteKind::SlotsBack,
        WriteKind::Tag,
        WriteKind::TagBack,
        WriteKind::Settings,
        WriteKind::SettingsBack,
    ];

    /// Returns the key that is stored.
    pub fn key(self) -> &'static str {
        match self {
            WriteKind::Slots => "slots",
            WriteKind::SlotsBack => "slots_back",
            WriteKind::Tag => "tag",
            WriteKind::TagBack => "tag_back",
            WriteKind::Settings => "settings",
            WriteKind::SettingsBack => "settings_back",
        }
    }
}

/// A write that was begun.
#[derive(Debug, Clone)]
pub struct BegunWrite {
    /// Number of the write.
    pub id: i64,
    /// Number of the site.
    pub site: i64,
    /// Kind of the write.
    pub kind: WriteKind,
    /// Rows of what was kept before.
    pub rows: Vec<i64>,
    /// Name of who writes.
    pub who: String,
    /// Act, as the audit trail says it.
    pub act: String,
    /// Time at which the write began.
    pub at: Moment,
    /// Whether its program gave no sign for too long.
    pub broke_off: bool,
}

type Row = (i64, i64, String, Vec<i64>, String, String, Moment, bool);

fn read(row: Row) -> Result<BegunWrite> {
    let (id, site, kind, rows, who, act, at, broke_off) = row;
    let known = WriteKind::ALL.into_iter().find(|k| k.key() == kind);
    Ok(BegunWrite {
        kind: known.ok_or_else(|| corrupt("kind of a write", kind))?,
        id,
        site,
        rows,
        who,
        act,
        at,
        broke_off,
    })
}

impl BegunRows<'_> {
    /// Returns the write that was begun at a site and has not ended.
    pub async fn begun_write(self, site: i64) -> Result<Option<BegunWrite>> {
        let row: Option<Row> = sqlx::query_as(
            "select id, site_id, kind, rows, who, act, at, until < now() from begun_writes \
            where site_id = $1",
        )
        .bind(site)
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("reading what was begun"))?;
        row.map(read).transpose()
    }

    /// Returns sites with a write that broke off.
    pub async fn broken_writes(self) -> Result<Vec<i64>> {
        sqlx::query_scalar(
            "select site_id from begun_writes where until < now() order by id limit 100",
        )
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("reading what broke off"))
    }

    /// Gives a write more time; false where it is not there any more, since somebody settled it.
    pub async fn go_on_writing(self, id: i64) -> Result<bool> {
        sqlx::query(
            "update begun_writes set until = now() + make_interval(secs => $2) where id = $1",
        )
        .bind(id)
        .bind(GIVEN_S)
        .execute(&self.store.pool)
        .await
        .map(|done| done.rows_affected() == 1)
        .map_err(doing("going on with a write"))
    }
}

impl Tx {
    /// Notes that a write begins; none where another is under way at the site.
    pub async fn begin_write(
        &mut self,
        site: i64,
        kind: WriteKind,
        rows: &[i64],
        (who, act): (&str, &str),
    ) -> Result<Option<i64>> {
        sqlx::query_scalar(
            "insert into begun_writes (site_id, kind, rows, who, act, until) \
            values ($1, $2, $3, $4, $5, now() + make_interval(secs => $6)) \
            on conflict (site_id) do nothing returning id",
        )
        .bind(site)
        .bind(kind.key())
        .bind(rows)
        .bind(who)
        .bind(act)
        .bind(GIVEN_S)
        .fetch_optional(&mut *self.inner)
        .await
        .map_err(doing("beginning a write"))
    }

    /// Notes that the end of a write is known; false where somebody settled it before.
    pub async fn end_write(&mut self, id: i64) -> Result<bool> {
        sqlx::query("delete from begun_writes where id = $1")
            .bind(id)
            .execute(&mut *self.inner)
            .await
            .map(|done| done.rows_affected() == 1)
            .map_err(doing("ending a write"))
    }

    /// Forgets what was kept before pushes that did not happen.
    pub async fn forget_placements(&mut self, ids: &[i64]) -> Result<()> {
        sqlx::query("delete from placements where id = any($1)")
            .bind(ids)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("forgetting a push that did not happen"))
    }

    /// Forgets what was kept before a write at a supplier that did not happen.
    pub async fn forget_supplier_writes(&mut self, ids: &[i64]) -> Result<()> {
        sqlx::query("delete from supplier_writes where id = any($1)")
            .bind(ids)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("forgetting a write that did not happen"))
    }
}

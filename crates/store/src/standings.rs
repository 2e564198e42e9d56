//! Writing standings.

use crate::{Result, Store, doing};
use newtfern_core::standing::{Family, State};
use serde_json::Value;
use sqlx::PgExecutor;

/// One family's new standing.
#[derive(Debug, Clone)]
pub struct NewStanding {
    pub family: Family,
    pub state: State,
    pub summary: String,
    pub remedy: String,
    pub detail: Value,
}

pub(crate) async fn write<'e>(db: impl PgExecutor<'e>, site: i64, s: &NewStanding) -> Result<()> {
    sqlx::query("insert into standings (site_id, family, state, summary, remedy, detail, at) values ($1, $2, $3, $4, $5, $6, now()) on conflict (site_id, family) do update set state = $3, summary = $4, remedy = $5, detail = $6, at = now()")
        .bind(site)
        .bind(s.family.key())
        .bind(s.state.key())
        .bind(&s.summary)
        .bind(&s.remedy)
        .bind(&s.detail)
        .execute(db)
        .await
        .map(|_| ())
        .map_err(doing("writing a standing"))
}

impl Store {
    pub async fn set_standing(&self, site: i64, standing: &NewStanding) -> Result<()> {
        write(&self.pool, site, standing).await
    }
}

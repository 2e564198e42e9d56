//! Rounds: sets of jobs started together, watched and cancelled together.

use crate::audit::like;
use crate::{Result, Store, doing};
use serde_json::Value;
use time::OffsetDateTime;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Round {
    pub id: i64,
    pub kind: String,
    pub title: String,
    pub who: String,
    pub created_at: OffsetDateTime,
    pub cancelled_at: Option<OffsetDateTime>,
    pub total: i64,
    pub done: i64,
    pub failed: i64,
    pub running: i64,
    pub waiting: i64,
}

impl Round {
    pub fn is_over(&self) -> bool {
        self.running + self.waiting == 0
    }

    pub fn percent(&self) -> i64 {
        if self.total == 0 {
            100
        } else {
            100 * (self.total - self.running - self.waiting) / self.total
        }
    }
}

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct JobRow {
    pub id: i64,
    pub site_id: i64,
    pub site_name: String,
    pub client_name: String,
    pub state: String,
    pub outcome: String,
    pub progress_done: i32,
    pub progress_of: i32,
}

const ROUND: &str = "select r.id, r.kind, r.title, r.who, r.created_at, r.cancelled_at, count(j.id) as total, count(*) filter (where j.state = 'done') as done, count(*) filter (where j.state = 'failed') as failed, count(*) filter (where j.state = 'running') as running, count(*) filter (where j.state = 'waiting') as waiting from rounds r left join jobs j on j.round_id = r.id";

impl Store {
    /// Starts a round: one job a site. Workers are told.
    pub async fn start_round(
        &self,
        kind: &str,
        title: &str,
        who: &str,
        sites: &[i64],
        spec: &Value,
    ) -> Result<i64> {
        let mut tx = self.pool.begin().await.map_err(doing("starting a round"))?;
        let round: i64 = sqlx::query_scalar(
            "insert into rounds (kind, title, who) values ($1, $2, $3) returning id",
        )
        .bind(kind)
        .bind(title)
        .bind(who)
        .fetch_one(&mut *tx)
        .await
        .map_err(doing("starting a round"))?;
        sqlx::query("insert into jobs (round_id, site_id, kind, spec) select $1, s.id, $2, $3 from unnest($4::bigint[]) with ordinality as wanted (id, n) join sites s on s.id = wanted.id order by wanted.n")
            .bind(round)
            .bind(kind)
            .bind(spec)
            .bind(sites)
            .execute(&mut *tx)
            .await
            .map_err(doing("starting a round"))?;
        sqlx::query("select pg_notify('newtfern_jobs', $1)")
            .bind(round.to_string())
            .execute(&mut *tx)
            .await
            .map_err(doing("starting a round"))?;
        tx.commit().await.map_err(doing("starting a round"))?;
        Ok(round)
    }

    pub async fn round(&self, id: i64) -> Result<Option<Round>> {
        let sql = format!("{ROUND} where r.id = $1 group by r.id");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(id)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("reading a round"))
    }

    /// Newest first; `search` is looked for in what was started and by whom.
    pub async fn rounds(&self, search: &str, offset: i64, limit: i64) -> Result<(Vec<Round>, i64)> {
        let like = like(search);
        let sql = format!(
            "{ROUND} where r.title ilike $1 or r.who ilike $1 group by r.id order by r.id desc offset $2 limit $3"
        );
        let rows = sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(&like)
            .bind(offset)
            .bind(limit)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("listing rounds"))?;
        let total = sqlx::query_scalar(
            "select count(*) from rounds r where r.title ilike $1 or r.who ilike $1",
        )
        .bind(&like)
        .fetch_one(&self.pool)
        .await
        .map_err(doing("counting rounds"))?;
        Ok((rows, total))
    }

    /// The round under way: one with a job running, else the first that waits.
    pub async fn active_round(&self) -> Result<Option<Round>> {
        let sql = format!(
            "{ROUND} where r.id = (select round_id from jobs where state in ('waiting', 'running') order by state = 'running' desc, round_id limit 1) group by r.id"
        );
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("reading the round under way"))
    }

    /// Sites whose job failed in this round, in the order of the jobs.
    pub async fn failed_sites(&self, round: i64) -> Result<Vec<i64>> {
        sqlx::query_scalar(
            "select site_id from jobs where round_id = $1 and state = 'failed' order by id",
        )
        .bind(round)
        .fetch_all(&self.pool)
        .await
        .map_err(doing("listing jobs"))
    }

    pub async fn round_jobs(&self, round: i64, offset: i64, limit: i64) -> Result<Vec<JobRow>> {
        sqlx::query_as("select j.id, j.site_id, s.name as site_name, c.name as client_name, j.state, j.outcome, j.progress_done, j.progress_of from jobs j join sites s on s.id = j.site_id join clients c on c.id = s.client_id where j.round_id = $1 order by array_position(array['running', 'failed', 'done', 'waiting', 'cancelled'], j.state), j.finished_at desc nulls last, j.id offset $2 limit $3")
            .bind(round)
            .bind(offset)
            .bind(limit)
            .fetch_all(&self.pool)
            .await
            .map_err(doing("listing jobs"))
    }

    /// Jobs that wait are cancelled; those under way end by themselves when they next report.
    pub async fn cancel_round(&self, id: i64) -> Result<()> {
        let mut tx = self
            .pool
            .begin()
            .await
            .map_err(doing("cancelling a round"))?;
        sqlx::query(
            "update rounds set cancelled_at = now() where id = $1 and cancelled_at is null",
        )
        .bind(id)
        .execute(&mut *tx)
        .await
        .map_err(doing("cancelling a round"))?;
        sqlx::query("update jobs set state = 'cancelled', finished_at = now(), outcome = 'cancelled' where round_id = $1 and state = 'waiting'")
            .bind(id)
            .execute(&mut *tx)
            .await
            .map_err(doing("cancelling a round"))?;
        sqlx::query("select pg_notify('newtfern_events', $1)")
            .bind(serde_json::json!({"round": id}).to_string())
            .execute(&mut *tx)
            .await
            .map_err(doing("cancelling a round"))?;
        tx.commit().await.map_err(doing("cancelling a round"))
    }
}

//! The queue: claim, renew, finish. A table with `for update skip locked` rather than a queue crate,
//! because finishing a job and storing its observations and standings must be one transaction on one
//! lease; a crate that acknowledges by itself would store twice or lose after a kill between the two.

use crate::standings::{NewStanding, write};
use crate::{Result, Store, doing, fresh_token};
use newtfern_core::observation::Observation;
use serde_json::{Value, json};

/// A worker that does not report for this long has died.
pub const LEASE_S: f64 = 60.0;
/// After so many deaths on the same job, the job itself is at fault.
const MOST_ATTEMPTS: i32 = 3;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Job {
    pub id: i64,
    pub round_id: i64,
    pub site_id: i64,
    pub kind: String,
    pub spec: Value,
    pub lease: String,
}

/// What a finished job leaves behind, stored together or not at all.
#[derive(Debug, Default)]
pub struct Done {
    pub outcome: String,
    pub result: Option<Value>,
    pub visits: Vec<Observation>,
    pub standings: Vec<NewStanding>,
}

impl Store {
    /// Takes the next job that waits or whose worker has died. Weigh-ins come alone: none is given
    /// while another runs, and `alone` asks for only those.
    pub async fn claim(&self, kinds: &[&str]) -> Result<Option<Job>> {
        self.give_up().await?;
        sqlx::query_as(
            "update jobs set state = 'running', attempts = attempts + 1, lease = $1, lease_until = now() + make_interval(secs => $2)
             where id = (select id from jobs where kind = any($3) and (state = 'waiting' or (state = 'running' and lease_until < now())) order by id for update skip locked limit 1)
             returning id, round_id, site_id, kind, spec, lease",
        )
        .bind(fresh_token())
        .bind(LEASE_S)
        .bind(kinds)
        .fetch_optional(&self.pool)
        .await
        .map_err(doing("claiming a job"))
    }

    async fn give_up(&self) -> Result<()> {
        sqlx::query("update jobs set state = 'failed', finished_at = now(), outcome = 'given up: its worker died ' || attempts || ' times' where state = 'running' and lease_until < now() and attempts >= $1").bind(MOST_ATTEMPTS).execute(&self.pool).await.map(|_| ()).map_err(doing("giving up a job"))
    }

    /// Renews the lease and reports progress. False when the job is no longer this worker's, or its
    /// round was cancelled: then stop.
    pub async fn renew(&self, job: &Job, progress: Option<(i32, i32)>) -> Result<bool> {
        let (done, of) = progress.unwrap_or((-1, -1));
        let live: Option<bool> = sqlx::query_scalar("update jobs set lease_until = now() + make_interval(secs => $3), progress_done = case when $4 < 0 then progress_done else $4 end, progress_of = case when $5 < 0 then progress_of else $5 end where id = $1 and lease = $2 and state = 'running' returning (select cancelled_at is null from rounds where id = jobs.round_id)")
            .bind(job.id)
            .bind(&job.lease)
            .bind(LEASE_S)
            .bind(done)
            .bind(of)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("renewing a lease"))?;
        if progress.is_some() {
            self.tell(job).await?;
        }
        Ok(live.unwrap_or(false))
    }

    async fn tell(&self, job: &Job) -> Result<()> {
        sqlx::query("select pg_notify('newtfern_events', $1)")
            .bind(json!({"round": job.round_id, "site": job.site_id}).to_string())
            .execute(&self.pool)
            .await
            .map(|_| ())
            .map_err(doing("telling of progress"))
    }

    /// Stores everything in one transaction, if the lease still holds. False: another worker has it.
    pub async fn finish(&self, job: &Job, done: &Done) -> Result<bool> {
        let mut tx = self.pool.begin().await.map_err(doing("finishing a job"))?;
        let held = sqlx::query("update jobs set state = 'done', finished_at = now(), outcome = $3, result = $4, lease = null where id = $1 and lease = $2 and state = 'running'")
            .bind(job.id)
            .bind(&job.lease)
            .bind(&done.outcome)
            .bind(&done.result)
            .execute(&mut *tx)
            .await
            .map_err(doing("finishing a job"))?
            .rows_affected();
        if held == 0 {
            return Ok(false);
        }
        for seen in &done.visits {
            sqlx::query("insert into observations (job_id, site_id, viewport, consent, seen) values ($1, $2, $3, $4, $5)")
                .bind(job.id)
                .bind(job.site_id)
                .bind(seen.condition.viewport.word())
                .bind(seen.condition.consent.word())
                .bind(postgres_json(seen))
                .execute(&mut *tx)
                .await
                .map_err(doing("storing an observation"))?;
        }
        for standing in &done.standings {
            write(&mut *tx, job.site_id, standing).await?;
        }
        sqlx::query("select pg_notify('newtfern_events', $1)")
            .bind(json!({"round": job.round_id, "site": job.site_id, "done": true}).to_string())
            .execute(&mut *tx)
            .await
            .map_err(doing("finishing a job"))?;
        tx.commit().await.map_err(doing("finishing a job"))?;
        Ok(true)
    }

    pub async fn fail(&self, job: &Job, why: &str, cancelled: bool) -> Result<()> {
        sqlx::query("update jobs set state = $4, finished_at = now(), outcome = $3, lease = null where id = $1 and lease = $2")
            .bind(job.id)
            .bind(&job.lease)
            .bind(why.chars().take(500).collect::<String>())
            .bind(if cancelled { "cancelled" } else { "failed" })
            .execute(&self.pool)
            .await
            .map_err(doing("failing a job"))?;
        self.tell(job).await
    }

    /// The last finished check of a site: its observations.
    pub async fn last_visits(&self, site: i64) -> Result<Vec<Observation>> {
        let rows: Vec<sqlx::types::Json<Observation>> =
            sqlx::query_scalar("select seen from observations where job_id = (select max(job_id) from observations where site_id = $1) order by viewport, consent desc")
                .bind(site)
                .fetch_all(&self.pool)
                .await
                .map_err(doing("reading observations"))?;
        Ok(rows.into_iter().map(|j| j.0).collect())
    }

    /// The result of the last finished job of a kind.
    pub async fn last_result(&self, site: i64, kind: &str) -> Result<Option<Value>> {
        let found: Option<Option<Value>> = sqlx::query_scalar("select result from jobs where site_id = $1 and kind = $2 and state = 'done' order by id desc limit 1")
            .bind(site)
            .bind(kind)
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("reading a result"))?;
        Ok(found.flatten())
    }

    /// Sites whose last check is stored, for judging again without a visit.
    pub async fn observed_sites(&self) -> Result<Vec<i64>> {
        sqlx::query_scalar("select distinct site_id from observations order by 1")
            .fetch_all(&self.pool)
            .await
            .map_err(doing("listing observed sites"))
    }
}

/// PostgreSQL's text has no NUL, and a page can hold one.
fn postgres_json(seen: &Observation) -> Value {
    let text = serde_json::to_string(seen)
        .unwrap_or_default()
        .replace("\\u0000", "\\ufffd");
    serde_json::from_str(&text).unwrap_or(Value::Null)
}

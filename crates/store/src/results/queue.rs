//! The queue: claim, renew, finish. A job is claimed with a lease; only the holder of the lease may
//! finish it, in the same transaction that stores its result. So a killed worker loses nothing (the
//! lease runs out and the job is claimed again) and nothing is stored twice (the late worker no
//! longer holds the lease). Why this and no queue crate: ARCHITECTURE.md, "Decisions".

use crate::handles::{Queue, RoundRows};
use crate::text::clean;
use crate::{Result, StoreError, Tx, doing, fresh_token};
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use newtfern_model::job::JobKind;
use serde_json::{Value, json};

/// A worker that does not report for this long has died, in seconds.
pub const LEASE_S: f64 = 30.0;
/// After so many deaths on the same job, the job itself is at fault.
const MOST_ATTEMPTS: i32 = 3;

/// Urgency of a job; less is sooner.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Urgency {
    /// A person looks at the page and waits.
    Person,
    /// Part of a round of several sites.
    Round,
    /// Work that nobody waits for.
    Idle,
}

impl Urgency {
    fn number(self) -> i16 {
        match self {
            Urgency::Person => 0,
            Urgency::Round => 50,
            Urgency::Idle => 90,
        }
    }
}

/// Id, round, site, kind, lease.
type Claimed = (i64, i64, i64, String, String);

/// A job that was claimed.
#[derive(Debug, Clone)]
pub struct Job {
    /// Number of the job.
    pub id: i64,
    /// Number of the job's round.
    pub round_id: i64,
    /// Number of the job's site.
    pub site_id: i64,
    /// Kind of the job.
    pub kind: JobKind,
    /// Names this attempt: a result under another is refused.
    pub lease: String,
}

impl Queue<'_> {
    /// Takes the next job that waits: what a person waits for first, then rounds in turn.
    ///
    /// # Errors
    /// Where a job is of a kind that this program does not know.
    pub async fn claim(self) -> Result<Option<Job>> {
        self.take_back().await?;
        for _ in 0..3 {
            let found: sqlx::Result<Option<Claimed>> =
                sqlx::query_as(include_str!("../sql/claim.sql"))
                    .bind(fresh_token())
                    .bind(LEASE_S)
                    .fetch_optional(&self.store.pool)
                    .await;
            match found {
                Ok(None) => return Ok(None),
                Ok(Some((id, round_id, site_id, kind, lease))) => {
                    let known = JobKind::from_key(&kind).ok_or(StoreError::Corrupt {
                        what: "job",
                        why: format!("its kind {kind} is not known: is this program older?"),
                    })?;
                    return Ok(Some(Job {
                        id,
                        round_id,
                        site_id,
                        kind: known,
                        lease,
                    }));
                }
                // Another worker took a job of the same site and kind at the same moment.
                Err(sqlx::Error::Database(e)) if e.is_unique_violation() => continue,
                Err(source) => return Err(doing("claiming a job")(source)),
            }
        }
        Ok(None)
    }

    /// Jobs whose worker has died wait again; after several deaths they are given up.
    async fn take_back(self) -> Result<()> {
        sqlx::query(include_str!("../sql/take_back.sql"))
            .bind(MOST_ATTEMPTS)
            .bind(LEASE_S)
            .execute(&self.store.pool)
            .await
            .map(|_| ())
            .map_err(doing("taking back a job"))
    }

    /// Renews the lease and reports progress. False when the job is no longer this worker's, or its
    /// round was cancelled: then stop.
    pub async fn renew(self, job: &Job, progress: Option<(i32, i32)>) -> Result<bool> {
        let live: Option<bool> = sqlx::query_scalar(include_str!("../sql/renew.sql"))
            .bind(job.id)
            .bind(&job.lease)
            .bind(LEASE_S)
            .bind(progress.map(|p| p.0))
            .bind(progress.map(|p| p.1))
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("renewing a lease"))?;
        if progress.is_some() {
            let mut tx = self.store.begin().await?;
            tx.tell("progress", about(job)).await?;
            tx.commit().await?;
        }
        Ok(live.unwrap_or(false))
    }

    /// Returns whether the job is still this worker's, and its round not cancelled.
    pub async fn is_wanted(self, job: &Job) -> Result<bool> {
        let found: Option<bool> = sqlx::query_scalar(
            "select r.cancelled_at is null from jobs j \
            join rounds r on r.id = j.round_id where j.id = $1 and j.lease = $2 \
            and j.state = 'running'",
        )
        .bind(job.id)
        .bind(&job.lease)
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("asking after a job"))?;
        Ok(found.unwrap_or(false))
    }

    /// Gives a job back, as if it had not been tried: the worker stops.
    pub async fn give_back(self, job: &Job) -> Result<()> {
        sqlx::query(
            "update jobs \
            set state = 'waiting', attempts = attempts - 1, lease = null, lease_until = null \
            where id = $1 and lease = $2 and state = 'running'",
        )
        .bind(job.id)
        .bind(&job.lease)
        .execute(&self.store.pool)
        .await
        .map(|_| ())
        .map_err(doing("giving a job back"))
    }

    /// Lets a job wait again whose needs were out of reach for a moment, or gives it up after
    /// several tries, with the reason.
    pub async fn try_again(self, job: &Job, why: &str) -> Result<()> {
        sqlx::query(
            "update jobs set state = case when attempts >= $3 then 'failed' else 'waiting' end, \
            finished_at = case when attempts >= $3 then now() end, outcome = $4, note = $4, \
            lease = null, lease_until = null where id = $1 and lease = $2 and state = 'running'",
        )
        .bind(job.id)
        .bind(&job.lease)
        .bind(MOST_ATTEMPTS)
        .bind(clean(why).chars().take(500).collect::<String>())
        .execute(&self.store.pool)
        .await
        .map(|_| ())
        .map_err(doing("giving a job another try"))
    }
}

impl RoundRows<'_> {
    /// Returns how many jobs wait before this one.
    pub async fn ahead_of(self, job: i64) -> Result<i64> {
        sqlx::query_scalar(
            "select count(*) from jobs w, jobs j where j.id = $1 \
            and w.state = 'waiting' and (w.not_before is null or w.not_before <= now()) \
            and (w.priority, w.turn, w.id) < (j.priority, j.turn, j.id)",
        )
        .bind(job)
        .fetch_one(&self.store.pool)
        .await
        .map_err(doing("counting waiting jobs"))
    }
}

fn about(job: &Job) -> Value {
    json!({"round": job.round_id, "site": job.site_id, "job": job.id})
}

impl Tx {
    /// Ends a job as done, if its lease still holds. False: another worker has it, and nothing of
    /// this transaction may be kept.
    pub async fn finish_job(&mut self, job: &Job, outcome: &str) -> Result<bool> {
        let held = sqlx::query(
            "update jobs \
            set state = 'done', finished_at = now(), outcome = $3, lease = null where id = $1 \
            and lease = $2 and state = 'running'",
        )
        .bind(job.id)
        .bind(&job.lease)
        .bind(clean(outcome))
        .execute(&mut *self.inner)
        .await
        .map_err(doing("finishing a job"))?
        .rows_affected();
        let mut body = about(job);
        body["done"] = json!(true);
        self.tell("progress", body).await?;
        Ok(held > 0)
    }

    /// Ends a job as failed or cancelled, with the reason, if its lease still holds.
    pub async fn fail_job(&mut self, job: &Job, why: &str, cancelled: bool) -> Result<()> {
        let why: String = clean(why).chars().take(500).collect();
        sqlx::query(
            "update jobs \
            set state = $4, finished_at = now(), outcome = $3, lease = null where id = $1 \
            and lease = $2 and state = 'running'",
        )
        .bind(job.id)
        .bind(&job.lease)
        .bind(why)
        .bind(if cancelled { "cancelled" } else { "failed" })
        .execute(&mut *self.inner)
        .await
        .map_err(doing("failing a job"))?;
        let mut body = about(job);
        body["done"] = json!(true);
        self.tell("progress", body).await
    }

    /// Starts a round: one job a site, each once. Workers are told.
    pub async fn start_round(
        &mut self,
        kind: JobKind,
        title: &str,
        who: &str,
        sites: &[i64],
        urgency: Urgency,
    ) -> Result<i64> {
        let round: i64 = sqlx::query_scalar(
            "insert into rounds (kind, title, who) values ($1, $2, $3) returning id",
        )
        .bind(kind.key())
        .bind(clean(title))
        .bind(clean(who))
        .fetch_one(&mut *self.inner)
        .await
        .map_err(doing("starting a round"))?;
        sqlx::query(include_str!("../sql/add_jobs.sql"))
            .bind(round)
            .bind(kind.key())
            .bind(sites)
            .bind(urgency.number())
            .execute(&mut *self.inner)
            .await
            .map_err(doing("starting a round"))?;
        sqlx::query("select pg_notify('newtfern_jobs', $1)")
            .bind(round.to_string())
            .execute(&mut *self.inner)
            .await
            .map_err(doing("starting a round"))?;
        self.tell("round", json!({"round": round})).await?;
        Ok(round)
    }

    /// Plans one job of a site for a time, in place of the one that was planned before; nothing
    /// planned where there is no time. The jobs that are planned within a day share a round.
    pub async fn plan_job(
        &mut self,
        kind: JobKind,
        title: &str,
        who: &str,
        site: i64,
        not_before: Option<Timestamp>,
    ) -> Result<()> {
        let doing = || doing("planning a job");
        let planned = "site_id = $1 and kind = $2 and state = 'waiting' and not_before is not null";
        sqlx::query(sqlx::AssertSqlSafe(format!(
            "delete from jobs where {planned}"
        )))
        .bind(site)
        .bind(kind.key())
        .execute(&mut *self.inner)
        .await
        .map_err(doing())?;
        let Some(not_before) = not_before else {
            return Ok(());
        };
        // Two that plan at the same time make one round.
        sqlx::query("select pg_advisory_xact_lock(hashtext($1))")
            .bind(title)
            .execute(&mut *self.inner)
            .await
            .map_err(doing())?;
        sqlx::query(include_str!("../sql/plan_job.sql"))
            .bind(kind.key())
            .bind(clean(title))
            .bind(clean(who))
            .bind(site)
            .bind(Urgency::Idle.number())
            .bind(not_before.to_sqlx())
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing())
    }

    /// A round puts back what another one pushed.
    pub async fn set_of_round(&mut self, round: i64, of: i64) -> Result<()> {
        sqlx::query("update rounds set of_round = $2 where id = $1")
            .bind(round)
            .bind(of)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("starting a round"))
    }

    /// Jobs that wait are cancelled; those under way hear of it within seconds.
    pub async fn cancel_round(&mut self, id: i64) -> Result<()> {
        for sql in [
            "update rounds set cancelled_at = now() where id = $1 and cancelled_at is null",
            "update jobs set state = 'cancelled', finished_at = now(), outcome = 'cancelled' \
                where round_id = $1 and state = 'waiting'",
        ] {
            sqlx::query(sql)
                .bind(id)
                .execute(&mut *self.inner)
                .await
                .map_err(doing("cancelling a round"))?;
        }
        self.tell("progress", json!({"round": id, "done": true}))
            .await
    }
}

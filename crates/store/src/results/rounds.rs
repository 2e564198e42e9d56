//! Rounds: sets of jobs started together, watched and cancelled together.

use crate::access::audit::like;
use crate::handles::RoundRows;
use crate::{Moment, Result, doing};
use newtfern_model::job::{JobKind, JobState};

/// A round of jobs, with its counts.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Round {
    /// Number of the round.
    pub id: i64,
    /// Kind of the round's jobs.
    #[sqlx(try_from = "String")]
    pub kind: JobKind,
    /// Title in words.
    pub title: String,
    /// Name of who started the round.
    pub who: String,
    /// Time of the start.
    pub created_at: Moment,
    /// Time at which it was cancelled.
    pub cancelled_at: Option<Moment>,
    /// The round whose pushes this one puts back.
    pub of_round: Option<i64>,
    /// Number of all jobs.
    pub total: i64,
    /// Jobs that were done.
    pub done: i64,
    /// Number of jobs that failed.
    pub failed: i64,
    /// Number of jobs that a worker has.
    pub running: i64,
    /// Number of jobs that wait.
    pub waiting: i64,
    /// Time for which the next of them is planned, where none is due.
    pub planned_for: Option<Moment>,
}

impl Round {
    /// None of its jobs waits or is under way.
    pub fn is_over(&self) -> bool {
        self.running + self.waiting == 0
    }

    /// Share of its jobs that are over, 0 to 100.
    pub fn percent(&self) -> i64 {
        if self.total == 0 {
            100
        } else {
            100 * (self.total - self.running - self.waiting) / self.total
        }
    }
}

/// A job in a list.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct JobRow {
    /// Number of the job.
    pub id: i64,
    /// Number of the job's site.
    pub site_id: i64,
    /// Name of its site.
    pub site_name: String,
    /// Name of its client.
    pub client_name: String,
    /// State of the job.
    #[sqlx(try_from = "String")]
    pub state: JobState,
    /// Outcome in words, once it is over.
    pub outcome: String,
    /// Rank of the site's state, worst first: 1 failing to 6 not applicable.
    pub worst: i16,
    /// Number of steps done.
    pub progress_done: i32,
    /// Number of all steps.
    pub progress_of: i32,
    /// Time before which it is not begun.
    pub not_before: Option<Moment>,
}

const ROUND: &str = "select r.id, r.kind, r.title, r.who, r.created_at, r.cancelled_at, \
    r.of_round, count(j.id) as total, \
    count(*) filter (where j.state = 'done') as done, \
    count(*) filter (where j.state = 'failed') as failed, \
    count(*) filter (where j.state = 'running') as running, \
    count(*) filter (where j.state = 'waiting') as waiting, \
    case when count(*) filter (where j.state = 'running' or j.state = 'waiting' \
        and (j.not_before is null or j.not_before <= now())) = 0 \
        then min(j.not_before) filter (where j.state = 'waiting') end as planned_for \
    from rounds r left \
    join jobs j on j.round_id = r.id";

/// A job that has not ended.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct PendingJob {
    /// Number of the job.
    pub id: i64,
    /// Number of the job's round.
    pub round_id: i64,
    /// Kind of the job.
    #[sqlx(try_from = "String")]
    pub kind: JobKind,
    /// State of the job.
    #[sqlx(try_from = "String")]
    pub state: JobState,
    /// Number of steps done.
    pub progress_done: i32,
    /// Number of all steps.
    pub progress_of: i32,
}

impl RoundRows<'_> {
    /// Returns a round by its number.
    pub async fn round(self, id: i64) -> Result<Option<Round>> {
        let sql = format!("{ROUND} where r.id = $1 group by r.id");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(id)
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading a round"))
    }

    /// Newest first; `search` is looked for in what was started and by whom.
    pub async fn page(self, search: &str, offset: i64, limit: i64) -> Result<(Vec<Round>, i64)> {
        let like = like(search);
        let sql = format!(
            "{ROUND} where r.title ilike $1 or r.who ilike $1 group by r.id order by r.id desc \
            offset $2 limit $3"
        );
        let rows = sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(&like)
            .bind(offset)
            .bind(limit)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("listing rounds"))?;
        let total = sqlx::query_scalar(
            "select count(*) from rounds r where r.title ilike $1 or r.who ilike $1",
        )
        .bind(&like)
        .fetch_one(&self.store.pool)
        .await
        .map_err(doing("counting rounds"))?;
        Ok((rows, total))
    }

    /// The round under way: one with a job running, else the first that waits. Nothing is counted
    /// that is not shown.
    pub async fn active_round(self) -> Result<Option<Round>> {
        let sql = format!(
            "{ROUND} where r.id = (select round_id from jobs \
             where state = 'running' or state = 'waiting' \
             and (not_before is null or not_before <= now()) \
             order by state = 'running' desc, priority, round_id limit 1) group by r.id"
        );
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading the round under way"))
    }

    /// The last job of a site that has not ended, with its round: what its bench shows.
    pub async fn job_under_way(self, site: i64) -> Result<Option<PendingJob>> {
        sqlx::query_as(
            "select id, round_id, kind, state, progress_done, progress_of from jobs \
            where site_id = $1 and (state = 'running' or state = 'waiting' \
            and (not_before is null or not_before <= now())) order by priority, id desc limit 1",
        )
        .bind(site)
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("reading what is under way"))
    }

    /// The next look at a site that is planned for a time: its round and its time.
    pub async fn planned_look(self, site: i64) -> Result<Option<(i64, Moment)>> {
        sqlx::query_as(
            "select round_id, not_before from jobs where site_id = $1 and kind = $2 \
            and state = 'waiting' and not_before > now() order by not_before limit 1",
        )
        .bind(site)
        .bind(JobKind::Check.key())
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("reading what is planned"))
    }

    /// The last job of a kind of a site that failed, if nothing of the kind came after it.
    pub async fn last_failure(self, site: i64) -> Result<Option<String>> {
        let last: Option<(String, String, String)> = sqlx::query_as(
            "select state, kind, outcome \
            from jobs where site_id = $1 and state in ('done', 'failed') \
            order by finished_at desc limit 1",
        )
        .bind(site)
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("reading the last job"))?;
        let failed = last.filter(|(state, ..)| state == "failed");
        Ok(failed.map(|(_, kind, why)| format!("{kind}: {why}")))
    }

    /// Sites whose job failed in this round, in the order of the jobs.
    pub async fn failed_sites(self, round: i64) -> Result<Vec<i64>> {
        sqlx::query_scalar(
            "select site_id from jobs where round_id = $1 and state = 'failed' order by id",
        )
        .bind(round)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("listing jobs"))
    }

    /// Sites on which a round's pushes stand, not put back.
    pub async fn pushed_sites(self, round: i64) -> Result<Vec<i64>> {
        sqlx::query_scalar(
            "select distinct site_id from placements where round_id = $1 and put_back_at is null",
        )
        .bind(round)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("listing pushes"))
    }

    /// Returns one page of a round's jobs: what is under way first.
    pub async fn round_jobs(self, round: i64, offset: i64, limit: i64) -> Result<Vec<JobRow>> {
        sqlx::query_as(
            "select j.id, j.site_id, s.name as site_name, c.name as \
            client_name, j.state, \
             j.outcome, s.worst, j.progress_done, j.progress_of, j.not_before \
            from jobs j join sites s on s.id = j.site_id join clients c on c.id = s.client_id \
            where j.round_id = $1 \
            order by array_position(array['running', 'failed', 'done', 'waiting', \
            'cancelled'], j.state), \
             j.finished_at desc nulls last, j.id offset $2 \
            limit $3",
        )
        .bind(round)
        .bind(offset)
        .bind(limit)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("listing jobs"))
    }
}

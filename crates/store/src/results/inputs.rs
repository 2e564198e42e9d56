//! What results rest on, and results that grew old because it changed.

use crate::error::corrupt;
use crate::estate::names::{family_of, standing_of};
use crate::{Result, Tx, doing};
use newtfern_verdict::family::{Family, Standing};
use newtfern_verdict::inputs::Prints;
use serde_json::Value;
use sqlx::types::Json;

/// Standing of a site in a family, with the inputs it rests on.
#[derive(Debug, Clone)]
pub struct StandingInputs {
    /// Number of the site.
    pub site: i64,
    /// Family of the standing.
    pub family: Family,
    /// Standing of the family.
    pub standing: Standing,
    /// Prints of the inputs at the look; empty where there was none.
    pub inputs: Prints,
}

/// Part of a site that we write to from outside.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WriteTarget {
    /// Slots, the set of tags or the draft.
    Slots,
    /// The supplier's settings of its key.
    Console,
}

/// Number of times that a site was written to.
#[derive(Debug, Clone, Copy, sqlx::FromRow)]
pub struct TimesWritten {
    /// Number of the site.
    pub id: i64,
    /// Slots, sets of tags, drafts.
    pub slots_written: i64,
    /// Times that settings at the supplier were written.
    pub console_written: i64,
}

impl Tx {
    /// Returns how sites stand in all families, with the inputs that rests on.
    ///
    /// # Errors
    /// Where a family or standing is not known.
    pub async fn rests_on(&mut self, sites: &[i64]) -> Result<Vec<StandingInputs>> {
        let rows: Vec<(i64, String, String, Option<Value>)> = sqlx::query_as(
            "select s.site_id, s.family, s.state, c.inputs from standings s \
            left join checks c on c.id = s.check_id where s.site_id = any($1)",
        )
        .bind(sites)
        .fetch_all(&mut *self.inner)
        .await
        .map_err(doing("reading what results rest on"))?;
        let read = |(site, family, state, inputs): (i64, String, String, Option<Value>)| {
            let inputs = inputs.map(serde_json::from_value).transpose();
            Ok(StandingInputs {
                site,
                family: family_of(&family)?,
                standing: standing_of(&state)?,
                inputs: inputs
                    .map_err(|e| corrupt("inputs", e))?
                    .unwrap_or_default(),
            })
        };
        rows.into_iter().map(read).collect()
    }

    /// Keeps what a check rested on.
    pub async fn set_inputs(&mut self, check: i64, inputs: &Prints) -> Result<()> {
        sqlx::query("update checks set inputs = $2 where id = $1")
            .bind(check)
            .bind(Json(inputs))
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping what a check rested on"))
    }

    /// Results that say something of inputs that have changed are old from now on, each with its
    /// reason.
    pub async fn make_old(&mut self, old: &[(i64, Family, String)]) -> Result<()> {
        let mut sites: Vec<i64> = old.iter().map(|(site, ..)| *site).collect();
        let families: Vec<&str> = old.iter().map(|(_, family, _)| family.key()).collect();
        let why: Vec<&str> = old.iter().map(|(.., why)| why.as_str()).collect();
        sqlx::query(
            "update standings s set state = 'stale', summary = n.why, remedy = '' \
            from unnest($1::bigint[], $2::text[], $3::text[]) as n(site_id, family, why) \
            where s.site_id = n.site_id and s.family = n.family \
            and s.state in ('passing', 'remarks', 'failing', 'undecided')",
        )
        .bind(&sites)
        .bind(families)
        .bind(why)
        .execute(&mut *self.inner)
        .await
        .map_err(doing("making results old"))?;
        sites.sort_unstable();
        sites.dedup();
        self.refresh(&sites).await
    }

    /// Counts that a site is written to.
    pub async fn note_written(&mut self, site: i64, what: WriteTarget) -> Result<()> {
        let sql = match what {
            WriteTarget::Slots => {
                "update sites set slots_written = slots_written + 1 where id = $1"
            }
            WriteTarget::Console => {
                "update sites set console_written = console_written + 1 where id = $1"
            }
        };
        sqlx::query(sql)
            .bind(site)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("noting a write"))
    }

    /// Returns how often sites were written to.
    pub async fn times_written(&mut self, sites: &[i64]) -> Result<Vec<TimesWritten>> {
        sqlx::query_as("select id, slots_written, console_written from sites where id = any($1)")
            .bind(sites)
            .fetch_all(&mut *self.inner)
            .await
            .map_err(doing("reading what was written"))
    }
}

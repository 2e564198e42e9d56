//! The design at the supplier: what its settings hold beside what they should, written there by a program, read
//! back, and put back as it was.

use crate::{ActError, Actor, Acts, Result, Subject, record};
use newtfern_core::family::Family;
use newtfern_core::profile::Console;
use newtfern_core::value_sheet::{Change, changes, put_back, written};
use newtfern_store::people::Role;
use newtfern_store::queue::Job;
use serde_json::{Value, json};

/// What came of writing a design.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Wrote {
    /// So many settings differed and were written; read back, they are as designed.
    Changed(usize),
    /// Nothing differed.
    Same,
}

fn console_of(s: &Subject) -> Result<&Console> {
    let console = s.supplier.console.as_ref().filter(|c| c.write.is_some());
    console.ok_or_else(|| {
        let name = &s.supplier.name;
        ActError::Bad(format!(
            "The profile of {name} knows no interface by which settings are written: type them in by the value sheet."
        ))
    })
}

impl Acts {
    /// Settings at the supplier that are other than the design's.
    ///
    /// # Errors
    /// Where the supplier has no such interface, or it does not answer.
    pub async fn settings_beside(&self, s: &Subject) -> Result<Vec<Change>> {
        let console = console_of(s)?;
        let held = self.console_settings(s, console).await?;
        Ok(changes(console, &s.design, &held))
    }

    async fn write_settings(&self, s: &Subject, settings: &Value) -> Result<()> {
        let to = console_of(s)?.write.as_deref().unwrap_or_default();
        self.call_console(s, "PUT", to, Some(settings)).await?;
        Ok(())
    }

    /// Writes what differs, keeps what was there, and reads back whether it took.
    ///
    /// # Errors
    /// Where the supplier does not take it; what was there is kept either way.
    pub async fn write_design(&self, actor: &Actor, site: i64) -> Result<Wrote> {
        actor.may(Role::Technician)?;
        let s = self.subject(site).await?;
        let differing = self.settings_beside(&s).await?;
        if differing.is_empty() {
            return Ok(Wrote::Same);
        }
        let told = json!(differing);
        let mut tx = self.store.begin().await?;
        let of = (s.supplier.id.as_str(), s.site.key.as_str());
        tx.add_supplier_write(site, of, &told, &actor.name).await?;
        let detail = json!({"supplier": s.supplier.id, "changes": told});
        record(
            &mut tx,
            actor,
            "wrote a design at the supplier",
            &s.site.url,
            detail,
        )
        .await?;
        let why = "The settings at the supplier changed since it was looked at.";
        tx.make_stale(&[site], &[Family::Brand, Family::HandOver], why)
            .await?;
        tx.commit().await?;
        self.write_settings(&s, &written(&differing)).await?;
        let left = self.settings_beside(&s).await?;
        if left.is_empty() {
            return Ok(Wrote::Changed(differing.len()));
        }
        let names: Vec<&str> = left.iter().map(|c| c.there.as_str()).collect();
        Err(ActError::Bad(format!(
            "{} took the values, and still shows others for: {}.",
            s.supplier.name,
            names.join(", ")
        )))
    }

    /// Puts back what the last write that stands replaced.
    ///
    /// # Errors
    /// Where there is none, or the supplier does not take it.
    pub async fn put_settings_back(&self, actor: &Actor, site: i64) -> Result<usize> {
        actor.may(Role::Technician)?;
        let s = self.subject(site).await?;
        let writes = self.store.supplier_writes(site).await?;
        let ours = writes.into_iter().find(|w| {
            w.put_back_at.is_none() && w.supplier_id == s.supplier.id && w.key == s.site.key
        });
        let last = ours.ok_or_else(|| {
            ActError::Bad(
                "Nothing was written at this supplier that is not put back already.".into(),
            )
        })?;
        let before: Vec<Change> = serde_json::from_value(last.changes.clone())
            .map_err(|e| newtfern_store::sites::corrupt("what a supplier held", e))?;
        self.write_settings(&s, &put_back(&before)).await?;
        let mut tx = self.store.begin().await?;
        tx.mark_write_put_back(last.id).await?;
        let detail = json!({"supplier": s.supplier.id, "write": last.id});
        record(
            &mut tx,
            actor,
            "put back the settings at the supplier",
            &s.site.url,
            detail,
        )
        .await?;
        let why = "The settings at the supplier were put back since it was looked at.";
        tx.make_stale(&[site], &[Family::Brand, Family::HandOver], why)
            .await?;
        tx.commit().await?;
        Ok(before.len())
    }

    /// Does a job that writes one site's design.
    ///
    /// # Errors
    /// As [`Acts::write_design`]; [`ActError::TakenOver`] where the job is another worker's by now.
    pub async fn do_values(&self, job: &Job) -> Result<()> {
        let round = self.store.round(job.round_id).await?;
        let round = round.ok_or(ActError::NotFound("round"))?;
        let actor = Actor {
            name: round.who.clone(),
            role: Role::Technician,
        };
        let words = match self.write_design(&actor, job.site_id).await? {
            Wrote::Changed(1) => "one setting written, and read back".into(),
            Wrote::Changed(n) => format!("{n} settings written, and read back"),
            Wrote::Same => "was as designed already".to_string(),
        };
        let mut tx = self.store.begin().await?;
        if !tx.finish_job(job, &words).await? {
            return Err(ActError::TakenOver);
        }
        Ok(tx.commit().await?)
    }
}

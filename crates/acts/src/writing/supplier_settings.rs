//! The design at the supplier: what its settings hold beside what they should, written there by a
//! program, read back, and put back as it was.

use crate::handles::ConsoleActs;
use crate::writing::begun::{self, WriteState};
use crate::{ActError, Actor, Result, Subject};
use newtfern_model::profile::Console;
use newtfern_model::value_sheet::{Change, changes, put_back, written};
use newtfern_store::access::people::Role;
use newtfern_store::results::queue::Job;
use newtfern_store::writing::begun_writes::{BegunWrite, WriteKind};
use newtfern_store::writing::supplier_writes::SupplierWrite;
use serde_json::{Value, json};

/// Result of writing a design.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WriteResult {
    /// So many settings differed and were written; read back, they are as designed.
    Changed(usize),
    /// The supplier had these settings already.
    Same,
}

fn console_of(s: &Subject) -> Result<&Console> {
    let console = s.supplier.console.as_ref().filter(|c| c.write.is_some());
    console.ok_or_else(|| {
        let name = &s.supplier.name;
        ActError::Bad(format!(
            "The profile of {name} has no interface for writing settings. Use the value sheet to \
            type them in."
        ))
    })
}

fn changes_of(kept: &SupplierWrite) -> Result<Vec<Change>> {
    let read = serde_json::from_value(kept.changes.clone());
    Ok(read.map_err(|e| newtfern_store::error::corrupt("what a supplier held", e))?)
}

/// The supplier holds what it held before a write.
fn are_as_before(changes: &[Change], held: &Value) -> bool {
    changes.iter().all(|c| held.get(&c.there) == Some(&c.is))
}

fn unknown(s: &Subject, error: &ActError) -> ActError {
    ActError::Bad(format!(
        "It is not known whether {} saved the values ({error}). The earlier settings are stored \
        here. Look again in a minute.",
        s.supplier.name
    ))
}

impl ConsoleActs<'_> {
    /// Settings at the supplier that are other than the design's.
    ///
    /// # Errors
    /// Where the supplier has no such interface, or it does not answer.
    pub async fn settings_beside(self, s: &Subject) -> Result<Vec<Change>> {
        let console = console_of(s)?;
        let held = self.acts.sites().console_settings(s, console).await?;
        Ok(changes(console, &s.design, &held))
    }

    async fn write_settings(self, s: &Subject, settings: &Value) -> Result<()> {
        let to = console_of(s)?.write.as_deref().unwrap_or_default();
        self.acts
            .sites()
            .call_console(s, "PUT", to, Some(settings))
            .await?;
        Ok(())
    }

    /// Writes what differs, keeps what was there, and reads back whether it took.
    ///
    /// # Errors
    /// Where the supplier does not take it; what was there is kept either way.
    pub async fn write_design(self, actor: &Actor, site: i64) -> Result<WriteResult> {
        actor.may(Role::Technician)?;
        self.acts.writes().ready_to_write(site).await?;
        let s = self.acts.sites().subject(site).await?;
        let differing = self.settings_beside(&s).await?;
        if differing.is_empty() {
            return Ok(WriteResult::Same);
        }
        let told = json!(differing);
        let (kind, act) = (WriteKind::Settings, "wrote a design to the supplier");
        let mut tx = self.acts.store.begin().await?;
        let of = (s.supplier.id.as_str(), s.site.key.as_str());
        let row = tx.add_supplier_write(site, of, &told, &actor.name).await?;
        let begun = begun::begin(&mut tx, actor, site, kind, (&[row], act)).await?;
        tx.commit().await?;
        let failed = self.write_settings(&s, &written(&differing)).await.err();
        // What it says it took is read back; what it did not say may have been taken all the same.
        let left = self
            .settings_beside(&s)
            .await
            .map_err(|error| unknown(&s, &error))?;
        let untouched = failed.is_some() && left == differing;
        let mut tx = self.acts.store.begin().await?;
        if untouched {
            tx.forget_supplier_writes(&[row]).await?;
            tx.end_write(begun).await?;
        } else {
            let detail = json!({"supplier": s.supplier.id, "changes": told});
            let told = (act, s.site.url.as_str());
            begun::end(&mut tx, actor, (begun, site, kind), told, detail).await?;
        }
        tx.commit().await?;
        if let Some(error) = failed.filter(|_| !left.is_empty()) {
            return Err(error);
        }
        if left.is_empty() {
            return Ok(WriteResult::Changed(differing.len()));
        }
        let names: Vec<&str> = left.iter().map(|c| c.there.as_str()).collect();
        Err(ActError::Bad(format!(
            "{} accepted the values but still shows different ones for: {}.",
            s.supplier.name,
            names.join(", ")
        )))
    }

    /// Settles a write of settings that broke off, by what the supplier has.
    pub(crate) async fn settle_settings(self, begun: &BegunWrite) -> Result<WriteState> {
        let s = self.acts.sites().subject(begun.site).await?;
        let console = console_of(&s)?;
        let writes = self
            .acts
            .store
            .writing()
            .supplier_writes(begun.site)
            .await?;
        let kept = writes.iter().find(|w| begun.rows.contains(&w.id));
        let kept = kept.ok_or(ActError::NotFound("kept state"))?;
        let meant: Vec<Change> = changes_of(kept)?;
        let held = self.acts.sites().console_settings(&s, console).await?;
        let as_before = are_as_before(&meant, &held);
        let happened = match begun.kind {
            WriteKind::SettingsBack => as_before,
            _ => !as_before,
        };
        match happened {
            true => Ok(WriteState::Happened),
            false => Ok(WriteState::Not(begun.rows.clone())),
        }
    }

    /// Puts back what the last write that stands replaced.
    ///
    /// # Errors
    /// Where there is none, or the supplier does not take it.
    pub async fn put_settings_back(self, actor: &Actor, site: i64) -> Result<usize> {
        actor.may(Role::Technician)?;
        self.acts.writes().ready_to_write(site).await?;
        let s = self.acts.sites().subject(site).await?;
        let writes = self.acts.store.writing().supplier_writes(site).await?;
        let ours = writes.into_iter().find(|w| {
            w.put_back_at.is_none() && w.supplier_id == s.supplier.id && w.key == s.site.key
        });
        let last = ours.ok_or_else(|| {
            ActError::Bad("All settings written to this supplier were already undone.".into())
        })?;
        let before: Vec<Change> = changes_of(&last)?;
        let (kind, act) = (
            WriteKind::SettingsBack,
            "restored the settings at the supplier",
        );
        let mut tx = self.acts.store.begin().await?;
        let begun = begun::begin(&mut tx, actor, site, kind, (&[last.id], act)).await?;
        tx.commit().await?;
        let failed = self.write_settings(&s, &put_back(&before)).await.err();
        if failed.is_some() {
            let console = console_of(&s)?;
            let held = self.acts.sites().console_settings(&s, console).await;
            let held = held.map_err(|error| unknown(&s, &error))?;
            if !are_as_before(&before, &held) {
                let mut tx = self.acts.store.begin().await?;
                tx.end_write(begun).await?;
                tx.commit().await?;
                return Err(failed.unwrap_or(ActError::NotFound("settings")));
            }
        }
        let mut tx = self.acts.store.begin().await?;
        tx.mark_write_put_back(last.id).await?;
        let detail = json!({"supplier": s.supplier.id, "write": last.id});
        let told = (act, s.site.url.as_str());
        begun::end(&mut tx, actor, (begun, site, kind), told, detail).await?;
        tx.commit().await?;
        Ok(before.len())
    }

    /// Does a job that writes one site's design.
    ///
    /// # Errors
    /// As [`ConsoleActs::write_design`]; [`ActError::TakenOver`] where the job is another worker's
    /// by now.
    pub async fn do_values(self, job: &Job) -> Result<()> {
        let round = self.acts.store.rounds().round(job.round_id).await?;
        let round = round.ok_or(ActError::NotFound("round"))?;
        let actor = Actor {
            name: round.who.clone(),
            address: String::new(),
            role: Role::Technician,
        };
        self.acts.writes().wait_for_settled(job.site_id).await?;
        let words = match self.write_design(&actor, job.site_id).await? {
            WriteResult::Changed(1) => "1 setting written and checked".into(),
            WriteResult::Changed(n) => format!("{n} settings written and checked"),
            WriteResult::Same => "matched the design already".to_string(),
        };
        let mut tx = self.acts.store.begin().await?;
        if !tx.finish_job(job, &words).await? {
            return Err(ActError::TakenOver);
        }
        Ok(tx.commit().await?)
    }
}

//! Writes outside, from their beginning to a known end. What stood there before is kept and the
//! beginning noted before the first call outside; no transaction is open during one. A program that
//! ends in between leaves the note behind: whoever comes to the site next, or a worker, reads what
//! stands there and settles the write by that.

use crate::handles::WriteActs;
use crate::results::ground::age;
use crate::{ActError, Actor, Result, record};
use newtfern_store::Tx;
use newtfern_store::results::inputs::WriteTarget;
use newtfern_store::writing::begun_writes::{BegunWrite, GIVEN_S, WriteKind};
use serde_json::{Value, json};
use std::time::Duration;

/// State of a write that broke off, as a look at the outside tells it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum WriteState {
    /// The write happened, in whole or in part: what was stored before it stays.
    Happened,
    /// Nothing of the write happened: these rows are void.
    Not(Vec<i64>),
}

/// Returns what a write of this kind changes.
fn written(kind: WriteKind) -> WriteTarget {
    match kind {
        WriteKind::Settings | WriteKind::SettingsBack => WriteTarget::Console,
        WriteKind::Slots | WriteKind::SlotsBack | WriteKind::Tag | WriteKind::TagBack => {
            WriteTarget::Slots
        }
    }
}

/// Notes the beginning of a write, whose rows are kept in the same transaction.
pub(crate) async fn begin(
    tx: &mut Tx,
    actor: &Actor,
    site: i64,
    kind: WriteKind,
    (rows, act): (&[i64], &str),
) -> Result<i64> {
    let begun = tx.begin_write(site, kind, rows, (&actor.name, act)).await?;
    let begun = begun.ok_or_else(busy)?;
    tx.note_written(site, written(kind)).await?;
    age(tx, &[site]).await?;
    Ok(begun)
}

fn busy() -> ActError {
    ActError::Bad(
        "Another action is writing to this site, or just stopped. Try again in a minute.".into(),
    )
}

/// The end of a write, with the audit row of what happened.
pub(crate) async fn end(
    tx: &mut Tx,
    actor: &Actor,
    (begun, site, kind): (i64, i64, WriteKind),
    (act, subject): (&str, &str),
    detail: Value,
) -> Result<()> {
    // A look between beginning and end may have seen either.
    tx.note_written(site, written(kind)).await?;
    age(tx, &[site]).await?;
    tx.end_write(begun).await?;
    record(tx, actor, act, subject, detail).await
}

/// Stores which rows of a write are true, now that it is known what happened.
async fn keep_state(tx: &mut Tx, begun: &BegunWrite, looked: &WriteState) -> Result<()> {
    match (begun.kind, looked) {
        (WriteKind::Slots | WriteKind::Tag, WriteState::Not(rows)) => {
            tx.forget_placements(rows).await?
        }
        (WriteKind::Settings, WriteState::Not(rows)) => tx.forget_supplier_writes(rows).await?,
        (WriteKind::SlotsBack | WriteKind::TagBack, WriteState::Happened) => {
            for row in &begun.rows {
                tx.mark_put_back(*row).await?;
            }
        }
        (WriteKind::SettingsBack, WriteState::Happened) => {
            for row in &begun.rows {
                tx.mark_write_put_back(*row).await?;
            }
        }
        _ => {}
    }
    Ok(())
}

impl WriteActs<'_> {
    /// Settles what broke off at a site, so that the next write begins from what is there.
    ///
    /// # Errors
    /// [`ActError::Bad`] where a write is under way, or what broke off cannot be settled yet.
    pub(crate) async fn ready_to_write(self, site: i64) -> Result<()> {
        match self.acts.store.begun().begun_write(site).await? {
            None => Ok(()),
            Some(begun) if begun.broke_off => self.settle(&begun).await,
            Some(_) => Err(busy()),
        }
    }

    /// Waits until a write that another program began at a site has ended, or has broken off, for
    /// no longer than such a program is given.
    pub(crate) async fn wait_for_settled(self, site: i64) -> Result<()> {
        for _ in 0..(GIVEN_S as u64 + 5) {
            match self.acts.store.begun().begun_write(site).await? {
                Some(begun) if !begun.broke_off => {
                    tokio::time::sleep(Duration::from_secs(1)).await;
                }
                _ => break,
            }
        }
        Ok(())
    }

    /// Settles what broke off at a site where that can be done now; for pages that only show it.
    pub(crate) async fn settle_quietly(self, site: i64) -> Result<()> {
        match self.ready_to_write(site).await {
            Err(ActError::Store(error)) => Err(error.into()),
            _ => Ok(()),
        }
    }

    /// Settles every write that broke off, as far as the outside answers. Gives how many were
    /// settled.
    pub async fn settle_broken(self) -> Result<usize> {
        let mut settled = 0;
        for site in self.acts.store.begun().broken_writes().await? {
            match self.ready_to_write(site).await {
                Ok(()) => settled += 1,
                Err(ActError::Store(error)) => return Err(error.into()),
                Err(_) => {}
            }
        }
        Ok(settled)
    }

    async fn settle(self, begun: &BegunWrite) -> Result<()> {
        let looked = match begun.kind {
            WriteKind::Slots => self.acts.placing().settle_slots(begun).await,
            WriteKind::SlotsBack => self.acts.placing().settle_slots_back(begun).await,
            WriteKind::Tag | WriteKind::TagBack => self.acts.placing().settle_tag(begun).await,
            WriteKind::Settings | WriteKind::SettingsBack => {
                self.acts.consoles().settle_settings(begun).await
            }
        };
        let looked = match looked {
            Err(ActError::Store(error)) => return Err(error.into()),
            Err(error) => {
                return Err(ActError::Bad(format!(
                    "A write that {} began here broke off, and what became of it cannot be read \
                    yet: {}",
                    begun.who,
                    error.to_string().trim_end_matches('.')
                )));
            }
            Ok(looked) => looked,
        };
        let subject = self
            .acts
            .store
            .sites()
            .site(begun.site)
            .await?
            .map(|s| s.url.clone());
        let mut tx = self.acts.store.begin().await?;
        if !tx.end_write(begun.id).await? {
            // Somebody else was faster.
            return Ok(());
        }
        let happened = looked == WriteState::Happened;
        keep_state(&mut tx, begun, &looked).await?;
        tx.note_written(begun.site, written(begun.kind)).await?;
        age(&mut tx, &[begun.site]).await?;
        let detail = json!({"begun by": begun.who, "what": begun.act, "happened": happened});
        let actor = Actor::program("Newtfern");
        let subject = subject.unwrap_or_default();
        record(
            &mut tx,
            &actor,
            "settled a write that broke off",
            &subject,
            detail,
        )
        .await?;
        Ok(tx.commit().await?)
    }
}

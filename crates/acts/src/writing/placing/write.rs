//! Writing what was decided into the slots of a site, putting back what they held, and settling
//! what broke off.

use super::loaded::{PlacingCase, slot_of};
use crate::handles::PlacingActs;
use crate::results::ground::age;
use crate::writing::begun::{self, WriteState};
use crate::writing::tags::is_of_set;
use crate::{ActError, Actor, Outside, Result, SlotError, SlotText, record};
use newtfern_model::placing::{PlacingError, SlotChange, put_back};
use newtfern_model::platform::Slot;
use newtfern_store::access::people::Role;
use newtfern_store::results::inputs::WriteTarget;
use newtfern_store::writing::begun_writes::{BegunWrite, WriteKind};
use newtfern_store::writing::placements::{NewPlacement, Placement};
use serde_json::json;

/// Slots to write, and the code that goes in.
pub(super) struct Work<'a> {
    pub(super) changes: &'a [SlotChange],
    pub(super) ours: &'a str,
    pub(super) act: &'static str,
    pub(super) proven: bool,
    pub(super) round: Option<i64>,
}

/// Reason why writing did not succeed.
enum WriteFailure {
    /// All slots are as they were.
    Undone(ActError),
    /// These slots hold what was written.
    Stands(ActError, Vec<String>),
    /// A slot could not be read any more.
    Unknown(ActError),
}

impl WriteFailure {
    fn error(self) -> ActError {
        match self {
            WriteFailure::Undone(error)
            | WriteFailure::Stands(error, _)
            | WriteFailure::Unknown(error) => error,
        }
    }
}

/// State of one slot after a write.
enum SlotOutcome {
    /// The slot has the new text.
    Written,
    /// The slot has its old text.
    Not(ActError),
    /// The slot does not answer.
    Unknown(ActError),
}

/// The interface may have taken what it did not say that it took.
fn may_have_happened(error: &SlotError) -> bool {
    match error {
        SlotError::Unreachable(_) => true,
        SlotError::Status(status) => *status >= 500,
        SlotError::Token | SlotError::Conflict => false,
    }
}

impl PlacingCase {
    async fn swap(&self, outside: &dyn Outside, slot: &Slot, change: (&str, &str)) -> SlotOutcome {
        match self.try_swap(outside, slot, change).await {
            Ok(swapped) => swapped,
            Err(error) => SlotOutcome::Not(error),
        }
    }

    async fn try_swap(
        &self,
        outside: &dyn Outside,
        slot: &Slot,
        (before, after): (&str, &str),
    ) -> Result<SlotOutcome> {
        let token = self.token()?;
        let (reads, writes) = (self.place(slot, false)?, self.place(slot, true)?);
        let held = outside.read_slot(&reads, token).await?;
        if held.text != before {
            return Err(SlotError::Conflict.into());
        }
        let text = SlotText {
            text: after.to_string(),
            ..held
        };
        let error = match outside.write_slot(&writes, token, &text).await {
            Ok(()) => return Ok(SlotOutcome::Written),
            Err(error) => error,
        };
        if !may_have_happened(&error) {
            return Err(error.into());
        }
        Ok(match outside.read_slot(&reads, token).await {
            Ok(held) if held.text == after => SlotOutcome::Written,
            Ok(_) => SlotOutcome::Not(error.into()),
            Err(_) => SlotOutcome::Unknown(ActError::Bad(format!(
                "It is not known whether {} was written ({error}). Its earlier code is saved. \
                Look again in a minute",
                slot.name
            ))),
        })
    }
}

impl PlacingActs<'_> {
    /// Writes texts one after the other. Each slot is read again before: it must hold what was
    /// seen. Where one cannot be written, those before it are put back.
    async fn write(
        self,
        l: &PlacingCase,
        begun: i64,
        changes: &[SlotChange],
    ) -> std::result::Result<(), WriteFailure> {
        let outside = self.acts.outside();
        for (n, change) in changes.iter().enumerate() {
            let slot = slot_of(l, &change.slot).map_err(WriteFailure::Undone)?;
            let going = self.acts.store.begun().go_on_writing(begun).await;
            let going = going.map_err(|e| WriteFailure::Unknown(e.into()))?;
            let swapped = match going {
                true => {
                    let texts = (change.before.as_str(), change.after.as_str());
                    l.swap(outside, &slot, texts).await
                }
                false => SlotOutcome::Not(SlotError::Conflict.into()),
            };
            match swapped {
                SlotOutcome::Written => {}
                SlotOutcome::Unknown(error) => return Err(WriteFailure::Unknown(error)),
                SlotOutcome::Not(error) => {
                    return Err(self.undo(l, begun, &changes[..n], (change, error)).await);
                }
            }
        }
        if let Some(publish) = l.publishing() {
            let token = l.token().map_err(WriteFailure::Undone)?;
            outside.publish(&publish, token).await.map_err(|error| {
                let slots = changes.iter().map(|c| c.slot.clone()).collect();
                let told = ActError::Bad(format!(
                    "The slots were written but not published: {error}. Publish in the platform, \
                    or here again"
                ));
                WriteFailure::Stands(told, slots)
            })?;
        }
        Ok(())
    }

    /// Puts back what was written before one slot could not be.
    async fn undo(
        self,
        l: &PlacingCase,
        begun: i64,
        done: &[SlotChange],
        (failed, error): (&SlotChange, ActError),
    ) -> WriteFailure {
        let (mut stuck, mut unknown) = (Vec::new(), false);
        for change in done.iter().rev() {
            // Whatever it says: what was begun is undone as far as it goes.
            let _ = self.acts.store.begun().go_on_writing(begun).await;
            let Ok(slot) = slot_of(l, &change.slot) else {
                continue;
            };
            let texts = (change.after.as_str(), change.before.as_str());
            match l.swap(self.acts.outside(), &slot, texts).await {
                SlotOutcome::Written => {}
                SlotOutcome::Not(_) => stuck.push(change),
                SlotOutcome::Unknown(_) => {
                    unknown = true;
                    stuck.push(change);
                }
            }
        }
        if stuck.is_empty() {
            return WriteFailure::Undone(error);
        }
        let names: Vec<&str> = stuck.iter().map(|c| c.name.as_str()).collect();
        let told = ActError::Bad(format!(
            "{} could not be written ({error}), and {} could not be restored. Check both in the \
            platform",
            failed.name,
            names.join(", ")
        ));
        match unknown {
            true => WriteFailure::Unknown(told),
            false => WriteFailure::Stands(told, stuck.iter().map(|c| c.slot.clone()).collect()),
        }
    }

    /// Stores what the slots held, writes them, and records what happened.
    pub(super) async fn written(
        self,
        actor: &Actor,
        l: &PlacingCase,
        work: &Work<'_>,
    ) -> Result<()> {
        let site = l.site.id;
        let mut tx = self.acts.store.begin().await?;
        let mut kept: Vec<(i64, &str)> = Vec::new();
        for change in work.changes {
            let row = tx
                .add_placement(&NewPlacement {
                    site,
                    slot: &change.slot,
                    before: &change.before,
                    after: &change.after,
                    ours: work.ours,
                    who: &actor.name,
                    batch: kept.first().map(|(id, _)| *id),
                    round: work.round,
                })
                .await?;
            kept.push((row, &change.slot));
        }
        let rows: Vec<i64> = kept.iter().map(|(id, _)| *id).collect();
        let kind = WriteKind::Slots;
        let begun = begun::begin(&mut tx, actor, site, kind, (&rows, work.act)).await?;
        tx.commit().await?;
        let broken = self.write(l, begun, work.changes).await.err();
        let stands = |slot: &str| match &broken {
            None => true,
            Some(WriteFailure::Stands(_, slots)) => slots.iter().any(|s| s == slot),
            Some(_) => false,
        };
        if let Some(WriteFailure::Unknown(error)) = broken {
            // Settled by what is read there once the time that was given is over.
            return Err(error);
        }
        let gone = kept.iter().filter(|(_, slot)| !stands(slot));
        let gone: Vec<i64> = gone.map(|(id, _)| *id).collect();
        let slots: Vec<&str> = work.changes.iter().map(|c| c.slot.as_str()).collect();
        let detail = json!({
            "slots": slots,
            "placement": rows.first(),
            "proven": work.proven,
            "failed": broken.is_some(),
        });
        let mut tx = self.acts.store.begin().await?;
        tx.forget_placements(&gone).await?;
        if gone.len() < rows.len() {
            let told = (work.act, l.site.url.as_str());
            begun::end(&mut tx, actor, (begun, site, kind), told, detail).await?;
        } else {
            tx.end_write(begun).await?;
        }
        tx.commit().await?;
        broken.map_or(Ok(()), |b| Err(b.error()))
    }

    /// Puts back what the slots held before a push, all that it wrote together.
    ///
    /// # Errors
    /// Where a slot no longer holds what was pushed, or the interface refuses.
    pub async fn put_back(self, actor: &Actor, id: i64, placement: i64) -> Result<String> {
        actor.may(Role::Technician)?;
        self.acts.writes().ready_to_write(id).await?;
        let l = self.load_placing(id, 0).await?;
        let found = |p: &&Placement| p.put_back_at.is_none() && p.batch == Some(placement);
        let past: Vec<Placement> = l.past.iter().filter(found).cloned().collect();
        if let Some(tag) = past.iter().find(|p| is_of_set(p)) {
            self.put_tag_back(actor, &l.site, tag).await?;
            return Ok(String::new());
        }
        let slot = self.put_back_all(actor, &l, past).await?;
        self.expected_again(actor, &l.site).await?;
        Ok(slot)
    }

    /// Puts back what a round of pushes wrote on one site.
    ///
    /// # Errors
    /// As [`PlacingActs::put_back`].
    pub async fn put_back_round(self, actor: &Actor, id: i64, round: i64) -> Result<()> {
        actor.may(Role::Technician)?;
        self.acts.writes().ready_to_write(id).await?;
        let l = self.load_placing(id, 0).await?;
        let found = |p: &&Placement| p.put_back_at.is_none() && p.round_id == Some(round);
        let past = l.past.iter().filter(found).cloned();
        let (tags, slots): (Vec<Placement>, Vec<Placement>) = past.partition(is_of_set);
        // The tag goes first: between the two the widget is absent rather than there twice.
        for tag in &tags {
            self.put_tag_back(actor, &l.site, tag).await?;
        }
        match slots.is_empty() && !tags.is_empty() {
            true => Ok(()),
            false => self.put_back_all(actor, &l, slots).await.map(|_| ()),
        }
    }

    /// Reads the slots and returns the changes that restore what they held before.
    async fn changes_back(self, l: &PlacingCase, past: &[Placement]) -> Result<Vec<SlotChange>> {
        let token = l.token()?;
        let mut changes = Vec::new();
        for p in past {
            let slot = slot_of(l, &p.slot_id)?;
            let held = self
                .acts
                .outside()
                .read_slot(&l.place(&slot, false)?, token)
                .await?;
            let after = put_back(&held.text, &p.before_text, &p.after_text, &p.ours);
            let after = after.map_err(|e| match e {
                PlacingError::Gone => ActError::Bad(format!(
                    "Nothing was undone: someone changed {} after it was published here. Restore \
                    it in the platform.",
                    slot.name
                )),
                other => other.into(),
            })?;
            changes.push(SlotChange {
                slot: slot.id,
                name: slot.name,
                before: held.text,
                after,
            });
        }
        Ok(changes)
    }

    async fn put_back_all(
        self,
        actor: &Actor,
        l: &PlacingCase,
        past: Vec<Placement>,
    ) -> Result<String> {
        let first = past.first().ok_or(ActError::NotFound("kept state"))?;
        let slot_id = first.slot_id.clone();
        let changes = self.changes_back(l, &past).await?;
        let rows: Vec<i64> = past.iter().map(|p| p.id).collect();
        let (site, kind, act) = (l.site.id, WriteKind::SlotsBack, "restored a slot");
        let mut tx = self.acts.store.begin().await?;
        let begun = begun::begin(&mut tx, actor, site, kind, (&rows, act)).await?;
        tx.commit().await?;
        let broken = self.write(l, begun, &changes).await.err();
        if let Some(WriteFailure::Unknown(error)) = broken {
            return Err(error);
        }
        let back: Vec<&Placement> = match &broken {
            None => past.iter().collect(),
            Some(WriteFailure::Stands(_, slots)) => {
                past.iter().filter(|p| slots.contains(&p.slot_id)).collect()
            }
            Some(_) => Vec::new(),
        };
        let slots: Vec<&str> = changes.iter().map(|c| c.slot.as_str()).collect();
        let detail = json!({"slots": slots, "placement": first.batch, "failed": broken.is_some()});
        let mut tx = self.acts.store.begin().await?;
        for p in &back {
            tx.mark_put_back(p.id).await?;
        }
        match back.is_empty() {
            true => drop(tx.end_write(begun).await?),
            false => {
                let told = (act, l.site.url.as_str());
                begun::end(&mut tx, actor, (begun, site, kind), told, detail).await?;
            }
        }
        tx.commit().await?;
        broken.map_or(Ok(slot_id), |b| Err(b.error()))
    }

    /// Publishes what the slots hold already.
    pub(super) async fn publish_draft(self, actor: &Actor, l: &PlacingCase) -> Result<()> {
        if let Some(place) = l.publishing() {
            self.acts.outside().publish(&place, l.token()?).await?;
        }
        let mut tx = self.acts.store.begin().await?;
        record(&mut tx, actor, "published a draft", &l.site.url, json!({})).await?;
        tx.note_written(l.site.id, WriteTarget::Slots).await?;
        age(&mut tx, &[l.site.id]).await?;
        Ok(tx.commit().await?)
    }
}

impl PlacingActs<'_> {
    /// Settles a push that broke off, by the slots: rows whose slot has its old text are void.
    pub(crate) async fn settle_slots(self, begun: &BegunWrite) -> Result<WriteState> {
        let l = self.load_placing(begun.site, 0).await?;
        let mut not = Vec::new();
        for p in l.past.iter().filter(|p| begun.rows.contains(&p.id)) {
            if self.held_now(&l, p).await? == p.before_text {
                not.push(p.id);
            }
        }
        match not.is_empty() {
            true => Ok(WriteState::Happened),
            false => Ok(WriteState::Not(not)),
        }
    }

    /// Settles a put-back that broke off: it happened where no slot has the pushed text any more.
    pub(crate) async fn settle_slots_back(self, begun: &BegunWrite) -> Result<WriteState> {
        let l = self.load_placing(begun.site, 0).await?;
        for p in l.past.iter().filter(|p| begun.rows.contains(&p.id)) {
            let held = self.held_now(&l, p).await?;
            let back = put_back(&held, &p.before_text, &p.after_text, &p.ours);
            if back.is_ok_and(|back| back != held) {
                return Ok(WriteState::Not(Vec::new()));
            }
        }
        Ok(WriteState::Happened)
    }

    async fn held_now(self, l: &PlacingCase, p: &Placement) -> Result<String> {
        let slot = slot_of(l, &p.slot_id)?;
        let place = l.place(&slot, false)?;
        let held = self.acts.outside().read_slot(&place, l.token()?).await?;
        Ok(held.text)
    }
}

//! Writing into the slots of a site: all of them together, what they held kept first, put back together.

use super::{Loaded, PLACED, SlotView, address, slot_of};
use crate::tags::{SetSeen, is_of_set};
use crate::{ActError, Actor, Acts, Outside, Result, SlotError, SlotText, record};
use newtfern_core::job::JobKind;
use newtfern_core::placing::{Mend, PlacingError, SlotChange, Told, put_back};
use newtfern_core::platform::{Interface, Slot, advise};
use newtfern_heavy::heavy;
use newtfern_store::people::Role;
use newtfern_store::placements::{NewPlacement, Placement};
use newtfern_store::queue::Job;
use serde_json::json;
use sha2::{Digest, Sha256};
use url::Url;

/// Tells one state of a site's slots from another: a push is of what was seen.
pub(super) fn print(slots: &[SlotView]) -> String {
    let mut hash = Sha256::new();
    for view in slots {
        let text = view.held.as_ref().map_or("", |h| h.text.as_str());
        for part in [view.slot.id.as_str(), text] {
            hash.update((part.len() as u64).to_le_bytes());
            hash.update(part.as_bytes());
        }
    }
    let bytes = hash.finalize();
    bytes.iter().take(8).map(|b| format!("{b:02x}")).collect()
}

const NO_SLOT: &str = "No slot of the site can be written from here: give its platform, or hand the placing to somebody by a link.";

/// What becomes of the code of other suppliers in the slots.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Others {
    /// It stays: nobody asked.
    Stay,
    /// It goes: one supplier is replaced by another.
    Go,
}

/// What a push did.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Pushed {
    /// So many slots were written.
    Written(usize),
    /// What was there already was published.
    Published,
    /// All was right already.
    Same,
}

/// What is written: by slot, and the code that went in.
struct Work<'a> {
    changes: &'a [SlotChange],
    ours: &'a str,
    act: &'static str,
    proven: bool,
    round: Option<i64>,
}

impl Loaded {
    fn token(&self) -> Result<&str> {
        self.token.as_deref().ok_or_else(|| {
            let why = "The site has no token for its platform's interface: enter it in the settings, or paste the code by hand.";
            ActError::Bad(why.into())
        })
    }

    /// The widget comes through the site's tag manager.
    pub(super) fn by_tags(&self) -> bool {
        self.site.tag_manager_id.is_some() && !self.site.tag_set.is_empty()
    }

    fn place(&self, slot: &Slot, write: bool) -> Result<Url> {
        let platform = self
            .platform
            .as_ref()
            .ok_or(ActError::NotFound("platform"))?;
        address(&self.site.url, platform, slot, write).ok_or_else(|| {
            ActError::Bad(format!(
                "{} has no interface: paste the code by hand.",
                slot.name
            ))
        })
    }

    fn publishing(&self) -> Option<Url> {
        let interface = self.platform.as_ref()?.interface.as_ref()?;
        let url = Url::parse(&self.site.url).ok()?;
        Interface::fill(interface.publish.as_deref()?, &url, "")
    }

    /// What the slots hold is not what visitors get.
    fn is_drafted(&self, slots: &[SlotView]) -> bool {
        self.publishing().is_some() && slots.iter().any(SlotView::is_draft)
    }

    /// The slot that is meant where nobody chose one: the site's, else the one that brings the right code
    /// already, else the best that can be written.
    fn usual_slot(&self, slots: &[SlotView]) -> Option<Slot> {
        let platform = self.platform.as_ref()?;
        if let Some(slot) = platform.slot(&self.site.slot_id) {
            return Some(slot.clone());
        }
        if let Some(home) = self.placing(slots).ok()?.home() {
            return Some(home.clone());
        }
        let supplier = self.supplier.as_ref()?;
        let advice = advise(platform, supplier, &self.site.key, self.consent.as_ref());
        let can = |id: &str| platform.slot(id).filter(|s| s.interface.is_some());
        let possible = advice.iter().filter(|a| a.impossible.is_none());
        possible.filter_map(|a| can(&a.slot)).next().cloned()
    }

    /// Writes texts one after the other. Each slot is read again before: it must hold what was seen. Where
    /// one cannot be written, those before it are put back.
    async fn write(&self, outside: &dyn Outside, changes: &[SlotChange]) -> Result<()> {
        let token = self.token()?;
        for (n, change) in changes.iter().enumerate() {
            let slot = slot_of(self, &change.slot)?;
            let written = self
                .swap(outside, token, &slot, &change.before, &change.after)
                .await;
            let Err(error) = written else { continue };
            let mut stuck = Vec::new();
            for done in changes[..n].iter().rev() {
                let slot = slot_of(self, &done.slot)?;
                let back = self.swap(outside, token, &slot, &done.after, &done.before);
                if back.await.is_err() {
                    stuck.push(done.name.clone());
                }
            }
            return Err(match (stuck.is_empty(), error) {
                (true, error) => error,
                (false, error) => ActError::Bad(format!(
                    "{} could not be written ({error}), and {} could not be put back: look at them by hand",
                    change.name,
                    stuck.join(", ")
                )),
            });
        }
        if let Some(publish) = self.publishing() {
            outside.publish(&publish, token).await?;
        }
        Ok(())
    }

    async fn swap(
        &self,
        outside: &dyn Outside,
        token: &str,
        slot: &Slot,
        before: &str,
        after: &str,
    ) -> Result<()> {
        let held = outside.read_slot(&self.place(slot, false)?, token).await?;
        if held.text != before {
            return Err(SlotError::Conflict.into());
        }
        let text = SlotText {
            text: after.to_string(),
            ..held
        };
        let place = self.place(slot, true)?;
        Ok(outside.write_slot(&place, token, &text).await?)
    }
}

impl Acts {
    /// Publishes the snippet into a slot, and takes wrong and second copies out of all slots. `seen` is
    /// the print of what the person saw; another state must be seen first.
    ///
    /// # Errors
    /// Where it would do harm, or the interface refuses; then the slots are as they were.
    pub async fn push(
        &self,
        actor: &Actor,
        id: i64,
        slot: &str,
        seen: &str,
        others: Others,
    ) -> Result<Pushed> {
        actor.may(Role::Technician)?;
        let l = self.load_placing(id).await?;
        let slots = l.slots(self.outside()).await;
        if seen != print(&slots) {
            return Err(SlotError::Conflict.into());
        }
        let slot = slot_of(&l, slot)?;
        self.push_into(actor, &l, &slots, &slot, (None, others))
            .await
    }

    /// As [`Acts::push`], into the site's own or the best slot, as things are now: for many sites.
    ///
    /// # Errors
    /// As [`Acts::push`].
    pub async fn push_usual(
        &self,
        actor: &Actor,
        id: i64,
        round: i64,
        others: Others,
    ) -> Result<Pushed> {
        actor.may(Role::Technician)?;
        let l = self.load_placing(id).await?;
        let slots = l.slots(self.outside()).await;
        if l.by_tags() {
            return self.push_by_tags(actor, &l, &slots, round).await;
        }
        let slot = l.usual_slot(&slots);
        let slot = slot.ok_or_else(|| ActError::Bad(NO_SLOT.into()))?;
        self.push_into(actor, &l, &slots, &slot, (Some(round), others))
            .await
    }

    /// What a push into the usual slot would do.
    pub(super) async fn usual_push(&self, l: &Loaded) -> Result<(Slot, Mend)> {
        let slots = l.slots(self.outside()).await;
        let slot = l.usual_slot(&slots);
        let slot = slot.ok_or_else(|| ActError::Bad(NO_SLOT.into()))?;
        l.token()?;
        l.place(&slot, true)?;
        let placing = l.placing(&slots)?;
        let mut push = heavy(|| placing.mend(&slot)).await?;
        if push.changes.is_empty() && l.is_drafted(&slots) {
            push.told.push(Told {
                slot: slot.name.clone(),
                what: "what is saved there is published: visitors do not get it yet".into(),
                excerpt: String::new(),
            });
        }
        Ok((slot, push))
    }

    /// A site whose widget comes through its tag manager: the tag is published, and what the slots hold of
    /// the supplier goes, since it would be there twice.
    async fn push_by_tags(
        &self,
        actor: &Actor,
        l: &Loaded,
        slots: &[SlotView],
        round: i64,
    ) -> Result<Pushed> {
        let tagged = self
            .push_tag_of(actor, l.site.id, SetSeen::InRound(round))
            .await?;
        let changes = match l.token {
            Some(_) => heavy(|| l.placing(slots).map(|p| p.clear().0)).await?,
            None => Vec::new(),
        };
        if !changes.is_empty() {
            let work = Work {
                changes: &changes,
                ours: "",
                act: "took second copies out of the slots",
                proven: true,
                round: Some(round),
            };
            self.written(actor, l, &work).await?;
        }
        Ok(match (tagged, changes.len()) {
            (false, 0) => Pushed::Same,
            (true, 0) => Pushed::Published,
            (_, n) => Pushed::Written(n),
        })
    }

    async fn push_into(
        &self,
        actor: &Actor,
        l: &Loaded,
        slots: &[SlotView],
        slot: &Slot,
        (round, others): (Option<i64>, Others),
    ) -> Result<Pushed> {
        l.token()?;
        l.place(slot, true)?;
        let unread = |v: &&SlotView| v.slot.id == slot.id && v.held.is_none();
        if let Some(view) = slots.iter().find(unread) {
            return Err(ActError::Bad(format!(
                "Nothing was published. {}",
                view.problem
            )));
        }
        let placing = l.placing(slots)?;
        let made = heavy(|| match others {
            Others::Stay => placing.mend(slot),
            Others::Go => placing.swap(slot, &l.others),
        });
        let mut made = made.await?;
        // The right code first: between two writes the widget is there twice rather than not at all.
        made.changes.sort_by_key(|c| c.slot != slot.id);
        if made.changes.is_empty() {
            return match l.publishing().filter(|_| l.is_drafted(slots)) {
                None => Ok(Pushed::Same),
                Some(place) => {
                    self.outside().publish(&place, l.token()?).await?;
                    self.note_push(actor, l, "published a draft").await?;
                    Ok(Pushed::Published)
                }
            };
        }
        let work = Work {
            changes: &made.changes,
            ours: &made.fitted.code,
            act: "pushed a snippet",
            proven: made.is_proven(),
            round,
        };
        self.written(actor, l, &work).await?;
        Ok(Pushed::Written(made.changes.len()))
    }

    async fn note_push(&self, actor: &Actor, l: &Loaded, act: &'static str) -> Result<()> {
        let mut tx = self.store.begin().await?;
        record(&mut tx, actor, act, &l.site.url, json!({})).await?;
        let why = "The slots were published since they were looked at: verify again.";
        tx.make_stale(&[l.site.id], &PLACED, why).await?;
        Ok(tx.commit().await?)
    }

    /// Takes the widget off a site: out of every slot that can be written. `seen` as in [`Acts::push`].
    /// Gives what is left to be taken out by hand.
    ///
    /// # Errors
    /// As [`Acts::push`].
    pub async fn take_off(&self, actor: &Actor, id: i64, seen: &str) -> Result<Vec<String>> {
        actor.may(Role::Technician)?;
        let l = self.load_placing(id).await?;
        let slots = l.slots(self.outside()).await;
        if seen != print(&slots) {
            return Err(SlotError::Conflict.into());
        }
        l.token()?;
        let placing = l.placing(&slots)?;
        let (changes, _, left) = heavy(|| placing.clear()).await;
        if changes.is_empty() {
            return Ok(left);
        }
        let work = Work {
            changes: &changes,
            ours: "",
            act: "took a widget off",
            proven: left.is_empty(),
            round: None,
        };
        self.written(actor, &l, &work).await?;
        Ok(left)
    }

    /// What the slots held is kept, then they are written.
    async fn written(&self, actor: &Actor, l: &Loaded, work: &Work<'_>) -> Result<()> {
        let mut tx = self.store.begin().await?;
        let mut batch = None;
        for change in work.changes {
            let kept = tx
                .add_placement(&NewPlacement {
                    site: l.site.id,
                    slot: &change.slot,
                    before: &change.before,
                    after: &change.after,
                    ours: work.ours,
                    who: &actor.name,
                    batch,
                    round: work.round,
                })
                .await?;
            batch = batch.or(Some(kept));
        }
        let slots: Vec<&str> = work.changes.iter().map(|c| c.slot.as_str()).collect();
        let detail = json!({"slots": slots, "placement": batch, "proven": work.proven});
        record(&mut tx, actor, work.act, &l.site.url, detail).await?;
        let why = "The slots were written since they were looked at: verify again.";
        tx.make_stale(&[l.site.id], &PLACED, why).await?;
        // Written last: a write that fails leaves nothing behind here.
        l.write(self.outside(), work.changes).await?;
        Ok(tx.commit().await?)
    }

    /// Puts back what the slots held before a push, all that it wrote together.
    ///
    /// # Errors
    /// Where a slot no longer holds what was pushed, or the interface refuses.
    pub async fn put_back(&self, actor: &Actor, id: i64, placement: i64) -> Result<String> {
        actor.may(Role::Technician)?;
        let l = self.load_placing(id).await?;
        let found = |p: &&Placement| p.put_back_at.is_none() && p.batch == Some(placement);
        let past: Vec<Placement> = l.past.iter().filter(found).cloned().collect();
        if let Some(tag) = past.iter().find(|p| is_of_set(p)) {
            self.put_tag_back(actor, &l.site, tag).await?;
            return Ok(String::new());
        }
        self.put_back_all(actor, &l, past).await
    }

    /// Puts back what a round of pushes wrote on one site.
    ///
    /// # Errors
    /// As [`Acts::put_back`].
    pub async fn put_back_round(&self, actor: &Actor, id: i64, round: i64) -> Result<()> {
        actor.may(Role::Technician)?;
        let l = self.load_placing(id).await?;
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

    async fn put_back_all(
        &self,
        actor: &Actor,
        l: &Loaded,
        past: Vec<Placement>,
    ) -> Result<String> {
        let token = l.token()?;
        let first = past.first().ok_or(ActError::NotFound("kept state"))?;
        let slot_id = first.slot_id.clone();
        let mut changes = Vec::new();
        for p in &past {
            let slot = slot_of(l, &p.slot_id)?;
            let held = self
                .outside()
                .read_slot(&l.place(&slot, false)?, token)
                .await?;
            let after = put_back(&held.text, &p.before_text, &p.after_text, &p.ours);
            let after = after.map_err(|e| match e {
                PlacingError::Gone => ActError::Bad(format!(
                    "Nothing was put back: {} no longer holds what was pushed.",
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
        let mut tx = self.store.begin().await?;
        for p in &past {
            tx.mark_put_back(p.id).await?;
        }
        let slots: Vec<&str> = changes.iter().map(|c| c.slot.as_str()).collect();
        let detail = json!({"slots": slots, "placement": first.batch});
        record(&mut tx, actor, "put a slot back", &l.site.url, detail).await?;
        let why = "The slots were put back since they were looked at: verify again.";
        tx.make_stale(&[l.site.id], &PLACED, why).await?;
        l.write(self.outside(), &changes).await?;
        tx.commit().await?;
        Ok(slot_id)
    }
}

impl Acts {
    /// What a worker does for a site of a round of pushes, or of one that puts them back.
    ///
    /// # Errors
    /// As [`Acts::push`]; [`ActError::TakenOver`] where the job is another worker's by now.
    pub async fn do_placing(&self, job: &Job) -> Result<()> {
        let round = self.store.round(job.round_id).await?;
        let round = round.ok_or(ActError::NotFound("round"))?;
        let actor = Actor {
            name: round.who.clone(),
            role: Role::Technician,
        };
        let others = match job.kind {
            JobKind::Swap => Others::Go,
            _ => Others::Stay,
        };
        let words = match round.of_round {
            Some(of) => {
                self.put_back_round(&actor, job.site_id, of).await?;
                "put back".to_string()
            }
            None => match self
                .push_usual(&actor, job.site_id, round.id, others)
                .await?
            {
                Pushed::Written(1) => "published into one slot".into(),
                Pushed::Written(n) => format!("published, {n} slots changed"),
                Pushed::Published => "what was drafted, or the tag, was published".into(),
                Pushed::Same => "was right already".into(),
            },
        };
        let mut tx = self.store.begin().await?;
        if !tx.finish_job(job, &words).await? {
            return Err(ActError::TakenOver);
        }
        Ok(tx.commit().await?)
    }
}

//! Writing into the slots of a site: all of them together, what they held kept first, put back
//! together.

use super::loaded::{PlacingCase, SlotView, address, print, slot_of};
use super::off::refused;
use super::write::Work;
use crate::handles::PlacingActs;
use crate::writing::tags::KnownSet;
use crate::{ActError, Actor, Result, SlotError};
use newtfern_heavy::heavy;
use newtfern_model::job::JobKind;
use newtfern_model::placing::{Mend, PlannedChange};
use newtfern_model::platform::{Interface, Slot, advise};
use newtfern_store::access::people::Role;
use newtfern_store::results::queue::Job;
use url::Url;

const NO_SLOT: &str = "Newtfern cannot write to any slot of this site. Set its platform, or send \
    instructions to someone else.";

/// Fate of other suppliers' code in the slots.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OtherSuppliers {
    /// Keeps the code of other suppliers.
    Keep,
    /// Removes it: this site changes its supplier.
    Remove,
}

/// Outcome of a push.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PushOutcome {
    /// So many slots were written.
    Written(usize),
    /// The draft that was there already was published.
    Published,
    /// The slots already had the right code.
    Unchanged,
}

impl PushOutcome {
    /// Returns the outcome of this push and another one to the same site.
    fn and(self, more: PushOutcome) -> PushOutcome {
        match (self, more) {
            (PushOutcome::Written(a), PushOutcome::Written(b)) => PushOutcome::Written(a + b),
            (PushOutcome::Written(n), _) | (_, PushOutcome::Written(n)) => PushOutcome::Written(n),
            (PushOutcome::Published, _) | (_, PushOutcome::Published) => PushOutcome::Published,
            (PushOutcome::Unchanged, PushOutcome::Unchanged) => PushOutcome::Unchanged,
        }
    }
}

impl PlacingCase {
    pub(super) fn token(&self) -> Result<&str> {
        if let Some(why) = &self.token_held {
            return Err(ActError::Bad(why.clone()));
        }
        self.token.as_deref().ok_or_else(|| {
            let why = "The site has no platform token. Enter it in the site's settings, or paste \
                the code manually.";
            ActError::Bad(why.into())
        })
    }

    /// The widget comes through the site's tag manager.
    pub(super) fn by_tags(&self) -> bool {
        self.site.tag_manager_id.is_some() && !self.site.tag_set.is_empty()
    }

    pub(super) fn place(&self, slot: &Slot, write: bool) -> Result<Url> {
        let platform = self
            .platform
            .as_ref()
            .ok_or(ActError::NotFound("platform"))?;
        address(&self.site.address()?, platform, slot, write).ok_or_else(|| {
            ActError::Bad(format!(
                "{} has no interface for publishing. Paste the code manually.",
                slot.name
            ))
        })
    }

    pub(super) fn publishing(&self) -> Option<Url> {
        let interface = self.platform.as_ref()?.interface.as_ref()?;
        let url = self.site.address().ok()?;
        Interface::fill(interface.publish.as_deref()?, &url, "")
    }

    /// Returns whether a slot holds a draft that visitors do not get.
    fn is_drafted(&self, slots: &[SlotView]) -> bool {
        self.publishing().is_some() && slots.iter().any(SlotView::is_draft)
    }

    /// The slot that is meant where nobody chose one: the site's, else the one that brings the
    /// right code already, else the best that can be written.
    fn usual_slot(&self, slots: &[SlotView]) -> Option<Slot> {
        let platform = self.platform.as_ref()?;
        if let Some(slot) = platform.slot(&self.site.slot_id) {
            return Some(slot.clone());
        }
        if let Some(home) = self.placing(slots).ok()?.home() {
            return Some(home.clone());
        }
        let supplier = self.supplier.as_ref()?;
        let advice = advise(platform, supplier, &self.key, self.consent.as_ref());
        let can = |id: &str| platform.slot(id).filter(|s| s.interface.is_some());
        let possible = advice.iter().filter(|a| a.impossible.is_none());
        possible.filter_map(|a| can(&a.slot)).next().cloned()
    }
}

impl PlacingActs<'_> {
    /// Publishes the snippet into a slot, and takes wrong and second copies out of all slots.
    /// `seen` is the print of what the person saw; another state must be seen first.
    ///
    /// # Errors
    /// Where it would do harm, or the interface refuses; then the slots are as they were.
    pub async fn push(
        self,
        actor: &Actor,
        id: i64,
        (widget, slot): (usize, &str),
        seen: &str,
        others: OtherSuppliers,
    ) -> Result<PushOutcome> {
        let (l, slots) = self.load_as_seen(actor, (id, widget), seen).await?;
        let slot = slot_of(&l, slot)?;
        let pushed = self.push_into(actor, &l, &slots, &slot, (None, others));
        let pushed = pushed.await?;
        if pushed != PushOutcome::Unchanged {
            self.verify(actor, &[id]).await?;
        }
        Ok(pushed)
    }

    /// Loads a site's widget for writing, where its slots hold what the person saw.
    pub(super) async fn load_as_seen(
        self,
        actor: &Actor,
        (id, widget): (i64, usize),
        seen: &str,
    ) -> Result<(PlacingCase, Vec<SlotView>)> {
        actor.may(Role::Technician)?;
        self.acts.writes().ready_to_write(id).await?;
        let l = self.load_placing(id, widget).await?;
        let slots = l.slots(self.acts.outside()).await;
        match seen == print(&slots) {
            true => Ok((l, slots)),
            false => Err(SlotError::Conflict.into()),
        }
    }

    /// Lets the sites be verified that were just written to: what stands there is proven in a
    /// browser.
    pub(super) async fn verify(self, actor: &Actor, sites: &[i64]) -> Result<()> {
        let rounds = self.acts.rounds();
        rounds.start_round(actor, JobKind::Check, sites).await?;
        Ok(())
    }

    /// Pushes into the site's own or the best slot, as things are now: for many sites. As
    /// [`PlacingActs::push`] otherwise.
    ///
    /// # Errors
    /// As [`PlacingActs::push`].
    pub async fn push_usual(
        self,
        actor: &Actor,
        id: i64,
        round: i64,
        others: OtherSuppliers,
    ) -> Result<PushOutcome> {
        actor.may(Role::Technician)?;
        self.acts.writes().ready_to_write(id).await?;
        let l = self.load_placing(id, 0).await?;
        if let Some(why) = refused(&l.site) {
            return Err(ActError::Bad(why));
        }
        let slots = l.slots(self.acts.outside()).await;
        if l.by_tags() {
            return self.push_by_tags(actor, &l, &slots, round).await;
        }
        let mut pushed = self.push_widget(actor, &l, &slots, (round, others)).await?;
        // The site's other widgets, each beside those before it.
        for widget in 1..l.widgets.len() {
            let l = self.load_placing(id, widget).await?;
            let slots = l.slots(self.acts.outside()).await;
            let more = self.push_widget(actor, &l, &slots, (round, others)).await?;
            pushed = pushed.and(more);
        }
        Ok(pushed)
    }

    async fn push_widget(
        self,
        actor: &Actor,
        l: &PlacingCase,
        slots: &[SlotView],
        (round, others): (i64, OtherSuppliers),
    ) -> Result<PushOutcome> {
        let slot = l.usual_slot(slots);
        let slot = slot.ok_or_else(|| ActError::Bad(NO_SLOT.into()))?;
        self.push_into(actor, l, slots, &slot, (Some(round), others))
            .await
    }

    /// Returns the slot and the changes of a push into the usual slot.
    pub(super) async fn usual_push(self, l: &PlacingCase) -> Result<(Slot, Mend)> {
        let slots = l.slots(self.acts.outside()).await;
        let slot = l.usual_slot(&slots);
        let slot = slot.ok_or_else(|| ActError::Bad(NO_SLOT.into()))?;
        l.token()?;
        l.place(&slot, true)?;
        let placing = l.placing(&slots)?;
        let mut push = heavy(|| placing.mend(&slot)).await?;
        if push.changes.is_empty() && l.is_drafted(&slots) {
            push.told.push(PlannedChange {
                slot: slot.name.clone(),
                what: "the saved draft is published: visitors do not get it yet".into(),
                excerpt: String::new(),
            });
        }
        Ok((slot, push))
    }

    /// A site whose widget comes through its tag manager: the tag is published, and what the slots
    /// hold of the supplier goes, since it would be there twice.
    async fn push_by_tags(
        self,
        actor: &Actor,
        l: &PlacingCase,
        slots: &[SlotView],
        round: i64,
    ) -> Result<PushOutcome> {
        let tagged = self
            .push_tag_of(actor, l.site.id, KnownSet::InRound(round))
            .await?;
        let changes = match l.token {
            Some(_) => heavy(|| l.placing(slots).map(|p| p.clear().0)).await?,
            None => Vec::new(),
        };
        if !changes.is_empty() {
            let work = Work {
                changes: &changes,
                ours: "",
                act: "removed second copies from the slots",
                proven: true,
                round: Some(round),
            };
            self.written(actor, l, &work).await?;
        }
        Ok(match (tagged, changes.len()) {
            (false, 0) => PushOutcome::Unchanged,
            (true, 0) => PushOutcome::Published,
            (_, n) => PushOutcome::Written(n),
        })
    }

    async fn push_into(
        self,
        actor: &Actor,
        l: &PlacingCase,
        slots: &[SlotView],
        slot: &Slot,
        (round, others): (Option<i64>, OtherSuppliers),
    ) -> Result<PushOutcome> {
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
            OtherSuppliers::Keep => placing.mend(slot),
            OtherSuppliers::Remove => placing.swap(slot, &l.others),
        });
        let mut made = made.await?;
        // The right code first: between two writes the widget is there twice rather than not at
        // all.
        made.changes.sort_by_key(|c| c.slot != slot.id);
        if made.changes.is_empty() {
            if !l.is_drafted(slots) {
                return Ok(PushOutcome::Unchanged);
            }
            self.publish_draft(actor, l).await?;
            return Ok(PushOutcome::Published);
        }
        let work = Work {
            changes: &made.changes,
            ours: &made.fitted.code,
            act: "published a snippet",
            proven: made.is_proven(),
            round,
        };
        self.written(actor, l, &work).await?;
        self.expected_again(actor, &l.site).await?;
        Ok(PushOutcome::Written(made.changes.len()))
    }
}

impl PlacingActs<'_> {
    /// Does a worker's job in a round of pushes, or of one that puts them back.
    ///
    /// # Errors
    /// As [`PlacingActs::push`]; [`ActError::TakenOver`] where the job is another worker's by now.
    pub async fn do_placing(self, job: &Job) -> Result<()> {
        let round = self.acts.store.rounds().round(job.round_id).await?;
        let round = round.ok_or(ActError::NotFound("round"))?;
        let actor = Actor {
            name: round.who.clone(),
            address: String::new(),
            role: Role::Technician,
        };
        let others = match job.kind {
            JobKind::Swap => OtherSuppliers::Remove,
            _ => OtherSuppliers::Keep,
        };
        self.acts.writes().wait_for_settled(job.site_id).await?;
        let words = match round.of_round {
            Some(of) => {
                self.put_back_round(&actor, job.site_id, of).await?;
                "undone".to_string()
            }
            None => match self
                .push_usual(&actor, job.site_id, round.id, others)
                .await?
            {
                PushOutcome::Written(1) => "published into one slot".into(),
                PushOutcome::Written(n) => format!("published, {n} slots changed"),
                PushOutcome::Published => "the draft or the tag was published".into(),
                PushOutcome::Unchanged => "was already correct".into(),
            },
        };
        let mut tx = self.acts.store.begin().await?;
        if !tx.finish_job(job, &words).await? {
            return Err(ActError::TakenOver);
        }
        tx.commit().await?;
        let rounds = self.acts.store.rounds();
        let round = rounds.round(job.round_id).await?;
        if round.is_some_and(|r| r.is_over()) {
            let pushed = rounds.pushed_sites(job.round_id).await?;
            if !pushed.is_empty() {
                self.verify(&actor, &pushed).await?;
            }
        }
        Ok(())
    }
}

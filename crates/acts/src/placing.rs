//! Placing through a platform's interface: what slots hold, a push, a put-back. What a slot held is
//! kept before anything is written; the proof is the core's, over all slots of the site.

use crate::{ActError, Actor, Acts, Outside, Result, SlotText, record};
use newtfern_core::family::Family;
use newtfern_core::placing::{Held, Placing, PlacingError, Push, put_back};
use newtfern_core::platform::{Advice, Fitted, Interface, Platform, Slot, advise};
use newtfern_core::profile::{ConsentManager, Supplier};
use newtfern_heavy::heavy;
use newtfern_store::people::Role;
use newtfern_store::placements::{NewPlacement, Placement};
use newtfern_store::sites::Site;
use serde_json::json;
use url::Url;

/// What one slot holds today, as far as it could be read.
pub struct SlotView {
    pub slot: Slot,
    /// Nothing where it has no interface or could not be read.
    pub held: Option<SlotText>,
    /// Why it could not be read.
    pub problem: String,
}

/// Everything the page of placing shows.
pub struct PlacePage {
    pub site: Site,
    pub platform: Option<Platform>,
    pub slots: Vec<SlotView>,
    /// The slot that was asked for, or the site's, or the better one.
    pub slot: Option<Slot>,
    /// What is said of each slot, the better first.
    pub advice: Vec<Advice>,
    pub fitted: Option<Fitted>,
    /// What a push would do.
    pub push: Option<Push>,
    /// Why there is no code, or no push.
    pub problem: String,
    pub past: Vec<Placement>,
}

struct Loaded {
    site: Site,
    supplier: Option<Supplier>,
    platform: Option<Platform>,
    consent: Option<ConsentManager>,
    token: Option<String>,
    past: Vec<Placement>,
}

/// Where a slot of a site at an address is read or written, if its platform has an interface.
pub(crate) fn address(site: &str, platform: &Platform, slot: &Slot, write: bool) -> Option<Url> {
    let interface: &Interface = platform.interface.as_ref()?;
    let template = if write {
        &interface.write
    } else {
        &interface.read
    };
    let url = Url::parse(site).ok()?;
    Interface::fill(template, &url, slot.interface.as_deref()?)
}

impl Loaded {
    /// Reads each slot that has an interface.
    async fn slots(&self, outside: &dyn Outside) -> Vec<SlotView> {
        let mut out = Vec::new();
        let Some(platform) = &self.platform else {
            return out;
        };
        for slot in &platform.slots {
            let mut view = SlotView {
                slot: slot.clone(),
                held: None,
                problem: String::new(),
            };
            let place = address(&self.site.url, platform, slot, false);
            if let (Some(place), Some(token)) = (place, &self.token) {
                match outside.read_slot(&place, token).await {
                    Ok(held) => view.held = Some(held),
                    Err(error) => view.problem = format!("The slot cannot be read: {error}."),
                }
            }
            out.push(view);
        }
        out
    }

    fn placing<'a>(&'a self, slots: &'a [SlotView]) -> Result<Placing<'a>> {
        let supplier = self.supplier.as_ref().ok_or_else(|| {
            let why = "Choose the supplier and its key in the site's settings first.";
            ActError::Bad(why.into())
        })?;
        let held = slots.iter().filter_map(|v| {
            Some(Held {
                slot: &v.slot,
                text: v.held.as_ref()?.text.clone(),
            })
        });
        Ok(Placing {
            supplier,
            key: &self.site.key,
            consent: self.consent.as_ref(),
            slots: held.collect(),
        })
    }

    /// What we put into a slot before and did not take back, newest first.
    fn ours(&self, slot: &Slot) -> Vec<&str> {
        let ours = self
            .past
            .iter()
            .filter(|p| p.slot_id == slot.id && p.put_back_at.is_none());
        ours.map(|p| p.ours.as_str()).collect()
    }
}

impl Acts {
    async fn load_placing(&self, id: i64) -> Result<Loaded> {
        let site = self
            .store
            .site(id)
            .await?
            .ok_or(ActError::NotFound("site"))?;
        let supplier = match &site.supplier_id {
            Some(s) => self.store.supplier(s).await?,
            None => None,
        };
        let platforms = self.store.platforms().await?;
        let platform = platforms
            .into_iter()
            .find(|p| Some(&p.id) == site.platform_id.as_ref());
        let consent = match &site.consent_id {
            Some(c) => self.store.consent_manager(c).await?,
            None => None,
        };
        Ok(Loaded {
            token: self.site_token(id).await?,
            past: self.store.placements(id).await?,
            site,
            supplier,
            platform,
            consent,
        })
    }

    /// What the page of placing shows: the fitted code, what the slots hold, what a push would do.
    ///
    /// # Errors
    /// Where the site is gone.
    pub async fn place_page(&self, id: i64, wanted: Option<&str>) -> Result<PlacePage> {
        let l = self.load_placing(id).await?;
        let slots = l.slots(self.outside()).await;
        let wanted = wanted.unwrap_or(&l.site.slot_id);
        let advice = match (&l.platform, &l.supplier) {
            (Some(platform), Some(supplier)) => {
                heavy(|| advise(platform, supplier, &l.site.key, l.consent.as_ref())).await
            }
            _ => Vec::new(),
        };
        let best = advice.first().map(|a| a.slot.as_str()).unwrap_or_default();
        let found = l.platform.as_ref().and_then(|p| {
            let found = p.slot(wanted).or_else(|| p.slot(best));
            found.or(p.slots.first())
        });
        let slot = found.cloned();
        let (mut fitted, mut push, mut problem) = (None, None, String::new());
        match &slot {
            None => {
                problem = "Choose the platform in the site's settings: then the code and the steps that fit it are shown here.".into();
            }
            Some(slot) => match l.placing(&slots) {
                Err(error) => problem = error.to_string(),
                Ok(placing) => {
                    match placing.code(slot) {
                        Ok(code) => fitted = Some(code),
                        Err(error) => problem = format!("{error}."),
                    }
                    let view = slots.iter().find(|v| v.slot.id == slot.id);
                    if let Some(view) = view {
                        problem.push_str(&view.problem);
                        if view.held.is_some() && problem.is_empty() {
                            match heavy(|| placing.push(slot, &l.ours(slot))).await {
                                Ok(made) => push = Some(made),
                                Err(error) => problem = format!("{error}."),
                            }
                        }
                    }
                }
            },
        }
        Ok(PlacePage {
            platform: l.platform,
            past: l.past,
            site: l.site,
            slots,
            slot,
            advice,
            fitted,
            push,
            problem: sentence(&problem),
        })
    }

    /// Pushes the snippet into a slot. `version` is what the person saw; another state must be seen
    /// first. Gives whether anything had to be written.
    ///
    /// # Errors
    /// Where the push would do harm, or the interface refuses; then the slot is as it was.
    pub async fn push(&self, actor: &Actor, id: i64, slot: &str, version: &str) -> Result<bool> {
        actor.may(Role::Technician)?;
        let l = self.load_placing(id).await?;
        let slot = slot_of(&l, slot)?;
        let (write, token) = writable(&l, &slot)?;
        let slots = l.slots(self.outside()).await;
        let view = slots.iter().find(|v| v.slot.id == slot.id);
        let held = view.and_then(|v| v.held.clone()).ok_or_else(|| {
            let why = view.map(|v| v.problem.clone()).unwrap_or_default();
            ActError::Bad(format!("Nothing was pushed. {why}"))
        })?;
        if version != held.version.map(|v| v.to_string()).unwrap_or_default() {
            return Err(crate::SlotError::Conflict.into());
        }
        let placing = l.placing(&slots)?;
        let made = heavy(|| placing.push(&slot, &l.ours(&slot))).await?;
        if !made.after.changed {
            return Ok(false);
        }
        let mut tx = self.store.begin().await?;
        // Kept first: if the write fails half-way, what was there is known.
        let kept = tx
            .add_placement(&NewPlacement {
                site: id,
                slot: &slot.id,
                before: &held.text,
                after: &made.after.text,
                ours: &made.fitted.code,
                who: &actor.name,
            })
            .await?;
        let detail = json!({"slot": slot.id, "placement": kept, "proven": made.is_proven()});
        record(&mut tx, actor, "pushed a snippet", &l.site.url, detail).await?;
        let why = "The snippet was pushed since it was looked at: verify again.";
        tx.make_stale(&[id], &PLACED, why).await?;
        let text = SlotText {
            text: made.after.text,
            version: held.version,
        };
        // Written last: a write that fails leaves nothing behind here.
        self.outside.write_slot(&write, token, &text).await?;
        tx.commit().await?;
        Ok(true)
    }

    /// Puts back what a slot held before a push.
    ///
    /// # Errors
    /// Where the slot no longer holds what was pushed, or the interface refuses.
    pub async fn put_back(&self, actor: &Actor, id: i64, placement: i64) -> Result<String> {
        actor.may(Role::Technician)?;
        let l = self.load_placing(id).await?;
        let found = l
            .past
            .iter()
            .find(|p| p.id == placement && p.put_back_at.is_none());
        let past = found.ok_or(ActError::NotFound("kept state"))?;
        let slot = slot_of(&l, &past.slot_id)?;
        let (write, token) = writable(&l, &slot)?;
        let platform = l.platform.as_ref().ok_or(ActError::NotFound("platform"))?;
        let read =
            address(&l.site.url, platform, &slot, false).ok_or(ActError::NotFound("slot"))?;
        let held = self.outside.read_slot(&read, token).await?;
        let text =
            put_back(&held.text, &past.before_text, &past.after_text, &past.ours).map_err(|e| {
                match e {
                    PlacingError::Gone => {
                        let why = "Nothing was put back: the slot no longer holds what was pushed.";
                        ActError::Bad(why.into())
                    }
                    other => other.into(),
                }
            })?;
        let mut tx = self.store.begin().await?;
        tx.mark_put_back(past.id).await?;
        let detail = json!({"slot": slot.id, "placement": past.id});
        record(&mut tx, actor, "put a slot back", &l.site.url, detail).await?;
        let why = "The slot was put back since it was looked at: verify again.";
        tx.make_stale(&[id], &PLACED, why).await?;
        let version = held.version;
        self.outside
            .write_slot(&write, token, &SlotText { text, version })
            .await?;
        tx.commit().await?;
        Ok(slot.id)
    }
}

/// What rests on the slots.
const PLACED: [Family; 8] = [
    Family::Place,
    Family::Load,
    Family::Pages,
    Family::Echo,
    Family::Weigh,
    Family::Consent,
    Family::Brand,
    Family::Watch,
];

fn slot_of(l: &Loaded, id: &str) -> Result<Slot> {
    let slot = l.platform.as_ref().and_then(|p| p.slot(id)).cloned();
    slot.ok_or_else(|| ActError::Bad("This platform has no such slot.".into()))
}

fn writable<'a>(l: &'a Loaded, slot: &Slot) -> Result<(Url, &'a str)> {
    let platform = l.platform.as_ref().ok_or(ActError::NotFound("platform"))?;
    let write = address(&l.site.url, platform, slot, true);
    match (write, &l.token) {
        (Some(write), Some(token)) => Ok((write, token)),
        _ => Err(ActError::Bad(
            "This slot has no interface, or the site has no token for it: paste the code by hand."
                .into(),
        )),
    }
}

/// The first letter in capital.
fn sentence(text: &str) -> String {
    let mut chars = text.chars();
    match chars.next() {
        Some(first) => first.to_uppercase().chain(chars).collect(),
        None => String::new(),
    }
}

//! Placing through a platform's interface: what slots hold, a push, a put-back. What a slot held is
//! kept before anything is written; the proof is the core's, over all slots of the site.

use crate::{ActError, Acts, Outside, Result, SlotText};
mod push;

pub use push::{Others, Pushed};

use newtfern_core::family::Family;
use newtfern_core::placing::{Held, Mend, Placing, SlotChange, Told};
use newtfern_core::platform::{Advice, Fitted, Interface, Platform, Slot, advise};
use newtfern_core::profile::{ConsentManager, Supplier};
use newtfern_heavy::heavy;
use newtfern_store::placements::Placement;
use newtfern_store::sites::Site;
use url::Url;

/// What one slot holds today, as far as it could be read.
pub struct SlotView {
    pub slot: Slot,
    /// Nothing where it has no interface or could not be read.
    pub held: Option<SlotText>,
    /// Why it could not be read.
    pub problem: String,
}

impl SlotView {
    /// What it holds is not what visitors get.
    pub fn is_draft(&self) -> bool {
        let published = self.held.as_ref().and_then(|h| h.published);
        published == Some(false)
    }
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
    pub push: Option<Mend>,
    /// What taking the widget off would do.
    pub off: Option<(Vec<SlotChange>, Vec<Told>, Vec<String>)>,
    /// Print of what the slots hold.
    pub print: String,
    /// Why there is no code, or no push.
    pub problem: String,
    /// The widget comes through the site's tag manager.
    pub by_tags: bool,
    /// Names of other suppliers whose code stands in the slots.
    pub others: Vec<String>,
    pub past: Vec<Placement>,
}

pub(crate) struct Loaded {
    site: Site,
    supplier: Option<Supplier>,
    platform: Option<Platform>,
    consent: Option<ConsentManager>,
    /// Suppliers whose widget this is not.
    others: Vec<Supplier>,
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
    pub(crate) async fn slots(&self, outside: &dyn Outside) -> Vec<SlotView> {
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
}

impl Acts {
    pub(crate) async fn load_placing(&self, id: i64) -> Result<Loaded> {
        let site = self
            .store
            .site(id)
            .await?
            .ok_or(ActError::NotFound("site"))?;
        let supplier = match &site.supplier_id {
            Some(s) => self.store.supplier(s).await?,
            None => None,
        };
        // What the snippet takes of the design is written into it, as for a check.
        let supplier = match supplier {
            Some(supplier) => {
                let client = self.store.client(site.client_id).await?;
                let client = client.ok_or(ActError::NotFound("client"))?;
                let (design, _) = self.design_of(&site, &client).await?;
                Some(supplier.with_design(&design))
            }
            None => None,
        };
        let platform = self.store.platform_of(&site).await?;
        let consent = match &site.consent_id {
            Some(c) => self.store.consent_manager(c).await?,
            None => None,
        };
        let mut others = self.store.all_suppliers().await?;
        others.retain(|s| Some(&s.id) != site.supplier_id.as_ref());
        Ok(Loaded {
            others,
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
        let wanted = wanted.unwrap_or(&l.site.slot_id).to_string();
        self.page_of(l, slots, &wanted).await
    }

    async fn page_of(&self, l: Loaded, slots: Vec<SlotView>, wanted: &str) -> Result<PlacePage> {
        let advice = match (&l.platform, &l.supplier) {
            (Some(platform), Some(supplier)) => {
                heavy(|| advise(platform, supplier, &l.site.key, l.consent.as_ref())).await
            }
            _ => Vec::new(),
        };
        let best = advice.first().map(|a| a.slot.as_str()).unwrap_or_default();
        let placing = l.placing(&slots);
        let home = placing.as_ref().ok().and_then(Placing::home);
        let found = l.platform.as_ref().and_then(|p| {
            let found = p.slot(wanted).or(home).or_else(|| p.slot(best));
            found.or(p.slots.first())
        });
        let slot = found.cloned();
        let (mut fitted, mut push, mut problem) = (None, None, String::new());
        match &slot {
            None => {
                problem = "Choose the platform in the site's settings: then the code and the steps that fit it are shown here.".into();
            }
            Some(slot) => match &placing {
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
                            match heavy(|| placing.mend(slot)).await {
                                Ok(made) => push = Some(made),
                                Err(error) => problem = format!("{error}."),
                            }
                        }
                    }
                }
            },
        }
        let (mut off, mut others) = (None, Vec::new());
        if let Ok(placing) = &placing {
            off = Some(heavy(|| placing.clear()).await).filter(|(changes, ..)| !changes.is_empty());
            others = heavy(|| placing.others(&l.others)).await;
        }
        Ok(PlacePage {
            off,
            by_tags: l.by_tags(),
            others,
            print: push::print(&slots),
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
}

/// What a push would do to one of many sites.
pub struct PushShown {
    pub id: i64,
    /// Client and name.
    pub name: String,
    /// The slot that the code goes into.
    pub slot: String,
    pub push: Option<Mend>,
    /// What is done in the tag manager, where the widget comes through one.
    pub tag: Option<Vec<String>>,
    /// Why there is none.
    pub problem: String,
}

impl Acts {
    /// What pushing into the usual slot of each site would do; nothing is written.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn show_push(&self, sites: &[i64]) -> Result<Vec<PushShown>> {
        let mut out = Vec::with_capacity(sites.len());
        // So many at once: each asks a platform of its own.
        for some in sites.chunks(8) {
            let mut asked = tokio::task::JoinSet::new();
            for (n, id) in some.iter().enumerate() {
                let (acts, id) = (self.clone(), *id);
                asked.spawn(async move { (n, acts.show_one_push(id).await) });
            }
            let mut told = asked.join_all().await;
            told.sort_by_key(|(n, _)| *n);
            for (_, shown) in told {
                out.extend(shown?);
            }
        }
        Ok(out)
    }

    async fn show_one_push(&self, id: i64) -> Result<Option<PushShown>> {
        let l = match self.load_placing(id).await {
            Ok(l) => l,
            Err(ActError::NotFound(_)) => return Ok(None),
            Err(other) => return Err(other),
        };
        let mut shown = PushShown {
            id,
            name: l.site.title(),
            slot: String::new(),
            push: None,
            tag: None,
            problem: String::new(),
        };
        if l.by_tags() {
            return Ok(Some(self.show_tag_push(shown).await?));
        }
        match self.usual_push(&l).await {
            Ok((slot, push)) => {
                shown.slot = slot.name;
                shown.push = Some(push);
            }
            Err(ActError::Store(error)) => return Err(error.into()),
            Err(other) => shown.problem = sentence(&other.to_string()),
        }
        Ok(Some(shown))
    }

    /// A site whose widget comes through its tag manager.
    async fn show_tag_push(&self, mut shown: PushShown) -> Result<PushShown> {
        let Some(page) = self.tag_page(shown.id, None).await? else {
            return Ok(shown);
        };
        shown.slot = page.manager.name.clone();
        shown.problem = page.problem;
        shown.tag = page.change.map(|c| c.told);
        Ok(shown)
    }

    /// What somebody needs who places by hand; the slots are not read for it.
    ///
    /// # Errors
    /// Where the site is gone.
    pub(crate) async fn place_steps(&self, id: i64, slot: &str) -> Result<PlacePage> {
        let l = self.load_placing(id).await?;
        self.page_of(l, Vec::new(), slot).await
    }
}

/// What rests on the slots.
pub(crate) const PLACED: [Family; 8] = [
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

/// The first letter in capital.
fn sentence(text: &str) -> String {
    let mut chars = text.chars();
    match chars.next() {
        Some(first) => first.to_uppercase().chain(chars).collect(),
        None => String::new(),
    }
}

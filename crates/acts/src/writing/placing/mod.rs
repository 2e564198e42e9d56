//! Placing through a platform's interface: what slots hold, a push, a put-back. What a slot held is
//! kept before anything is written; the proof is the core's, over all slots of the site.

mod loaded;
mod off;
mod push;
mod write;

use crate::handles::PlacingActs;
pub(crate) use loaded::PlacingCase;
pub use loaded::SlotView;
pub use push::{OtherSuppliers, PushOutcome};

use crate::sealed::token_origins::held;
use crate::site::subject::file_of;
use crate::{ActError, Result, TokenState};
use loaded::HELD;
use newtfern_heavy::heavy;
use newtfern_model::design::Design;
use newtfern_model::expectation::Widget;
use newtfern_model::placing::{Mend, Placing, PlannedChange, SlotChange, WrongCopy, wrong_copies};
use newtfern_model::platform::{Advice, Fitted, Platform, Slot, Step, advise};
use newtfern_model::profile::Supplier;
use newtfern_store::estate::sites::Site;
use newtfern_store::writing::placements::Placement;
use newtfern_verdict::family::Family;

/// Everything the page of placing shows.
pub struct PlacePage {
    pub site: Site,
    /// Which of the site's widgets is placed; 0 is the first.
    pub widget: usize,
    /// Supplier's name and key of each widget of the site.
    pub widgets: Vec<(String, String)>,
    pub platform: Option<Platform>,
    pub slots: Vec<SlotView>,
    /// The slot that was asked for, or the site's, or the better one.
    pub slot: Option<Slot>,
    /// Advice on each slot, the better first.
    pub advice: Vec<Advice>,
    pub fitted: Option<Fitted>,
    /// Step that keeps the site's page rules in the slot or at the supplier, or why neither can.
    pub rule: std::result::Result<Option<Step>, String>,
    /// Copies on the page that the code replaces, as the last look found them.
    pub wrong: Vec<WrongCopy>,
    /// Changes that a push would make.
    pub push: Option<Mend>,
    /// Changes that taking the widget off would make.
    pub off: Option<(Vec<SlotChange>, Vec<PlannedChange>, Vec<String>)>,
    /// Print of what the slots hold.
    pub print: String,
    /// Reason why there is no code, or no push.
    pub problem: String,
    /// The widget comes through the site's tag manager.
    pub by_tags: bool,
    /// Names of other suppliers whose code stands in the slots.
    pub others: Vec<String>,
    pub past: Vec<Placement>,
}

impl PlacingActs<'_> {
    /// Loads a site for placing one of its widgets; 0 is the first.
    pub(crate) async fn load_placing(self, id: i64, widget: usize) -> Result<PlacingCase> {
        let site = self.acts.store.sites().site(id).await?;
        let site = site.ok_or(ActError::NotFound("site"))?;
        let client = self.acts.store.clients().client(site.client_id).await?;
        let client = client.ok_or(ActError::NotFound("client"))?;
        let (design, _) = self.acts.sites().design_of(&site, &client).await?;
        let file = file_of(site.fields(), &site.beyond, &design);
        let wanted = match (file.widgets.get(widget), widget) {
            (None, 1..) => return Err(ActError::NotFound("widget")),
            (wanted, _) => wanted,
        };
        let supplier = match wanted {
            Some(w) => self.acts.store.profiles().supplier(&w.supplier).await?,
            None => None,
        };
        let of_widget = |(supplier, w)| with_values(supplier, w, (widget == 0).then_some(&design));
        let supplier = supplier.zip(wanted).map(of_widget);
        let of_supplier = |w: &&Widget| wanted.is_some_and(|of| of.supplier == w.supplier);
        let siblings = file.widgets.iter().filter(of_supplier);
        let siblings = siblings.map(|w| w.key.clone());
        let key_and_rules = wanted.map(|w| (w.key.clone(), w.rules()));
        let (key, rules) = key_and_rules.unwrap_or_default();
        let ours: Vec<String> = file.widgets.iter().map(|w| w.supplier.clone()).collect();
        let platform = self.acts.store.profiles().platform_of(&site).await?;
        let consent = match &site.consent_id {
            Some(c) => self.acts.store.profiles().consent_manager(c).await?,
            None => None,
        };
        let state = self.acts.tokens().site_token_state(&site).await?;
        let token_held = match &state {
            TokenState::Held(origins) => Some(held("The token", origins, HELD).to_string()),
            _ => None,
        };
        let token = state.ready();
        let mut others = self.acts.store.profiles().all_suppliers().await?;
        let name = |id: &str| others.iter().find(|s| s.id == id).map(|s| s.name.clone());
        let widgets = (file.widgets.iter())
            .map(|w| (name(&w.supplier).unwrap_or_default(), w.key.clone()))
            .collect();
        others.retain(|s| !ours.contains(&s.id));
        Ok(PlacingCase {
            widget,
            widgets,
            key,
            rules,
            siblings: siblings.collect(),
            others,
            token,
            token_held,
            past: self.acts.store.writing().placements(id).await?,
            site,
            supplier,
            platform,
            consent,
        })
    }

    /// Place of a widget among the site's by its key; an empty key is that of the first.
    ///
    /// # Errors
    /// Where the site has no such widget any more.
    pub(crate) async fn place_of_widget(self, id: i64, key: &str) -> Result<usize> {
        if key.is_empty() {
            return Ok(0);
        }
        let (site, _) = self.acts.sites().site_and_client(id).await?;
        let file = self.acts.sites().expectation_of(&site).await?;
        let place = file.widgets.iter().position(|w| w.key == key);
        place.ok_or(ActError::NotFound("widget"))
    }

    /// Returns the page of placing: the fitted code, the content of the slots, the changes of a
    /// push.
    ///
    /// # Errors
    /// Where the site is gone.
    pub async fn place_page(
        self,
        id: i64,
        widget: usize,
        wanted: Option<&str>,
    ) -> Result<PlacePage> {
        self.acts.writes().settle_quietly(id).await?;
        let l = self.load_placing(id, widget).await?;
        let slots = l.slots(self.acts.outside()).await;
        let wanted = wanted.unwrap_or(&l.site.slot_id).to_string();
        self.page_of(l, slots, &wanted).await
    }

    async fn page_of(
        self,
        l: PlacingCase,
        slots: Vec<SlotView>,
        wanted: &str,
    ) -> Result<PlacePage> {
        let advice = match (&l.platform, &l.supplier) {
            (Some(platform), Some(supplier)) => {
                heavy(|| advise(platform, supplier, &l.key, l.consent.as_ref())).await
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
        let (fitted, push, problem) = match (&slot, &placing) {
            (None, _) => {
                let problem = "This site has no platform. Choose it in the site's settings to see \
                    the code and the steps here.";
                (None, None, problem.to_string())
            }
            (Some(_), Err(error)) => (None, None, error.to_string()),
            (Some(slot), Ok(placing)) => into_slot(placing, slot, &slots).await,
        };
        let found = self.acts.store.checks().findings(l.site.id).await?;
        let found = found.get(&Family::Place).map(Vec::as_slice);
        let wrong = wrong_copies(found.unwrap_or_default(), &l.key);
        let (mut off, mut others) = (None, Vec::new());
        if let Ok(placing) = &placing {
            off = Some(heavy(|| placing.clear()).await).filter(|(changes, ..)| !changes.is_empty());
            others = heavy(|| placing.others(&l.others)).await;
        }
        let rule = l.rule_in(slot.as_ref());
        Ok(PlacePage {
            off,
            by_tags: l.by_tags(),
            widget: l.widget,
            widgets: l.widgets,
            others,
            print: loaded::print(&slots),
            platform: l.platform,
            past: l.past,
            site: l.site,
            slots,
            slot,
            advice,
            fitted,
            rule,
            wrong,
            push,
            problem: sentence(&problem),
        })
    }
}

/// A supplier with what its snippet takes of the design written into it, as for a check. The first
/// widget has the site's design.
fn with_values(supplier: Supplier, widget: &Widget, design: Option<&Design>) -> Supplier {
    let supplier = supplier.at_host(&widget.host);
    match design {
        Some(design) => supplier.with_design(design),
        None => supplier.with_design(&widget.design.resolved()),
    }
}

/// Returns the code for a slot, what a push would leave in it, and what is in the way, as far as
/// each can be had.
async fn into_slot(
    placing: &Placing<'_>,
    slot: &Slot,
    slots: &[SlotView],
) -> (Option<Fitted>, Option<Mend>, String) {
    let (fitted, mut problem) = match placing.code(slot) {
        Ok(code) => (Some(code), String::new()),
        Err(error) => (None, format!("{error}.")),
    };
    let Some(view) = slots.iter().find(|v| v.slot.id == slot.id) else {
        return (fitted, None, problem);
    };
    problem.push_str(&view.problem);
    if view.held.is_none() || !problem.is_empty() {
        return (fitted, None, problem);
    }
    match heavy(|| placing.mend(slot)).await {
        Ok(made) => (fitted, Some(made), problem),
        Err(error) => (fitted, None, format!("{error}.")),
    }
}

/// Preview of a push to one of many sites.
pub struct PushPreview {
    pub id: i64,
    /// Names of the client and the site.
    pub name: String,
    /// The slot that the code goes into.
    pub slot: String,
    pub push: Option<Mend>,
    /// Changes in the tag manager, where the widget comes through one.
    pub tag: Option<Vec<String>>,
    /// Reason why there is no preview.
    pub problem: String,
}

impl PlacingActs<'_> {
    /// Returns what pushing into the usual slot of each site would do; nothing is written.
    pub async fn show_push(self, sites: &[i64]) -> Result<Vec<PushPreview>> {
        let mut out = Vec::with_capacity(sites.len());
        // So many at once: each asks a platform of its own.
        for some in sites.chunks(8) {
            let mut asked = tokio::task::JoinSet::new();
            for (n, id) in some.iter().enumerate() {
                let (acts, id) = (self.acts.clone(), *id);
                asked.spawn(async move { (n, acts.placing().show_one_push(id).await) });
            }
            let mut told = asked.join_all().await;
            told.sort_by_key(|(n, _)| *n);
            for (_, shown) in told {
                out.extend(shown?);
            }
        }
        Ok(out)
    }

    async fn show_one_push(self, id: i64) -> Result<Option<PushPreview>> {
        let l = match self.load_placing(id, 0).await {
            Ok(l) => l,
            Err(ActError::NotFound(_)) => return Ok(None),
            Err(other) => return Err(other),
        };
        let mut shown = PushPreview {
            id,
            name: l.site.title(),
            slot: String::new(),
            push: None,
            tag: None,
            problem: String::new(),
        };
        if let Some(why) = off::refused(&l.site) {
            shown.problem = format!("{why}.");
            return Ok(Some(shown));
        }
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
    async fn show_tag_push(self, mut shown: PushPreview) -> Result<PushPreview> {
        let Some(page) = self.tag_page(shown.id, None).await? else {
            return Ok(shown);
        };
        shown.slot = page.manager.name.clone();
        shown.problem = page.problem;
        shown.tag = page.change.map(|c| c.told);
        Ok(shown)
    }

    /// Returns the steps for somebody who places by hand; the slots are not read for it.
    ///
    /// # Errors
    /// Where the site is gone.
    pub(crate) async fn place_steps(self, id: i64, widget: usize, slot: &str) -> Result<PlacePage> {
        let l = self.load_placing(id, widget).await?;
        self.page_of(l, Vec::new(), slot).await
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

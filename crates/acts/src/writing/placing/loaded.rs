//! A site with what its slots hold, loaded for one act.

use crate::{ActError, Outside, Result, SlotText};
use newtfern_model::pages::PageRules;
use newtfern_model::placing::{Placing, SlotContent};
use newtfern_model::platform::{Interface, Platform, Slot, Step, rule_step};
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_store::estate::sites::Site;
use newtfern_store::writing::placements::Placement;
use sha2::{Digest, Sha256};
use url::Url;

/// Content of one slot today, as far as it could be read.
pub struct SlotView {
    pub slot: Slot,
    /// Text of the slot; none where it has no interface or could not be read.
    pub held: Option<SlotText>,
    /// Reason why the slot could not be read.
    pub problem: String,
}

impl SlotView {
    /// Returns whether the slot holds a draft that visitors do not get.
    pub fn is_draft(&self) -> bool {
        let published = self.held.as_ref().and_then(|h| h.published);
        published == Some(false)
    }
}

pub(crate) struct PlacingCase {
    pub(super) site: Site,
    /// Which of the site's widgets is placed; 0 is the first.
    pub(super) widget: usize,
    /// Supplier and key of each widget of the site.
    pub(super) widgets: Vec<(String, String)>,
    /// Key of that widget.
    pub(super) key: String,
    /// Pages on which that widget must and must not be.
    pub(super) rules: PageRules,
    /// Keys of all widgets of the site that are of the same supplier.
    pub(super) siblings: Vec<String>,
    pub(super) supplier: Option<Supplier>,
    pub(super) platform: Option<Platform>,
    pub(super) consent: Option<ConsentManager>,
    /// Suppliers whose widget this is not.
    pub(super) others: Vec<Supplier>,
    pub(super) token: Option<String>,
    /// Reason why a stored token is not used.
    pub(super) token_held: Option<String>,
    pub(super) past: Vec<Placement>,
}

/// Way in which a token that is held back comes to be used.
pub(super) const HELD: &str = "enter it again in the site\u{2019}s settings, or confirm the \
    address on the client\u{2019}s page";

/// Returns the address at which a slot is read or written, if its platform has an interface.
pub(crate) fn address(site: &Url, platform: &Platform, slot: &Slot, write: bool) -> Option<Url> {
    let interface: &Interface = platform.interface.as_ref()?;
    let template = if write {
        &interface.write
    } else {
        &interface.read
    };
    Interface::fill(template, site, slot.interface.as_deref()?)
}

impl PlacingCase {
    /// The step that keeps the page rules of the widget, or why there is none.
    pub(super) fn rule_in(&self, slot: Option<&Slot>) -> std::result::Result<Option<Step>, String> {
        match (slot, &self.supplier) {
            (Some(slot), Some(supplier)) => rule_step(slot, supplier, &self.rules),
            _ => Ok(None),
        }
    }

    /// Reads each slot that has an interface.
    pub(crate) async fn slots(&self, outside: &dyn Outside) -> Vec<SlotView> {
        let site = self.site.address().ok();
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
            let place = site
                .as_ref()
                .and_then(|at| address(at, platform, slot, false));
            if let (Some(place), Some(token)) = (place, &self.token) {
                match outside.read_slot(&place, token).await {
                    Ok(held) => view.held = Some(held),
                    Err(error) => view.problem = format!("The slot cannot be read: {error}."),
                }
            } else if let Some(why) = self
                .token_held
                .as_ref()
                .filter(|_| slot.interface.is_some())
            {
                view.problem.clone_from(why);
            }
            out.push(view);
        }
        out
    }

    pub(super) fn placing<'a>(&'a self, slots: &'a [SlotView]) -> Result<Placing<'a>> {
        let supplier = self.supplier.as_ref().ok_or_else(|| {
            let why = "This site has no supplier and key. Choose them in its settings first.";
            ActError::Bad(why.into())
        })?;
        let held = slots.iter().filter_map(|v| {
            Some(SlotContent {
                slot: &v.slot,
                text: v.held.as_ref()?.text.clone(),
            })
        });
        Ok(Placing {
            supplier,
            key: &self.key,
            siblings: self.siblings.iter().map(String::as_str).collect(),
            consent: self.consent.as_ref(),
            slots: held.collect(),
        })
    }
}

pub(super) fn slot_of(l: &PlacingCase, id: &str) -> Result<Slot> {
    let slot = l.platform.as_ref().and_then(|p| p.slot(id)).cloned();
    slot.ok_or_else(|| {
        ActError::Bad(
            "This platform does not have this slot. Choose another \
        slot."
                .into(),
        )
    })
}

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

//! What results of sites rest on as things are in one transaction; and the one place in which they
//! grow old.

use crate::Result;
use crate::handles::CheckActs;
use crate::site::subject::{file_of, widget_of};
use newtfern_heavy::heavy;
use newtfern_model::design::{Design, Layer};
use newtfern_model::job::CheckKind;
use newtfern_model::profiles::Profiles;
use newtfern_model::region::Region;
use newtfern_standards::colour::Rgb;
use newtfern_store::Tx;
use newtfern_store::estate::sites::Site;
use newtfern_store::results::checks::NewCheck;
use newtfern_store::results::inputs::{StandingInputs, TimesWritten};
use newtfern_verdict::brand::BrandSheet;
use newtfern_verdict::family::{Family, Standing, design};
use newtfern_verdict::inputs::{Prints, SiteInputs, changed, why_old};
use std::collections::{BTreeMap, HashMap};

/// Inputs that the results of some sites rest on.
struct Ground {
    sites: Vec<Site>,
    sheets: HashMap<i64, BrandSheet>,
    house: Layer,
    profiles: Profiles,
    agency: String,
    written: HashMap<i64, TimesWritten>,
}

impl Ground {
    /// Nobody changes the sites, or looks at them, before this transaction ends.
    async fn for_change(tx: &mut Tx, ids: &[i64]) -> Result<Ground> {
        let sites = tx.sites_for_change(ids).await?;
        Ground::of(tx, sites).await
    }

    async fn of(tx: &mut Tx, sites: Vec<Site>) -> Result<Ground> {
        let ids: Vec<i64> = sites.iter().map(|s| s.id).collect();
        let mut clients: Vec<i64> = sites.iter().map(|s| s.client_id).collect();
        clients.sort_unstable();
        clients.dedup();
        let written = tx.times_written(&ids).await?;
        Ok(Ground {
            sheets: tx.sheets_of(&clients).await?,
            house: tx.house_style().await?,
            profiles: tx.all_profiles().await?,
            agency: tx.agency().await?.name,
            written: written.into_iter().map(|w| (w.id, w)).collect(),
            sites,
        })
    }

    /// A site's design and the colour that its client is known by.
    fn design(&self, site: &Site) -> (Design, Option<Rgb>) {
        let sheet = self.sheets.get(&site.client_id);
        let layer = sheet.map(BrandSheet::layer).unwrap_or_default();
        let design = Design::resolve(&self.house, &layer, site.layer());
        (design, sheet.and_then(|s| s.primary))
    }

    /// Judges designs by their own numbers and texts: it needs no visit, and no change of a design
    /// is ever kept beside a verdict of the design before.
    async fn judge_designs(&self, tx: &mut Tx) -> Result<()> {
        let now = tx.now().await?;
        let checks = heavy(|| {
            let judged = self.sites.iter().map(|site| {
                let (values, brand) = self.design(site);
                let chosen = site.supplier_id.is_some() && !site.key.trim().is_empty();
                let file = file_of(site.fields(), &site.beyond, &values);
                let assessed =
                    design::assess(&values, design::DesignContext::of(&file, brand), chosen);
                NewCheck::of(site.id, CheckKind::Design, now, vec![assessed])
            });
            judged.collect::<Vec<NewCheck>>()
        });
        Ok(tx.keep_many(&checks.await).await?)
    }

    /// Makes stale every result that rested on a changed input.
    async fn age(&self, tx: &mut Tx) -> Result<()> {
        // A result that is old is itself not known any more, and contradicts no other: one pass is
        // enough.
        let ids: Vec<i64> = self.sites.iter().map(|s| s.id).collect();
        let rows = tx.rests_on(&ids).await?;
        let old = heavy(|| old(self, &rows)).await;
        if !old.is_empty() {
            tx.make_old(&old).await?;
        }
        Ok(())
    }

    fn prints(&self, site: &Site) -> Prints {
        let (design, brand) = self.design(site);
        let file = file_of(site.fields(), &site.beyond, &design);
        let own = site.supplier_id.as_deref();
        let suppliers = &self.profiles.suppliers;
        let supplier = own.and_then(|id| suppliers.iter().find(|s| s.id == id));
        let supplier = supplier.map(|s| s.clone().with_design(&design));
        let of = |id: &Option<String>| {
            let id = id.as_deref()?;
            self.profiles.platforms.iter().find(|p| p.id == id)
        };
        let consent = site.consent_id.as_deref();
        let written = self.written.get(&site.id);
        Prints::of(&SiteInputs {
            fields: site.fields(),
            widget: &widget_of(&file, own.unwrap_or_default(), &site.key, &design),
            further: file.widgets.get(1..).unwrap_or_default(),
            consent_exception: file.consent_exception.as_ref(),
            design: &design,
            brand,
            client: &site.client_name,
            agency: &self.agency,
            supplier: supplier.as_ref(),
            suppliers,
            consent: consent.and_then(|id| self.profiles.consents.iter().find(|m| m.id == id)),
            platform: of(&site.platform_id),
            tag_manager: of(&site.tag_manager_id),
            region: &Region::for_country(&self.profiles.regions, &site.country),
            sample_words: &self.profiles.sample_words,
            slots_written: written.map_or(0, |w| w.slots_written),
            console_written: written.map_or(0, |w| w.console_written),
        })
    }
}

/// Returns how one site stands in each family.
fn stands(rows: &[StandingInputs], site: i64) -> BTreeMap<Family, Standing> {
    let own = rows.iter().filter(|r| r.site == site);
    own.map(|r| (r.family, r.standing)).collect()
}

/// Results that say something, of a site as it is now, whose inputs have changed: with the reason.
fn old(ground: &Ground, rows: &[StandingInputs]) -> Vec<(i64, Family, String)> {
    let says = |r: &&StandingInputs| {
        use Standing::{Failing, Passing, Remarks, Undecided};
        matches!(r.standing, Passing | Remarks | Failing | Undecided) && !r.inputs.is_empty()
    };
    let mut out = Vec::new();
    for site in &ground.sites {
        let own = rows.iter().filter(|r| r.site == site.id).filter(says);
        let own: Vec<&StandingInputs> = own.collect();
        if own.is_empty() {
            continue;
        }
        let now = ground.prints(site).with_results(&stands(rows, site.id));
        for row in own {
            let changed = changed(row.family, &row.inputs, &now);
            if !changed.is_empty() {
                out.push((site.id, row.family, why_old(&changed, &now)));
            }
        }
    }
    out
}

/// After a change of anything that results may rest on: what rested on what changed is old from now
/// on. Called in the transaction of the change, for which the sites wait.
pub(crate) async fn age(tx: &mut Tx, sites: &[i64]) -> Result<()> {
    if sites.is_empty() {
        return Ok(());
    }
    Ground::for_change(tx, sites).await?.age(tx).await
}

impl CheckActs<'_> {
    /// Prints of all that the results of a site rest on now.
    pub(crate) async fn prints_of(self, site: i64) -> Result<Prints> {
        let sites = self.acts.store.sites().sites_of(&[site]).await?;
        let mut tx = self.acts.store.begin().await?;
        let ground = Ground::of(&mut tx, sites).await?;
        tx.commit().await?;
        let site = ground.sites.first();
        Ok(site.map(|s| ground.prints(s)).unwrap_or_default())
    }

    /// After a change of sites, their designs or what these are made of: designs are judged, and
    /// results grow old.
    pub(crate) async fn after_change(self, tx: &mut Tx, sites: &[i64]) -> Result<()> {
        if sites.is_empty() {
            return Ok(());
        }
        let ground = Ground::for_change(tx, sites).await?;
        ground.judge_designs(tx).await?;
        ground.age(tx).await
    }

    /// Keeps a check, in a transaction of its own, with what it rested on; gives its number.
    pub async fn keep_result(self, check: &NewCheck, inputs: Prints) -> Result<i64> {
        let mut tx = self.acts.store.begin().await?;
        let id = self.keep(&mut tx, check, inputs).await?;
        tx.commit().await?;
        Ok(id)
    }

    /// Keeps a check with what it rested on: `inputs` as they were when the look began; gives its
    /// number. Where something of it has changed since, its results are old at once. Of empty
    /// inputs nothing is known.
    pub(crate) async fn keep(self, tx: &mut Tx, check: &NewCheck, inputs: Prints) -> Result<i64> {
        // Whoever changes the site meanwhile waits, or is waited for: one of both sees the other.
        let ground = Ground::for_change(tx, &[check.site]).await?;
        let id = tx.keep_check(check).await?;
        if !inputs.is_empty() {
            let rows = tx.rests_on(&[check.site]).await?;
            let inputs = inputs.with_results(&stands(&rows, check.site));
            tx.set_inputs(id, &inputs).await?;
        }
        ground.age(tx).await?;
        Ok(id)
    }
}

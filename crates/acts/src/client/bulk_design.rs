//! One value of the design over many sites: its differences first, then set for all or none, or set
//! back to what the layers above say.

use crate::handles::ClientActs;
use crate::{ActError, Actor, BulkChange, Result, none_ticked, record};
use newtfern_heavy::heavy;
use newtfern_model::design::{Design, Field, Layer};
use newtfern_store::access::people::Role;
use newtfern_store::estate::sites::Site;
use serde_json::json;
use std::collections::BTreeMap;

/// New value of a bulk change.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DesignSet<'a> {
    /// Sets the value as it was typed.
    To(&'a str),
    /// The sites' own value goes: brand sheet or house style say it again.
    Back,
}

/// A site with what its layers say above it.
struct SiteLayers {
    site: Site,
    above: Design,
    now: Design,
}

impl SiteLayers {
    /// The site's own values after a change.
    fn after(&self, field: Field, value: Option<&str>) -> Layer {
        let mut layer = self.site.layer().clone();
        match value.filter(|v| *v != self.above.get(field)) {
            Some(value) => layer.insert(field, value.to_string()),
            None => layer.remove(&field),
        };
        layer
    }
}

fn told(design: &Design, field: Field) -> String {
    let from = design.values.iter().find(|v| v.field == field);
    let from = from.map_or("", |v| v.from.words());
    match design.get(field) {
        "" => format!("nothing ({from})"),
        value => format!("{value} ({from})"),
    }
}

/// The value as it is kept.
fn value_of(field: Field, set: DesignSet<'_>) -> Result<Option<String>> {
    match set {
        DesignSet::Back => Ok(None),
        DesignSet::To(typed) => {
            let value = field.accept(typed);
            Ok(Some(value.map_err(|e| ActError::Bad(format!("{e}.")))?))
        }
    }
}

impl ClientActs<'_> {
    async fn layered(self, sites: &[i64]) -> Result<Vec<SiteLayers>> {
        let sites = self.acts.store.sites().sites_of(sites).await?;
        let house = self.acts.store.settings().house_style().await?;
        let mut brands: BTreeMap<i64, Layer> = BTreeMap::new();
        for site in &sites {
            if !brands.contains_key(&site.client_id) {
                let client = self.acts.store.clients().client(site.client_id).await?;
                let client = client.ok_or(ActError::NotFound("client"))?;
                brands.insert(client.id, client.sheet()?.layer());
            }
        }
        let layered = |site: Site| {
            let brand = &brands[&site.client_id];
            SiteLayers {
                above: Design::resolve(&house, brand, &Layer::new()),
                now: Design::resolve(&house, brand, site.layer()),
                site,
            }
        };
        Ok(heavy(|| sites.into_iter().map(layered).collect()).await)
    }

    /// Returns what setting one value of the design would do to each site; nothing is written.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the value does not take that.
    pub async fn show_bulk_design(
        self,
        sites: &[i64],
        field: Field,
        set: DesignSet<'_>,
    ) -> Result<Vec<BulkChange>> {
        let value = value_of(field, set)?;
        let shown = self.layered(sites).await?.into_iter().map(|l| {
            let mut after = l.now.clone();
            let from_above = l.above.values.iter().find(|v| v.field == field).cloned();
            for v in after.values.iter_mut().filter(|v| v.field == field) {
                match value.as_deref().filter(|v| *v != l.above.get(field)) {
                    Some(own) => {
                        v.value = own.to_string();
                        v.from = newtfern_model::design::Source::Site;
                    }
                    None => *v = from_above.clone().unwrap_or_else(|| v.clone()),
                }
            }
            BulkChange {
                id: l.site.id,
                name: l.site.title(),
                label: field.label(),
                before: told(&l.now, field),
                after: told(&after, field),
                problem: None,
            }
        });
        Ok(shown.collect())
    }

    /// Sets one value of the design of many sites, all or none. Gives how many changed.
    ///
    /// # Errors
    /// [`ActError::Bad`] where none is ticked, or the value does not take that.
    pub async fn set_bulk_design(
        self,
        actor: &Actor,
        sites: &[i64],
        field: Field,
        set: DesignSet<'_>,
    ) -> Result<usize> {
        actor.may(Role::Technician)?;
        if sites.is_empty() {
            return Err(none_ticked());
        }
        let value = value_of(field, set)?;
        let layered = self.layered(sites).await?;
        let mut tx = self.acts.store.begin().await?;
        let mut changed = Vec::new();
        for l in layered {
            let after = l.after(field, value.as_deref());
            if after == *l.site.layer() {
                continue;
            }
            tx.set_adjustments(l.site.id, &after).await?;
            let detail = json!({"before": l.site.layer(), "after": after});
            record(&mut tx, actor, "changed a design", &l.site.url, detail).await?;
            changed.push(l.site.id);
        }
        self.acts.checks().after_change(&mut tx, &changed).await?;
        tx.commit().await?;
        self.judge_looks(actor, &changed).await?;
        Ok(changed.len())
    }
}

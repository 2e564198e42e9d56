//! The design of a site, and the house style above all of them.

use crate::subject::file_of;
use crate::{ActError, Actor, Acts, Result, record};
use newtfern_core::colour::{Shade, palette};
use newtfern_core::design::Layer;
use newtfern_core::family::{Family, design};
use newtfern_heavy::heavy;
use newtfern_store::checks::NewCheck;
use newtfern_store::lists::Filter;
use newtfern_store::people::Role;
use serde_json::json;

impl Acts {
    /// The colours of a picture by area; pixels are red, green, blue, opacity.
    pub async fn colours_of(&self, pixels: Vec<[u8; 4]>) -> Vec<Shade> {
        heavy(|| palette(&pixels)).await
    }

    /// Judges a site's design by its own numbers and texts; it needs no visit.
    pub(crate) async fn judge_design(&self, site: i64) -> Result<()> {
        let (kept, client) = self.site_and_client(site).await?;
        let (values, brand) = self.design_of(&kept, &client).await?;
        let chosen = kept.supplier_id.is_some() && !kept.key.trim().is_empty();
        let file = file_of(kept.fields(), &kept.beyond, &values);
        let assessed = design::assess(&values, design::Beside::of(&file, brand), chosen);
        let now = self.store.now().await?;
        let mut tx = self.store.begin().await?;
        tx.keep_check(&NewCheck::of(site, "design", now, vec![assessed]))
            .await?;
        Ok(tx.commit().await?)
    }

    /// Keeps the site's own values. Its looks are judged again from what was seen.
    ///
    /// # Errors
    /// Where the site is gone.
    pub async fn change_design(&self, actor: &Actor, id: i64, layer: &Layer) -> Result<()> {
        actor.may(Role::Technician)?;
        let site = self
            .store
            .site(id)
            .await?
            .ok_or(ActError::NotFound("site"))?;
        let mut tx = self.store.begin().await?;
        tx.set_adjustments(id, layer).await?;
        let detail = json!({"before": site.layer(), "after": layer});
        record(&mut tx, actor, "changed a design", &site.url, detail).await?;
        let why = "The design changed since it was looked at.";
        tx.make_stale(&[id], &[Family::Brand, Family::HandOver], why)
            .await?;
        tx.commit().await?;
        self.judge_looks(actor, &[id]).await
    }

    /// Keeps the house style. It reaches all sites that did not override it: their looks are stale, or
    /// judged again at once where they are few.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn change_house_style(&self, actor: &Actor, layer: &Layer) -> Result<()> {
        actor.may(Role::Technician)?;
        let before = self.store.house_style().await?;
        let sites = self.store.site_ids(&Filter::default()).await?;
        let mut tx = self.store.begin().await?;
        tx.set_setting("house_style", &json!(layer)).await?;
        let detail = json!({"before": before, "after": layer});
        record(&mut tx, actor, "changed the house style", "", detail).await?;
        let looks = [Family::Design, Family::Brand, Family::HandOver];
        let why = "The house style changed since it was looked at.";
        tx.make_stale(&sites, &looks, why).await?;
        tx.commit().await?;
        self.judge_looks(actor, &sites).await
    }
}

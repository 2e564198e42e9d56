//! The design of a site, and the house style above all of them.

use crate::handles::ClientActs;
use crate::site::versions;
use crate::{ActError, Actor, Result, record};
use newtfern_heavy::heavy;
use newtfern_model::design::Layer;
use newtfern_standards::colour::{Shade, palette};
use newtfern_store::access::people::Role;
use newtfern_store::estate::lists::Filter;
use serde_json::json;

impl ClientActs<'_> {
    /// The colours of a picture by area; pixels are red, green, blue, opacity.
    pub async fn colours_of(self, pixels: Vec<[u8; 4]>) -> Vec<Shade> {
        heavy(|| palette(&pixels)).await
    }

    /// Keeps the site's own values. Its looks are judged again from what was seen.
    ///
    /// # Errors
    /// Where the site is gone.
    pub async fn change_design(
        self,
        actor: &Actor,
        id: i64,
        layer: &Layer,
        made_from: Option<&str>,
    ) -> Result<()> {
        actor.may(Role::Technician)?;
        let mut tx = self.acts.store.begin().await?;
        let site = tx.sites_for_change(&[id]).await?.pop();
        let site = site.ok_or(ActError::NotFound("site"))?;
        versions::same(made_from, site.layer())?;
        tx.set_adjustments(id, layer).await?;
        let detail = json!({"before": site.layer(), "after": layer});
        record(&mut tx, actor, "changed a design", &site.url, detail).await?;
        self.acts.checks().after_change(&mut tx, &[id]).await?;
        tx.commit().await?;
        self.judge_looks(actor, &[id]).await
    }

    /// Keeps the house style. It reaches all sites that did not override it: their looks are stale,
    /// or judged again at once where they are few.
    pub async fn change_house_style(
        self,
        actor: &Actor,
        layer: &Layer,
        made_from: Option<&str>,
    ) -> Result<()> {
        actor.may(Role::Technician)?;
        let sites = self.acts.store.lists().site_ids(&Filter::default()).await?;
        let mut tx = self.acts.store.begin().await?;
        let before = tx.house_style_for_change().await?;
        versions::same(made_from, &before)?;
        tx.set_setting("house_style", &json!(layer)).await?;
        let detail = json!({"before": before, "after": layer});
        record(&mut tx, actor, "changed the house style", "", detail).await?;
        self.acts.checks().after_change(&mut tx, &sites).await?;
        tx.commit().await?;
        self.judge_looks(actor, &sites).await
    }
}

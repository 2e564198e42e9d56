//! Many sites at once: moved to another client, removed and restored.

use crate::handles::SiteActs;
use crate::results::rounds::{none_ticked, of_sites};
use crate::{ActError, Actor, Result, record};
use newtfern_store::StoreError;
use newtfern_store::access::people::Role;
use serde_json::json;

impl SiteActs<'_> {
    /// Moves sites to another client. Their looks rest on its brand sheet from now on.
    ///
    /// # Errors
    /// [`ActError::Bad`] where no site is ticked or no client chosen.
    pub async fn move_sites(self, actor: &Actor, sites: &[i64], client: i64) -> Result<()> {
        actor.may(Role::Technician)?;
        if sites.is_empty() {
            return Err(none_ticked());
        }
        let to = self.acts.store.clients().client(client).await?;
        let to =
            to.ok_or_else(|| ActError::Bad("Choose the client to move the sites to.".into()))?;
        let mut tx = self.acts.store.begin().await?;
        tx.move_sites(sites, client).await?;
        let detail = json!({"sites": sites, "to": to.name});
        record(&mut tx, actor, "moved sites", &to.name, detail).await?;
        self.acts.checks().after_change(&mut tx, sites).await?;
        tx.commit().await?;
        self.acts.clients().judge_looks(actor, sites).await
    }

    /// Removes sites; for thirty days they can be brought back. Gives the removal.
    ///
    /// # Errors
    /// [`ActError::Bad`] where no site is ticked.
    pub async fn remove_sites(self, actor: &Actor, sites: &[i64]) -> Result<i64> {
        actor.may(Role::Technician)?;
        if sites.is_empty() {
            return Err(none_ticked());
        }
        let title = of_sites(sites.len());
        let mut tx = self.acts.store.begin().await?;
        let removal = tx.begin_removal(&actor.name, &title).await?;
        for site in tx.sites_for_change(sites).await? {
            tx.remove_into(removal, site.id).await?;
            let detail = json!({"name": site.name, "key": site.key, "removal": removal});
            record(&mut tx, actor, "removed a site", &site.url, detail).await?;
        }
        tx.commit().await?;
        Ok(removal)
    }

    /// Brings back what a removal took, as it was.
    ///
    /// # Errors
    /// [`ActError::Bad`] where an address is another site's by now, or the client is gone.
    pub async fn bring_back(self, actor: &Actor, removal: i64) -> Result<Vec<i64>> {
        actor.may(Role::Technician)?;
        let mut tx = self.acts.store.begin().await?;
        let back = tx.bring_back(removal).await;
        let sites = back.map_err(|e| match e {
            StoreError::Taken { name, .. } => ActError::Bad(format!(
                "Nothing was restored: another site now has the address {name}."
            )),
            StoreError::Gone { name, .. } => ActError::Bad(format!(
                "Nothing was restored: the client {name} was removed. Add that client first."
            )),
            other => other.into(),
        })?;
        if sites.is_empty() {
            return Err(ActError::NotFound("removal"));
        }
        let subject = format!("{} sites", sites.len());
        let detail = json!({"removal": removal, "sites": sites});
        record(&mut tx, actor, "restored sites", &subject, detail).await?;
        // Profiles and the house style may be others by now.
        self.acts.checks().after_change(&mut tx, &sites).await?;
        tx.commit().await?;
        Ok(sites)
    }

    /// Forgets removals that are too old to be brought back, with the files that only they held on
    /// to.
    pub async fn forget_removals(self) -> Result<()> {
        for key in self.acts.store.care().forget_removals().await? {
            self.acts.blobs.remove(&key).await?;
        }
        Ok(())
    }
}

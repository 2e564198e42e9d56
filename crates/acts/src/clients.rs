//! Clients and their brand sheets.

use crate::{ActError, Actor, Acts, Result, record};
use newtfern_core::brand::BrandSheet;
use newtfern_core::family::Family;
use newtfern_core::site::MOST_NAME;
use newtfern_core::typed;
use newtfern_store::StoreError;
use newtfern_store::people::Role;
use serde_json::json;

/// Sites of a client that are judged again at once; with more, they are stale until somebody looks.
const MOST_AT_ONCE: usize = 60;

fn taken(name: &str) -> impl FnOnce(StoreError) -> ActError {
    let name = name.to_string();
    move |error| match error {
        StoreError::Taken { .. } => ActError::Bad(format!(
            "A client named \u{201c}{name}\u{201d} is there already."
        )),
        other => ActError::Store(other),
    }
}

/// A client's name and sheet as they can be kept.
fn checked(name: &str, sheet: &BrandSheet) -> Result<()> {
    let name = typed::text(name, MOST_NAME).map_err(|e| format!("The client's name {e}."));
    name.and_then(|_| sheet.check()).map_err(ActError::Bad)
}

impl Acts {
    /// Adds a client.
    ///
    /// # Errors
    /// [`ActError::Bad`] where one of this name is there, or a name cannot be kept.
    pub async fn add_client(&self, actor: &Actor, name: &str, sheet: &BrandSheet) -> Result<i64> {
        actor.may(Role::Technician)?;
        checked(name, sheet)?;
        let mut tx = self.store.begin().await?;
        let id = tx.add_client(name, sheet).await.map_err(taken(name))?;
        record(&mut tx, actor, "added a client", name, json!({"id": id})).await?;
        tx.commit().await?;
        Ok(id)
    }

    /// Changes a client's name and brand sheet. The looks of its sites are judged again.
    ///
    /// # Errors
    /// [`ActError::Bad`] where another client has the name.
    pub async fn change_sheet(
        &self,
        actor: &Actor,
        id: i64,
        name: &str,
        sheet: &BrandSheet,
    ) -> Result<()> {
        actor.may(Role::Technician)?;
        checked(name, sheet)?;
        let before = self.store.client(id).await?;
        let before = before.ok_or(ActError::NotFound("client"))?;
        let sites = self.store.site_ids_of(&[id]).await?;
        let mut tx = self.store.begin().await?;
        tx.set_sheet(id, name, sheet).await.map_err(taken(name))?;
        let detail = json!({"before": before.sheet, "after": sheet});
        record(&mut tx, actor, "changed a brand sheet", name, detail).await?;
        let looks = [Family::Design, Family::Brand, Family::HandOver];
        let why = "The client's brand sheet changed since it was looked at.";
        tx.make_stale(&sites, &looks, why).await?;
        tx.commit().await?;
        self.judge_looks(actor, &sites).await
    }

    /// Judges designs and looks again from what was seen, for as many sites as can be done at once.
    pub(crate) async fn judge_looks(&self, actor: &Actor, sites: &[i64]) -> Result<()> {
        if sites.len() > MOST_AT_ONCE {
            return Ok(());
        }
        for site in sites {
            self.judge_design(*site).await?;
            match self.judge_again(actor, *site).await {
                // A site without a supplier has nothing to judge.
                Ok(_) | Err(ActError::Bad(_) | ActError::NotFound(_)) => {}
                Err(other) => return Err(other),
            }
        }
        Ok(())
    }

    /// Keeps a client's logo.
    ///
    /// # Errors
    /// Where it cannot be kept.
    pub async fn set_logo(
        &self,
        actor: &Actor,
        id: i64,
        bytes: Vec<u8>,
        extension: &str,
        media_type: &str,
    ) -> Result<()> {
        actor.may(Role::Technician)?;
        let client = self.store.client(id).await?;
        let client = client.ok_or(ActError::NotFound("client"))?;
        let key = self.blobs.put(bytes, extension).await?;
        let mut tx = self.store.begin().await?;
        tx.set_logo(id, &key, media_type).await?;
        record(
            &mut tx,
            actor,
            "changed a logo",
            &client.name,
            json!({"blob": key}),
        )
        .await?;
        Ok(tx.commit().await?)
    }
}

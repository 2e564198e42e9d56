//! Clients: added, changed, merged and removed, with their brand sheets.

use crate::handles::ClientActs;
use crate::site::versions;
use crate::{ActError, Actor, Result, record};
use newtfern_standards::typed::{self, MOST_NAME};
use newtfern_store::StoreError;
use newtfern_store::access::people::Role;
use newtfern_store::estate::clients::Client;
use newtfern_verdict::brand::BrandSheet;
use serde_json::{Value, json};

/// Sites of a client that are judged again at once; with more, they are stale until somebody looks.
const MOST_AT_ONCE: usize = 60;

fn taken(name: &str) -> impl FnOnce(StoreError) -> ActError {
    let name = name.to_string();
    move |error| match error {
        StoreError::Taken { .. } => ActError::Bad(format!(
            "A client named \u{201c}{name}\u{201d} exists already. Choose another name."
        )),
        other => ActError::Store(other),
    }
}

/// Returns the parts of a client that its form is made from.
pub fn sheet_state(client: &Client) -> (&str, &Value) {
    (&client.name, &client.sheet)
}

/// A client's name and sheet as they can be kept.
fn checked(name: &str, sheet: &BrandSheet) -> Result<()> {
    let name = typed::text(name, MOST_NAME).map_err(|e| format!("The client's name {e}."));
    name.and_then(|_| sheet.check()).map_err(ActError::Bad)
}

impl ClientActs<'_> {
    /// Adds a client with its brand sheet and returns its number.
    ///
    /// # Errors
    /// [`ActError::Bad`] where one of this name is there, or a name cannot be kept.
    pub async fn add_client(self, actor: &Actor, name: &str, sheet: &BrandSheet) -> Result<i64> {
        actor.may(Role::Technician)?;
        checked(name, sheet)?;
        let mut tx = self.acts.store.begin().await?;
        let id = tx.add_client(name, sheet).await.map_err(taken(name))?;
        record(&mut tx, actor, "added a client", name, json!({"id": id})).await?;
        tx.commit().await?;
        Ok(id)
    }

    /// Changes a client's name and brand sheet. The looks of its sites are judged again.
    ///
    /// # Errors
    /// [`ActError::Bad`] where another client has the name; [`ActError::Outdated`] where name or
    /// sheet are other than those that the form was `made_from`.
    pub async fn change_sheet(
        self,
        actor: &Actor,
        id: i64,
        name: &str,
        sheet: &BrandSheet,
        made_from: Option<&str>,
    ) -> Result<()> {
        actor.may(Role::Technician)?;
        checked(name, sheet)?;
        let sites = self.acts.store.lists().site_ids_of(&[id]).await?;
        let mut tx = self.acts.store.begin().await?;
        let before = tx.client_for_change(id).await?;
        let before = before.ok_or(ActError::NotFound("client"))?;
        versions::same(made_from, &sheet_state(&before))?;
        tx.set_sheet(id, name, sheet).await.map_err(taken(name))?;
        let detail = json!({"before": before.sheet, "after": sheet});
        record(&mut tx, actor, "changed a brand sheet", name, detail).await?;
        self.acts.checks().after_change(&mut tx, &sites).await?;
        tx.commit().await?;
        self.judge_looks(actor, &sites).await
    }

    /// Judges looks again from what was seen, for as many sites as can be done at once.
    pub(crate) async fn judge_looks(self, actor: &Actor, sites: &[i64]) -> Result<()> {
        if sites.len() > MOST_AT_ONCE {
            return Ok(());
        }
        for site in sites {
            match self.acts.checks().judge_again(actor, *site).await {
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
        self,
        actor: &Actor,
        id: i64,
        bytes: Vec<u8>,
        extension: &str,
        media_type: &str,
    ) -> Result<()> {
        actor.may(Role::Technician)?;
        let client = self.acts.store.clients().client(id).await?;
        let client = client.ok_or(ActError::NotFound("client"))?;
        let key = self.acts.blobs.put(bytes, extension).await?;
        let mut tx = self.acts.store.begin().await?;
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

    /// Puts all sites of a client under another one and removes the first.
    ///
    /// # Errors
    /// [`ActError::Bad`] where both are the same or one is gone.
    pub async fn merge_client(self, actor: &Actor, from: i64, into: i64) -> Result<()> {
        actor.may(Role::Technician)?;
        let first = self.acts.store.clients().client(from).await?;
        let first = first.ok_or(ActError::NotFound("client"))?;
        let other = self
            .acts
            .store
            .clients()
            .client(into)
            .await?
            .filter(|c| c.id != from);
        let other =
            other.ok_or_else(|| ActError::Bad("Choose another client to merge it into.".into()))?;
        let sites = self.acts.store.lists().site_ids_of(&[from]).await?;
        let mut tx = self.acts.store.begin().await?;
        tx.move_sites(&sites, into).await?;
        tx.remove_client(from).await?;
        let detail = json!({"sites": sites, "sheet": first.sheet, "into": other.name});
        record(&mut tx, actor, "merged a client", &first.name, detail).await?;
        self.acts.checks().after_change(&mut tx, &sites).await?;
        tx.commit().await?;
        self.judge_looks(actor, &sites).await
    }

    /// Removes a client that has no sites.
    ///
    /// # Errors
    /// [`ActError::Bad`] where it has some.
    pub async fn remove_client(self, actor: &Actor, id: i64) -> Result<()> {
        actor.may(Role::Technician)?;
        let client = self.acts.store.clients().client(id).await?;
        let client = client.ok_or(ActError::NotFound("client"))?;
        if client.sites > 0 {
            return Err(ActError::Bad(format!(
                "Nothing was removed: {} has {} sites. Move or remove them first, or merge the \
                client into another one.",
                client.name, client.sites
            )));
        }
        let mut tx = self.acts.store.begin().await?;
        tx.remove_client(id).await?;
        let detail = json!({"sheet": client.sheet});
        record(&mut tx, actor, "removed a client", &client.name, detail).await?;
        Ok(tx.commit().await?)
    }
}

//! Many sites at once: moved between clients, changed in one field, removed and brought back; clients
//! merged and removed; tokens of a client's accounts.

use crate::rounds::{none_ticked, of_sites};
use crate::sites::{differences, note_change};
use crate::{ActError, Actor, Acts, Result, record};
use newtfern_core::family::Family;
use newtfern_core::site::{Known, SiteField, SiteFields};
use newtfern_store::StoreError;
use newtfern_store::client_tokens::TokenKind;
use newtfern_store::people::Role;
use serde_json::json;

/// What rests on the client's brand sheet.
pub(crate) const LOOKS: [Family; 3] = [Family::Design, Family::Brand, Family::HandOver];
/// Why these are stale.
pub(crate) const MOVED: &str = "The site is another client's since it was looked at.";

/// Fields that can be set for many sites at once.
pub const BULK_FIELDS: [SiteField; 9] = [
    SiteField::Platform,
    SiteField::Slot,
    SiteField::Supplier,
    SiteField::Key,
    SiteField::Consent,
    SiteField::Country,
    SiteField::Languages,
    SiteField::On,
    SiteField::NotOn,
];

fn client_place(client: i64, kind: TokenKind, profile: &str) -> String {
    format!("client {client} {} {profile} token", kind.key())
}

/// One site and what a bulk change would do to it.
pub struct BulkChange {
    /// The site.
    pub id: i64,
    /// Client and name.
    pub name: String,
    /// As it is.
    pub before: String,
    /// As it would be.
    pub after: String,
    /// Why it cannot be.
    pub problem: Option<String>,
}

impl Acts {
    /// Moves sites to another client. Their looks rest on its brand sheet from now on.
    ///
    /// # Errors
    /// [`ActError::Bad`] where no site is ticked or no client chosen.
    pub async fn move_sites(&self, actor: &Actor, sites: &[i64], client: i64) -> Result<()> {
        actor.may(Role::Technician)?;
        if sites.is_empty() {
            return Err(none_ticked());
        }
        let to = self.store.client(client).await?;
        let to = to.ok_or_else(|| ActError::Bad("Choose the client to move them to.".into()))?;
        let mut tx = self.store.begin().await?;
        tx.move_sites(sites, client).await?;
        tx.make_stale(sites, &LOOKS, MOVED).await?;
        let detail = json!({"sites": sites, "to": to.name});
        record(&mut tx, actor, "moved sites", &to.name, detail).await?;
        tx.commit().await?;
        self.judge_looks(actor, sites).await
    }

    /// What setting one field would do to each of many sites; nothing is written.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn show_bulk(
        &self,
        sites: &[i64],
        field: SiteField,
        value: &str,
    ) -> Result<Vec<BulkChange>> {
        let choices = self.choices().await?;
        let mut out = Vec::with_capacity(sites.len());
        for site in self.store.sites_of(sites).await? {
            let (after, problem) =
                choices.known(|known| with_field(site.fields(), field, value, known));
            out.push(BulkChange {
                id: site.id,
                name: site.title(),
                before: site.fields().get(field),
                after: after.get(field),
                problem,
            });
        }
        Ok(out)
    }

    /// Sets one field of many sites, all or none. Gives how many changed.
    ///
    /// # Errors
    /// [`ActError::Bad`] where one of them cannot have the value.
    pub async fn set_bulk(
        &self,
        actor: &Actor,
        sites: &[i64],
        field: SiteField,
        value: &str,
    ) -> Result<usize> {
        actor.may(Role::Technician)?;
        if sites.is_empty() {
            return Err(none_ticked());
        }
        if !BULK_FIELDS.contains(&field) {
            return Err(ActError::Bad(format!(
                "{} is each site's own: it is not set for many at once.",
                field.label()
            )));
        }
        let choices = self.choices().await?;
        let mut tx = self.store.begin().await?;
        let mut changed = Vec::new();
        for site in self.store.sites_of(sites).await? {
            let (mut after, problem) =
                choices.known(|known| with_field(site.fields(), field, value, known));
            if let Some(why) = problem {
                return Err(ActError::Bad(format!(
                    "Nothing was changed. {}: {why}.",
                    site.title()
                )));
            }
            if field == SiteField::Platform && after.platform_id != site.platform_id {
                // A slot is its platform's.
                after.slot_id.clear();
            }
            let (detail, stale) = differences(site.fields(), &after);
            if detail.is_empty() {
                continue;
            }
            tx.set_site(site.id, &after).await?;
            note_change(&mut tx, actor, &site, detail, &stale).await?;
            changed.push(site.id);
        }
        tx.commit().await?;
        if matches!(field, SiteField::Supplier | SiteField::Key) {
            for id in &changed {
                self.judge_design(*id).await?;
            }
        }
        Ok(changed.len())
    }

    /// Removes sites; for thirty days they can be brought back. Gives the removal.
    ///
    /// # Errors
    /// [`ActError::Bad`] where no site is ticked.
    pub async fn remove_sites(&self, actor: &Actor, sites: &[i64]) -> Result<i64> {
        actor.may(Role::Technician)?;
        if sites.is_empty() {
            return Err(none_ticked());
        }
        let title = of_sites(sites.len());
        let mut tx = self.store.begin().await?;
        let removal = tx.begin_removal(&actor.name, &title).await?;
        for id in sites {
            let Some(site) = self.store.site(*id).await? else {
                continue;
            };
            tx.remove_into(removal, *id).await?;
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
    pub async fn bring_back(&self, actor: &Actor, removal: i64) -> Result<Vec<i64>> {
        actor.may(Role::Technician)?;
        let mut tx = self.store.begin().await?;
        let back = tx.bring_back(removal).await;
        let sites = back.map_err(|e| match e {
            StoreError::Taken { name, .. } => ActError::Bad(format!(
                "Nothing was brought back: {name} is the address of another site by now."
            )),
            StoreError::Gone { name, .. } => ActError::Bad(format!(
                "Nothing was brought back: the client {name} was removed. Add it again first."
            )),
            other => other.into(),
        })?;
        if sites.is_empty() {
            return Err(ActError::NotFound("removal"));
        }
        let subject = format!("{} sites", sites.len());
        let detail = json!({"removal": removal, "sites": sites});
        record(&mut tx, actor, "brought sites back", &subject, detail).await?;
        tx.commit().await?;
        Ok(sites)
    }

    /// Forgets removals that are too old to be brought back, with the files that only they held on to.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn forget_removals(&self) -> Result<()> {
        for key in self.store.forget_removals().await? {
            self.blobs.remove(&key).await?;
        }
        Ok(())
    }

    /// Puts all sites of a client under another one and removes the first.
    ///
    /// # Errors
    /// [`ActError::Bad`] where both are the same or one is gone.
    pub async fn merge_client(&self, actor: &Actor, from: i64, into: i64) -> Result<()> {
        actor.may(Role::Technician)?;
        let first = self.store.client(from).await?;
        let first = first.ok_or(ActError::NotFound("client"))?;
        let other = self.store.client(into).await?.filter(|c| c.id != from);
        let other =
            other.ok_or_else(|| ActError::Bad("Choose another client to merge it into.".into()))?;
        let sites = self.store.site_ids_of(&[from]).await?;
        let mut tx = self.store.begin().await?;
        tx.move_sites(&sites, into).await?;
        tx.make_stale(&sites, &LOOKS, MOVED).await?;
        tx.remove_client(from).await?;
        let detail = json!({"sites": sites, "sheet": first.sheet, "into": other.name});
        record(&mut tx, actor, "merged a client", &first.name, detail).await?;
        tx.commit().await?;
        self.judge_looks(actor, &sites).await
    }

    /// Removes a client that has no sites.
    ///
    /// # Errors
    /// [`ActError::Bad`] where it has some.
    pub async fn remove_client(&self, actor: &Actor, id: i64) -> Result<()> {
        actor.may(Role::Technician)?;
        let client = self.store.client(id).await?;
        let client = client.ok_or(ActError::NotFound("client"))?;
        if client.sites > 0 {
            return Err(ActError::Bad(format!(
                "{} has {} sites: move or remove them first, or merge it into another client. Nothing was removed.",
                client.name, client.sites
            )));
        }
        let mut tx = self.store.begin().await?;
        tx.remove_client(id).await?;
        let detail = json!({"sheet": client.sheet});
        record(&mut tx, actor, "removed a client", &client.name, detail).await?;
        Ok(tx.commit().await?)
    }

    /// Keeps the token of a client's account with a platform or a supplier, or lets it go.
    ///
    /// # Errors
    /// [`ActError::Bad`] where it is no token or there is no such profile.
    pub async fn set_client_token(
        &self,
        actor: &Actor,
        client: i64,
        kind: TokenKind,
        profile: &str,
        token: Option<&str>,
    ) -> Result<()> {
        actor.may(Role::Technician)?;
        let row = self.store.client(client).await?;
        let row = row.ok_or(ActError::NotFound("client"))?;
        let choices = self.choices().await?;
        let known = match kind {
            TokenKind::Platform => choices.platforms.iter().any(|p| p == profile),
            TokenKind::Supplier => choices.suppliers.iter().any(|s| s.id == profile),
        };
        if !known {
            return Err(ActError::Bad(
                "Choose the platform or supplier that the token is for.".into(),
            ));
        }
        let sealed = match token {
            Some(text) => {
                let text = crate::tokens::one_line(text)?;
                let place = client_place(client, kind, profile);
                Some(self.sealer.seal(&place, text)?)
            }
            None => None,
        };
        let mut tx = self.store.begin().await?;
        tx.set_client_token(client, kind, profile, sealed.as_deref())
            .await?;
        let act = match token {
            Some(_) => "changed a token",
            None => "removed a token",
        };
        let detail = json!({"kind": kind.key(), "profile": profile});
        record(&mut tx, actor, act, &row.name, detail).await?;
        Ok(tx.commit().await?)
    }

    /// The opened token of a client's account.
    pub(crate) async fn client_token(
        &self,
        client: i64,
        kind: TokenKind,
        profile: &str,
    ) -> Result<Option<String>> {
        let sealed = self.store.client_token(client, kind, profile).await?;
        self.open_secret(&client_place(client, kind, profile), sealed)
    }
}

/// A site's fields with one of them set, and why that cannot be.
fn with_field(
    before: &SiteFields,
    field: SiteField,
    value: &str,
    known: Known,
) -> (SiteFields, Option<String>) {
    let typed = |f: SiteField| match f == field {
        true => value.to_string(),
        false => before.get(f),
    };
    let (after, errors) = SiteFields::read(&typed, known);
    // What was wrong before is not this change's fault, but a key must fit its supplier.
    let mine = |e: &&newtfern_core::site::FieldError| {
        e.field == field || (field == SiteField::Supplier && e.field == SiteField::Key)
    };
    let why = errors.iter().find(mine).map(|e| e.why.clone());
    (after, why)
}

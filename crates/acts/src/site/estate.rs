//! Many sites at once: moved to another client, changed in one field, removed and restored.

use crate::handles::SiteActs;
use crate::results::rounds::{none_ticked, of_sites};
use crate::site::sites::{differences, note_change};
use crate::{ActError, Actor, Result, record};
use newtfern_model::site::{SiteChoices, SiteField, SiteFields};
use newtfern_store::StoreError;
use newtfern_store::access::people::Role;
use serde_json::json;

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

/// Change that a bulk change would make to one site.
pub struct BulkChange {
    /// Number of the site.
    pub id: i64,
    /// Names of the client and the site.
    pub name: String,
    /// Value before the change.
    pub before: String,
    /// Value after the change.
    pub after: String,
    /// Reason why the change cannot be made.
    pub problem: Option<String>,
}

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

    /// Returns what setting one field would do to each of many sites; nothing is written.
    pub async fn show_bulk(
        self,
        sites: &[i64],
        field: SiteField,
        value: &str,
    ) -> Result<Vec<BulkChange>> {
        let choices = self.choices().await?;
        let mut out = Vec::with_capacity(sites.len());
        for site in self.acts.store.sites().sites_of(sites).await? {
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
        self,
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
                "{} differs for each site, so it cannot be set for many sites at once.",
                field.label()
            )));
        }
        let choices = self.choices().await?;
        let mut tx = self.acts.store.begin().await?;
        let mut changed = Vec::new();
        for site in tx.sites_for_change(sites).await? {
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
            let detail = differences(site.fields(), &after);
            if detail.is_empty() {
                continue;
            }
            tx.set_site(site.id, &after).await?;
            note_change(&mut tx, actor, &site, detail).await?;
            changed.push(site.id);
        }
        self.acts.checks().after_change(&mut tx, &changed).await?;
        tx.commit().await?;
        Ok(changed.len())
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

/// A site's fields with one of them set, and why that cannot be.
fn with_field(
    before: &SiteFields,
    field: SiteField,
    value: &str,
    known: SiteChoices,
) -> (SiteFields, Option<String>) {
    let typed = |f: SiteField| match f == field {
        true => value.to_string(),
        false => before.get(f),
    };
    let (after, errors) = SiteFields::read(&typed, known);
    // What was wrong before is not this change's fault, but a key must fit its supplier.
    let mine = |e: &&newtfern_model::site::FieldError| {
        e.field == field || (field == SiteField::Supplier && e.field == SiteField::Key)
    };
    let why = errors.iter().find(mine).map(|e| e.why.clone());
    (after, why)
}

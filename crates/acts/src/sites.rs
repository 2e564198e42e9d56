//! Adding, changing and removing a site.

use crate::placing;
use crate::tokens::{self, Token};
use crate::{ActError, Actor, Acts, Result, record};
use newtfern_core::address;
use newtfern_core::family::Family;
use newtfern_core::job::JobKind;
use newtfern_core::profile::Supplier;
use newtfern_core::site::{FieldError, Known, SiteField, SiteFields};
use newtfern_store::people::Role;
use newtfern_store::queue::Urgency;
use newtfern_store::sites::Site;
use newtfern_store::{StoreError, Tx};
use serde_json::json;
use url::Url;

/// A site that was added.
pub struct Added {
    /// Its id.
    pub id: i64,
}

/// A field's mistake.
fn at(field: SiteField, why: impl Into<String>) -> ActError {
    ActError::Fields(vec![FieldError {
        field,
        why: why.into(),
    }])
}

/// Families that rest on a field of a site.
fn resting_on(field: SiteField) -> &'static [Family] {
    use Family::{Brand, Consent, Echo, HandOver, Load, Pages, Place, Watch, Weigh};
    match field {
        SiteField::Supplier | SiteField::Key | SiteField::Address => &[
            Place, Load, Pages, Echo, Weigh, Consent, Brand, HandOver, Watch,
        ],
        SiteField::On | SiteField::NotOn => &[Place, Load, Pages, HandOver],
        SiteField::Consent => &[Load, Pages, Consent, HandOver],
        SiteField::Country => &[Consent, HandOver],
        SiteField::Platform | SiteField::Slot | SiteField::TagManager | SiteField::TagSet => {
            &[Place]
        }
        SiteField::Budget => &[Weigh],
        SiteField::Name | SiteField::Languages | SiteField::TimeZone | SiteField::Contact => &[],
    }
}

/// Why what rested on a site's settings is stale.
pub(crate) const CHANGED: &str = "The site's settings changed since it was looked at.";

/// What differs between two states of a site's fields, and what rests on that.
pub(crate) fn differences(
    before: &SiteFields,
    after: &SiteFields,
) -> (serde_json::Map<String, serde_json::Value>, Vec<Family>) {
    let mut changed = serde_json::Map::new();
    let mut stale: Vec<Family> = Vec::new();
    for field in SiteField::ALL {
        let (was, is) = (before.get(*field), after.get(*field));
        if was != is {
            changed.insert(field.heading().into(), json!({"before": was, "after": is}));
            stale.extend(resting_on(*field));
        }
    }
    (changed, stale)
}

/// A site was changed: what rests on that is stale, and it is told who did it.
pub(crate) async fn note_change(
    tx: &mut Tx,
    actor: &Actor,
    before: &Site,
    changed: serde_json::Map<String, serde_json::Value>,
    stale: &[Family],
) -> Result<()> {
    if !stale.is_empty() {
        tx.make_stale(&[before.id], stale, CHANGED).await?;
    }
    let detail = serde_json::Value::Object(changed);
    record(tx, actor, "changed a site", &before.url, detail).await
}

fn taken(error: StoreError) -> ActError {
    match error {
        StoreError::Taken { .. } => at(
            SiteField::Address,
            "a site with this address is there already",
        ),
        other => other.into(),
    }
}

/// What a site may name, owned, so that forms and files can be read against it.
pub struct Choices {
    pub(crate) platforms: Vec<String>,
    pub(crate) suppliers: Vec<Supplier>,
    pub(crate) consents: Vec<String>,
}

impl Choices {
    /// Calls `read` with what is known.
    pub(crate) fn known<T>(&self, read: impl FnOnce(Known) -> T) -> T {
        let platforms: Vec<&str> = self.platforms.iter().map(String::as_str).collect();
        let consents: Vec<&str> = self.consents.iter().map(String::as_str).collect();
        let suppliers: Vec<&Supplier> = self.suppliers.iter().collect();
        read(Known {
            platforms: &platforms,
            suppliers: &suppliers,
            consents: &consents,
        })
    }
}

impl Acts {
    pub(crate) async fn choices(&self) -> Result<Choices> {
        let platforms = self.store.platforms().await?;
        let managers = self.store.consent_managers().await?;
        Ok(Choices {
            platforms: platforms.into_iter().map(|p| p.id).collect(),
            suppliers: self.store.all_suppliers().await?,
            consents: managers.into_iter().map(|m| m.id).collect(),
        })
    }

    /// An empty spreadsheet with what each column takes.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn site_template(&self) -> Result<String> {
        let choices = self.choices().await?;
        Ok(choices.known(newtfern_core::intake::template))
    }

    /// Reads a form against what the house knows; mistakes come with what was typed.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn read_site(
        &self,
        typed: &(dyn Fn(SiteField) -> String + Sync),
    ) -> Result<(SiteFields, Vec<FieldError>)> {
        let choices = self.choices().await?;
        Ok(choices.known(|known| SiteFields::read(typed, known)))
    }

    /// Adds a site, after looking at its address. `anyway` adds one that does not answer; the network
    /// rule holds all the same.
    ///
    /// # Errors
    /// [`ActError::Fields`] with what to mend where.
    pub async fn add_site(
        &self,
        actor: &Actor,
        client: i64,
        mut fields: SiteFields,
        anyway: bool,
    ) -> Result<Added> {
        actor.may(Role::Technician)?;
        if self.store.client(client).await?.is_none() {
            let why = "Choose the client that the site belongs to.";
            return Err(ActError::Bad(why.into()));
        }
        let url = self.may_go_to(&fields.url).await?;
        let platforms = self.store.platforms().await?;
        let looked = self.outside.look(&fields.url, &platforms).await;
        if let Some(problem) = looked.problem.filter(|_| !anyway) {
            return Err(at(SiteField::Address, problem));
        }
        fields.platform_id = fields.platform_id.or(looked.platform);
        if fields.name.is_empty() {
            let title: String = looked.title.chars().take(120).collect();
            fields.name = match title.trim() {
                "" => url.host_str().unwrap_or("Site").to_string(),
                title => title.to_string(),
            };
        }
        let mut tx = self.store.begin().await?;
        let id = tx.add_site(client, &fields).await.map_err(taken)?;
        let title = "Pictures for the design: 1 site";
        tx.start_round(JobKind::Preview, title, &actor.name, &[id], Urgency::Idle)
            .await?;
        record(
            &mut tx,
            actor,
            "added a site",
            &fields.url,
            json!({"id": id}),
        )
        .await?;
        tx.commit().await?;
        self.judge_design(id).await?;
        Ok(Added { id })
    }

    /// An address that the network rule allows.
    async fn may_go_to(&self, typed: &str) -> Result<Url> {
        let url = address::parse(typed).map_err(|e| at(SiteField::Address, e.to_string()))?;
        if let Err(error) = self.store.private_hosts().await?.refuse(&url) {
            let why =
                format!("{error}: only an administrator can allow it (Settings, house rules)");
            return Err(at(SiteField::Address, why));
        }
        Ok(url)
    }

    /// Where a site's token goes: the interface of its platform's slots.
    pub(crate) async fn interface_of(&self, fields: &SiteFields) -> Result<Option<Url>> {
        let platform = self.store.platform_of(fields).await?;
        Ok(platform.and_then(|p| {
            let mut slots = p.slots.iter();
            slots.find_map(|slot| placing::address(&fields.url, &p, slot, true))
        }))
    }

    /// Changes a site. What rested on a changed field is stale from now on.
    ///
    /// # Errors
    /// [`ActError::Fields`] with what to mend where.
    pub async fn change_site(
        &self,
        actor: &Actor,
        id: i64,
        fields: &SiteFields,
        token: Option<Token<'_>>,
    ) -> Result<()> {
        actor.may(Role::Technician)?;
        let before = self
            .store
            .site(id)
            .await?
            .ok_or(ActError::NotFound("site"))?;
        if fields.name.trim().is_empty() {
            return Err(at(SiteField::Name, "give the site a name"));
        }
        let token = tokens::checked(token, self.interface_of(fields).await?)?;
        if before.url != fields.url {
            self.may_go_to(&fields.url).await?;
        }
        let (mut changed, stale) = differences(before.fields(), fields);
        let mut tx = self.store.begin().await?;
        tx.set_site(id, fields).await.map_err(taken)?;
        if before.url != fields.url {
            tx.note_address(id, &before.url, &fields.url, &actor.name)
                .await?;
        }
        let origin = |url: &str| Url::parse(url).map(|u| u.origin()).ok();
        if token.is_none() && origin(&before.url) != origin(&fields.url) {
            // It was entered for another host.
            tx.drop_site_token(id).await?;
        }
        if let Some(token) = token {
            self.keep_site_token(&mut tx, id, token).await?;
            changed.insert("token".into(), json!("changed"));
        }
        note_change(&mut tx, actor, &before, changed, &stale).await?;
        tx.commit().await?;
        self.judge_design(id).await
    }

    /// Removes a site; its name is asked for, so that it is not done by a slip. For thirty days it can be
    /// brought back. Gives the removal.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the name is another.
    pub async fn remove_site(&self, actor: &Actor, id: i64, name: &str) -> Result<i64> {
        actor.may(Role::Technician)?;
        let site = self
            .store
            .site(id)
            .await?
            .ok_or(ActError::NotFound("site"))?;
        if name != site.name {
            return Err(ActError::Bad(format!(
                "To remove the site, type its name, {}. Nothing was removed.",
                site.name
            )));
        }
        self.remove_sites(actor, &[id]).await
    }
}

//! Adding, changing and removing a site.

use crate::handles::SiteActs;
use crate::sealed::tokens::{self, Token};
use crate::site::versions;
use crate::{ActError, Actor, Result, record};
use newtfern_model::job::JobKind;
use newtfern_model::profile::Supplier;
use newtfern_model::site::{FieldError, SiteChoices, SiteField, SiteFields};
use newtfern_standards::address;
use newtfern_store::access::people::Role;
use newtfern_store::estate::sites::Site;
use newtfern_store::results::queue::Urgency;
use newtfern_store::{StoreError, Tx};
use serde_json::json;
use url::Url;

/// A site that was added.
pub struct AddedSite {
    /// Number of the new site.
    pub id: i64,
}

/// Returns the error of one field.
fn at(field: SiteField, why: impl Into<String>) -> ActError {
    ActError::Fields(vec![FieldError {
        field,
        why: why.into(),
    }])
}

/// Returns the differences between two states of a site's fields.
pub(crate) fn differences(
    before: &SiteFields,
    after: &SiteFields,
) -> serde_json::Map<String, serde_json::Value> {
    let mut changed = serde_json::Map::new();
    for field in SiteField::ALL {
        let (was, is) = (before.get(*field), after.get(*field));
        if was != is {
            changed.insert(field.heading().into(), json!({"before": was, "after": is}));
        }
    }
    changed
}

/// A site was changed: it is told who did it.
pub(crate) async fn note_change(
    tx: &mut Tx,
    actor: &Actor,
    before: &Site,
    changed: serde_json::Map<String, serde_json::Value>,
) -> Result<()> {
    let detail = serde_json::Value::Object(changed);
    record(tx, actor, "changed a site", &before.url, detail).await
}

fn taken(error: StoreError) -> ActError {
    match error {
        StoreError::Taken { .. } => at(SiteField::Address, "another site has this address already"),
        other => other.into(),
    }
}

/// Choices for the fields of a site, owned, so that forms and files can be read against them.
pub struct Choices {
    pub(crate) platforms: Vec<String>,
    pub(crate) suppliers: Vec<Supplier>,
    pub(crate) consents: Vec<String>,
}

impl Choices {
    /// Calls `read` with what is known.
    pub(crate) fn known<T>(&self, read: impl FnOnce(SiteChoices) -> T) -> T {
        let platforms: Vec<&str> = self.platforms.iter().map(String::as_str).collect();
        let consents: Vec<&str> = self.consents.iter().map(String::as_str).collect();
        let suppliers: Vec<&Supplier> = self.suppliers.iter().collect();
        read(SiteChoices {
            platforms: &platforms,
            suppliers: &suppliers,
            consents: &consents,
        })
    }
}

impl SiteActs<'_> {
    pub(crate) async fn choices(self) -> Result<Choices> {
        let platforms = self.acts.store.profiles().platforms().await?;
        let managers = self.acts.store.profiles().consent_managers().await?;
        Ok(Choices {
            platforms: platforms.into_iter().map(|p| p.id).collect(),
            suppliers: self.acts.store.profiles().all_suppliers().await?,
            consents: managers.into_iter().map(|m| m.id).collect(),
        })
    }

    /// An empty spreadsheet with what each column takes.
    pub async fn site_template(self) -> Result<String> {
        let choices = self.choices().await?;
        Ok(choices.known(newtfern_model::intake::template))
    }

    /// Reads a form against what the house knows; mistakes come with what was typed.
    pub async fn read_site(
        self,
        typed: &(dyn Fn(SiteField) -> String + Sync),
    ) -> Result<(SiteFields, Vec<FieldError>)> {
        let choices = self.choices().await?;
        Ok(choices.known(|known| SiteFields::read(typed, known)))
    }

    /// Adds a site, after looking at its address. `anyway` adds one that does not answer; the
    /// network rule holds all the same.
    ///
    /// # Errors
    /// [`ActError::Fields`] with what to mend where.
    pub async fn add_site(
        self,
        actor: &Actor,
        client: i64,
        mut fields: SiteFields,
        anyway: bool,
    ) -> Result<AddedSite> {
        actor.may(Role::Technician)?;
        if self.acts.store.clients().client(client).await?.is_none() {
            let why = "Choose a client for the site.";
            return Err(ActError::Bad(why.into()));
        }
        let url = self.may_go_to(&fields.url).await?;
        let platforms = self.acts.store.profiles().platforms().await?;
        let looked = self.acts.outside.look(&fields.url, &platforms).await;
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
        let mut tx = self.acts.store.begin().await?;
        let id = tx.add_site(client, &fields).await.map_err(taken)?;
        let title = "Screenshots for the design: 1 site";
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
        self.acts.checks().after_change(&mut tx, &[id]).await?;
        tx.commit().await?;
        Ok(AddedSite { id })
    }

    /// An address that the network rule allows.
    async fn may_go_to(self, typed: &str) -> Result<Url> {
        let url = address::parse(typed).map_err(|e| at(SiteField::Address, e.to_string()))?;
        if let Err(error) = self
            .acts
            .store
            .settings()
            .private_hosts()
            .await?
            .refuse(&url)
        {
            let why =
                format!("{error}: only an administrator can allow it (Settings, house rules)");
            return Err(at(SiteField::Address, why));
        }
        Ok(url)
    }

    /// Changes a site. What rested on a changed field is stale from now on.
    ///
    /// # Errors
    /// [`ActError::Fields`] with what to mend where; [`ActError::Outdated`] where the fields are
    /// other than those that the form was `made_from`.
    pub async fn change_site(
        self,
        actor: &Actor,
        id: i64,
        fields: &SiteFields,
        token: Option<Token<'_>>,
        made_from: Option<&str>,
    ) -> Result<()> {
        actor.may(Role::Technician)?;
        let seen = self.acts.store.sites().site(id).await?;
        let seen = seen.ok_or(ActError::NotFound("site"))?;
        if fields.name.trim().is_empty() {
            return Err(at(SiteField::Name, "enter a name for the site"));
        }
        let goes_to = self.acts.tokens().site_addresses(fields).await?;
        let token = tokens::checked(token, goes_to.iter().cloned())?;
        if seen.url != fields.url {
            self.may_go_to(&fields.url).await?;
        }
        let mut tx = self.acts.store.begin().await?;
        let before = tx.sites_for_change(&[id]).await?.pop();
        let before = before.ok_or(ActError::NotFound("site"))?;
        versions::same(made_from, before.fields())?;
        let mut changed = differences(before.fields(), fields);
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
            self.acts
                .tokens()
                .keep_site_token(&mut tx, actor, id, (token, &goes_to))
                .await?;
            changed.insert("token".into(), json!("changed"));
        }
        note_change(&mut tx, actor, &before, changed).await?;
        self.acts.checks().after_change(&mut tx, &[id]).await?;
        Ok(tx.commit().await?)
    }

    /// Removes a site; its name is asked for, so that it is not done by a slip. For thirty days it
    /// can be brought back. Gives the removal.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the name is another.
    pub async fn remove_site(self, actor: &Actor, id: i64, name: &str) -> Result<i64> {
        actor.may(Role::Technician)?;
        let site = self
            .acts
            .store
            .sites()
            .site(id)
            .await?
            .ok_or(ActError::NotFound("site"))?;
        if name != site.name {
            return Err(ActError::Bad(format!(
                "Nothing was removed. To confirm, type the name of the site: {}.",
                site.name
            )));
        }
        self.remove_sites(actor, &[id]).await
    }
}

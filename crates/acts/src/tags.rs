//! Placing through a tag manager: its set read, the supplier's tag mended, published as a version with a
//! note, put back by publishing the version before. And what a set and a draft tell beside a visit.

use crate::placing::PLACED;
use crate::{ActError, Actor, Acts, Result, SlotError, Subject, record};
use newtfern_core::address_template;
use newtfern_core::chain::{Aside, AsideLook, Purpose};
use newtfern_core::html::Document;
use newtfern_core::observation::Observation;
use newtfern_core::placement::Inspector;
use newtfern_core::platform::{Interface, Platform};
use newtfern_core::tags::{Published, TagChange, TagLook, TagSet, place};
use newtfern_heavy::heavy;
use newtfern_store::client_tokens::TokenKind;
use newtfern_store::people::Role;
use newtfern_store::placements::{NewPlacement, Placement};
use newtfern_store::sites::Site;
use serde_json::{Value, json};
use url::Url;

/// Begins the name under which a set's versions are kept with what slots held.
const OF_SET: &str = "tag:";
/// What a set's own text may be, in bytes.
const MOST_SET: usize = 2_000_000;

/// What the page of placing shows of a site's tag manager.
pub struct TagPage {
    pub manager: Platform,
    pub set: Option<TagSet>,
    pub change: Option<TagChange>,
    /// Why the set is not there, or nothing can be placed.
    pub problem: String,
}

/// What a push of a tag is of.
#[derive(Debug, Clone, Copy)]
pub(crate) enum SetSeen {
    /// The version of the draft that a person saw.
    Version(u64),
    /// The set as it is now: nobody looks at each of the many sites of a round.
    InRound(i64),
}

fn bad(why: impl Into<String>) -> ActError {
    ActError::Bad(why.into())
}

fn filled(template: Option<&str>, site: &Site) -> Option<Url> {
    let url = Url::parse(&site.url).ok()?;
    let named = [("set", site.tag_set.as_str())];
    address_template::fill(template?, Some(&url), &named).ok()
}

impl Acts {
    async fn tag_manager(&self, site: &Site) -> Result<Option<Platform>> {
        let Some(id) = &site.tag_manager_id else {
            return Ok(None);
        };
        Ok(self.store.platform(id).await?)
    }

    async fn tag_token(&self, site: &Site, manager: &Platform) -> Result<String> {
        let kind = TokenKind::Platform;
        let token = self.client_token(site.client_id, kind, &manager.id).await?;
        token.ok_or_else(|| {
            bad(format!(
                "{} has no token for {}: enter it on the client's page.",
                site.client_name, manager.name
            ))
        })
    }

    async fn call(&self, method: &str, at: Url, token: &str, body: Option<Value>) -> Result<Value> {
        if newtfern_core::address::is_unencrypted(&at) {
            return Err(ActError::Unencrypted(at.origin().ascii_serialization()));
        }
        let outside = self.outside();
        Ok(outside.call(method, &at, token, body.as_ref()).await?)
    }

    async fn read_set(&self, site: &Site, manager: &Platform) -> Result<TagSet> {
        let template = manager.sets.as_ref().and_then(|s| s.read.as_deref());
        let at = filled(template, site).ok_or_else(|| {
            bad(format!(
                "{} has no interface that is known: read its exported set from a file.",
                manager.name
            ))
        })?;
        let token = self.tag_token(site, manager).await?;
        let told = self.call("GET", at, &token, None).await?;
        read(&told.to_string())
    }

    /// What the tag manager of a site holds and what placing through it would change; nothing for a site
    /// that names none. `file` is an exported set, where there is no interface.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn tag_page(&self, id: i64, file: Option<&str>) -> Result<Option<TagPage>> {
        let (site, _) = self.site_and_client(id).await?;
        let Some(manager) = self.tag_manager(&site).await? else {
            return Ok(None);
        };
        let set = match file {
            Some(text) => read(text),
            None => self.read_set(&site, &manager).await,
        };
        let mut page = TagPage {
            manager,
            set: None,
            change: None,
            problem: String::new(),
        };
        match set {
            Err(ActError::Store(error)) => return Err(error.into()),
            Err(other) => page.problem = other.to_string(),
            Ok(set) => {
                match self.tag_change(&site, &set).await {
                    Err(ActError::Store(error)) => return Err(error.into()),
                    Err(other) => page.problem = other.to_string(),
                    Ok(change) => page.change = Some(change),
                }
                page.set = Some(set);
            }
        }
        Ok(Some(page))
    }

    async fn tag_change(&self, site: &Site, set: &TagSet) -> Result<TagChange> {
        let s = self.subject(site.id).await?;
        if s.site.key.trim().is_empty() {
            return Err(bad("The key is empty: choose the client's account first."));
        }
        let html = s.supplier.snippet_for(&s.site.key);
        let consent = s.consent.as_ref().and_then(|m| m.category_for(&s.supplier));
        let change = heavy(|| place(set, &s.supplier, &html, &s.rules, consent)).await;
        change.map_err(|e| bad(format!("{e}.")))
    }

    /// Places the snippet through the site's tag manager and publishes its set as a version. `seen` is the
    /// version of the draft that the person saw. False where all was right already.
    ///
    /// # Errors
    /// Where the set has changed since, or the interface refuses; then nothing is published.
    pub async fn push_tag(&self, actor: &Actor, id: i64, seen: u64) -> Result<bool> {
        self.push_tag_of(actor, id, SetSeen::Version(seen)).await
    }

    /// As [`Acts::push_tag`]; in a round, as the set is now.
    pub(crate) async fn push_tag_of(&self, actor: &Actor, id: i64, seen: SetSeen) -> Result<bool> {
        actor.may(Role::Technician)?;
        let (site, _) = self.site_and_client(id).await?;
        let manager = self.tag_manager(&site).await?;
        let manager = manager.ok_or_else(|| bad("The site names no tag manager."))?;
        let set = self.read_set(&site, &manager).await?;
        let round = match seen {
            SetSeen::Version(seen) if set.version != seen => {
                return Err(SlotError::Conflict.into());
            }
            SetSeen::Version(_) => None,
            SetSeen::InRound(round) => Some(round),
        };
        let change = self.tag_change(&site, &set).await?;
        if change.told.is_empty() {
            return Ok(false);
        }
        let sets = manager.sets.as_ref();
        let write = filled(sets.and_then(|s| s.write.as_deref()), &site);
        let publish = filled(sets.and_then(|s| s.publish.as_deref()), &site);
        let (Some(write), Some(publish)) = (write, publish) else {
            return Err(bad(format!("{} can be read only.", manager.name)));
        };
        let token = self.tag_token(&site, &manager).await?;
        let before = serde_json::to_string_pretty(&set.published).unwrap_or_default();
        let mut tx = self.store.begin().await?;
        let after = Published {
            version: set.published.as_ref().map_or(1, |p| p.version + 1),
            note: format!("{} by Newtfern", change.told.join("; ")),
            tags: change.tags.clone(),
        };
        let slot = format!("{OF_SET}{}", set.id);
        tx.add_placement(&NewPlacement {
            site: id,
            slot: &slot,
            before: &before,
            after: &serde_json::to_string_pretty(&Some(&after)).unwrap_or_default(),
            ours: &change.tag.html,
            who: &actor.name,
            batch: None,
            round,
        })
        .await?;
        let detail = json!({"set": set.id, "told": change.told});
        record(&mut tx, actor, "published a set of tags", &site.url, detail).await?;
        let why = "The set of tags was published since the site was looked at: verify again.";
        tx.make_stale(&[id], &PLACED, why).await?;
        if change.tags != set.tags {
            let body = json!({"version": set.version, "tags": change.tags});
            self.call("PUT", write, &token, Some(body)).await?;
        }
        let body = json!({"note": after.note});
        self.call("POST", publish, &token, Some(body)).await?;
        tx.commit().await?;
        Ok(true)
    }

    /// Publishes the version that was live before a push.
    pub(crate) async fn put_tag_back(
        &self,
        actor: &Actor,
        site: &Site,
        past: &Placement,
    ) -> Result<()> {
        let manager = self.tag_manager(site).await?;
        let manager = manager.ok_or_else(|| bad("The site names no tag manager any more."))?;
        let before: Option<Published> = serde_json::from_str(&past.before_text).unwrap_or_default();
        let before = before.ok_or_else(|| {
            bad("Nothing was published before: pause the tag in the tag manager instead.")
        })?;
        let template = manager.sets.as_ref().and_then(|s| s.publish.as_deref());
        let publish = filled(template, site).ok_or(ActError::NotFound("interface"))?;
        let token = self.tag_token(site, &manager).await?;
        let mut tx = self.store.begin().await?;
        tx.mark_put_back(past.id).await?;
        let detail = json!({"set": site.tag_set, "version": before.version});
        let act = "published the version before";
        record(&mut tx, actor, act, &site.url, detail).await?;
        let why = "The set of tags was put back since the site was looked at: verify again.";
        tx.make_stale(&[site.id], &PLACED, why).await?;
        let body = json!({"version": before.version, "note": "put back by Newtfern"});
        self.call("POST", publish, &token, Some(body)).await?;
        Ok(tx.commit().await?)
    }

    /// Copies beside a visit that tell why nothing of the snippet came: the draft at the platform's preview
    /// address, and the set of the tag manager. None where the snippet is in the page.
    ///
    /// # Errors
    /// Where the database refuses; what the outside does not give tells nothing.
    pub async fn beside(&self, s: &Subject, visits: &[Observation]) -> Result<Vec<Aside>> {
        let inspector = Inspector::new(&s.supplier, s.consent.as_ref());
        let missing = |o: &&Observation| {
            let pieces = inspector.pieces(&o.page.html, &s.url);
            o.page.failure.is_none()
                && o.looks.alive.seen_ms().is_none()
                && !pieces.iter().any(|p| p.state.comes())
        };
        let Some(seen) = visits.iter().find(missing) else {
            return Ok(Vec::new());
        };
        let mut out = Vec::new();
        let platform = self.store.platform_of(&s.site).await?;
        let preview = platform.and_then(|p| Interface::fill(p.preview.as_deref()?, &s.url, ""));
        if let Some(preview) = preview {
            let copy = self.outside().page(&preview).await;
            if copy.is_had() {
                out.push(Aside {
                    purpose: Purpose::Draft,
                    url: preview.to_string(),
                    status: copy.page.status.unwrap_or_default(),
                    html: copy.page.html,
                    look: AsideLook::Had,
                    blob: None,
                });
            }
        }
        out.extend(self.tag_aside(s, &seen.page.html).await?);
        Ok(out)
    }

    async fn tag_aside(&self, s: &Subject, html: &str) -> Result<Option<Aside>> {
        let Some(manager) = self.tag_manager(&s.site).await? else {
            return Ok(None);
        };
        let set = match self.read_set(&s.site, &manager).await {
            Ok(set) => set,
            Err(ActError::Store(error)) => return Err(error.into()),
            Err(_) => return Ok(None),
        };
        let loaded = heavy(|| {
            let marks = manager.sets.as_ref();
            marks.map(|m| m.in_page(&Document::parse(html)))
        });
        let loaded = loaded.await.unwrap_or_default().into_iter();
        let look = TagLook {
            manager: manager.name.clone(),
            loaded: loaded.map(|(set, _)| set).collect(),
            set,
        };
        let template = manager.sets.as_ref().and_then(|m| m.read.as_deref());
        Ok(Some(Aside {
            purpose: Purpose::TagSet,
            url: filled(template, &s.site)
                .map(|u| u.to_string())
                .unwrap_or_default(),
            status: 200,
            html: serde_json::to_string(&look).unwrap_or_default(),
            look: AsideLook::Had,
            blob: None,
        }))
    }
}

pub(crate) fn is_of_set(past: &Placement) -> bool {
    past.slot_id.starts_with(OF_SET)
}

fn read(text: &str) -> Result<TagSet> {
    if text.len() > MOST_SET {
        return Err(bad("The set is larger than 2 MB."));
    }
    TagSet::read(text).map_err(|e| bad(format!("{e}.")))
}

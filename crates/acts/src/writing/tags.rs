//! Placing through a tag manager: its set read, the supplier's tag mended, published as a version
//! with a note, put back by publishing the version before. And what a set and a draft tell beside a
//! visit.

use crate::handles::PlacingActs;
use crate::sealed::token_origins::{held, platform_addresses};
use crate::writing::begun::{self, WriteState};
use crate::{ActError, Actor, Result, SlotError, Subject, TokenState};
use newtfern_heavy::heavy;
use newtfern_model::placement::Inspector;
use newtfern_model::platform::{Interface, Platform};
use newtfern_model::profile::Supplier;
use newtfern_model::tags::{PublishedSet, Tag, TagError, TagLook, TagSet, TaggedWidget, place};
use newtfern_standards::address_template;
use newtfern_standards::html::Document;
use newtfern_standards::observation::{Aside, AsideLook, Observation, Purpose};
use newtfern_store::access::people::Role;
use newtfern_store::estate::sites::Site;
use newtfern_store::sealed::client_tokens::TokenKind;
use newtfern_store::writing::begun_writes::{BegunWrite, WriteKind};
use newtfern_store::writing::placements::{NewPlacement, Placement};
use serde_json::{Value, json};
use url::Url;

/// Begins the name under which a set's versions are kept with what slots held.
const OF_SET: &str = "tag:";
/// Largest text of a tag set, in bytes.
const MOST_SET: usize = 2_000_000;

/// Tag manager of a site, as the page of placing shows it.
pub struct TagPage {
    pub manager: Platform,
    pub set: Option<TagSet>,
    pub change: Option<SetChange>,
    /// Reason why the set is not there, or nothing can be placed.
    pub problem: String,
}

/// Change that placing all widgets of a site makes to its set.
#[derive(Debug)]
pub struct SetChange {
    /// All tags of the draft afterwards.
    pub tags: Vec<Tag>,
    /// The widgets' tags as they will be, in the order of the widgets.
    pub own: Vec<Tag>,
    /// Steps in words; empty where all is right already.
    pub told: Vec<String>,
}

impl SetChange {
    /// Code of the widgets' tags.
    fn code(&self) -> String {
        let all: Vec<&str> = self.own.iter().map(|t| t.html.as_str()).collect();
        all.join("\n")
    }
}

/// State of the set that a push was asked for.
#[derive(Debug, Clone, Copy)]
pub(crate) enum KnownSet {
    /// The version of the draft that a person saw.
    Version(u64),
    /// The set as it is now: nobody looks at each of the many sites of a round.
    InRound(i64),
}

fn bad(why: impl Into<String>) -> ActError {
    ActError::Bad(why.into())
}

fn filled(template: Option<&str>, site: &Site) -> Option<Url> {
    let url = site.address().ok()?;
    let named = [("set", site.tag_set.as_str())];
    address_template::fill(template?, Some(&url), &named).ok()
}

/// The addresses of a set's interface: where its draft is written, and where it is published.
fn write_interface(manager: &Platform, site: &Site) -> Result<(Url, Url)> {
    let sets = manager.sets.as_ref();
    let write = filled(sets.and_then(|s| s.write.as_deref()), site);
    let publish = filled(sets.and_then(|s| s.publish.as_deref()), site);
    write.zip(publish).ok_or_else(|| {
        bad(format!(
            "Newtfern can read {} but cannot write to it.",
            manager.name
        ))
    })
}

impl PlacingActs<'_> {
    /// Writes the draft of a set, where it changed, and publishes it.
    async fn publish_set(
        self,
        (write, publish): (Url, Url),
        token: &str,
        draft: Option<Value>,
        note: &str,
    ) -> Result<()> {
        if draft.is_some() {
            self.call("PUT", write, token, draft).await?;
        }
        let body = json!({"note": note});
        self.call("POST", publish, token, Some(body)).await?;
        Ok(())
    }

    async fn tag_manager(self, site: &Site) -> Result<Option<Platform>> {
        let Some(id) = &site.tag_manager_id else {
            return Ok(None);
        };
        Ok(self.acts.store.profiles().platform(id).await?)
    }

    async fn tag_token(self, site: &Site, manager: &Platform) -> Result<String> {
        let kind = TokenKind::Platform;
        let goes_to = platform_addresses(manager, &site.address()?, &site.tag_set);
        let state =
            self.acts
                .tokens()
                .client_token_state(site.client_id, kind, &manager.id, &goes_to);
        match state.await? {
            TokenState::Ready(token) => Ok(token),
            TokenState::Missing => Err(bad(format!(
                "{} has no token for {}. Enter it on the client's page.",
                site.client_name, manager.name
            ))),
            TokenState::Held(origins) => {
                let whose = format!("The token of {} for {}", site.client_name, manager.name);
                Err(held(&whose, &origins, "confirm it on the client's page"))
            }
        }
    }

    async fn call(self, method: &str, at: Url, token: &str, body: Option<Value>) -> Result<Value> {
        if newtfern_standards::address::is_unencrypted(&at) {
            return Err(ActError::Unencrypted(at.origin().ascii_serialization()));
        }
        let outside = self.acts.outside();
        Ok(outside.call(method, &at, token, body.as_ref()).await?)
    }

    async fn read_set(self, site: &Site, manager: &Platform) -> Result<TagSet> {
        let template = manager.sets.as_ref().and_then(|s| s.read.as_deref());
        let at = filled(template, site).ok_or_else(|| {
            bad(format!(
                "The profile of {} has no interface. Export the set there and check the file here.",
                manager.name
            ))
        })?;
        let token = self.tag_token(site, manager).await?;
        let told = self.call("GET", at, &token, None).await?;
        read(&told.to_string())
    }

    /// Returns what the tag manager of a site has, and what placing through it would change; none
    /// for a site without one. `file` is an exported set, where there is no interface.
    pub async fn tag_page(self, id: i64, file: Option<&str>) -> Result<Option<TagPage>> {
        let (site, _) = self.acts.sites().site_and_client(id).await?;
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

    async fn tag_change(self, site: &Site, set: &TagSet) -> Result<SetChange> {
        let s = self.acts.sites().subject(site.id).await?;
        let suppliers: Vec<&Supplier> = std::iter::once(&s.supplier).chain(&s.further).collect();
        let keys: Vec<&str> = s.file.widgets.iter().map(|w| w.key.as_str()).collect();
        if keys.iter().any(|key| key.trim().is_empty()) {
            return Err(bad("The key is empty: choose the client's account first."));
        }
        let change = heavy(|| {
            // Each widget in turn, into the set as the one before leaves it.
            let mut set = set.clone();
            let (mut told, mut own) = (Vec::new(), Vec::new());
            for ((widget, supplier), key) in s.file.widgets.iter().zip(suppliers).zip(&keys) {
                let siblings: Vec<&str> = keys.iter().copied().filter(|k| k != key).collect();
                let change = place(
                    &set,
                    &TaggedWidget {
                        supplier,
                        html: &supplier.snippet_for(key),
                        rules: &widget.rules(),
                        consent: s.consent.as_ref().and_then(|m| m.category_for(supplier)),
                        siblings: &siblings,
                    },
                )?;
                told.extend(change.told);
                own.push(change.tag);
                set.tags = change.tags;
            }
            Ok(SetChange {
                tags: set.tags,
                own,
                told,
            })
        });
        let change: std::result::Result<SetChange, TagError> = change.await;
        change.map_err(|e| bad(format!("{e}.")))
    }

    /// Places the snippet through the site's tag manager and publishes its set as a version. `seen`
    /// is the version of the draft that the person saw. False where all was right already.
    ///
    /// # Errors
    /// Where the set has changed since, or the interface refuses; then nothing is published.
    pub async fn push_tag(self, actor: &Actor, id: i64, seen: u64) -> Result<bool> {
        self.push_tag_of(actor, id, KnownSet::Version(seen)).await
    }

    /// Pushes a tag, in a round into the set as it is now. As [`PlacingActs::push_tag`] otherwise.
    pub(crate) async fn push_tag_of(self, actor: &Actor, id: i64, seen: KnownSet) -> Result<bool> {
        actor.may(Role::Technician)?;
        self.acts.writes().ready_to_write(id).await?;
        let (site, _) = self.acts.sites().site_and_client(id).await?;
        let why = "This site has no tag manager. Choose one in its settings.";
        let manager = self.tag_manager(&site).await?.ok_or_else(|| bad(why))?;
        let set = self.read_set(&site, &manager).await?;
        let round = match seen {
            KnownSet::Version(seen) if set.version != seen => {
                return Err(SlotError::Conflict.into());
            }
            KnownSet::Version(_) => None,
            KnownSet::InRound(round) => Some(round),
        };
        let change = self.tag_change(&site, &set).await?;
        if change.told.is_empty() {
            return Ok(false);
        }
        let interface = write_interface(&manager, &site)?;
        let token = self.tag_token(&site, &manager).await?;
        let before = serde_json::to_string_pretty(&set.published).unwrap_or_default();
        let after = next_version(&set, &change);
        let mut tx = self.acts.store.begin().await?;
        let slot = format!("{OF_SET}{}", set.id);
        let row = tx
            .add_placement(&NewPlacement {
                site: id,
                slot: &slot,
                before: &before,
                after: &serde_json::to_string_pretty(&Some(&after)).unwrap_or_default(),
                ours: &change.code(),
                who: &actor.name,
                batch: None,
                round,
            })
            .await?;
        let (kind, act) = (WriteKind::Tag, "published a set of tags");
        let begun = begun::begin(&mut tx, actor, id, kind, (&[row], act)).await?;
        tx.commit().await?;
        let draft =
            (change.tags != set.tags).then(|| json!({"version": set.version, "tags": change.tags}));
        let published = self.publish_set(interface, &token, draft, &after.note);
        let failed = published.await.err();
        let stands = failed.is_none() || self.is_live(&site, &manager, &change.tags).await?;
        let mut tx = self.acts.store.begin().await?;
        if !stands {
            tx.forget_placements(&[row]).await?;
            tx.end_write(begun).await?;
            tx.commit().await?;
            return Err(failed.unwrap_or(ActError::NotFound("set of tags")));
        }
        let detail = json!({"set": set.id, "told": change.told});
        let told = (act, site.url.as_str());
        begun::end(&mut tx, actor, (begun, id, kind), told, detail).await?;
        tx.commit().await?;
        Ok(true)
    }

    /// Returns whether the set publishes these tags: asked where it did not say that it took them.
    async fn is_live(self, site: &Site, manager: &Platform, tags: &[Tag]) -> Result<bool> {
        let set = self.read_set(site, manager).await.map_err(|error| {
            bad(format!(
                "It is not known whether the set of {} was published ({error}). The earlier set \
                is saved. Look again in a minute",
                manager.name
            ))
        })?;
        Ok(set.published.is_some_and(|p| p.tags == tags))
    }

    /// Settles a publication that broke off, by what the set publishes.
    pub(crate) async fn settle_tag(self, begun: &BegunWrite) -> Result<WriteState> {
        let (site, _) = self.acts.sites().site_and_client(begun.site).await?;
        let manager = self.tag_manager(&site).await?;
        let manager = manager.ok_or_else(|| {
            bad("This site no longer has a tag manager. Choose \
            one in its settings.")
        })?;
        let set = self.read_set(&site, &manager).await?;
        let past = self.acts.store.writing().placements(begun.site).await?;
        let mut kept = past.iter().filter(|p| begun.rows.contains(&p.id));
        let wanted = kept.next().map(|p| match begun.kind {
            WriteKind::TagBack => p.before_text.as_str(),
            _ => p.after_text.as_str(),
        });
        let wanted: Option<PublishedSet> = wanted
            .and_then(|t| serde_json::from_str::<Option<PublishedSet>>(t).ok())
            .flatten();
        let live = set.published.map(|p| p.tags);
        match live.is_some() && live == wanted.map(|w| w.tags) {
            true => Ok(WriteState::Happened),
            false => Ok(WriteState::Not(begun.rows.clone())),
        }
    }

    /// Publishes the version that was live before a push.
    pub(crate) async fn put_tag_back(
        self,
        actor: &Actor,
        site: &Site,
        past: &Placement,
    ) -> Result<()> {
        let manager = self.tag_manager(site).await?;
        let manager = manager.ok_or_else(|| {
            bad("This site no longer has a tag manager. Choose \
            one in its settings.")
        })?;
        let before: Option<PublishedSet> =
            serde_json::from_str(&past.before_text).unwrap_or_default();
        let before = before.ok_or_else(|| {
            bad("The set has no earlier version. Pause the tag in the tag manager instead.")
        })?;
        let template = manager.sets.as_ref().and_then(|s| s.publish.as_deref());
        let publish = filled(template, site).ok_or(ActError::NotFound("interface"))?;
        let token = self.tag_token(site, &manager).await?;
        let (kind, act) = (WriteKind::TagBack, "published the previous version");
        let mut tx = self.acts.store.begin().await?;
        let begun = begun::begin(&mut tx, actor, site.id, kind, (&[past.id], act)).await?;
        tx.commit().await?;
        let body = json!({"version": before.version, "note": "restored by Newtfern"});
        let failed = self.call("POST", publish, &token, Some(body)).await.err();
        let stands = failed.is_none() || self.is_live(site, &manager, &before.tags).await?;
        let mut tx = self.acts.store.begin().await?;
        if !stands {
            tx.end_write(begun).await?;
            tx.commit().await?;
            return Err(failed.unwrap_or(ActError::NotFound("set of tags")));
        }
        tx.mark_put_back(past.id).await?;
        let detail = json!({"set": site.tag_set, "version": before.version});
        let told = (act, site.url.as_str());
        begun::end(&mut tx, actor, (begun, site.id, kind), told, detail).await?;
        Ok(tx.commit().await?)
    }

    /// Copies beside a visit that tell why nothing of the snippet came: the draft at the platform's
    /// preview address, and the set of the tag manager. None where the snippet is in the page.
    ///
    /// # Errors
    /// What the outside does not give tells nothing.
    pub async fn beside(self, s: &Subject, visits: &[Observation]) -> Result<Vec<Aside>> {
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
        let platform = self.acts.store.profiles().platform_of(&s.site).await?;
        let preview = platform.and_then(|p| Interface::fill(p.preview.as_deref()?, &s.url, ""));
        if let Some(preview) = preview {
            let copy = self.acts.outside().page(&preview).await;
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

    async fn tag_aside(self, s: &Subject, html: &str) -> Result<Option<Aside>> {
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

/// Returns the set as it is after its next publication.
fn next_version(set: &TagSet, change: &SetChange) -> PublishedSet {
    PublishedSet {
        version: set.published.as_ref().map_or(1, |p| p.version + 1),
        note: format!("{} by Newtfern", change.told.join("; ")),
        tags: change.tags.clone(),
    }
}

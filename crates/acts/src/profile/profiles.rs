//! Profiles of all kinds: kept with their versions, brought in as files, removed. What was judged
//! by the one before is stale.

use crate::handles::ProfileActs;
use crate::results::ground::age;
use crate::sealed::token_origins::{console_addresses, pin_token};
use crate::sealed::tokens::{self, Token};
use crate::site::versions;
use crate::{ActError, Actor, Result, TokenHolder, record};
use newtfern_heavy::heavy;
use newtfern_model::profile::Supplier;
use newtfern_model::profile_form::{ProfileReport, look};
use newtfern_model::profiles::{ProfileKind, Profiles};
use newtfern_model::survey;
use newtfern_standards::{address, typed};
use newtfern_store::Tx;
use newtfern_store::access::people::Role;
use newtfern_store::estate::lists::Filter;
use newtfern_store::profile::profile_room::NewProfile;
use serde_json::json;

/// Characters of a profile's text.
pub const MOST_PROFILE: usize = 200_000;
/// Files that are brought in at once.
pub const MOST_FILES: usize = 500;

/// A profile as a form gives it.
#[derive(Debug, Clone, Copy)]
pub struct ProfileForm<'a> {
    /// Kind of the profile.
    pub kind: ProfileKind,
    /// The one that it replaces; none for a new one.
    pub which: Option<&'a str>,
    /// Text of the profile, as TOML.
    pub text: &'a str,
    /// Note for the change history.
    pub why: &'a str,
    /// Token of a supplier's console.
    pub token: Option<Token<'a>>,
    /// The version of the text that the form was made from.
    pub made_from: Option<&'a str>,
}

impl ProfileForm<'_> {
    /// Returns the role that keeping a profile of a kind asks for; a new one, or one in place of
    /// another.
    pub fn right(kind: ProfileKind, new: bool) -> Role {
        match kind {
            ProfileKind::Supplier if new => Role::Technician,
            _ => Role::Administrator,
        }
    }
}

/// Result of importing one file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ImportedProfile {
    /// Name of the imported file.
    pub file: String,
    /// Kind of the profile in the file.
    pub kind: ProfileKind,
    /// Short name that the profile is stored under.
    pub id: String,
    /// Result in one word: added, changed or unchanged.
    pub what: &'static str,
}

fn nothing_imported(why: impl std::fmt::Display) -> ActError {
    ActError::Bad(format!("Nothing was imported: {why}."))
}

/// Reads one of several files, none of which may say what another says.
fn profile_of_file(
    all: &mut Profiles,
    file: &str,
    text: &str,
) -> Result<(ProfileKind, ProfileReport)> {
    let kind = all.add(file, text).map_err(nothing_imported)?;
    if kind == ProfileKind::SampleWords {
        return Err(nothing_imported(format!(
            "{file} has sample texts: type them into the settings (house rules)"
        )));
    }
    let looked = checked(kind, text).map_err(|error| match error {
        ActError::Bad(why) => nothing_imported(format!("{file}: {}", why.trim_end_matches('.'))),
        other => other,
    })?;
    Ok((kind, looked))
}

fn refused<T>(why: impl std::fmt::Display) -> Result<T> {
    Err(ActError::Bad(format!("The profile was not saved: {why}.")))
}

/// The text as it can be kept.
fn checked(kind: ProfileKind, text: &str) -> Result<ProfileReport> {
    if let Err(error) = typed::text(text, MOST_PROFILE) {
        return refused(format!("it {error}"));
    }
    let looked = look(kind, text);
    match looked.problems.as_slice() {
        [] => Ok(looked),
        problems => refused(problems.join("; ")),
    }
}

/// Keeps a profile's text; what was judged by the one before at these sites is stale.
async fn put(
    tx: &mut Tx,
    actor: &Actor,
    form: &ProfileForm<'_>,
    looked: &ProfileReport,
    (before, sites): (Option<&str>, &[i64]),
) -> Result<()> {
    if before == Some(form.text) {
        return Ok(());
    }
    let (kind, id) = (form.kind, looked.id.as_str());
    let name = if looked.name.trim().is_empty() {
        id
    } else {
        &looked.name
    };
    let new = NewProfile {
        kind,
        id,
        name,
        text: form.text,
    };
    tx.put_profile(new, &actor.name, form.why).await?;
    age(tx, sites).await?;
    let act = match before {
        Some(_) => "changed a profile",
        None => "added a profile",
    };
    let detail = json!({"kind": kind.words(), "why": form.why});
    record(tx, actor, act, id, detail).await
}

impl ProfileActs<'_> {
    /// Returns all profiles by which a survey knows what is on a site.
    pub async fn all(self) -> Result<Profiles> {
        let rows = self.acts.store.profiles();
        Ok(Profiles {
            suppliers: rows.all_suppliers().await?,
            platforms: rows.platforms().await?,
            consents: rows.all_consent_managers().await?,
            sample_words: self.acts.store.settings().sample_words().await?,
            ..Profiles::default()
        })
    }

    /// Sites whose results may rest on a profile.
    async fn sites_resting_on(self, kind: ProfileKind, id: &str) -> Result<Vec<i64>> {
        match kind {
            // Another supplier may be on any site by mistake, and a region takes countries from
            // others.
            ProfileKind::Supplier | ProfileKind::Region => {
                Ok(self.acts.store.lists().site_ids(&Filter::default()).await?)
            }
            _ => Ok(self
                .acts
                .store
                .profiles()
                .sites_by_profile(kind, id)
                .await?),
        }
    }

    /// Keeps a profile: a new one, or in place of another of the same short name. A technician may
    /// add the supplier of a site's snippet; what other sites rest on is the administrators'.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the text is no profile, or is another's.
    pub async fn keep_profile(self, actor: &Actor, form: ProfileForm<'_>) -> Result<ProfileReport> {
        actor.may(ProfileForm::right(form.kind, form.which.is_none()))?;
        if form.token.is_some() {
            actor.may(Role::Administrator)?;
        }
        let kind = form.kind;
        let looked = checked(kind, form.text)?;
        let supplier = Supplier::from_toml(form.text).ok();
        let goes_to = supplier.as_ref().map(console_addresses).unwrap_or_default();
        let token = match kind {
            ProfileKind::Supplier => tokens::checked(form.token, goes_to.iter().cloned())?,
            _ => None,
        };
        let id = looked.id.as_str();
        let before = self.acts.store.profiles().profile_text(kind, id).await?;
        match form.which {
            Some(which) if which != id => {
                return refused(format!(
                    "its id is \u{201c}{id}\u{201d} where it was \u{201c}{which}\u{201d}; sites \
                    name it by its id, so copy it to a new one instead"
                ));
            }
            Some(_) if before.is_none() => return Err(ActError::NotFound("profile")),
            None if before.is_some() => {
                return refused(format!(
                    "a {} with the id \u{201c}{id}\u{201d} exists already: change that one, or \
                    choose another id",
                    kind.words()
                ));
            }
            _ => {}
        }
        let sites = self.sites_resting_on(kind, id).await?;
        let mut tx = self.acts.store.begin().await?;
        if form.which.is_some() {
            let now = tx.profile_for_change(kind, id).await?;
            versions::same(form.made_from, &now.unwrap_or_default())?;
        }
        put(&mut tx, actor, &form, &looked, (before.as_deref(), &sites)).await?;
        if let Some(token) = token {
            let holder = TokenHolder::Supplier(id);
            let sealed = self.acts.sealer.seal(&holder.place(), token)?;
            tx.set_supplier_token(id, &sealed).await?;
            pin_token(&mut tx, holder, &goes_to, &actor.name).await?;
            record(
                &mut tx,
                actor,
                "changed a token",
                &format!("supplier {id}"),
                json!({}),
            )
            .await?;
        }
        tx.commit().await?;
        Ok(looked)
    }

    /// Brings files in: all of them, or none.
    ///
    /// # Errors
    /// [`ActError::Bad`], with the file that is wrong and what is wrong with it.
    pub async fn bring_profiles(
        self,
        actor: &Actor,
        files: &[(String, String)],
    ) -> Result<Vec<ImportedProfile>> {
        actor.may(Role::Administrator)?;
        if files.is_empty() {
            return Err(nothing_imported("no file was selected"));
        }
        if files.len() > MOST_FILES {
            return Err(nothing_imported(format!(
                "at most {MOST_FILES} files can be imported at once"
            )));
        }
        let mut all = Profiles::default();
        let mut brought = Vec::new();
        for (file, text) in files {
            let (kind, looked) = profile_of_file(&mut all, file, text)?;
            let before = self
                .acts
                .store
                .profiles()
                .profile_text(kind, &looked.id)
                .await?;
            let what = match &before {
                None => "added",
                Some(before) if before == text => "unchanged",
                Some(_) => "changed",
            };
            let sites = self.sites_resting_on(kind, &looked.id).await?;
            brought.push((file, text, kind, looked, before, what, sites));
        }
        let mut out = Vec::with_capacity(brought.len());
        let mut tx = self.acts.store.begin().await?;
        for (file, text, kind, looked, before, what, sites) in brought {
            let form = ProfileForm {
                kind,
                which: None,
                text,
                why: "imported from a file",
                token: None,
                made_from: None,
            };
            put(&mut tx, actor, &form, &looked, (before.as_deref(), &sites)).await?;
            out.push(ImportedProfile {
                file: file.clone(),
                kind,
                id: looked.id,
                what,
            });
        }
        tx.commit().await?;
        Ok(out)
    }

    /// Removes a profile that no site uses. Its versions stay.
    ///
    /// # Errors
    /// [`ActError::Bad`] where sites use it.
    pub async fn remove_profile(self, actor: &Actor, kind: ProfileKind, id: &str) -> Result<()> {
        actor.may(Role::Administrator)?;
        if self
            .acts
            .store
            .profiles()
            .profile_text(kind, id)
            .await?
            .is_none()
        {
            return Err(ActError::NotFound("profile"));
        }
        if kind != ProfileKind::Region {
            let (_, uses) = self.acts.store.profiles().profile_uses(kind, id, 0).await?;
            if uses > 0 {
                let why = format!(
                    "The profile was not removed: {uses} sites use it. Choose another {} for them \
                    first.",
                    kind.words()
                );
                return Err(ActError::Bad(why));
            }
        }
        let sites = self.sites_resting_on(kind, id).await?;
        let mut tx = self.acts.store.begin().await?;
        tx.remove_profile(kind, id).await?;
        age(&mut tx, &sites).await?;
        let detail = json!({"kind": kind.words()});
        record(&mut tx, actor, "removed a profile", id, detail).await?;
        Ok(tx.commit().await?)
    }
}

impl ProfileActs<'_> {
    /// Tries a text on an address: what of it is recognised there, by HTTP alone, in words.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the text is no profile, or the address is none or cannot be had.
    pub async fn try_profile(
        self,
        actor: &Actor,
        kind: ProfileKind,
        text: &str,
        typed: &str,
    ) -> Result<Vec<String>> {
        actor.may(Role::Technician)?;
        let url = address::parse(typed).map_err(|e| ActError::Bad(format!("{e}.")))?;
        self.acts
            .store
            .settings()
            .private_hosts()
            .await?
            .refuse(&url)
            .map_err(|e| ActError::Bad(format!("{e}: only an administrator can allow it.")))?;
        let looked = checked(kind, text)?;
        let mut tx = self.acts.store.begin().await?;
        let detail = json!({"kind": kind.words(), "id": looked.id});
        record(&mut tx, actor, "tried a profile", url.as_str(), detail).await?;
        tx.commit().await?;
        let copy = self.acts.outside.page(&url).await;
        if !copy.is_had() {
            return Err(ActError::Bad(format!(
                "{url} could not be read: {}.",
                copy.why_not()
            )));
        }
        Ok(heavy(|| survey::recognised(kind, text, &copy)).await)
    }
}

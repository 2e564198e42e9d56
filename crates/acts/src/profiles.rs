//! Profiles of all kinds: kept with their versions, brought in as files, removed. What was judged by the
//! one before is stale.

use crate::tokens::{self, Token};
use crate::{ActError, Actor, Acts, Result, record, supplier_place};
use newtfern_core::address;
use newtfern_core::derive::{Proposal, filled, propose};
use newtfern_core::family::Family;
use newtfern_core::profile::Supplier;
use newtfern_core::profile_form::{Looked, look};
use newtfern_core::profiles::{ProfileKind, Profiles};
use newtfern_core::survey;
use newtfern_core::typed;
use newtfern_heavy::heavy;
use newtfern_store::Tx;
use newtfern_store::people::Role;
use newtfern_store::profile_room::NewProfile;
use serde_json::json;
use url::Url;

/// Characters of a profile's text.
pub const MOST_PROFILE: usize = 200_000;
/// Files that are brought in at once.
pub const MOST_FILES: usize = 500;

/// A profile as a form gives it.
#[derive(Debug, Clone, Copy)]
pub struct ProfileForm<'a> {
    /// What it is.
    pub kind: ProfileKind,
    /// The one that it replaces; none for a new one.
    pub which: Option<&'a str>,
    /// Its text.
    pub text: &'a str,
    /// What for, in words.
    pub why: &'a str,
    /// Of a supplier's console.
    pub token: Option<Token<'a>>,
}

/// What became of a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Brought {
    /// Its name.
    pub file: String,
    /// What it is.
    pub kind: ProfileKind,
    /// Its short name.
    pub id: String,
    /// What became of it.
    pub what: &'static str,
}

/// What a look judged that a profile is part of.
fn judged_by(kind: ProfileKind) -> &'static [Family] {
    match kind {
        ProfileKind::Supplier => &[
            Family::Place,
            Family::Load,
            Family::Pages,
            Family::Echo,
            Family::Weigh,
            Family::Consent,
            Family::Brand,
        ],
        ProfileKind::ConsentManager => {
            use Family::{Consent, Echo, Load, Pages, Place};
            &[Place, Load, Pages, Consent, Echo]
        }
        ProfileKind::Platform => &[Family::Place],
        ProfileKind::Region => &[Family::Consent],
        ProfileKind::SampleWords => &[],
    }
}

fn refused<T>(why: impl std::fmt::Display) -> Result<T> {
    Err(ActError::Bad(format!("The profile was not kept: {why}.")))
}

/// The text as it can be kept.
fn checked(kind: ProfileKind, text: &str) -> Result<Looked> {
    if let Err(error) = typed::text(text, MOST_PROFILE) {
        return refused(format!("it {error}"));
    }
    let looked = look(kind, text);
    match looked.problems.as_slice() {
        [] => Ok(looked),
        problems => refused(problems.join("; ")),
    }
}

impl Acts {
    /// Keeps a profile: a new one, or in place of another of the same short name.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the text is no profile, or is another's.
    pub async fn keep_profile(&self, actor: &Actor, form: ProfileForm<'_>) -> Result<Looked> {
        actor.may(Role::Administrator)?;
        let kind = form.kind;
        let looked = checked(kind, form.text)?;
        let token = match kind {
            ProfileKind::Supplier => tokens::checked(form.token, console_addresses(form.text))?,
            _ => None,
        };
        let id = looked.id.as_str();
        let before = self.store.profile_text(kind, id).await?;
        match form.which {
            Some(which) if which != id => {
                return refused(format!(
                    "its id is \u{201c}{id}\u{201d} where it was \u{201c}{which}\u{201d}; sites name it by its id, so copy it to a new one instead"
                ));
            }
            Some(_) if before.is_none() => return Err(ActError::NotFound("profile")),
            None if before.is_some() => {
                return refused(format!(
                    "there is a {} with the id \u{201c}{id}\u{201d} already: change that one, or give another id",
                    kind.words()
                ));
            }
            _ => {}
        }
        let mut tx = self.store.begin().await?;
        self.put(&mut tx, actor, &form, &looked, before.as_deref())
            .await?;
        if let Some(token) = token {
            let sealed = self.sealer.seal(&supplier_place(id), token)?;
            tx.set_supplier_token(id, &sealed).await?;
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

    async fn put(
        &self,
        tx: &mut Tx,
        actor: &Actor,
        form: &ProfileForm<'_>,
        looked: &Looked,
        before: Option<&str>,
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
        if before.is_some() {
            let sites = self.store.sites_by_profile(kind, id).await?;
            let why = format!(
                "The {}'s profile changed since it was looked at.",
                kind.words()
            );
            tx.make_stale(&sites, judged_by(kind), &why).await?;
        }
        let act = match before {
            Some(_) => "changed a profile",
            None => "added a profile",
        };
        let detail = json!({"kind": kind.words(), "why": form.why});
        record(tx, actor, act, id, detail).await
    }

    /// Brings files in: all of them, or none.
    ///
    /// # Errors
    /// [`ActError::Bad`], with the file that is wrong and what is wrong with it.
    pub async fn bring_profiles(
        &self,
        actor: &Actor,
        files: &[(String, String)],
    ) -> Result<Vec<Brought>> {
        actor.may(Role::Administrator)?;
        let none = |why: String| Err(ActError::Bad(format!("Nothing was brought in: {why}.")));
        if files.is_empty() {
            return none("no file was chosen".into());
        }
        if files.len() > MOST_FILES {
            return none(format!("{MOST_FILES} files at most are brought in at once"));
        }
        let mut all = Profiles::default();
        let mut out = Vec::new();
        let mut tx = self.store.begin().await?;
        for (file, text) in files {
            let kind = match all.add(file, text) {
                Ok(ProfileKind::SampleWords) => {
                    return none(format!(
                        "{file} holds sample words, which stand in folders only"
                    ));
                }
                Ok(kind) => kind,
                Err(error) => return none(error.to_string()),
            };
            let looked = match checked(kind, text) {
                Ok(looked) => looked,
                Err(ActError::Bad(why)) => {
                    return none(format!("{file}: {}", why.trim_end_matches('.')));
                }
                Err(other) => return Err(other),
            };
            let before = self.store.profile_text(kind, &looked.id).await?;
            let what = match &before {
                None => "added",
                Some(before) if before == text => "the same as ours",
                Some(_) => "changed",
            };
            let form = ProfileForm {
                kind,
                which: None,
                text,
                why: "brought in as a file",
                token: None,
            };
            self.put(&mut tx, actor, &form, &looked, before.as_deref())
                .await?;
            out.push(Brought {
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
    pub async fn remove_profile(&self, actor: &Actor, kind: ProfileKind, id: &str) -> Result<()> {
        actor.may(Role::Administrator)?;
        if self.store.profile_text(kind, id).await?.is_none() {
            return Err(ActError::NotFound("profile"));
        }
        if kind != ProfileKind::Region {
            let (_, uses) = self.store.profile_uses(kind, id, 0).await?;
            if uses > 0 {
                let why = format!(
                    "The profile was not removed: {uses} sites use it. Choose another {} for them first.",
                    kind.words()
                );
                return Err(ActError::Bad(why));
            }
        }
        let mut tx = self.store.begin().await?;
        tx.remove_profile(kind, id).await?;
        if kind == ProfileKind::Region {
            let sites = self.store.sites_by_profile(kind, id).await?;
            let why = "The region's profile was removed since it was looked at.";
            tx.make_stale(&sites, judged_by(kind), why).await?;
        }
        let detail = json!({"kind": kind.words()});
        record(&mut tx, actor, "removed a profile", id, detail).await?;
        Ok(tx.commit().await?)
    }
}

impl Acts {
    /// Tries a text on an address: what of it is recognised there, by HTTP alone, in words.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the text is no profile, or the address is none or cannot be had.
    pub async fn try_profile(
        &self,
        kind: ProfileKind,
        text: &str,
        typed: &str,
    ) -> Result<Vec<String>> {
        let url = address::parse(typed).map_err(|e| ActError::Bad(format!("{e}.")))?;
        self.store
            .private_hosts()
            .await?
            .refuse(&url)
            .map_err(|e| ActError::Bad(format!("{e}: only an administrator can allow it.")))?;
        checked(kind, text)?;
        let copy = self.outside.page(&url).await;
        if !copy.is_had() {
            return Err(ActError::Bad(format!(
                "{url} could not be had: {}.",
                copy.why_not()
            )));
        }
        Ok(heavy(|| survey::recognised(kind, text, &copy)).await)
    }
}

/// Where a supplier's token goes.
fn console_addresses(text: &str) -> Vec<Url> {
    let Ok(supplier) = Supplier::from_toml(text) else {
        return Vec::new();
    };
    let echo = supplier.echo.into_iter();
    let console = supplier.console.into_iter();
    let addresses = echo
        .flat_map(|e| {
            [
                e.console_read,
                e.console_answer,
                e.console_tidy,
                e.console_talk,
            ]
        })
        .chain(console.flat_map(|c| [Some(c.read), c.write]).flatten());
    addresses.filter_map(|a| Url::parse(&a).ok()).collect()
}

impl Acts {
    /// One visit in a browser of a page that has the widget: what it proposes for a supplier's profile, and
    /// the text with that filled in where it says nothing yet.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the text is no profile, the address none, or no visit can be made.
    pub async fn propose(&self, text: &str, address: &str) -> Result<(String, Vec<Proposal>)> {
        let supplier = Supplier::from_toml(text);
        let supplier = supplier.map_err(|e| ActError::Bad(format!("{e}.")))?;
        let url = address::parse(address).map_err(|e| ActError::Bad(format!("{e}.")))?;
        let seen = self.outside().visit(&url, &supplier).await;
        let seen = seen.map_err(|e| ActError::Bad(format!("{e}.")))?;
        if let Some(failure) = &seen.page.failure {
            return Err(ActError::Bad(format!(
                "The page could not be had: {}.",
                failure.text
            )));
        }
        let told = heavy(|| propose(&supplier, &seen)).await;
        let text = filled(text, &told).map_err(|e| ActError::Bad(format!("{e}.")))?;
        Ok((text, told))
    }
}

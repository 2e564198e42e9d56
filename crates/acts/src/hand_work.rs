//! Work by hand: the diary of a site, and placing handed to somebody who has no account.

use crate::{ActError, Actor, Acts, PlacePage, Result, record};
use jiff::{SignedDuration, Timestamp};
use newtfern_core::diary::{self, Kind, Line};
use newtfern_core::job::JobKind;
use newtfern_core::site::MOST_NAME;
use newtfern_core::typed;
use newtfern_store::diary::{Entry, NewEntry};
use newtfern_store::errands::{Errand, Words};
use newtfern_store::people::Role;
use newtfern_store::queue::Urgency;
use newtfern_store::{fresh_token, token_hash};
use serde_json::json;

/// Characters of one entry: what a code slot holds fits.
pub const MOST_WORDS: usize = 20_000;
/// Characters of a question or an answer.
pub const MOST_QUESTION: usize = 2_000;
/// Days that a link opens for.
pub const LINK_DAYS: i64 = 14;
/// Questions and answers of one link.
const MOST_QUESTIONS: i64 = 100;
/// Entries that put-back instructions are made from.
const MOST_ENTRIES: i64 = 200;

/// An entry as it was typed.
pub struct DiaryForm<'a> {
    pub kind: Kind,
    pub slot: &'a str,
    pub words: &'a str,
    /// A photo's bytes and its extension.
    pub photo: Option<(Vec<u8>, &'static str)>,
}

/// What a person with a link sees.
pub struct ErrandPage {
    pub errand: Errand,
    pub place: PlacePage,
    pub words: Vec<Words>,
    /// Who asks for it.
    pub agency: String,
}

/// Whoever holds the link: the name that they give is data.
fn outsider() -> Actor {
    Actor {
        name: "somebody else, by link".into(),
        role: Role::Viewer,
    }
}

impl Acts {
    /// Writes into a site's diary.
    ///
    /// # Errors
    /// [`ActError::Bad`] where nothing was written, or too much.
    pub async fn write_diary(&self, actor: &Actor, site: i64, form: DiaryForm<'_>) -> Result<()> {
        actor.may(Role::Technician)?;
        let (row, _) = self.site_and_client(site).await?;
        let words = typed::text(form.words, MOST_WORDS);
        let words = words.map_err(|e| ActError::Bad(format!("The entry {e}.")))?;
        if words.is_empty() && form.photo.is_none() {
            let why = "Write what it was, or add a picture of it.";
            return Err(ActError::Bad(why.into()));
        }
        let photo = match form.photo {
            Some((bytes, extension)) => Some(self.blobs.put(bytes, extension).await?),
            None => None,
        };
        let mut tx = self.store.begin().await?;
        tx.write_diary(&NewEntry {
            site,
            who: &actor.name,
            kind: form.kind,
            slot: form.slot,
            words,
            photo: photo.as_deref(),
        })
        .await?;
        let detail = json!({"kind": form.kind.key(), "slot": form.slot});
        record(&mut tx, actor, "wrote a diary", &row.url, detail).await?;
        Ok(tx.commit().await?)
    }

    /// How a site is put back to what it was, from its diary.
    ///
    /// # Errors
    /// Where the site is gone.
    pub async fn way_back(&self, site: i64) -> Result<Vec<String>> {
        let (row, _) = self.site_and_client(site).await?;
        let platform = self.store.platform_of(&row).await?;
        let slot = |id: &str| platform.as_ref().and_then(|p| p.slot(id));
        let (entries, _) = self.store.diary(site, 0, MOST_ENTRIES).await?;
        let named: Vec<(Kind, String, &Entry)> = entries
            .iter()
            .filter_map(|e| {
                let name = slot(&e.slot_id).map_or(e.slot_id.clone(), |s| s.name.clone());
                Some((e.kind().ok()?, name, e))
            })
            .collect();
        let lines: Vec<Line> = named
            .iter()
            .map(|(kind, slot, e)| Line {
                kind: *kind,
                slot,
                words: match (e.words.as_str(), &e.photo) {
                    ("", Some(_)) => "as on the picture in the diary",
                    (words, _) => words,
                },
            })
            .collect();
        let undo = |name: &str| {
            let slots = platform.iter().flat_map(|p| &p.slots);
            let found = slots.into_iter().find(|s| s.name == name);
            found.map(|s| s.undo.clone()).unwrap_or_default()
        };
        Ok(diary::put_back(&lines, &undo))
    }

    /// Makes a link for somebody who has no account. Gives its token, shown once, and until when it opens.
    ///
    /// # Errors
    /// [`ActError::Bad`] where there is no code for the slot yet.
    pub async fn make_errand(
        &self,
        actor: &Actor,
        site: i64,
        slot: &str,
        to_whom: &str,
    ) -> Result<(String, Timestamp)> {
        actor.may(Role::Technician)?;
        let to_whom = typed::text(to_whom, MOST_NAME);
        let to_whom = to_whom.map_err(|e| ActError::Bad(format!("The name {e}.")))?;
        let page = self.place_page(site, Some(slot)).await?;
        let (Some(_), Some(slot)) = (&page.fitted, &page.slot) else {
            return Err(ActError::Bad(format!("No link was made. {}", page.problem)));
        };
        let token = fresh_token();
        let until = Timestamp::now() + SignedDuration::from_hours(24 * LINK_DAYS);
        let mut tx = self.store.begin().await?;
        tx.add_errand(
            site,
            &slot.id,
            to_whom,
            &actor.name,
            &token_hash(&token),
            until,
        )
        .await?;
        let detail = json!({"slot": slot.id, "to": to_whom, "until": until.as_second()});
        let act = "made a link for placing";
        record(&mut tx, actor, act, &page.site.url, detail).await?;
        tx.commit().await?;
        Ok((token, until))
    }

    async fn errand(&self, id: i64) -> Result<Errand> {
        let found = self.store.errand(id).await?;
        found.ok_or(ActError::NotFound("link"))
    }

    /// Withdraws a link. Gives its site.
    ///
    /// # Errors
    /// Where there is none.
    pub async fn withdraw_errand(&self, actor: &Actor, id: i64) -> Result<i64> {
        actor.may(Role::Technician)?;
        let errand = self.errand(id).await?;
        let mut tx = self.store.begin().await?;
        tx.withdraw_errand(id).await?;
        let subject = format!("link {id}");
        let act = "withdrew a link for placing";
        record(&mut tx, actor, act, &subject, json!({})).await?;
        tx.commit().await?;
        Ok(errand.site_id)
    }

    /// Answers a question. Gives the site.
    ///
    /// # Errors
    /// [`ActError::Bad`] where nothing was written.
    pub async fn answer_errand(&self, actor: &Actor, id: i64, words: &str) -> Result<i64> {
        actor.may(Role::Technician)?;
        let errand = self.errand(id).await?;
        self.write_errand(&errand, actor, &actor.name, false, words)
            .await?;
        Ok(errand.site_id)
    }

    /// The link of a token, if it opens.
    ///
    /// # Errors
    /// [`ActError::NotFound`], the same for unknown, expired and withdrawn links.
    async fn open_errand(&self, token: &str) -> Result<Errand> {
        let found = self.store.errand_by(&token_hash(token)).await?;
        let open = found.filter(|e| e.is_open);
        open.ok_or(ActError::NotFound("link"))
    }

    /// What a person with a link sees: the steps, the exact code, what was written.
    ///
    /// # Errors
    /// [`ActError::NotFound`] where the link does not open.
    pub async fn errand_page(&self, token: &str) -> Result<ErrandPage> {
        let errand = self.open_errand(token).await?;
        Ok(ErrandPage {
            place: self.place_steps(errand.site_id, &errand.slot_id).await?,
            words: self.store.errand_words(&[errand.id]).await?,
            agency: self.store.agency().await?.name,
            errand,
        })
    }

    /// A person with a link asks something.
    ///
    /// # Errors
    /// [`ActError::Bad`] where nothing was written, or no more is taken.
    pub async fn ask_by_errand(&self, token: &str, by: &str, words: &str) -> Result<()> {
        let errand = self.open_errand(token).await?;
        let by = name_of(by)?;
        self.write_errand(&errand, &outsider(), by, true, words)
            .await
    }

    async fn write_errand(
        &self,
        errand: &Errand,
        actor: &Actor,
        by: &str,
        outside: bool,
        words: &str,
    ) -> Result<()> {
        let words = typed::text(words, MOST_QUESTION);
        let words = words.map_err(|e| ActError::Bad(format!("What you wrote {e}.")))?;
        if words.is_empty() {
            return Err(ActError::Bad("Write something first.".into()));
        }
        let mut tx = self.store.begin().await?;
        let taken = tx
            .write_errand(errand.id, by, outside, words, MOST_QUESTIONS)
            .await?;
        if !taken {
            let why = "So much was written here that no more is taken: talk to each other.";
            return Err(ActError::Bad(why.into()));
        }
        let subject = format!("link {}", errand.id);
        record(
            &mut tx,
            actor,
            "wrote to a link",
            &subject,
            json!({"by": by}),
        )
        .await?;
        Ok(tx.commit().await?)
    }

    /// A person with a link says that it is done: a verification starts, unless one waits already.
    ///
    /// # Errors
    /// [`ActError::Bad`] where no name was given.
    pub async fn end_errand(&self, token: &str, by: &str) -> Result<()> {
        let errand = self.open_errand(token).await?;
        let by = name_of(by)?;
        let under_way = self.store.job_under_way(errand.site_id).await?;
        let mut tx = self.store.begin().await?;
        tx.end_errand(errand.id, by).await?;
        tx.write_diary(&NewEntry {
            site: errand.site_id,
            who: by,
            kind: Kind::Changed,
            slot: &errand.slot_id,
            words: "placed by somebody else, by link",
            photo: None,
        })
        .await?;
        if under_way.is_none_or(|j| j.kind != JobKind::Check.key()) {
            let title = "Verify: 1 site";
            let sites = [errand.site_id];
            tx.start_round(JobKind::Check, title, by, &sites, Urgency::Person)
                .await?;
        }
        let subject = format!("link {}", errand.id);
        let detail = json!({"by": by});
        let act = "said that it is placed";
        record(&mut tx, &outsider(), act, &subject, detail).await?;
        Ok(tx.commit().await?)
    }
}

fn name_of(by: &str) -> Result<&str> {
    let by = typed::text(by, MOST_NAME);
    let by = by.map_err(|e| ActError::Bad(format!("Your name {e}.")))?;
    match by.is_empty() {
        true => Err(ActError::Bad(
            "Write your name, so that the agency knows who it was.".into(),
        )),
        false => Ok(by),
    }
}

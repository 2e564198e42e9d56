//! Work by hand: the diary of a site, and placing handed to somebody who has no account.

use crate::handles::HandingActs;
use crate::{ActError, Actor, PlacePage, Result, record};
use jiff::{SignedDuration, Timestamp};
use newtfern_model::diary::{self, Kind, Line};
use newtfern_model::job::JobKind;
use newtfern_standards::typed::{self, MOST_NAME};
use newtfern_store::access::people::Role;
use newtfern_store::handing::diary::{Entry, NewEntry};
use newtfern_store::handing::errands::{Errand, NewErrand, Words};
use newtfern_store::results::queue::Urgency;
use newtfern_store::{fresh_token, token_hash};
use newtfern_verdict::family::Family;
use newtfern_verdict::family::place::told_outside;
use serde_json::json;

/// Characters of one entry: what a code slot holds fits.
pub const MOST_WORDS: usize = 20_000;
/// Links that are made at once.
const MOST_LINKS: usize = 500;
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

/// A link that is asked for.
#[derive(Debug, Clone)]
pub struct AskedLink {
    pub site: i64,
    /// Place of the widget among the site's; 0 is the first.
    pub widget: usize,
    pub slot: String,
    pub to_whom: String,
}

/// What a link leads to.
struct LinkTarget {
    slot: String,
    /// Address of the site.
    url: String,
    /// Key of a further widget; empty for the first.
    key: String,
}

/// Page that a person with a link sees.
pub struct ErrandPage {
    pub errand: Errand,
    pub place: PlacePage,
    pub words: Vec<Words>,
    /// Name of the agency that asks.
    pub agency: String,
    /// Whether all is well, and what a check found since the person said that it is done.
    pub found: Option<(bool, String)>,
}

/// Whoever holds the link: the name that they give is data.
fn outsider() -> Actor {
    Actor {
        name: "someone else, by link".into(),
        address: String::new(),
        role: Role::Viewer,
    }
}

impl HandingActs<'_> {
    /// Writes into a site's diary.
    ///
    /// # Errors
    /// [`ActError::Bad`] where nothing was written, or too much.
    pub async fn write_diary(self, actor: &Actor, site: i64, form: DiaryForm<'_>) -> Result<()> {
        actor.may(Role::Technician)?;
        let (row, _) = self.acts.sites().site_and_client(site).await?;
        let words = typed::text(form.words, MOST_WORDS);
        let words = words.map_err(|e| ActError::Bad(format!("The entry {e}.")))?;
        if words.is_empty() && form.photo.is_none() {
            let why = "Enter a text or add a screenshot.";
            return Err(ActError::Bad(why.into()));
        }
        let photo = match form.photo {
            Some((bytes, extension)) => Some(self.acts.blobs.put(bytes, extension).await?),
            None => None,
        };
        let mut tx = self.acts.store.begin().await?;
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

    /// Returns the steps that put a site back to what it was, from its diary.
    ///
    /// # Errors
    /// Where the site is gone.
    pub async fn way_back(self, site: i64) -> Result<Vec<String>> {
        let (row, _) = self.acts.sites().site_and_client(site).await?;
        let platform = self.acts.store.profiles().platform_of(&row).await?;
        let slot = |id: &str| platform.as_ref().and_then(|p| p.slot(id));
        let (entries, _) = self
            .acts
            .store
            .handing()
            .diary(site, 0, MOST_ENTRIES)
            .await?;
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
                    ("", Some(_)) => "as shown on the screenshot in the diary",
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

    /// Makes a link for somebody who has no account. Gives its token, shown once, and until when it
    /// opens.
    ///
    /// # Errors
    /// [`ActError::Bad`] where there is no code for the slot yet.
    pub async fn make_errand(self, actor: &Actor, link: AskedLink) -> Result<(String, Timestamp)> {
        let (mut made, until) = self.make_errands(actor, &[link]).await?;
        match made.pop() {
            Some(Ok(token)) => Ok((token, until)),
            Some(Err(why)) => Err(ActError::Bad(why)),
            None => Err(ActError::NotFound("site")),
        }
    }

    /// Makes links for many sites: their tokens, or why there is none, in the order of what was
    /// asked. All are kept together once all are known, so that nobody holds
    /// a link that nobody saw. The slots are not read for it.
    ///
    /// # Errors
    /// [`ActError::Bad`] where more are asked for than are made at once.
    pub async fn make_errands(
        self,
        actor: &Actor,
        asked: &[AskedLink],
    ) -> Result<(Vec<std::result::Result<String, String>>, Timestamp)> {
        actor.may(Role::Technician)?;
        if asked.len() > MOST_LINKS {
            return Err(ActError::Bad(format!(
                "No links were made: you can make {MOST_LINKS} at once, and {} sites are \
                selected. Select fewer sites.",
                asked.len()
            )));
        }
        let until = Timestamp::now() + SignedDuration::from_hours(24 * LINK_DAYS);
        let mut made = Vec::with_capacity(asked.len());
        let mut kept = Vec::new();
        for link in asked {
            match self.errand_for(link).await {
                Ok(fitting) => {
                    let token = fresh_token();
                    kept.push((link, fitting, token.clone()));
                    made.push(Ok(token));
                }
                Err(ActError::Bad(why)) => made.push(Err(why)),
                Err(other) => return Err(other),
            }
        }
        let mut tx = self.acts.store.begin().await?;
        for (link, fitting, token) in &kept {
            let LinkTarget { slot, url, key } = fitting;
            let to_whom = link.to_whom.trim();
            tx.add_errand(&NewErrand {
                site: link.site,
                widget_key: key,
                slot,
                to_whom,
                who: &actor.name,
                hash: &token_hash(token),
                until,
            })
            .await?;
            let detail = json!({"slot": slot, "to": to_whom, "until": until.as_second()});
            record(&mut tx, actor, "made an instruction link", url, detail).await?;
        }
        tx.commit().await?;
        Ok((made, until))
    }

    /// What a link that is to be made leads to.
    async fn errand_for(self, link: &AskedLink) -> Result<LinkTarget> {
        let to_whom = typed::text(&link.to_whom, MOST_NAME);
        to_whom.map_err(|e| ActError::Bad(format!("The name {e}.")))?;
        let placing = self.acts.placing();
        let page = placing
            .place_steps(link.site, link.widget, &link.slot)
            .await?;
        match (&page.fitted, &page.slot) {
            (Some(_), Some(slot)) => {
                let (_, key) = page.widgets.get(link.widget).cloned().unwrap_or_default();
                Ok(LinkTarget {
                    slot: slot.id.clone(),
                    url: page.site.url.clone(),
                    key: if link.widget == 0 { String::new() } else { key },
                })
            }
            _ => Err(ActError::Bad(format!("No link was made. {}", page.problem))),
        }
    }

    async fn errand(self, id: i64) -> Result<Errand> {
        let found = self.acts.store.handing().errand(id).await?;
        found.ok_or(ActError::NotFound("link"))
    }

    /// Withdraws a link. Gives its site.
    ///
    /// # Errors
    /// Where there is none.
    pub async fn withdraw_errand(self, actor: &Actor, id: i64) -> Result<i64> {
        actor.may(Role::Technician)?;
        let errand = self.errand(id).await?;
        let mut tx = self.acts.store.begin().await?;
        tx.withdraw_errand(id).await?;
        let subject = format!("link {id}");
        let act = "withdrew an instruction link";
        record(&mut tx, actor, act, &subject, json!({})).await?;
        tx.commit().await?;
        Ok(errand.site_id)
    }

    /// Answers a question. Gives the site.
    ///
    /// # Errors
    /// [`ActError::Bad`] where nothing was written.
    pub async fn answer_errand(self, actor: &Actor, id: i64, words: &str) -> Result<i64> {
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
    async fn open_errand(self, token: &str) -> Result<Errand> {
        let found = self
            .acts
            .store
            .handing()
            .errand_by(&token_hash(token))
            .await?;
        let open = found.filter(|e| e.is_open);
        open.ok_or(ActError::NotFound("link"))
    }

    /// Returns the page for a link's token: the steps, the exact code and the messages.
    ///
    /// # Errors
    /// [`ActError::NotFound`] where the link does not open.
    pub async fn errand_page(self, token: &str) -> Result<ErrandPage> {
        let errand = self.open_errand(token).await?;
        let placing = self.acts.placing();
        let widget = placing
            .place_of_widget(errand.site_id, &errand.widget_key)
            .await?;
        Ok(ErrandPage {
            place: placing
                .place_steps(errand.site_id, widget, &errand.slot_id)
                .await?,
            words: self.acts.store.handing().errand_words(&[errand.id]).await?,
            agency: self.acts.store.settings().agency().await?.name,
            found: self.found_since(&errand).await?,
            errand,
        })
    }

    /// What was found since the person with the link said that it is done.
    async fn found_since(self, errand: &Errand) -> Result<Option<(bool, String)>> {
        let Some(done) = errand.done_at else {
            return Ok(None);
        };
        let site = errand.site_id;
        let standings = self.acts.store.sites().standings_of(&[site]).await?;
        let rows = standings.get(&site).map(Vec::as_slice).unwrap_or_default();
        let of = |family: Family| {
            let row = rows.iter().find(|r| r.family == family);
            row.filter(|r| r.check_id.is_some() && r.at > done)
        };
        let (Some(place), Some(load)) = (of(Family::Place), of(Family::Load)) else {
            return Ok(None);
        };
        Ok(Some(told_outside(&place.stood(), &load.stood())))
    }

    /// A person with a link asks something.
    ///
    /// # Errors
    /// [`ActError::Bad`] where nothing was written, or no more is taken.
    pub async fn ask_by_errand(self, token: &str, by: &str, words: &str) -> Result<()> {
        let errand = self.open_errand(token).await?;
        let by = by_link(name_of(by)?);
        self.write_errand(&errand, &outsider(), &by, true, words)
            .await
    }

    async fn write_errand(
        self,
        errand: &Errand,
        actor: &Actor,
        by: &str,
        outside: bool,
        words: &str,
    ) -> Result<()> {
        let words = typed::text(words, MOST_QUESTION);
        let words = words.map_err(|e| ActError::Bad(format!("What you wrote {e}.")))?;
        if words.is_empty() {
            return Err(ActError::Bad("Enter a question first.".into()));
        }
        let mut tx = self.acts.store.begin().await?;
        let taken = tx
            .write_errand(errand.id, by, outside, words, MOST_QUESTIONS)
            .await?;
        if !taken {
            let why = "This conversation is full. Call or e-mail each other instead.";
            return Err(ActError::Bad(why.into()));
        }
        let subject = format!("link {}", errand.id);
        record(
            &mut tx,
            actor,
            "wrote to an instruction link",
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
    pub async fn end_errand(self, token: &str, by: &str) -> Result<()> {
        let errand = self.open_errand(token).await?;
        let by = &by_link(name_of(by)?);
        let under_way = self
            .acts
            .store
            .rounds()
            .job_under_way(errand.site_id)
            .await?;
        let mut tx = self.acts.store.begin().await?;
        if !tx.end_errand(errand.id, by).await? {
            // It was said a moment ago: once is enough.
            return Ok(());
        }
        tx.write_diary(&NewEntry {
            site: errand.site_id,
            who: by,
            kind: Kind::Changed,
            slot: &errand.slot_id,
            words: "placed by someone else, by link",
            photo: None,
        })
        .await?;
        if under_way.is_none_or(|j| j.kind != JobKind::Check) {
            let title = "Verify: 1 site";
            let sites = [errand.site_id];
            tx.start_round(JobKind::Check, title, by, &sites, Urgency::Person)
                .await?;
        }
        let subject = format!("link {}", errand.id);
        let detail = json!({"by": by});
        let act = "confirmed placing";
        record(&mut tx, &outsider(), act, &subject, detail).await?;
        Ok(tx.commit().await?)
    }
}

/// A name as somebody without an account gave it: nobody can tell whose it is, and it may be one of
/// ours.
fn by_link(name: &str) -> String {
    format!("{name}, by a link")
}

fn name_of(by: &str) -> Result<&str> {
    let by = typed::text(by, MOST_NAME);
    let by = by.map_err(|e| ActError::Bad(format!("Your name {e}.")))?;
    match by.is_empty() {
        true => Err(ActError::Bad(
            "Enter your name, so that the agency knows who did this.".into(),
        )),
        false => Ok(by),
    }
}

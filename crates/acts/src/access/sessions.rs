//! Signing in and out.

use crate::access::people::MOST_EMAIL;
use crate::handles::PeopleActs;
use crate::{ActError, Actor, Result, record};
use jiff::{SignedDuration, Timestamp};
use newtfern_store::access::people::Person;
use newtfern_store::access::sessions::{From, Session};
use serde_json::json;

/// Length of a session: fourteen days.
pub(crate) const SESSION: SignedDuration = SignedDuration::from_hours(24 * 14);
/// Minutes that somebody has for the second factor.
const SECOND_MINUTES: i64 = 10;
/// Days for which a browser is remembered.
const BROWSER_DAYS: i64 = 180;

/// A session that was opened.
#[derive(Debug, Clone)]
pub struct OpenedSession {
    /// Token that the session's cookie carries.
    pub token: String,
    /// Length of the session, in seconds.
    pub seconds: i64,
    /// Token of the cookie by which the browser is known next time, and its length in seconds.
    pub browser: (String, i64),
    /// The second factor is still to be given.
    pub asks_second: bool,
}

impl PeopleActs<'_> {
    /// Signs somebody in by address and password; none where they do not fit. An unknown address, a
    /// locked person and a wrong password take the same time.
    ///
    /// # Errors
    /// [`ActError::Busy`], where too many sign in.
    pub async fn sign_in(
        self,
        email: &str,
        password: &str,
        from: &From,
    ) -> Result<Option<OpenedSession>> {
        let person = match email.chars().count() <= MOST_EMAIL {
            true => self.acts.store.people().person_by_email(email).await?,
            false => None,
        };
        let hash = person.as_ref().map(|p| p.password_hash.as_str());
        let right = self.acts.hashing.verify(password, hash).await?;
        match person.filter(|p| right && !p.locked) {
            Some(person) => self.open_session(&person, from).await.map(Some),
            None => {
                self.note_failure(email, from).await?;
                Ok(None)
            }
        }
    }

    /// A failed attempt stands in the trail, whoever was meant.
    async fn note_failure(self, email: &str, from: &From) -> Result<()> {
        let email: String = email.trim().chars().take(MOST_EMAIL).collect();
        let mut tx = self.acts.store.begin().await?;
        let detail = json!({"from": from.peer});
        tx.note("somebody", "failed to sign in", &email, detail)
            .await?;
        Ok(tx.commit().await?)
    }

    /// Opens a session for somebody who proved who they are.
    async fn open_session(self, person: &Person, from: &From) -> Result<OpenedSession> {
        let lasts = match person.second {
            true => SignedDuration::from_mins(SECOND_MINUTES),
            false => SESSION,
        };
        let now = Timestamp::now();
        let remembered = SignedDuration::from_hours(24 * BROWSER_DAYS);
        let mut tx = self.acts.store.begin().await?;
        let token = tx
            .open_session(person.id, now + lasts, from, !person.second)
            .await?;
        let browser = tx.remember_browser(person.id, now + remembered).await?;
        let detail = json!({"from": from.peer});
        let actor = Actor::of(person);
        record(&mut tx, &actor, "signed in", &person.email, detail).await?;
        tx.commit().await?;
        Ok(OpenedSession {
            token,
            seconds: lasts.as_secs(),
            browser: (browser, remembered.as_secs()),
            asks_second: person.second,
        })
    }

    /// Ends a session: its person signs out.
    pub async fn close_session(self, person: &Person, token: &str) -> Result<()> {
        let mut tx = self.acts.store.begin().await?;
        tx.close_session(token).await?;
        let actor = Actor::of(person);
        record(&mut tx, &actor, "signed out", &person.email, json!({})).await?;
        Ok(tx.commit().await?)
    }

    /// Ends one of a person's own sessions, or all but the one that asks.
    ///
    /// # Errors
    /// [`ActError::NotFound`] where it is none of theirs.
    pub async fn end_own_sessions(self, session: &Session, which: Option<i64>) -> Result<()> {
        let person = &session.person;
        let mut tx = self.acts.store.begin().await?;
        let ended = match which {
            Some(id) => tx.end_session(person.id, id).await?,
            None => tx.end_sessions(&[person.id], Some(session.id)).await?,
        };
        if which.is_some() && ended == 0 {
            return Err(ActError::NotFound("session"));
        }
        let detail = json!({"sessions": ended});
        let act = "ended own sessions";
        record(&mut tx, &Actor::of(person), act, &person.email, detail).await?;
        Ok(tx.commit().await?)
    }
}

//! People, their roles and passwords. Nobody changes their own role or locks themselves out, and
//! the last administrator stays.

use crate::access::hashing::MOST_PASSWORD;
use crate::handles::PeopleActs;
use crate::{ActError, Actor, Result, record};
use jiff::{SignedDuration, Timestamp};
use newtfern_standards::typed::{self, MOST_NAME};
use newtfern_store::Tx;
use newtfern_store::access::people::{Person, Role};
use newtfern_store::access::sessions::Session;
use serde_json::json;

/// Characters a password must have.
const LEAST_PASSWORD: usize = 12;
/// Characters of an address (RFC 5321, 4.5.3.1.3: 256 for a path with its brackets).
pub const MOST_EMAIL: usize = 254;
/// Hours a link for choosing a password holds.
pub const LINK_HOURS: i64 = 24;

fn bad<T>(why: impl Into<String>) -> Result<T> {
    Err(ActError::Bad(why.into()))
}

/// Good enough to be kept?
fn check_password(password: &str) -> Result<()> {
    let length = password.chars().count();
    if length < LEAST_PASSWORD {
        return bad(format!(
            "A password must have {LEAST_PASSWORD} characters or more."
        ));
    }
    if length > MOST_PASSWORD {
        return bad(format!(
            "A password may have {MOST_PASSWORD} characters at most."
        ));
    }
    Ok(())
}

fn check_name(email: &str, name: &str) -> Result<()> {
    if !email.contains('@') || name.is_empty() {
        return bad("Enter a name and an e-mail address.");
    }
    let name = typed::text(name, MOST_NAME).map_err(|e| format!("The name {e}."));
    let email = || typed::text(email, MOST_EMAIL).map_err(|e| format!("The address {e}."));
    name.and_then(|_| email()).map_err(ActError::Bad)?;
    Ok(())
}

/// Act that can be done to several people at once.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PeopleAct {
    /// Keeps the person from signing in.
    Lock,
    /// Lets a locked person sign in again.
    Unlock,
    /// Signs the person out everywhere.
    EndSessions,
    /// Removes the person and signs them out.
    Remove,
}

impl PeopleAct {
    /// Every act, in the order of its buttons.
    pub const ALL: [PeopleAct; 4] = [
        PeopleAct::EndSessions,
        PeopleAct::Lock,
        PeopleAct::Unlock,
        PeopleAct::Remove,
    ];

    /// Returns the act's name in forms.
    pub fn key(self) -> &'static str {
        match self {
            PeopleAct::Lock => "lock",
            PeopleAct::Unlock => "unlock",
            PeopleAct::EndSessions => "end",
            PeopleAct::Remove => "remove",
        }
    }

    /// Returns the label of the act's button.
    pub fn title(self) -> &'static str {
        match self {
            PeopleAct::Lock => "Lock",
            PeopleAct::Unlock => "Unlock",
            PeopleAct::EndSessions => "Sign out everywhere",
            PeopleAct::Remove => "Remove",
        }
    }

    fn done(self) -> &'static str {
        match self {
            PeopleAct::Lock => "locked a person",
            PeopleAct::Unlock => "unlocked a person",
            PeopleAct::EndSessions => "signed a person out",
            PeopleAct::Remove => "removed a person",
        }
    }
}

impl PeopleActs<'_> {
    /// Adds a person; without a password one is chosen by a link.
    ///
    /// # Errors
    /// [`ActError::Bad`] with what to mend.
    pub async fn add_person(
        self,
        actor: &Actor,
        email: &str,
        name: &str,
        role: Role,
        password: Option<&str>,
    ) -> Result<i64> {
        actor.may(Role::Administrator)?;
        let (email, name) = (email.trim(), name.trim());
        check_name(email, name)?;
        if self
            .acts
            .store
            .people()
            .person_by_email(email)
            .await?
            .is_some()
        {
            return bad(format!(
                "A person with the e-mail address {email} exists already."
            ));
        }
        let hash = match password {
            Some(password) => {
                check_password(password)?;
                self.acts.hashing.hash(password).await?
            }
            None => String::new(),
        };
        let mut tx = self.acts.store.begin().await?;
        let id = tx.add_person(email, name, role, &hash).await?;
        let detail = json!({"role": role.word()});
        record(&mut tx, actor, "added a person", email, detail).await?;
        tx.commit().await?;
        Ok(id)
    }

    /// Changes what somebody else may do; they sign in anew.
    ///
    /// # Errors
    /// [`ActError::Bad`] for one's own role.
    pub async fn set_role(self, actor: &Actor, own: i64, id: i64, role: Role) -> Result<()> {
        actor.may(Role::Administrator)?;
        if id == own {
            return bad("You cannot change your own role. Ask another administrator.");
        }
        let person = self.known(id).await?;
        let mut tx = self.acts.store.begin().await?;
        tx.administrators().await?;
        tx.set_role(id, role).await?;
        keep_one(&mut tx).await?;
        tx.end_sessions(&[id], None).await?;
        let detail = json!({"role": role.word()});
        record(&mut tx, actor, "changed a role", &person.email, detail).await?;
        Ok(tx.commit().await?)
    }

    async fn known(self, id: i64) -> Result<Person> {
        self.acts
            .store
            .people()
            .person(id)
            .await?
            .ok_or(ActError::NotFound("person"))
    }

    /// Locks, unlocks, signs out or removes people, all or none of them.
    ///
    /// # Errors
    /// [`ActError::Bad`] for oneself, or where no administrator would be left.
    pub async fn act_on_people(
        self,
        actor: &Actor,
        own: i64,
        ids: &[i64],
        act: PeopleAct,
    ) -> Result<()> {
        actor.may(Role::Administrator)?;
        if ids.is_empty() {
            return bad("No people are selected. Select the people first.");
        }
        if ids.contains(&own) {
            return bad(
                "You selected yourself. Clear that selection, or ask another administrator.",
            );
        }
        let mut people = Vec::new();
        for id in ids {
            people.push(self.known(*id).await?);
        }
        let mut tx = self.acts.store.begin().await?;
        tx.administrators().await?;
        if act != PeopleAct::Unlock {
            tx.end_sessions(ids, None).await?;
        }
        match act {
            PeopleAct::Lock => tx.set_locked(ids, true).await?,
            PeopleAct::Unlock => tx.set_locked(ids, false).await?,
            PeopleAct::Remove => tx.remove_people(ids).await?,
            PeopleAct::EndSessions => {}
        }
        keep_one(&mut tx).await?;
        for person in &people {
            record(&mut tx, actor, act.done(), &person.email, json!({})).await?;
        }
        Ok(tx.commit().await?)
    }

    /// A link by which somebody chooses a password, once, within a day; gives its token. Their old
    /// password holds until then.
    ///
    /// # Errors
    /// [`ActError::NotFound`] where nobody is there.
    pub async fn make_password_link(self, actor: &Actor, id: i64) -> Result<(Person, String)> {
        actor.may(Role::Administrator)?;
        let person = self.known(id).await?;
        if person.locked {
            return bad(format!("{} is locked: unlock them first.", person.name));
        }
        let until = Timestamp::now() + SignedDuration::from_hours(LINK_HOURS);
        let mut tx = self.acts.store.begin().await?;
        let token = tx.make_password_link(id, until).await?;
        let act = "made a link for a password";
        record(&mut tx, actor, act, &person.email, json!({})).await?;
        tx.commit().await?;
        Ok((person, token))
    }

    /// Keeps the password that was chosen by a link; the link is used up, and whoever was signed in
    /// as this person is signed out.
    ///
    /// # Errors
    /// [`ActError::Bad`] for a password that is too short; [`ActError::NotFound`] for a link that
    /// does not hold.
    pub async fn choose_password(self, token: &str, password: &str) -> Result<()> {
        check_password(password)?;
        // Hashing is made to be costly: whoever has no link must not have it done.
        let person = self.acts.store.people().password_link(token).await?;
        let person = person.ok_or(ActError::NotFound("link"))?;
        let hash = self.acts.hashing.hash(password).await?;
        let mut tx = self.acts.store.begin().await?;
        if tx.take_password_link(token).await? != Some(person.id) {
            return Err(ActError::NotFound("link"));
        }
        tx.set_password(person.id, &hash).await?;
        tx.end_sessions(&[person.id], None).await?;
        let act = "chose a password by a link";
        record(&mut tx, &Actor::of(&person), act, &person.email, json!({})).await?;
        Ok(tx.commit().await?)
    }

    /// Changes one's own password; all other sessions end.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the old one is not right or the new one too short.
    pub async fn change_password(self, session: &Session, old: &str, new: &str) -> Result<()> {
        check_password(new)?;
        self.own_password(session, old).await?;
        let hash = self.acts.hashing.hash(new).await?;
        let person = &session.person;
        let mut tx = self.acts.store.begin().await?;
        tx.set_password(person.id, &hash).await?;
        tx.end_sessions(&[person.id], Some(session.id)).await?;
        let act = "changed the password";
        record(&mut tx, &Actor::of(person), act, &person.email, json!({})).await?;
        Ok(tx.commit().await?)
    }

    /// Asks who is signed in for the password once more.
    pub(crate) async fn own_password(self, session: &Session, password: &str) -> Result<()> {
        let known = self
            .acts
            .store
            .people()
            .person_by_email(&session.person.email)
            .await?;
        let hash = known.map(|p| p.password_hash);
        if self.acts.hashing.verify(password, hash.as_deref()).await? {
            return Ok(());
        }
        self.note_refused(&session.person, "gave a wrong own password")
            .await?;
        Err(ActError::WrongPassword)
    }
}

/// Refuses to leave the house without an administrator.
async fn keep_one(tx: &mut Tx) -> Result<()> {
    if tx.administrators().await? == 0 {
        return bad("This is the last administrator. Make someone else an administrator first.");
    }
    Ok(())
}

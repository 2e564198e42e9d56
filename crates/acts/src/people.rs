//! People, their roles and sessions. Passwords are hashed by Argon2id with the crate's recommended
//! parameters.

use crate::{ActError, Actor, Acts, Result, record};
use argon2::Argon2;
use argon2::password_hash::rand_core::OsRng;
use argon2::password_hash::{PasswordHash, PasswordHasher, PasswordVerifier, SaltString};
use jiff::{SignedDuration, Timestamp};
use newtfern_store::people::{Person, Role};
use serde_json::json;

/// Characters a password must have.
const LEAST_PASSWORD: usize = 12;
/// How long a session lasts.
const SESSION_DAYS: i64 = 14;

/// Hashes a password.
pub fn hash_password(password: &str) -> String {
    let salt = SaltString::generate(&mut OsRng);
    let hash = Argon2::default().hash_password(password.as_bytes(), &salt);
    // The parameters are constants that the crate accepts.
    hash.map(|h| h.to_string()).unwrap_or_default()
}

/// Is this the password of a hash?
pub fn verify_password(password: &str, hash: &str) -> bool {
    let verifier = Argon2::default();
    let hash = PasswordHash::new(hash);
    hash.is_ok_and(|h| verifier.verify_password(password.as_bytes(), &h).is_ok())
}

impl Acts {
    /// Adds a person.
    ///
    /// # Errors
    /// [`ActError::Bad`] with what to mend.
    pub async fn add_person(
        &self,
        actor: &Actor,
        email: &str,
        name: &str,
        role: Role,
        password: &str,
    ) -> Result<i64> {
        actor.may(Role::Administrator)?;
        let (email, name) = (email.trim(), name.trim());
        let bad = |why: String| Err(ActError::Bad(why));
        if !email.contains('@') || name.is_empty() {
            return bad("Give the person a name and an e-mail address.".into());
        }
        if password.chars().count() < LEAST_PASSWORD {
            return bad(format!(
                "The first password must have {LEAST_PASSWORD} characters or more."
            ));
        }
        if self.store.person_by_email(email).await?.is_some() {
            return bad(format!(
                "There is a person with the address {email} already."
            ));
        }
        let password = password.to_string();
        let hash = tokio::task::spawn_blocking(move || hash_password(&password))
            .await
            .map_err(|_| ActError::Bad("Try again.".into()))?;
        let mut tx = self.store.begin().await?;
        let id = tx.add_person(email, name, role, &hash).await?;
        let detail = json!({"role": role.word()});
        record(&mut tx, actor, "added a person", email, detail).await?;
        tx.commit().await?;
        Ok(id)
    }

    /// Changes what somebody else may do.
    ///
    /// # Errors
    /// [`ActError::Bad`] for one's own role.
    pub async fn set_role(&self, actor: &Actor, own: i64, id: i64, role: Role) -> Result<()> {
        actor.may(Role::Administrator)?;
        if id == own {
            let why = "You cannot change your own role: ask another administrator.";
            return Err(ActError::Bad(why.into()));
        }
        let mut tx = self.store.begin().await?;
        tx.set_role(id, role).await?;
        let detail = json!({"role": role.word()});
        record(
            &mut tx,
            actor,
            "changed a role",
            &format!("person {id}"),
            detail,
        )
        .await?;
        Ok(tx.commit().await?)
    }

    /// Opens a session for somebody whose password was right; gives the token for the cookie and how
    /// long it lasts, in seconds.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn open_session(&self, person: &Person) -> Result<(String, i64)> {
        let actor = Actor {
            name: person.name.clone(),
            role: person.role(),
        };
        let lasts = SignedDuration::from_hours(24 * SESSION_DAYS);
        let mut tx = self.store.begin().await?;
        let token = tx.open_session(person.id, Timestamp::now() + lasts).await?;
        record(&mut tx, &actor, "signed in", &person.email, json!({})).await?;
        tx.commit().await?;
        Ok((token, lasts.as_secs()))
    }

    /// Ends a session.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn close_session(&self, token: &str) -> Result<()> {
        let mut tx = self.store.begin().await?;
        tx.close_session(token).await?;
        Ok(tx.commit().await?)
    }
}

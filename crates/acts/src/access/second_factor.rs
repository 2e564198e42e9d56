//! The second factor: codes of an authenticator (TOTP, RFC 6238: SHA-1, 30 s, six digits, which all
//! authenticators read), and recovery codes for the day on which it is lost.

use crate::access::sessions::SESSION;
use crate::handles::PeopleActs;
use crate::{ActError, Actor, Result, record};
use jiff::Timestamp;
use newtfern_store::access::people::Person;
use newtfern_store::access::sessions::{From, Session};
use serde_json::json;
use totp_rs::{Builder, Secret, Totp};

/// Recovery codes that are given out.
const RECOVERY_CODES: usize = 10;

/// Secret and drawing that are shown while a second factor is set up.
#[derive(Debug, Clone)]
pub struct Setup {
    /// The secret in base 32 (RFC 4648), for typing.
    pub secret: String,
    /// The same as an address for authenticators (`otpauth:`), for a picture.
    pub address: String,
}

fn totp(secret: &str, account: &str) -> Result<Totp> {
    let secret = Secret::try_from_base32(secret).map_err(|_| spoiled())?;
    // A colon parts the names of the address.
    let account = account.replace(':', " ");
    Builder::new()
        .with_secret(secret)
        .with_account_name(account)
        .with_issuer(Some("Newtfern"))
        .build()
        .map_err(|_| spoiled())
}

fn spoiled() -> ActError {
    ActError::Bad(
        "The saved two-factor secret cannot be read. Ask an administrator to reset your \
        two-factor sign-in."
            .into(),
    )
}

/// Letters and digits of a code as typed, in capitals.
fn plain(code: &str) -> String {
    let kept = code.chars().filter(|c| c.is_ascii_alphanumeric()).take(40);
    kept.map(|c| c.to_ascii_uppercase()).collect()
}

fn place(person: i64) -> String {
    format!("person {person} second factor")
}

/// 80 bits in base 32, in fours.
fn recovery_code() -> String {
    let code = Secret::from(rand::random::<[u8; 10]>()).to_base32();
    let fours: Vec<&str> = (0..4).filter_map(|i| code.get(i * 4..i * 4 + 4)).collect();
    fours.join("-")
}

impl PeopleActs<'_> {
    /// Makes a secret that waits to be confirmed by a code, for who knows the password and, in
    /// place of another second factor, a code of that one: a session that was stolen must not be
    /// enough.
    ///
    /// # Errors
    /// [`ActError::WrongPassword`] or [`ActError::WrongCode`].
    pub async fn begin_second_factor(
        self,
        session: &Session,
        password: &str,
        code: &str,
    ) -> Result<Setup> {
        let person = &session.person;
        self.own_password(session, password).await?;
        if person.second && self.use_code(person, code).await?.is_none() {
            self.note_refused(person, "entered a wrong code").await?;
            return Err(ActError::WrongCode);
        }
        let secret = Secret::from(rand::random::<[u8; 20]>()).to_base32();
        let sealed = self.acts.sealer.seal(&place(person.id), &secret)?;
        let mut tx = self.acts.store.begin().await?;
        tx.set_second_pending(person.id, Some(&sealed)).await?;
        let act = "started to set up two-factor sign-in";
        record(&mut tx, &Actor::of(person), act, &person.email, json!({})).await?;
        tx.commit().await?;
        self.setup(person, secret)
    }

    /// The secret that waits to be confirmed.
    ///
    /// # Errors
    /// Where it cannot be opened.
    pub async fn pending_second_factor(self, person: &Person) -> Result<Option<Setup>> {
        match self.pending_secret(person.id).await? {
            Some(secret) => self.setup(person, secret).map(Some),
            None => Ok(None),
        }
    }

    async fn pending_secret(self, person: i64) -> Result<Option<String>> {
        let row = self.acts.store.people().second_factor(person).await?;
        self.acts
            .open_secret(&place(person), row.unwrap_or_default().second_pending)
    }

    fn setup(self, person: &Person, secret: String) -> Result<Setup> {
        let address = totp(&secret, &person.email)?
            .to_url()
            .map_err(|_| spoiled())?;
        Ok(Setup { secret, address })
    }

    /// Confirms the waiting secret by a code of it; gives the recovery codes, which are shown this
    /// once.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the code is not right.
    pub async fn confirm_second_factor(self, session: &Session, code: &str) -> Result<Vec<String>> {
        let person = &session.person;
        let Some(secret) = self.pending_secret(person.id).await? else {
            return Err(ActError::Bad(
                "The set-up has expired after 15 minutes. Start it again.".into(),
            ));
        };
        let Some(step) = right_step(&secret, code, Timestamp::now())? else {
            self.note_refused(person, "entered a wrong code").await?;
            let why = "The code is wrong. Check the clocks of this machine and of your \
                authenticator app, then enter the newest code.";
            return Err(ActError::Bad(why.into()));
        };
        let sealed = self.acts.sealer.seal(&place(person.id), &secret)?;
        let codes: Vec<String> = (0..RECOVERY_CODES).map(|_| recovery_code()).collect();
        let mut tx = self.acts.store.begin().await?;
        tx.set_second(person.id, Some(&sealed)).await?;
        tx.use_step(person.id, step).await?;
        for code in &codes {
            tx.add_recovery_code(person.id, &plain(code)).await?;
        }
        tx.end_sessions(&[person.id], Some(session.id)).await?;
        let act = "set up two-factor sign-in";
        record(&mut tx, &Actor::of(person), act, &person.email, json!({})).await?;
        tx.commit().await?;
        Ok(codes)
    }

    /// Takes the second factor away, for who knows the password.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the password is not right, or the house asks for a second factor.
    pub async fn drop_second_factor(self, session: &Session, password: &str) -> Result<()> {
        if session.second_required {
            let why = "Two-factor sign-in is required here. Set up another authenticator app \
                instead.";
            return Err(ActError::Bad(why.into()));
        }
        self.own_password(session, password).await?;
        let person = &session.person;
        let mut tx = self.acts.store.begin().await?;
        tx.set_second(person.id, None).await?;
        tx.end_sessions(&[person.id], Some(session.id)).await?;
        let act = "turned off two-factor sign-in";
        record(&mut tx, &Actor::of(person), act, &person.email, json!({})).await?;
        Ok(tx.commit().await?)
    }

    /// Takes the second factor of somebody who lost it away.
    ///
    /// # Errors
    /// [`ActError::Forbidden`] for who is no administrator.
    pub async fn clear_second_factor(self, actor: &Actor, id: i64) -> Result<()> {
        actor.may(newtfern_store::access::people::Role::Administrator)?;
        let person = self.acts.store.people().person(id).await?;
        let person = person.ok_or(ActError::NotFound("person"))?;
        let mut tx = self.acts.store.begin().await?;
        tx.set_second(id, None).await?;
        tx.end_sessions(&[id], None).await?;
        let act = "reset two-factor sign-in";
        record(&mut tx, actor, act, &person.email, json!({})).await?;
        Ok(tx.commit().await?)
    }

    /// Opens the whole session of somebody who gave a code of the authenticator or a recovery code,
    /// in place of the waiting one; each code works once. None where it is neither.
    ///
    /// # Errors
    /// Where the secret cannot be opened.
    pub async fn pass_second_factor(
        self,
        session: &Session,
        waiting: &str,
        code: &str,
        from: &From,
    ) -> Result<Option<(String, i64)>> {
        let person = &session.person;
        let Some(how) = self.use_code(person, code).await? else {
            self.note_refused(person, "entered a wrong code").await?;
            return Ok(None);
        };
        let mut tx = self.acts.store.begin().await?;
        tx.close_session(waiting).await?;
        let until = Timestamp::now() + SESSION;
        let token = tx.open_session(person.id, until, from, true).await?;
        let act = "entered the sign-in code";
        let detail = json!({"by": how});
        record(&mut tx, &Actor::of(person), act, &person.email, detail).await?;
        tx.commit().await?;
        Ok(Some((token, SESSION.as_secs())))
    }
}

impl PeopleActs<'_> {
    /// Uses a code of the authenticator or a recovery code up; which of both it was. Each works
    /// once.
    async fn use_code(self, person: &Person, code: &str) -> Result<Option<&'static str>> {
        let row = self.acts.store.people().second_factor(person.id).await?;
        let sealed = row.unwrap_or_default().second_sealed;
        let Some(secret) = self.acts.open_secret(&place(person.id), sealed)? else {
            return Ok(None);
        };
        let step = right_step(&secret, code, Timestamp::now())?;
        let mut tx = self.acts.store.begin().await?;
        let (right, how) = match step {
            Some(step) => (tx.use_step(person.id, step).await?, "a code"),
            None => {
                let used = tx.use_recovery_code(person.id, &plain(code)).await?;
                (used, "a recovery code")
            }
        };
        tx.commit().await?;
        Ok(right.then_some(how))
    }

    /// Records in the trail that somebody was refused.
    pub(crate) async fn note_refused(self, person: &Person, act: &str) -> Result<()> {
        let mut tx = self.acts.store.begin().await?;
        record(&mut tx, &Actor::of(person), act, &person.email, json!({})).await?;
        Ok(tx.commit().await?)
    }
}

/// The step whose code this is, now or one step aside (RFC 6238, 5.2).
fn right_step(secret: &str, code: &str, now: Timestamp) -> Result<Option<i64>> {
    let seconds = u64::try_from(now.as_second()).unwrap_or(0);
    let step = totp(secret, "")?.check(&plain(code), seconds);
    Ok(step.and_then(|s| i64::try_from(s).ok()))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// RFC 6238, appendix B, the rows for SHA-1; its codes have eight digits, of which ours are the
    /// last six (RFC 4226, 5.3: the number modulo ten to the digits).
    #[test]
    fn codes_are_those_of_the_standard() {
        let secret = Secret::from(*b"12345678901234567890").to_base32();
        for (seconds, code) in [
            (59, "94287082"),
            (1_111_111_109, "07081804"),
            (1_111_111_111, "14050471"),
            (1_234_567_890, "89005924"),
            (2_000_000_000, "69279037"),
            (20_000_000_000, "65353130"),
        ] {
            let now = Timestamp::from_second(seconds).unwrap();
            let step = |code: &str| right_step(&secret, code, now).unwrap();
            assert_eq!(step(&code[2..]), Some(seconds / 30));
            // With blanks, as authenticators show it.
            assert_eq!(
                step(&format!("{} {}", &code[2..5], &code[5..])),
                Some(seconds / 30)
            );
            assert_eq!(step(code), None, "eight digits are no code of ours");
            assert_eq!(step(""), None);
            // One step aside, and no further.
            let aside = |steps: i64| {
                let at = Timestamp::from_second(seconds + steps * 30).unwrap();
                right_step(&secret, &code[2..], at).unwrap()
            };
            assert_eq!(
                (aside(1), aside(-1)),
                (Some(seconds / 30), Some(seconds / 30))
            );
            assert_eq!(aside(2), None);
            // Before 1970 there is no step.
            assert!(seconds < 60 || aside(-2).is_none());
        }
    }

    #[test]
    fn recovery_codes_differ_and_are_read_as_typed() {
        let (one, other) = (recovery_code(), recovery_code());
        assert_ne!(one, other);
        assert_eq!((one.len(), plain(&one).len()), (19, 16));
        assert_eq!(plain(&one.to_lowercase().replace('-', " ")), plain(&one));
    }
}

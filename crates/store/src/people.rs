//! People, their roles and sessions.

use crate::{Result, Store, Tx, doing, fresh_token, token_hash, unique};
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;
use serde::{Deserialize, Serialize};

/// What a person may do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Role {
    /// Looks.
    Viewer,
    /// Places, checks, hands over.
    Technician,
    /// All, with people and settings.
    Administrator,
}

impl Role {
    /// The most first.
    pub const ALL: [Role; 3] = [Role::Administrator, Role::Technician, Role::Viewer];

    /// In words.
    pub fn word(self) -> &'static str {
        match self {
            Role::Viewer => "viewer",
            Role::Technician => "technician",
            Role::Administrator => "administrator",
        }
    }

    /// Unknown words become the least role.
    pub fn from_word(word: &str) -> Role {
        Role::ALL
            .into_iter()
            .find(|r| r.word() == word)
            .unwrap_or(Role::Viewer)
    }
}

/// Somebody who can sign in.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Person {
    /// Its number.
    pub id: i64,
    /// Unique, in lower case.
    pub email: String,
    /// As others see it.
    pub name: String,
    /// The role's word.
    pub role: String,
    /// Argon2id, in PHC string format.
    #[sqlx(default)]
    pub password_hash: String,
}

impl Person {
    /// The typed role; a viewer where the word is not known.
    pub fn role(&self) -> Role {
        Role::from_word(&self.role)
    }
}

/// A signed-in person with the token that forms must carry.
#[derive(Debug, Clone)]
pub struct Session {
    /// Who signed in.
    pub person: Person,
    /// The token that its forms carry.
    pub csrf: String,
}

#[derive(sqlx::FromRow)]
struct SessionRow {
    #[sqlx(flatten)]
    person: Person,
    csrf: String,
}

impl Store {
    /// All people, by name.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn people(&self) -> Result<Vec<Person>> {
        sqlx::query_as("select id, email, name, role from people order by name")
            .fetch_all(&self.pool)
            .await
            .map_err(doing("listing people"))
    }

    /// The person with an address.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn person_by_email(&self, email: &str) -> Result<Option<Person>> {
        sqlx::query_as("select id, email, name, role, password_hash from people where email = $1")
            .bind(email.trim().to_lowercase())
            .fetch_optional(&self.pool)
            .await
            .map_err(doing("looking up a person"))
    }

    /// The session of a cookie's token, if it holds.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn session(&self, token: &str) -> Result<Option<Session>> {
        let row: Option<SessionRow> = sqlx::query_as(
            "select p.id, p.email, p.name, p.role, s.csrf from sessions s \
                join people p on p.id = s.person_id where s.token_hash = $1 \
                and s.expires_at > now()",
        )
        .bind(token_hash(token))
        .fetch_optional(&self.pool)
        .await
        .map_err(doing("reading a session"))?;
        Ok(row.map(|r| Session {
            person: r.person,
            csrf: r.csrf,
        }))
    }
}

impl Tx {
    /// Adds a person.
    ///
    /// # Errors
    /// [`StoreError::Taken`](crate::StoreError::Taken), where a person with this address is there.
    pub async fn add_person(
        &mut self,
        email: &str,
        name: &str,
        role: Role,
        password_hash: &str,
    ) -> Result<i64> {
        let email = email.trim().to_lowercase();
        sqlx::query_scalar(
            "insert into people (email, name, role, password_hash) \
            values ($1, $2, $3, $4) returning id",
        )
        .bind(&email)
        .bind(name.trim())
        .bind(role.word())
        .bind(password_hash)
        .fetch_one(&mut *self.inner)
        .await
        .map_err(unique(
            "a person with this address",
            &email,
            "adding a person",
        ))
    }

    /// Changes what a person may do.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn set_role(&mut self, id: i64, role: Role) -> Result<()> {
        sqlx::query("update people set role = $2 where id = $1")
            .bind(id)
            .bind(role.word())
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("changing a role"))
    }

    /// Gives the token to put into the cookie; only its hash is kept.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn open_session(&mut self, person: i64, until: Timestamp) -> Result<String> {
        let token = fresh_token();
        sqlx::query("insert into sessions (token_hash, person_id, csrf, expires_at) values ($1, $2, $3, $4)")
            .bind(token_hash(&token))
            .bind(person)
            .bind(fresh_token())
            .bind(until.to_sqlx())
            .execute(&mut *self.inner)
            .await
            .map_err(doing("opening a session"))?;
        Ok(token)
    }

    /// Ends a session.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn close_session(&mut self, token: &str) -> Result<()> {
        sqlx::query("delete from sessions where token_hash = $1 or expires_at < now()")
            .bind(token_hash(token))
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("closing a session"))
    }
}

//! People and their roles.

use crate::handles::PeopleRows;
use crate::{Result, Tx, doing, unique};
use serde::{Deserialize, Serialize};

/// Role of a person, which says what they may do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Role {
    /// May look at everything and change nothing.
    Viewer,
    /// Places, checks, hands over.
    Technician,
    /// All, with people and settings.
    Administrator,
}

impl Role {
    /// Every role, the most powerful first.
    pub const ALL: [Role; 3] = [Role::Administrator, Role::Technician, Role::Viewer];

    /// Returns the role's name in words.
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

/// Person who can sign in.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Person {
    /// Number of the person.
    pub id: i64,
    /// Unique, in lower case.
    pub email: String,
    /// Name that others see.
    pub name: String,
    /// Stored word of the role.
    pub role: String,
    /// May not sign in.
    pub locked: bool,
    /// Signs in with a second factor.
    pub second: bool,
    /// Argon2id, in PHC string format; empty until a password was chosen.
    #[sqlx(default)]
    pub password_hash: String,
}

/// Columns of a person, from `people p`.
pub(crate) const COLUMNS: &str = "p.id, p.email, p.name, p.role, p.locked_at is not \
    null as locked, \
    p.second_sealed is not null as second";

impl Person {
    /// The typed role; a viewer where the word is not known.
    pub fn role(&self) -> Role {
        Role::from_word(&self.role)
    }
}

impl PeopleRows<'_> {
    /// All people, by name.
    pub async fn all(self) -> Result<Vec<Person>> {
        sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "select {COLUMNS} from people p order by p.name"
        )))
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("listing people"))
    }

    /// The person with an address.
    pub async fn person_by_email(self, email: &str) -> Result<Option<Person>> {
        let sql = format!("select {COLUMNS}, p.password_hash from people p where p.email = $1");
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(crate::text::clean(&email.trim().to_lowercase()))
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("looking up a person"))
    }

    /// Returns one person, without the password's hash.
    pub async fn person(self, id: i64) -> Result<Option<Person>> {
        sqlx::query_as(sqlx::AssertSqlSafe(format!(
            "select {COLUMNS} from people p where p.id = $1"
        )))
        .bind(id)
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("reading a person"))
    }

    /// Returns one page of people whose name or address has the words of a search, and how many
    /// there are.
    pub async fn people_found(
        self,
        search: &str,
        offset: i64,
        limit: i64,
    ) -> Result<(Vec<Person>, i64)> {
        let like = crate::access::audit::like(search);
        let sql = format!(
            "select {COLUMNS} from people p where p.name ilike $1 or p.email ilike $1 order by \
            p.name, p.id offset $2 limit $3"
        );
        let rows = sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(&like)
            .bind(offset)
            .bind(limit)
            .fetch_all(&self.store.pool)
            .await
            .map_err(doing("listing people"))?;
        let total =
            sqlx::query_scalar("select count(*) from people where name ilike $1 or email ilike $1")
                .bind(&like)
                .fetch_one(&self.store.pool)
                .await
                .map_err(doing("counting people"))?;
        Ok((rows, total))
    }
}

impl Tx {
    /// Adds a person and returns their number.
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
    pub async fn set_role(&mut self, id: i64, role: Role) -> Result<()> {
        sqlx::query("update people set role = $2 where id = $1")
            .bind(id)
            .bind(role.word())
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("changing a role"))
    }

    /// Keeps the hash of a new password.
    pub async fn set_password(&mut self, id: i64, hash: &str) -> Result<()> {
        sqlx::query("update people set password_hash = $2 where id = $1")
            .bind(id)
            .bind(hash)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("changing a password"))
    }

    /// Locks people out, or lets them in again.
    pub async fn set_locked(&mut self, ids: &[i64], locked: bool) -> Result<()> {
        sqlx::query(
            "update people set locked_at = case when $2 then coalesce(locked_at, now()) \
            end where id = any($1)",
        )
        .bind(ids)
        .bind(locked)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("locking people"))
    }

    /// Removes people with their sessions; what they did stays in the audit trail.
    pub async fn remove_people(&mut self, ids: &[i64]) -> Result<()> {
        sqlx::query("delete from people where id = any($1)")
            .bind(ids)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("removing people"))
    }

    /// Returns how many administrators may sign in; nobody else changes them until the transaction
    /// ends. Asked for before anything is changed, or two who change each other would wait for each
    /// other.
    pub async fn administrators(&mut self) -> Result<i64> {
        let rows: Vec<i64> = sqlx::query_scalar(
            "select id from people where role = 'administrator' and locked_at is null \
            order by id for update",
        )
        .fetch_all(&mut *self.inner)
        .await
        .map_err(doing("counting administrators"))?;
        Ok(rows.len() as i64)
    }
}

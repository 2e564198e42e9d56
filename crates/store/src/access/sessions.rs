//! Sessions, the links by which a password is chosen, and browsers that were here before. Of every
//! token only the hash is kept.

use crate::access::people::{COLUMNS, Person};
use crate::handles::PeopleRows;
use crate::{Moment, Result, Tx, doing, fresh_token, text, token_hash};
use jiff::Timestamp;
use jiff_sqlx::ToSqlx;

/// Characters of a browser's own description that are kept.
const MOST_AGENT: usize = 200;

/// A signed-in person with the token that forms must carry.
#[derive(Debug, Clone)]
pub struct Session {
    /// Number of the session.
    pub id: i64,
    /// Person who signed in.
    pub person: Person,
    /// The token that its forms carry.
    pub csrf: String,
    /// The second factor was given, or none is asked for.
    pub passed: bool,
    /// The house asks everybody for a second factor.
    pub second_required: bool,
}

#[derive(sqlx::FromRow)]
struct SessionRow {
    #[sqlx(flatten)]
    person: Person,
    session: i64,
    csrf: String,
    passed: bool,
    second_required: bool,
    unseen: bool,
}

/// An open session, for its person's eyes.
#[derive(Debug, Clone, sqlx::FromRow)]
pub struct OpenSession {
    /// Number of the session.
    pub id: i64,
    /// Time at which it was opened.
    pub opened_at: Moment,
    /// Time at which it was last used, to five minutes.
    pub seen_at: Moment,
    /// The address it was opened from.
    pub peer: String,
    /// The browser's own description.
    pub agent: String,
}

/// Browser and address that a session is opened from.
#[derive(Debug, Clone, Default)]
pub struct From {
    /// Network address that the sign-in came from.
    pub peer: String,
    /// The browser's own description.
    pub agent: String,
}

impl PeopleRows<'_> {
    /// The session of a cookie's token, if it holds and its person is not locked.
    pub async fn session(self, token: &str) -> Result<Option<Session>> {
        let sql = format!(
            "select {COLUMNS}, s.id as session, s.csrf, s.passed, \
                s.seen_at < now() - interval '5 minutes' as unseen, \
                coalesce((select value = 'true' from settings where name = \
                'second_required'), false) \
                    as second_required \
            from sessions s join people p on p.id = s.person_id \
            where s.token_hash = $1 and s.expires_at > now() and p.locked_at is null"
        );
        let row: Option<SessionRow> = sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(token_hash(token))
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading a session"))?;
        let Some(row) = row else { return Ok(None) };
        if row.unseen {
            sqlx::query("update sessions set seen_at = now() where id = $1")
                .bind(row.session)
                .execute(&self.store.pool)
                .await
                .map_err(doing("noting a session"))?;
        }
        Ok(Some(Session {
            id: row.session,
            person: row.person,
            csrf: row.csrf,
            passed: row.passed,
            second_required: row.second_required,
        }))
    }

    /// The open sessions of a person, the one used last first; at most a hundred.
    pub async fn sessions_of(self, person: i64) -> Result<Vec<OpenSession>> {
        sqlx::query_as(
            "select id, opened_at, seen_at, peer, agent from sessions \
            where person_id = $1 and expires_at > now() order by seen_at desc, id desc limit 100",
        )
        .bind(person)
        .fetch_all(&self.store.pool)
        .await
        .map_err(doing("listing sessions"))
    }

    /// Returns the person whose password a link may set.
    pub async fn password_link(self, token: &str) -> Result<Option<Person>> {
        let sql = format!(
            "select {COLUMNS} from password_links l join people p on p.id = l.person_id \
            where l.token_hash = $1 and l.expires_at > now() and p.locked_at is null"
        );
        sqlx::query_as(sqlx::AssertSqlSafe(sql))
            .bind(token_hash(token))
            .fetch_optional(&self.store.pool)
            .await
            .map_err(doing("reading a link"))
    }

    /// Returns whether somebody signed in as this person from the browser with this token before.
    pub async fn knows_browser(self, email: &str, token: &str) -> Result<bool> {
        sqlx::query_scalar(
            "select exists (select 1 from known_browsers k join people p on p.id = k.person_id \
            where k.token_hash = $1 and k.expires_at > now() and p.email = $2)",
        )
        .bind(token_hash(token))
        .bind(text::clean(&email.trim().to_lowercase()))
        .fetch_one(&self.store.pool)
        .await
        .map_err(doing("looking up a browser"))
    }
}

impl Tx {
    /// Gives the token to put into the cookie; only its hash is kept.
    pub async fn open_session(
        &mut self,
        person: i64,
        until: Timestamp,
        from: &From,
        passed: bool,
    ) -> Result<String> {
        let token = fresh_token();
        let agent: String = from.agent.chars().take(MOST_AGENT).collect();
        sqlx::query(
            "insert into sessions (token_hash, person_id, csrf, expires_at, peer, agent, passed) \
            values ($1, $2, $3, $4, $5, $6, $7)",
        )
        .bind(token_hash(&token))
        .bind(person)
        .bind(fresh_token())
        .bind(until.to_sqlx())
        .bind(text::clean(&from.peer))
        .bind(text::clean(&agent))
        .bind(passed)
        .execute(&mut *self.inner)
        .await
        .map_err(doing("opening a session"))?;
        Ok(token)
    }

    /// Ends a session, and all that ran out.
    pub async fn close_session(&mut self, token: &str) -> Result<()> {
        sqlx::query("delete from sessions where token_hash = $1 or expires_at < now()")
            .bind(token_hash(token))
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("closing a session"))
    }

    /// Ends one session of a person.
    pub async fn end_session(&mut self, person: i64, id: i64) -> Result<u64> {
        sqlx::query("delete from sessions where person_id = $1 and id = $2")
            .bind(person)
            .bind(id)
            .execute(&mut *self.inner)
            .await
            .map(|done| done.rows_affected())
            .map_err(doing("ending a session"))
    }

    /// Ends the sessions of people, but for one that may stay; forgets their browsers, and the
    /// links by which a password could be chosen.
    pub async fn end_sessions(&mut self, people: &[i64], but: Option<i64>) -> Result<u64> {
        let ended = sqlx::query(
            "delete from sessions where person_id = any($1) and id is distinct from $2",
        )
        .bind(people)
        .bind(but)
        .execute(&mut *self.inner)
        .await
        .map_err(doing("ending sessions"))?;
        for table in ["known_browsers", "password_links"] {
            let sql =
                format!("delete from {table} where person_id = any($1) or expires_at < now()");
            sqlx::query(sqlx::AssertSqlSafe(sql))
                .bind(people)
                .execute(&mut *self.inner)
                .await
                .map_err(doing("ending sessions"))?;
        }
        Ok(ended.rows_affected())
    }

    /// A link by which a person chooses a password; it takes the place of an earlier one.
    pub async fn make_password_link(&mut self, person: i64, until: Timestamp) -> Result<String> {
        let token = fresh_token();
        sqlx::query("delete from password_links where person_id = $1")
            .bind(person)
            .execute(&mut *self.inner)
            .await
            .map_err(doing("making a link"))?;
        sqlx::query(
            "insert into password_links (token_hash, person_id, expires_at) values ($1, $2, $3)",
        )
        .bind(token_hash(&token))
        .bind(person)
        .bind(until.to_sqlx())
        .execute(&mut *self.inner)
        .await
        .map_err(doing("making a link"))?;
        Ok(token)
    }

    /// Uses a link up; whose it was.
    pub async fn take_password_link(&mut self, token: &str) -> Result<Option<i64>> {
        sqlx::query_scalar(
            "delete from password_links l using people p where l.token_hash = $1 \
            and l.expires_at > now() and p.id = l.person_id and p.locked_at is null \
            returning l.person_id",
        )
        .bind(token_hash(token))
        .fetch_optional(&mut *self.inner)
        .await
        .map_err(doing("using a link"))
    }

    /// Remembers the browser of somebody who signed in; gives the token for its cookie.
    pub async fn remember_browser(&mut self, person: i64, until: Timestamp) -> Result<String> {
        let token = fresh_token();
        sqlx::query(
            "insert into known_browsers (token_hash, person_id, expires_at) values ($1, $2, $3)",
        )
        .bind(token_hash(&token))
        .bind(person)
        .bind(until.to_sqlx())
        .execute(&mut *self.inner)
        .await
        .map_err(doing("remembering a browser"))?;
        Ok(token)
    }
}

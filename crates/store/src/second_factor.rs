//! What is kept of second factors: sealed secrets, the last step used, hashes of recovery codes.

use crate::{Result, Store, Tx, doing, token_hash};

/// What is kept of a person's second factor.
#[derive(Debug, Clone, Default, sqlx::FromRow)]
pub struct SecondRow {
    /// Its secret, sealed, once it was confirmed.
    pub second_sealed: Option<Vec<u8>>,
    /// The secret that waits to be confirmed, sealed.
    pub second_pending: Option<Vec<u8>>,
    /// The step of the last code that was taken.
    pub second_step: i64,
}

impl Store {
    /// What is kept of a person's second factor.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn second_factor(&self, person: i64) -> Result<Option<SecondRow>> {
        sqlx::query_as(
            "select second_sealed, second_pending, second_step from people where id = $1",
        )
        .bind(person)
        .fetch_optional(&self.pool)
        .await
        .map_err(doing("reading a second factor"))
    }

    /// How many recovery codes a person has left.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn recovery_codes_left(&self, person: i64) -> Result<i64> {
        sqlx::query_scalar("select count(*) from recovery_codes where person_id = $1")
            .bind(person)
            .fetch_one(&self.pool)
            .await
            .map_err(doing("counting recovery codes"))
    }

    /// The house asks everybody for a second factor.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn second_required(&self) -> Result<bool> {
        let value = self.setting("second_required").await?;
        Ok(value.and_then(|v| v.as_bool()).unwrap_or(false))
    }
}

impl Tx {
    /// Keeps a secret that waits to be confirmed; none takes it away.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn set_second_pending(&mut self, person: i64, sealed: Option<&[u8]>) -> Result<()> {
        sqlx::query("update people set second_pending = $2 where id = $1")
            .bind(person)
            .bind(sealed)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping a second factor"))
    }

    /// Keeps a confirmed secret; none takes the second factor away. The old recovery codes go.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn set_second(&mut self, person: i64, sealed: Option<&[u8]>) -> Result<()> {
        sqlx::query(
            "update people set second_sealed = $2, second_pending = null, second_step = 0 where id = $1",
        )
        .bind(person)
        .bind(sealed)
        .execute(&mut *self.inner)
        .await
        .map_err(doing("keeping a second factor"))?;
        sqlx::query("delete from recovery_codes where person_id = $1")
            .bind(person)
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping a second factor"))
    }

    /// Notes the step of a code; false where that step, or a later one, was used already.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn use_step(&mut self, person: i64, step: i64) -> Result<bool> {
        sqlx::query("update people set second_step = $2 where id = $1 and second_step < $2")
            .bind(person)
            .bind(step)
            .execute(&mut *self.inner)
            .await
            .map(|done| done.rows_affected() == 1)
            .map_err(doing("using a code"))
    }

    /// Keeps a recovery code, by its hash.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn add_recovery_code(&mut self, person: i64, code: &str) -> Result<()> {
        sqlx::query("insert into recovery_codes (person_id, code_hash) values ($1, $2)")
            .bind(person)
            .bind(token_hash(code))
            .execute(&mut *self.inner)
            .await
            .map(|_| ())
            .map_err(doing("keeping a recovery code"))
    }

    /// Uses a recovery code up; false where there is none such.
    ///
    /// # Errors
    /// Where the database refuses.
    pub async fn use_recovery_code(&mut self, person: i64, code: &str) -> Result<bool> {
        sqlx::query("delete from recovery_codes where person_id = $1 and code_hash = $2")
            .bind(person)
            .bind(token_hash(code))
            .execute(&mut *self.inner)
            .await
            .map(|done| done.rows_affected() == 1)
            .map_err(doing("using a recovery code"))
    }
}

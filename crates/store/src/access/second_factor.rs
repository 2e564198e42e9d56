//! What is kept of second factors: sealed secrets, the last step used, hashes of recovery codes.

use crate::handles::{PeopleRows, SettingRows};
use crate::{Result, Tx, doing, token_hash};

/// Minutes for which a secret waits to be confirmed.
const PENDING_MINUTES: i32 = 15;

/// Stored parts of a person's second factor.
#[derive(Debug, Clone, Default, sqlx::FromRow)]
pub struct SecondRow {
    /// Secret, sealed, once it was confirmed.
    pub second_sealed: Option<Vec<u8>>,
    /// The secret that waits to be confirmed, sealed.
    pub second_pending: Option<Vec<u8>>,
    /// The step of the last code that was taken.
    pub second_step: i64,
}

impl PeopleRows<'_> {
    /// Returns the stored parts of a person's second factor.
    pub async fn second_factor(self, person: i64) -> Result<Option<SecondRow>> {
        sqlx::query_as(
            "select second_sealed, case when second_pending_at > now() - make_interval(mins => $2) \
                then second_pending end as second_pending, second_step from people where id = $1",
        )
        .bind(person)
        .bind(PENDING_MINUTES)
        .fetch_optional(&self.store.pool)
        .await
        .map_err(doing("reading a second factor"))
    }

    /// Returns how many recovery codes a person has left.
    pub async fn recovery_codes_left(self, person: i64) -> Result<i64> {
        sqlx::query_scalar("select count(*) from recovery_codes where person_id = $1")
            .bind(person)
            .fetch_one(&self.store.pool)
            .await
            .map_err(doing("counting recovery codes"))
    }
}

impl SettingRows<'_> {
    /// The house asks everybody for a second factor.
    pub async fn second_required(self) -> Result<bool> {
        let value = self.setting("second_required").await?;
        Ok(value.and_then(|v| v.as_bool()).unwrap_or(false))
    }
}

impl Tx {
    /// Keeps a secret that waits to be confirmed; none takes it away.
    pub async fn set_second_pending(&mut self, person: i64, sealed: Option<&[u8]>) -> Result<()> {
        sqlx::query(
            "update people set second_pending = $2, second_pending_at = now() where id = $1",
        )
        .bind(person)
        .bind(sealed)
        .execute(&mut *self.inner)
        .await
        .map(|_| ())
        .map_err(doing("keeping a second factor"))
    }

    /// Keeps a confirmed secret; none takes the second factor away. The old recovery codes go.
    pub async fn set_second(&mut self, person: i64, sealed: Option<&[u8]>) -> Result<()> {
        sqlx::query(
            "update people set second_sealed = $2, second_pending = null, second_step = \
            0 where id = $1",
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

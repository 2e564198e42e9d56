//! What is listened for: events that any process reports, and the start of rounds.

use crate::connection::Store;
use crate::error::{Result, doing};
use crate::handles::{Queue, Reads};

/// Notices of progress, from whichever worker on whichever machine.
pub struct Listener(sqlx::postgres::PgListener);

impl Reads<'_> {
    /// Listens to events that any process reports.
    pub async fn listen(self) -> Result<Listener> {
        Listener::to(self.0, "newtfern_events").await
    }

    /// Returns the time by the database's clock.
    pub async fn now(self) -> Result<jiff::Timestamp> {
        self.0.now().await
    }

    /// Asks the database, for the health page.
    pub async fn alive(self) -> Result<()> {
        self.0.alive().await
    }

    /// Returns whether the connections were closed.
    pub fn is_closed(self) -> bool {
        self.0.pool.is_closed()
    }
}

impl Queue<'_> {
    /// Listens to the start of rounds, which wakes idle workers.
    pub async fn listen(self) -> Result<Listener> {
        Listener::to(self.store, "newtfern_jobs").await
    }
}

impl Listener {
    async fn to(store: &Store, channel: &str) -> Result<Listener> {
        let mut listener = sqlx::postgres::PgListener::connect_with(&store.beside)
            .await
            .map_err(doing("listening"))?;
        listener.listen(channel).await.map_err(doing("listening"))?;
        Ok(Listener(listener))
    }

    /// Waits for the next thing that is told.
    ///
    /// # Errors
    /// Where the connection is lost for good.
    pub async fn next(&mut self) -> Result<String> {
        self.0
            .recv()
            .await
            .map(|n| n.payload().to_string())
            .map_err(doing("listening"))
    }
}

//! The stream of events that pages listen to while something is under way.

use crate::error::{PageError, PageResult};
use crate::session::{Reader, token};
use crate::state::{App, progress_of};
use crate::streams::Open;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::IntoResponse;
use axum::response::sse::{Event, KeepAlive, Sse};
use futures_util::stream;
use std::convert::Infallible;
use std::time::Duration;
use tokio::sync::broadcast::error::RecvError;
use tokio::sync::{broadcast, watch};
use tokio::time::Instant;

/// Server-sent events: what workers report, with the state of the round so that pages need not ask.
/// They end with the session: at once where it is ended here, and after a while where elsewhere.
///
/// # Errors
/// Where nobody is signed in.
pub async fn events(
    State(app): State<App>,
    Reader(session): Reader,
    headers: HeaderMap,
) -> PageResult {
    let Some(open) = app.streams.open(session.id) else {
        // The answer after which a browser does not ask again (HTML standard, 9.2.2).
        return Ok(StatusCode::NO_CONTENT.into_response());
    };
    let heard = Heard {
        _open: open,
        session: session.id,
        token: token(&headers, app.settings.secure_cookies).unwrap_or_default(),
        events: app.events.subscribe(),
        closing: app.closing.subscribe(),
        ended: app.ended.subscribe(),
        look: tokio::time::interval_at(Instant::now() + LOOK_AGAIN, LOOK_AGAIN),
        app,
    };
    let stream = stream::unfold(heard, |mut heard| async move {
        let text = heard.next().await?;
        let event = Event::default().event("progress").data(text);
        Some((Ok::<_, Infallible>(event), heard))
    });
    let alive = KeepAlive::new().interval(Duration::from_secs(15));
    Ok(Sse::new(stream).keep_alive(alive).into_response())
}

/// Returns how far one round is: what a page asks when it begins to listen, for what was told while
/// it was loading.
///
/// # Errors
/// Where there is no such round.
pub async fn progress(State(app): State<App>, _: Reader, Path(id): Path<i64>) -> PageResult {
    let round = app.reads().rounds().round(id).await?;
    let round = round.ok_or(PageError::NotFound("round"))?;
    Ok(Json(progress_of(&round)).into_response())
}

/// Time after which a stream asks whether its session still holds.
const LOOK_AGAIN: Duration = Duration::from_secs(30);

/// State of one stream.
struct Heard {
    _open: Open,
    session: i64,
    token: String,
    events: broadcast::Receiver<String>,
    closing: watch::Receiver<bool>,
    ended: broadcast::Receiver<i64>,
    look: tokio::time::Interval,
    app: App,
}

impl Heard {
    /// The next notice; none when the stream is over.
    async fn next(&mut self) -> Option<String> {
        loop {
            let doubt = tokio::select! {
                notice = self.events.recv() => match notice {
                    Ok(text) => return Some(text),
                    // A page that fell behind reads the current state with the next notice.
                    Err(RecvError::Lagged(_)) => false,
                    Err(RecvError::Closed) => return None,
                },
                _ = self.closing.changed() => return None,
                ended = self.ended.recv() => !matches!(ended, Ok(id) if id != self.session),
                _ = self.look.tick() => true,
            };
            if doubt {
                self.holds().await?;
            }
        }
    }

    /// Returns nothing where the session is over.
    async fn holds(&self) -> Option<()> {
        let session = self.app.reads().people().session(&self.token).await;
        session.ok().flatten().filter(|s| s.passed).map(|_| ())
    }
}

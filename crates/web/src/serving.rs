//! Takes connections and answers them. A peer that is slow on purpose must not hold what others
//! need: headers, bodies and pauses have their time, and stopping has its end.

use crate::assets;
use crate::router::router;
use crate::seats::{Seat, Seats};
use crate::state::App;
use axum::Router;
use axum::extract::{ConnectInfo, Request};
use hyper::body::Incoming;
use hyper_util::rt::{TokioIo, TokioTimer};
use std::future::Future;
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::{Semaphore, watch};
use tokio::task::JoinSet;
use tower::ServiceExt;

/// Limits of how long peers may take, and how many there may be.
#[derive(Debug, Clone, Copy)]
pub struct Patience {
    /// Connections at once; more wait in the listener's queue.
    pub connections: usize,
    /// Connections of one peer at once; proxies that are trusted bring those of many.
    pub of_one_peer: usize,
    /// Time for the headers of a request; between two requests too.
    pub headers: Duration,
    /// Time for requests under way when the program is to stop.
    pub ending: Duration,
}

impl Default for Patience {
    fn default() -> Self {
        Patience {
            connections: 2_000,
            of_one_peer: 500,
            headers: Duration::from_secs(20),
            ending: Duration::from_secs(8),
        }
    }
}

/// Serves until `shutdown` resolves. Requests under way are answered, if they are soon; streams of
/// events end at once.
///
/// # Errors
/// Where the listener fails.
pub async fn serve(
    app: App,
    listener: TcpListener,
    shutdown: impl Future<Output = ()> + Send + 'static,
    patience: Patience,
) -> std::io::Result<()> {
    app.follow_events();
    // Takes a second or two of a processor; requests until then are answered with gzip.
    std::thread::spawn(assets::prepare);
    let closing = app.closing.clone();
    let trusted = app.settings.trusted_proxies.clone();
    let seats = Arc::new(Seats::default());
    let service = router(app);
    let room = Arc::new(Semaphore::new(patience.connections));
    let mut open = JoinSet::new();
    let mut shutdown = std::pin::pin!(shutdown);
    loop {
        // A full house is asked to stop, too. The places are never closed.
        let next = async {
            let place = room.clone().acquire_owned().await;
            (place, listener.accept().await)
        };
        let (place, accepted) = tokio::select! {
            next = next => next,
            () = &mut shutdown => break,
        };
        let (stream, peer) = match accepted {
            Ok(accepted) => accepted,
            // Too many open files, or a peer that left: not the end of the listener.
            Err(error) => {
                tracing::warn!("a connection could not be taken: {error}");
                tokio::time::sleep(Duration::from_millis(200)).await;
                continue;
            }
        };
        while open.try_join_next().is_some() {}
        let (service, closing) = (service.clone(), closing.subscribe());
        let most = match trusted.contains(&peer.ip().to_canonical()) {
            true => patience.connections,
            false => patience.of_one_peer,
        };
        let taken = seats.take(peer.ip(), most);
        open.spawn(async move {
            let _place = place;
            let seat = taken.seat.clone();
            tokio::select! {
                () = answer(stream, peer, (service, seat.clone()), patience, closing) => {}
                () = seat.must_leave() => {}
            }
            drop(taken);
        });
    }
    closing.send_replace(true);
    let ended = async { while open.join_next().await.is_some() {} };
    if tokio::time::timeout(patience.ending, ended).await.is_err() {
        tracing::warn!("some requests were not answered in time and were cut off");
    }
    Ok(())
}

/// Serves one connection to its end. What goes wrong with it is its peer's affair.
async fn answer(
    stream: TcpStream,
    peer: SocketAddr,
    (service, seat): (Router, Arc<Seat>),
    patience: Patience,
    mut closing: watch::Receiver<bool>,
) {
    let answer = hyper::service::service_fn(move |request: hyper::Request<Incoming>| {
        seat.ask();
        let mut request: Request = request.map(axum::body::Body::new);
        request.extensions_mut().insert(ConnectInfo(peer));
        service.clone().oneshot(request)
    });
    let connection = hyper::server::conn::http1::Builder::new()
        .timer(TokioTimer::new())
        .header_read_timeout(patience.headers)
        .serve_connection(TokioIo::new(stream), answer);
    let mut connection = std::pin::pin!(connection);
    tokio::select! {
        _ = &mut connection => return,
        _ = closing.wait_for(|c| *c) => connection.as_mut().graceful_shutdown(),
    }
    let _ = connection.await;
}

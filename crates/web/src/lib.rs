//! The web application: pages, forms, server-sent events. It reads through [`newtfern_acts`], asks the
//! core for judgements, and changes nothing but by an act.

pub mod assets;
pub mod draw;
pub mod error;
pub mod families;
pub mod pages;
pub mod peer;
pub mod router;
pub mod session;
pub mod sheet;
pub mod state;
pub mod streams;
pub mod view;

pub use state::{App, Settings};

use std::future::Future;
use tokio::net::TcpListener;

/// Serves until `shutdown` resolves. Requests under way are answered; streams of events end, or an open
/// page would keep the program from ever stopping.
///
/// # Errors
/// Where the listener fails.
pub async fn serve(
    app: App,
    listener: TcpListener,
    shutdown: impl Future<Output = ()> + Send + 'static,
) -> std::io::Result<()> {
    app.follow_events();
    // Takes a second or two of a processor; requests until then are answered with gzip.
    std::thread::spawn(assets::prepare);
    let closing = app.closing.clone();
    let shutdown = async move {
        shutdown.await;
        closing.send_replace(true);
    };
    let service = router::router(app);
    let service = service.into_make_service_with_connect_info::<std::net::SocketAddr>();
    axum::serve(listener, service)
        .with_graceful_shutdown(shutdown)
        .await
}

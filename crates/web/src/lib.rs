//! The web application: pages, forms, server-sent events. It asks the store for data and the core for
//! judgements; what must go outside (address checks, slots of platforms) is asked of [`Outside`],
//! which the binary wires to the probe.

pub mod assets;
pub mod draw;
pub mod error;
pub mod outside;
pub mod pages;
pub mod router;
pub mod session;
pub mod sheet;
pub mod state;
pub mod view;

pub use outside::Outside;
pub use state::{App, Settings};

use std::future::Future;
use tokio::net::TcpListener;

/// Serves until `shutdown` resolves. Requests under way are answered; streams of events end, or an open
/// page would keep the program from ever stopping.
pub async fn serve(
    app: App,
    listener: TcpListener,
    shutdown: impl Future<Output = ()> + Send + 'static,
) -> std::io::Result<()> {
    app.follow_events();
    let closing = app.closing.clone();
    let shutdown = async move {
        shutdown.await;
        closing.send_replace(true);
    };
    axum::serve(
        listener,
        router::router(app).into_make_service_with_connect_info::<std::net::SocketAddr>(),
    )
    .with_graceful_shutdown(shutdown)
    .await
}

/// Argon2id with the crate's recommended parameters (OWASP's first choice).
pub fn hash_password(password: &str) -> String {
    use argon2::password_hash::rand_core::OsRng;
    use argon2::password_hash::{PasswordHasher, SaltString};
    argon2::Argon2::default()
        .hash_password(password.as_bytes(), &SaltString::generate(&mut OsRng))
        .map(|h| h.to_string())
        .unwrap_or_default()
}

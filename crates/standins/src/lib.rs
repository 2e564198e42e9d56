//! The simulated outside of the demo and the tests: client sites on Tarnwork (a plugin CMS) and on
//! further [`builders`], a tag manager (Wickerset), a supplier (Brindle) with its loader, frame,
//! live connection, settings and console, suppliers of other makes (Farthing Desk, Plashet, Weir),
//! two consent banners (Hedgegate, Thornlatch), and a mailbox. All web pages are served on
//! loopback under `*.localhost` names by one listener, told apart by the Host header. Nothing here
//! is used on real sites.

mod account;
mod answers;
pub mod builders;
mod desk;
mod error;
pub mod estate;
mod kept;
pub mod mailbox;
mod platform;
mod profiles;
mod supplier;
mod suppliers;
mod tags;

pub use error::StandinError;
pub use profiles::{
    DEMO_TOKEN, consent_profile, farthing_profile, plashet_profile, platform_profile,
    rival_profile, second_consent_profile, supplier_profile, tag_profile, weir_profile,
};

use answers::banner;
use axum::Router;
use axum::extract::{Request, State};
use axum::response::Response;
use axum::routing::any;
use std::net::{Ipv4Addr, SocketAddr};
use std::path::PathBuf;
use std::sync::Arc;
use tower::ServiceExt;

pub struct Standins {
    pub port: u16,
    /// Mailbox in which mails of the suppliers arrive.
    pub mailbox: mailbox::Mailbox,
    task: tokio::task::JoinHandle<()>,
}

impl Drop for Standins {
    fn drop(&mut self) {
        self.task.abort();
    }
}

#[derive(Clone)]
struct World {
    sites: Arc<platform::Sites>,
    builders: Arc<builders::Builders>,
    tags: Arc<tags::Sets>,
    supplier: Router,
    farthing: Router,
    plashet: Router,
    weir: Router,
    consent: Router,
    thorn: Router,
}

impl Standins {
    /// Port 0 takes any free one. `memory` keeps what slots hold between starts.
    pub async fn start(port: u16, memory: Option<PathBuf>) -> Result<Standins, StandinError> {
        let listen = |source| StandinError::Listen { port, source };
        let fixed = port != 0;
        let listener = tokio::net::TcpListener::bind(SocketAddr::from((Ipv4Addr::LOCALHOST, port)))
            .await
            .map_err(listen)?;
        let port = listener.local_addr().map_err(listen)?.port();
        let mailbox = mailbox::Mailbox::start(imap_port(port, fixed)).await?;
        let world = World {
            builders: Arc::new(builders::Builders::new(port, memory.clone())),
            tags: Arc::new(tags::Sets::new(port, memory.clone())),
            sites: Arc::new(platform::Sites::new(port, memory)),
            supplier: supplier::router(port),
            farthing: suppliers::farthing::router(port, mailbox.smtp_port),
            plashet: suppliers::plashet::router(),
            weir: suppliers::weir::router(),
            consent: banner(include_str!("assets/hedgegate.js")),
            thorn: banner(include_str!("assets/thornlatch.js")),
        };
        let app = Router::new().fallback(any(dispatch)).with_state(world);
        let task = tokio::spawn(async move {
            if let Err(error) = axum::serve(listener, app).await {
                tracing::error!("the stand-ins stopped: {error}");
            }
        });
        Ok(Standins {
            port,
            mailbox,
            task,
        })
    }
}

/// Returns the mailbox's port: beside a given port one that stays the same; beside any free one
/// any.
fn imap_port(port: u16, fixed: bool) -> u16 {
    match fixed {
        true => port.saturating_add(1),
        false => 0,
    }
}

async fn dispatch(State(world): State<World>, request: Request) -> Response {
    let host = request
        .headers()
        .get("host")
        .and_then(|h| h.to_str().ok())
        .unwrap_or_default();
    let name = host
        .split(':')
        .next()
        .unwrap_or_default()
        .to_ascii_lowercase();
    let routed = match name.as_str() {
        n if n.ends_with("brindle.localhost") => world.supplier.oneshot(request).await,
        n if n.ends_with("farthing.localhost") => world.farthing.oneshot(request).await,
        n if n.ends_with("plashet.localhost") => world.plashet.oneshot(request).await,
        n if suppliers::weir::is_server(n) => world.weir.oneshot(request).await,
        "consent.hedgegate.localhost" => world.consent.oneshot(request).await,
        "consent.thornlatch.localhost" => world.thorn.oneshot(request).await,
        "tags.wickerset.localhost" => return world.tags.answer(request).await,
        n if world.builders.knows(n.trim_end_matches(".localhost")) => {
            let host = n.trim_end_matches(".localhost");
            return world.builders.answer(host, request).await;
        }
        _ => return platform::answer(&world.sites, &name, request).await,
    };
    routed.unwrap_or_else(|never| match never {})
}

//! `newtfern serve`: the web application.

use crate::house::{Place, open};
use crate::outside::Probe;
use anyhow::{Context, Result};
use newtfern_web::{App, Settings};
use std::process::ExitCode;
use std::sync::Arc;

#[derive(clap::Args)]
pub struct Args {
    #[command(flatten)]
    place: Place,
    /// Where to listen
    #[arg(long, default_value = "127.0.0.1:8480")]
    listen: String,
    /// The address under which people reach it, for links that go outside
    #[arg(long, env = "NEWTFERN_PUBLIC_ADDRESS")]
    public_address: Option<String>,
}

pub async fn run(args: Args) -> Result<ExitCode> {
    let house = open(&args.place).await?;
    let listener = tokio::net::TcpListener::bind(&args.listen)
        .await
        .with_context(|| format!("cannot listen on {}", args.listen))?;
    let public_address = args
        .public_address
        .unwrap_or(format!("http://{}", listener.local_addr()?));
    let settings = Settings {
        demo_sign_in: None,
        secure_cookies: public_address.starts_with("https:"),
        public_address: public_address.trim_end_matches('/').to_string(),
    };
    let app = App::new(
        house.store.clone(),
        house.blobs,
        house.sealer,
        Arc::new(Probe::new(house.store)?),
        settings,
    );
    super::say(&format!("Newtfern is at {public_address}"));
    newtfern_web::serve(app, listener, super::asked_to_stop()).await?;
    Ok(ExitCode::SUCCESS)
}

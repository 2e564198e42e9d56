//! `newtfern serve`: the web application.

use crate::config::{Place, open};
use anyhow::{Context, Result};
use newtfern_web::{App, Patience, Settings};
use std::net::IpAddr;
use std::process::ExitCode;

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
    /// Addresses of proxies before it, whose word for the visitor's address is taken
    #[arg(long, env = "NEWTFERN_TRUSTED_PROXIES", value_delimiter = ',')]
    trusted_proxies: Vec<IpAddr>,
}

pub async fn run(args: Args) -> Result<ExitCode> {
    let acts = open(&args.place).await?;
    let listener = tokio::net::TcpListener::bind(&args.listen)
        .await
        .with_context(|| format!("cannot listen on {}", args.listen))?;
    let own = format!("http://{}", listener.local_addr()?);
    let public_address = args.public_address.unwrap_or(own);
    let settings = Settings {
        demo_sign_in: None,
        secure_cookies: public_address.starts_with("https:"),
        trusted_proxies: args
            .trusted_proxies
            .iter()
            .map(IpAddr::to_canonical)
            .collect(),
        public_address: public_address.trim_end_matches('/').to_string(),
    };
    super::say(&format!("Newtfern is at {public_address}"));
    let app = App::new(acts, settings);
    newtfern_web::serve(app, listener, super::asked_to_stop(), Patience::default()).await?;
    Ok(ExitCode::SUCCESS)
}

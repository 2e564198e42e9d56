//! `newtfern demo`: database, stand-ins, worker and web application on this machine, with the made-up
//! agency "Fenwick & Sallow" and its clients.

use crate::house::{House, Place, open};
use crate::outside::Probe;
use anyhow::{Context, Result};
use newtfern_core::brand::Sheet;
use newtfern_core::colour::Rgb;
use newtfern_core::platform::Platform;
use newtfern_core::profile::{ConsentManager, Supplier};
use newtfern_standins::estate::{CLIENTS, SITES};
use newtfern_standins::{DEMO_TOKEN, Standins};
use newtfern_store::local_server::LocalServer;
use newtfern_store::people::Role;
use newtfern_store::sites::NewSite;
use newtfern_web::{App, Settings};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;
use tokio::sync::watch;

#[derive(clap::Args)]
pub struct Args {
    /// Folder of the demo's data
    #[arg(long, env = "NEWTFERN_DEMO_FOLDER")]
    folder: PathBuf,
    /// Start over: the data of earlier starts is removed
    #[arg(long)]
    fresh: bool,
    /// Port of the web application; another is taken if it is in use
    #[arg(long, default_value_t = 8480)]
    port: u16,
    /// Leaves out the first round of visits
    #[arg(long)]
    quiet: bool,
}

const PEOPLE: [(&str, &str, Role); 3] = [
    (
        "demo@fenwick.example",
        "Demo Technician",
        Role::Administrator,
    ),
    (
        "tech@fenwick.example",
        "Second Technician",
        Role::Technician,
    ),
    ("view@fenwick.example", "Onlooker", Role::Viewer),
];
/// Printed on the sign-in page; the demo listens on loopback only.
const PASSWORD: &str = "fern-and-sallow";

pub async fn run(args: Args) -> Result<ExitCode> {
    let folder = std::path::absolute(&args.folder)?;
    if args.fresh && folder.exists() {
        // Only a folder that a demo made is removed.
        anyhow::ensure!(
            folder.join("newtfern-demo").exists() || std::fs::read_dir(&folder)?.next().is_none(),
            "{} was not made by the demo; choose another --folder",
            folder.display()
        );
        super::say("Removing the data of earlier starts.");
        std::fs::remove_dir_all(&folder)
            .with_context(|| format!("cannot remove {}", folder.display()))?;
    }
    std::fs::create_dir_all(&folder)
        .with_context(|| format!("cannot make {}", folder.display()))?;
    std::fs::write(
        folder.join("newtfern-demo"),
        "This folder holds the data of Newtfern's demo.\n",
    )?;

    super::say("Starting PostgreSQL on loopback.");
    let database_folder = folder.join("postgresql");
    let server =
        tokio::task::spawn_blocking(move || LocalServer::start(&database_folder)).await??;
    let database = server.database("newtfern").await?;
    let house = open(&Place {
        database,
        folder: folder.clone(),
    })
    .await?;

    super::say("Starting the stand-ins: client sites, a supplier, a consent banner.");
    let standins = start_standins(&folder, &house).await?;
    let first = seed(&house, standins.port).await?;

    let (stop, stopped) = watch::channel(false);
    let worker = tokio::spawn(super::worker::work(house.clone(), 2, stopped));
    if first && !args.quiet {
        first_round(&house).await?;
    }
    let listener = match tokio::net::TcpListener::bind(("127.0.0.1", args.port)).await {
        Ok(listener) => listener,
        Err(_) => tokio::net::TcpListener::bind(("127.0.0.1", 0))
            .await
            .context("no port is free on loopback")?,
    };
    let address = format!("http://{}", listener.local_addr()?);
    let settings = Settings {
        demo_sign_in: Some((PEOPLE[0].0.into(), PASSWORD.into())),
        public_address: address.clone(),
        secure_cookies: false,
    };
    let app = App::new(
        house.store.clone(),
        house.blobs.clone(),
        house.sealer.clone(),
        Arc::new(Probe::new(house.store.clone())?),
        settings,
    );
    super::say(&format!(
        "\nNewtfern is at   {address}\nSign in as       {}\nwith             {PASSWORD}\n\nCtrl-C stops everything.",
        PEOPLE[0].0
    ));
    let mut web = tokio::spawn(newtfern_web::serve(app, listener, std::future::pending()));
    tokio::select! {
        () = super::asked_to_stop() => {}
        ended = &mut web => { ended??; }
    }
    super::say("Stopping.");
    let _ = stop.send(true);
    web.abort();
    worker.abort();
    let _ = worker.await;
    house.store.pool.close().await;
    drop(standins);
    tokio::task::spawn_blocking(move || drop(server)).await?;
    Ok(ExitCode::SUCCESS)
}

/// The stand-ins keep their port from start to start, since it is part of all addresses; when it is
/// taken, the addresses follow.
async fn start_standins(folder: &Path, house: &House) -> Result<Standins> {
    let memory = folder.join("stand-ins.json");
    let kept = house
        .store
        .setting("standins_port")
        .await?
        .and_then(|v| v.as_u64())
        .and_then(|p| u16::try_from(p).ok());
    let standins = match Standins::start(kept.unwrap_or(0), Some(memory.clone())).await {
        Ok(standins) => standins,
        Err(_) => Standins::start(0, Some(memory)).await?,
    };
    if let Some(before) = kept.filter(|p| *p != standins.port) {
        house.store.move_port(before, standins.port).await?;
    }
    house
        .store
        .set_setting("standins_port", &standins.port.into())
        .await?;
    Ok(standins)
}

/// Fills an empty database. False where there is data already.
async fn seed(house: &House, port: u16) -> Result<bool> {
    let store = &house.store;
    if !store.people().await?.is_empty() {
        return Ok(false);
    }
    super::say("Filling the database with the made-up agency Fenwick & Sallow.");
    for (email, name, role) in PEOPLE {
        store
            .add_person(email, name, role, &newtfern_web::hash_password(PASSWORD))
            .await?;
    }
    store
        .set_setting("agency", &"Fenwick & Sallow".into())
        .await?;
    // The sites are on this machine.
    store.set_setting("allow_private", &true.into()).await?;
    let text = newtfern_standins::supplier_profile(port);
    let supplier = Supplier::from_toml(&text)?;
    store.put_supplier(&supplier, &text).await?;
    store
        .set_supplier_token(&supplier.id, &house.sealer.seal(DEMO_TOKEN)?)
        .await?;
    let rival = newtfern_standins::rival_profile();
    store
        .put_supplier(&Supplier::from_toml(rival)?, rival)
        .await?;
    let consent = newtfern_standins::consent_profile();
    let manager = ConsentManager::from_toml(consent)?;
    store.put_consent(&manager, consent).await?;
    let platform = newtfern_standins::platform_profile();
    store
        .put_platform(&Platform::from_toml(platform)?, platform)
        .await?;
    let mut clients = HashMap::new();
    for (i, c) in CLIENTS.iter().enumerate() {
        let sheet = Sheet {
            primary: Rgb::parse(c.primary).ok(),
            secondary: Rgb::parse(c.secondary).ok(),
            public_name: c.name.into(),
            legal_name: c.name.into(),
        };
        let id = store.add_client(c.name, &sheet).await?;
        let logo = format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 120 40\"><rect width=\"120\" height=\"40\" rx=\"4\" fill=\"{}\"/><path d=\"M8 30Q20 6 32 22T56 12\" fill=\"none\" stroke=\"{}\" stroke-width=\"4\"/></svg>",
            c.primary, c.secondary
        );
        store
            .set_logo(
                id,
                &house.blobs.put(logo.into_bytes(), "svg").await?,
                "image/svg+xml",
            )
            .await?;
        clients.insert(i, id);
    }
    for s in &SITES {
        let site = NewSite {
            client_id: clients[&s.client],
            name: s.name.into(),
            url: s.address(port),
            platform_id: Some("tarnwork".into()),
            consent_id: s.banner.then(|| manager.id.clone()),
            supplier_id: Some(supplier.id.clone()),
            key: s.key(),
            slot_id: "footer-code".into(),
            languages: "en".into(),
            country: s.client().country.into(),
            ..NewSite::default()
        };
        let id = store.add_site(&site).await?;
        store
            .set_site_token(id, &house.sealer.seal(DEMO_TOKEN)?)
            .await?;
    }
    Ok(true)
}

/// Quick and telling sites first: the first findings are there in seconds.
async fn first_round(house: &House) -> Result<()> {
    let port = house
        .store
        .setting("standins_port")
        .await?
        .and_then(|v| v.as_u64())
        .unwrap_or(0) as u16;
    let mut order: Vec<&newtfern_standins::estate::Site> = SITES.iter().collect();
    order.sort_by_key(|s| {
        (
            s.banner,
            s.fault == Some(newtfern_standins::estate::Fault::Timeout),
        )
    });
    let mut ids = Vec::new();
    for s in order {
        ids.extend(house.store.site_by_url(&s.address(port)).await?);
    }
    house
        .store
        .start_round(
            "check",
            &format!("First round: {} sites", ids.len()),
            "Newtfern",
            &ids,
            &serde_json::json!({}),
        )
        .await?;
    // A few deeper looks, so that every lens has something to show.
    let mut few = Vec::new();
    for host in ["northmere", "curling.northmere", "wendlemill"] {
        if let Some(s) = SITES.iter().find(|s| s.host == host) {
            few.extend(house.store.site_by_url(&s.address(port)).await?);
        }
    }
    house
        .store
        .start_round(
            "preview",
            &format!("Pictures for the design: {} sites", ids.len()),
            "Newtfern",
            &ids,
            &serde_json::json!({}),
        )
        .await?;
    house
        .store
        .start_round(
            "echo",
            &format!("Test messages: {} sites", few.len()),
            "Newtfern",
            &few,
            &serde_json::json!({}),
        )
        .await?;
    house
        .store
        .start_round(
            "weigh",
            &format!("Weigh: {} sites", few.len()),
            "Newtfern",
            &few,
            &serde_json::json!({}),
        )
        .await?;
    Ok(())
}

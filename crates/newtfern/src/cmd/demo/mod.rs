//! `newtfern demo`: database, stand-ins, worker and web application on this machine, with the
//! made-up agency "Fenwick & Sallow" and its clients.

mod meant;
mod program;

use crate::config::{Place, connect, open_over};
use anyhow::{Context, Result};
use newtfern_acts::{Acts, ProfileForm, Token};
use newtfern_model::agency::Agency;
use newtfern_model::design::{Field, Layer};
use newtfern_model::intake::{self, SiteRow};
use newtfern_model::job::JobKind;
use newtfern_model::platform::Platform;
use newtfern_model::profile::ConsentManager;
use newtfern_model::profiles::ProfileKind;
use newtfern_model::site::SiteFields;
use newtfern_standards::colour::Rgb;
use newtfern_standards::private_hosts::PrivateHosts;
use newtfern_standins::builders::{BUILT, Built, Flaw, KINDS, profile};
use newtfern_standins::estate::{CLIENTS, Fault, Maker, SITES};
use newtfern_standins::{DEMO_TOKEN, Standins};
use newtfern_store::Store;
use newtfern_store::access::people::Role;
use newtfern_store::sealed::client_tokens::TokenKind;
use newtfern_store::server::local_server::LocalServer;
use newtfern_verdict::brand::BrandSheet;
use newtfern_web::{App, Patience, Settings};
use program::{ids_of, program};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
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
/// Sites checked at once: most of a visit waits, so that two processors have room for three.
const AT_ONCE: usize = 3;

pub async fn run(args: Args) -> Result<ExitCode> {
    let folder = std::path::absolute(&args.folder)?;
    set_up(&folder, args.fresh)?;
    super::say("Starting PostgreSQL on loopback.");
    let database_folder = folder.join("postgresql");
    let server =
        tokio::task::spawn_blocking(move || LocalServer::start(&database_folder)).await??;
    let database = server.database("newtfern").await?;
    let place = Place {
        database,
        folder: folder.clone(),
        blobs: None,
    };
    let store = connect(&place).await?;
    let acts = open_over(&place, store.clone()).await?;

    super::say("Starting the stand-ins: client sites, a supplier, a consent banner.");
    let standins = start_standins(&folder, &store, &acts).await?;
    let first = seed(&store, &acts, standins.port).await?;

    let (stop, stopped) = watch::channel(false);
    let worker = tokio::spawn(super::worker::work(acts.clone(), AT_ONCE, stopped));
    if first && !args.quiet {
        first_round(&acts, standins.port).await?;
    }
    let listener = listen(args.port).await?;
    let address = format!("http://{}", listener.local_addr()?);
    let settings = Settings {
        demo_sign_in: Some((PEOPLE[0].0.into(), PASSWORD.into())),
        public_address: address.clone(),
        ..Settings::default()
    };
    let app = App::new(acts.clone(), settings);
    super::say(&format!(
        "\nNewtfern is at   {address}\nSign in as       {}\nwith             {PASSWORD}\n\nCtrl-C \
        stops everything.",
        PEOPLE[0].0
    ));
    let mut web = tokio::spawn(newtfern_web::serve(
        app,
        listener,
        std::future::pending(),
        Patience::default(),
    ));
    tokio::select! {
        () = super::asked_to_stop() => {}
        ended = &mut web => { ended??; }
    }
    super::say("Stopping.");
    let _ = stop.send(true);
    web.abort();
    worker.abort();
    let _ = worker.await;
    store.pool.close().await;
    drop(standins);
    tokio::task::spawn_blocking(move || drop(server)).await?;
    Ok(ExitCode::SUCCESS)
}

/// The folder of the demo's data; `fresh` removes what an earlier demo left there, and only that.
fn set_up(folder: &Path, fresh: bool) -> Result<()> {
    let mark = folder.join("newtfern-demo");
    if fresh && folder.exists() {
        anyhow::ensure!(
            mark.exists() || std::fs::read_dir(folder)?.next().is_none(),
            "{} was not made by the demo; choose another --folder",
            folder.display()
        );
        super::say("Removing the data of earlier starts.");
        std::fs::remove_dir_all(folder)
            .with_context(|| format!("cannot remove {}", folder.display()))?;
    }
    std::fs::create_dir_all(folder).with_context(|| format!("cannot make {}", folder.display()))?;
    std::fs::write(mark, "This folder holds the data of Newtfern's demo.\n")?;
    Ok(())
}

/// Listens on the wanted port, or on any free one where it is taken.
async fn listen(port: u16) -> Result<tokio::net::TcpListener> {
    match tokio::net::TcpListener::bind(("127.0.0.1", port)).await {
        Ok(listener) => Ok(listener),
        Err(_) => tokio::net::TcpListener::bind(("127.0.0.1", 0))
            .await
            .context("no port is free on loopback"),
    }
}

/// The stand-ins keep their port from start to start, since it is part of all addresses; when it is
/// taken, the addresses follow.
async fn start_standins(folder: &Path, store: &Store, acts: &Acts) -> Result<Standins> {
    let memory = folder.join("stand-ins.json");
    let kept = store.settings().setting("standins_port").await?;
    let kept = kept.and_then(|v| u16::try_from(v.as_u64()?).ok());
    let standins = match Standins::start(kept.unwrap_or(0), Some(memory.clone())).await {
        Ok(standins) => standins,
        Err(_) => Standins::start(0, Some(memory)).await?,
    };
    let mut tx = store.begin().await?;
    if let Some(before) = kept.filter(|p| *p != standins.port) {
        tx.move_port(before, standins.port).await?;
    }
    tx.set_setting("standins_port", &standins.port.into())
        .await?;
    tx.commit().await?;
    mailbox(acts, standins.mailbox.imap_port).await?;
    Ok(standins)
}

/// Test talks have their mails sent to the stand-in mailbox, wherever it listens now; one that a
/// person named instead stays.
async fn mailbox(acts: &Acts, port: u16) -> Result<()> {
    use newtfern_standins::mailbox::{ADDRESS, PASSWORD, USER};
    let host = format!("imap://{USER}@mail.localhost:");
    let kept = acts.settings().kept_mailbox().await?;
    if kept.is_none_or(|k| k.server.starts_with(&host)) {
        let server = format!("{host}{port}");
        acts.settings()
            .set_mailbox(&program(), (ADDRESS, &server, PASSWORD))
            .await?;
    }
    Ok(())
}

/// Fills an empty database. False where there is data already.
async fn seed(store: &Store, acts: &Acts, port: u16) -> Result<bool> {
    if !store.people().all().await?.is_empty() {
        return Ok(false);
    }
    super::say("Filling the database with the made-up agency Fenwick & Sallow.");
    let mut tx = store.begin().await?;
    let agency = Agency {
        name: "Fenwick & Sallow".into(),
        contact: "desk@fenwick.example".into(),
        sender: "desk@fenwick.example".into(),
        country: "GB".into(),
        ..Agency::default()
    };
    tx.set_setting("agency", &serde_json::to_value(&agency)?)
        .await?;
    // The sites are on this machine.
    let own = PrivateHosts::read("*.localhost 127.0.0.1 ::1")?;
    tx.set_private_hosts(&own).await?;
    let second = newtfern_standins::second_consent_profile();
    for consent in [newtfern_standins::consent_profile(), second] {
        tx.put_consent(&ConsentManager::from_toml(consent)?, consent)
            .await?;
    }
    let platform = newtfern_standins::platform_profile();
    tx.put_platform(&Platform::from_toml(platform)?, platform)
        .await?;
    tx.commit().await?;
    let makers =
        [Maker::Brindle, Maker::Farthing, Maker::Plashet, Maker::Weir].map(|m| m.profile(port));
    let token = Token {
        text: DEMO_TOKEN,
        unencrypted: false,
    };
    let rival = newtfern_standins::rival_profile();
    platforms(acts, port).await?;
    let known = makers.iter().map(|text| (text.as_str(), Some(token)));
    for (text, token) in known.chain([(rival, None)]) {
        let form = ProfileForm {
            kind: ProfileKind::Supplier,
            which: None,
            text,
            why: "",
            token,
            made_from: None,
        };
        acts.profiles().keep_profile(&program(), form).await?;
    }
    clients(acts).await?;
    sites(acts, port).await?;
    // A token is confirmed for the addresses that sites have when it is typed.
    tokens(acts).await?;
    meant::seed(acts, port).await?;
    for (email, name, role) in PEOPLE {
        acts.people()
            .add_person(&program(), email, name, role, Some(PASSWORD))
            .await?;
    }
    Ok(true)
}

async fn clients(acts: &Acts) -> Result<()> {
    for c in &CLIENTS {
        let sheet = BrandSheet {
            widget: Layer::from([(Field::NoticeLink, "/privacy".to_string())]),
            primary: Rgb::parse(c.primary).ok(),
            secondary: Rgb::parse(c.secondary).ok(),
            public_name: c.name.into(),
            legal_name: c.name.into(),
        };
        let id = acts
            .clients()
            .add_client(&program(), c.name, &sheet)
            .await?;
        let logo = format!(
            "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 120 40\"><rect width=\"120\" \
            height=\"40\" rx=\"4\" fill=\"{}\"/><path d=\"M8 30Q20 6 32 22T56 12\" fill=\"none\" \
            stroke=\"{}\" stroke-width=\"4\"/></svg>",
            c.primary, c.secondary
        );
        acts.clients()
            .set_logo(&program(), id, logo.into_bytes(), "svg", "image/svg+xml")
            .await?;
    }
    Ok(())
}

/// The sites come as a spreadsheet, by the way that every list of sites comes in.
// Long: a list of values.
async fn sites(acts: &Acts, port: u16) -> Result<()> {
    let row = |s: &newtfern_standins::estate::Site| SiteRow {
        client: s.client().name.into(),
        widget: None,
        site: SiteFields {
            name: s.name.into(),
            url: s.address(port),
            platform_id: Some("tarnwork".into()),
            consent_id: s.manager().map(str::to_string),
            supplier_id: Some(s.maker.id().into()),
            key: s.key(),
            supplier_host: s.supplier_host(port),
            slot_id: "footer-code".into(),
            languages: match s.host {
                "wendlemill" | "crew.skerrin" | "isles.skerrin" => "en, cy",
                "fringe.threetowers" => "en, he",
                _ => "en",
            }
            .into(),
            // Its visitors come over the border: their browsers may ask for privacy.
            country: match s.host {
                "shop.northmere" => "CA, US",
                _ => s.client().country,
            }
            .into(),
            time_zone: s.client().zone.into(),
            ..SiteFields::default()
        },
    };
    let built = |s: &Built| SiteRow {
        client: s.client().name.into(),
        widget: None,
        site: SiteFields {
            name: s.name.into(),
            url: s.address(port),
            platform_id: Some(s.builder.into()),
            supplier_id: Some(Maker::Brindle.id().into()),
            key: s.key(),
            languages: "en".into(),
            country: s.client().country.into(),
            time_zone: s.client().zone.into(),
            tag_manager_id: s.set().map(|_| "wickerset".into()),
            tag_set: s.set().unwrap_or_default(),
            pages_not_on: match s.flaw {
                Some(Flaw::OnLegal) => "/privacy /terms".into(),
                _ => String::new(),
            },
            ..SiteFields::default()
        },
    };
    let rows: Vec<SiteRow> = SITES
        .iter()
        .map(row)
        .chain(BUILT.iter().map(built))
        .collect();
    let imported = acts
        .imports()
        .import(&program(), intake::write(&rows).as_bytes())
        .await?;
    for (_, id) in imported.added {
        let site = acts.reads().sites().site(id).await?;
        // The other platforms are opened by a token of the client's account, entered once.
        if site.is_some_and(|s| s.platform_id.as_deref() == Some("tarnwork")) {
            acts.tokens()
                .set_site_token(&program(), id, DEMO_TOKEN)
                .await?;
        }
    }
    Ok(())
}

/// The builders of the clients' other sites, and their tag manager.
async fn platforms(acts: &Acts, port: u16) -> Result<()> {
    let builders = KINDS.iter().filter_map(|k| profile(k.id)).map(String::from);
    for text in builders.chain([newtfern_standins::tag_profile(port)]) {
        let form = ProfileForm {
            kind: ProfileKind::Platform,
            which: None,
            text: &text,
            why: "",
            token: None,
            made_from: None,
        };
        acts.profiles().keep_profile(&program(), form).await?;
    }
    Ok(())
}

/// Tokens of the clients' accounts with builders and tag manager.
async fn tokens(acts: &Acts) -> Result<()> {
    let writable = KINDS.iter().filter(|k| k.interface).map(|k| k.id);
    let all: Vec<&str> = writable.chain(["wickerset"]).collect();
    for (client, _) in acts.reads().clients().client_names().await? {
        for platform in &all {
            let kind = TokenKind::Platform;
            acts.tokens()
                .set_client_token(&program(), client, kind, platform, Some(DEMO_TOKEN))
                .await?;
        }
    }
    Ok(())
}

/// Sites that a test message is sent through at the first start: of each supplier that has talks,
/// and those at which it meets something.
const TALKED_THROUGH: [&str; 8] = [
    "northmere",
    "curling.northmere",
    "reedwater",
    "shop.pellclocks",
    "sky.harrowdown",
    "santa.corrievalley",
    "lost.skerrin",
    "friends.wendlemill",
];
/// Sites that are weighed then, of each supplier.
const WEIGHED: [&str; 7] = [
    "northmere",
    "curling.northmere",
    "sky.harrowdown",
    "friends.wendlemill",
    "wendlemill",
    "reedwater",
    "shop.pellclocks",
];

/// Quick and telling sites first: the first findings are there in seconds.
async fn first_round(acts: &Acts, port: u16) -> Result<()> {
    let mut order: Vec<&newtfern_standins::estate::Site> = SITES.iter().collect();
    order.sort_by_key(|s| (s.banner, s.fault == Some(Fault::Timeout)));
    let mut ids = ids_of(acts, port, order.iter().map(|s| s.host)).await?;
    let mut built = Vec::new();
    for site in &BUILT {
        built.extend(
            acts.reads()
                .sites()
                .site_by_url(&site.address(port))
                .await?,
        );
    }
    ids.extend(&built);
    let (rounds, who) = (acts.rounds(), program());
    rounds.start_round(&who, JobKind::Check, &ids).await?;
    rounds.start_idle(&who, JobKind::Pages, &built).await?;
    // A few deeper looks, so that every lens has something to show.
    let talks = ids_of(acts, port, TALKED_THROUGH.into_iter()).await?;
    rounds.start_idle(&who, JobKind::Echo, &talks).await?;
    let weighed = ids_of(acts, port, WEIGHED.into_iter()).await?;
    rounds.start_idle(&who, JobKind::Weigh, &weighed).await?;
    Ok(())
}

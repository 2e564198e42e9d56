//! `newtfern admin`: maintenance by hand.

use super::backup::{self, BackupArgs, RestoreArgs};
use super::say;
use crate::config::{Place, open};
use anyhow::{Context, Result};
use newtfern_acts::Actor;
use newtfern_store::access::people::Role;
use newtfern_store::server::local_server::LocalServer;
use std::process::ExitCode;

#[derive(clap::Args)]
pub struct Args {
    #[command(subcommand)]
    act: Act,
}

#[derive(clap::Subcommand)]
enum Act {
    /// Serve the stand-ins alone, for trying out the command line; prints their sites
    StandIns {
        #[arg(long, default_value_t = 0)]
        port: u16,
        /// Writes the stand-ins' supplier and consent profiles to this folder
        #[arg(long)]
        profiles: Option<std::path::PathBuf>,
    },
    /// Start a PostgreSQL server of our own, run a command with NEWTFERN_TEST_DATABASE set to it,
    /// stop it
    WithDatabase {
        #[arg(trailing_var_arg = true, required = true)]
        command: Vec<String>,
    },
    /// Add the first person, as an administrator; the password is read from NEWTFERN_PASSWORD
    AddPerson {
        #[command(flatten)]
        place: Place,
        #[arg(long)]
        email: String,
        #[arg(long)]
        name: String,
    },
    /// Write database and blobs into a new folder, with their sums
    Backup(BackupArgs),
    /// Fill an empty database and folder from a backup
    Restore(RestoreArgs),
    /// Judge all stored visits again, without new ones
    Reassess {
        #[command(flatten)]
        place: Place,
    },
}

pub async fn run(args: Args) -> Result<ExitCode> {
    match args.act {
        Act::StandIns { port, profiles } => {
            let standins = newtfern_standins::Standins::start(port, None).await?;
            if let Some(folder) = profiles {
                std::fs::create_dir_all(&folder)?;
                std::fs::write(
                    folder.join("brindle.toml"),
                    newtfern_standins::supplier_profile(standins.port),
                )?;
                std::fs::write(
                    folder.join("hedgegate.toml"),
                    newtfern_standins::consent_profile(),
                )?;
                std::fs::write(
                    folder.join("quoin.toml"),
                    newtfern_standins::rival_profile(),
                )?;
            }
            for site in &newtfern_standins::estate::SITES {
                say(&format!(
                    "{}\t{}\t{}\t{}",
                    site.address(standins.port),
                    site.key(),
                    if site.banner { "banner" } else { "-" },
                    site.fault.map_or("in order".into(), |f| format!("{f:?}"))
                ));
            }
            super::asked_to_stop().await;
            Ok(ExitCode::SUCCESS)
        }
        Act::WithDatabase { command } => with_database(&command).await,
        Act::AddPerson { place, email, name } => {
            let password = std::env::var("NEWTFERN_PASSWORD")
                .context("put the first password into NEWTFERN_PASSWORD")?;
            let acts = open(&place).await?;
            let actor = Actor::program("newtfern admin");
            acts.people()
                .add_person(&actor, &email, &name, Role::Administrator, Some(&password))
                .await?;
            say(&format!("{email} can sign in as an administrator."));
            Ok(ExitCode::SUCCESS)
        }
        Act::Backup(args) => backup::backup(args).await,
        Act::Restore(args) => backup::restore(args).await,
        Act::Reassess { place } => reassess(&place).await,
    }
}

async fn reassess(place: &Place) -> Result<ExitCode> {
    let acts = open(place).await?;
    let actor = Actor::program("newtfern admin");
    for site in acts.reads().checks().observed_sites().await? {
        match acts.checks().judge_again(&actor, site).await {
            Ok(outcome) => {
                let words = outcome.map_or("no visit is stored", |o| o.words());
                say(&format!("site {site}: {words}"));
            }
            Err(error) => say(&format!("site {site}: {error}")),
        }
    }
    Ok(ExitCode::SUCCESS)
}

async fn with_database(command: &[String]) -> Result<ExitCode> {
    let folder = tempfile::Builder::new()
        .prefix("newtfern-test-")
        .tempdir()?;
    // The server may run as another user, who must be able to enter.
    std::fs::set_permissions(
        folder.path(),
        std::os::unix::fs::PermissionsExt::from_mode(0o755),
    )?;
    let data = folder.path().join("postgresql");
    let server = tokio::task::spawn_blocking(move || LocalServer::start(&data)).await??;
    let (program, arguments) = command.split_first().context("a command is needed")?;
    let status = tokio::process::Command::new(program)
        .args(arguments)
        .env("NEWTFERN_TEST_DATABASE", server.address("postgres"))
        .status()
        .await
        .with_context(|| format!("cannot run {program}"))?;
    if !status.success() {
        // A server that is gone explains what failed better than each command that missed it.
        eprintln!("The database server said last:\n{}", server.last_words());
    }
    tokio::task::spawn_blocking(move || drop(server)).await?;
    Ok(ExitCode::from(
        status
            .code()
            .and_then(|c| u8::try_from(c).ok())
            .unwrap_or(1),
    ))
}

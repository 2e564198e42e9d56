//! `newtfern admin`: maintenance by hand.

use super::say;
use anyhow::Result;
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
}

pub async fn run(args: Args) -> Result<ExitCode> {
    match args.act {
        Act::StandIns { port, profiles } => {
            let standins = newtfern_standins::Standins::start(port, None).await?;
            if let Some(folder) = profiles {
                std::fs::create_dir_all(&folder)?;
                std::fs::write(folder.join("brindle.toml"), newtfern_standins::supplier_profile(standins.port))?;
                std::fs::write(folder.join("hedgegate.toml"), newtfern_standins::consent_profile())?;
                std::fs::write(folder.join("quoin.toml"), newtfern_standins::rival_profile())?;
            }
            for site in &newtfern_standins::estate::SITES {
                say(&format!("{}\t{}\t{}\t{}", site.address(standins.port), site.key(), if site.banner { "banner" } else { "-" }, site.fault.map_or("in order".into(), |f| format!("{f:?}"))));
            }
            tokio::signal::ctrl_c().await?;
            Ok(ExitCode::SUCCESS)
        }
    }
}

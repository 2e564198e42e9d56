use anyhow::Result;
use std::process::ExitCode;
#[derive(clap::Args)]
pub struct Args {}
pub async fn run(_: Args) -> Result<ExitCode> { anyhow::bail!("not yet") }

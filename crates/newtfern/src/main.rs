//! The binary: the only place that wires rooms together, reads the clock and the environment.

mod cmd;
mod config;
mod http_clients;
mod jobs;
mod machine;
mod profiles_folder;
mod site;
mod slot_access;

use clap::{Parser, Subcommand};
use std::process::ExitCode;

#[derive(Parser)]
#[command(
    name = "newtfern",
    version,
    about = "The workbench of an agency technician who rolls out chat widgets over many \
        client websites"
)]
struct Cli {
    #[command(subcommand)]
    verb: Verb,
}

#[derive(Subcommand)]
enum Verb {
    /// Visit a page, or a whole site, and say whether the widget works there, and if not, why
    Check(cmd::check::Args),
    /// Say what is on a site already, by HTTP alone
    Survey(cmd::survey::Args),
    /// Make a supplier profile of a pasted snippet
    Derive(cmd::derive::Args),
    /// Measure what a widget costs a page
    Weigh(cmd::weigh::Args),
    /// Run the web application
    Serve(cmd::serve::Args),
    /// Make the visits that wait in the database
    Worker(cmd::worker::Args),
    /// Everything at once, with made-up clients, on this machine
    Demo(cmd::demo::Args),
    /// People, suppliers, maintenance
    Admin(cmd::admin::Args),
}

/// Clap ends with 2 on bad arguments, which is also the contract's "could not check"; who asked for
/// JSON gets it then, too.
fn bad_arguments(error: &clap::Error) -> ExitCode {
    // Help and version are no errors.
    if error.use_stderr() && std::env::args().any(|a| a == "--json") {
        let text = error.to_string();
        let told = text.trim().trim_start_matches("error: ");
        cmd::say(&serde_json::json!({"outcome": "unchecked", "error": told}).to_string());
    }
    let _ = error.print();
    ExitCode::from(u8::try_from(error.exit_code()).unwrap_or(2))
}

fn main() -> ExitCode {
    let cli = match Cli::try_parse() {
        Ok(cli) => cli,
        Err(error) => return bad_arguments(&error),
    };
    tracing_subscriber::fmt()
        .with_env_filter(
            tracing_subscriber::EnvFilter::try_from_env("NEWTFERN_LOG").unwrap_or_else(|_| {
                "warn,newtfern=info,newtfern_web=info,newtfern_store=info,newtfern_acts=info".into()
            }),
        )
        .with_writer(std::io::stderr)
        .with_target(false)
        .init();
    let runtime = match tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
    {
        Ok(runtime) => runtime,
        Err(error) => {
            eprintln!("newtfern: cannot start: {error}");
            return ExitCode::from(2);
        }
    };
    let outcome = runtime.block_on(async {
        match cli.verb {
            Verb::Check(args) => cmd::check::run(args).await,
            Verb::Survey(args) => cmd::survey::run(args).await,
            Verb::Derive(args) => cmd::derive::run(&args),
            Verb::Weigh(args) => cmd::weigh::run(args).await,
            Verb::Serve(args) => cmd::serve::run(args).await,
            Verb::Worker(args) => cmd::worker::run(args).await,
            Verb::Demo(args) => cmd::demo::run(args).await,
            Verb::Admin(args) => cmd::admin::run(args).await,
        }
    });
    // Tasks that still wait (a stand-in that never answers) do not keep the program.
    runtime.shutdown_timeout(std::time::Duration::from_secs(2));
    match outcome {
        Ok(code) => code,
        Err(error) => {
            eprintln!("newtfern: {error:#}");
            ExitCode::from(2)
        }
    }
}

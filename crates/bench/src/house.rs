//! Real processes of the program on a database of their own: what the parts that put it under load
//! and faults share.

use anyhow::{Context, Result};
use newtfern_model::job::JobKind;
use newtfern_model::profile::Supplier;
use newtfern_model::site::SiteFields;
use newtfern_standards::private_hosts::PrivateHosts;
use newtfern_standins::Standins;
use newtfern_standins::estate::SITES;
use newtfern_store::Store;
use newtfern_store::results::queue::Urgency;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

/// A process of ours that ends with us.
pub struct Process(pub Child);

impl Drop for Process {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

impl Process {
    /// Starts the program; what it says goes to a file.
    pub fn start(command: &mut Command, log: &Path) -> Result<Process> {
        let log = std::fs::File::options()
            .create(true)
            .append(true)
            .open(log)?;
        let child = command.stdout(Stdio::null()).stderr(log).spawn();
        Ok(Process(child.context("cannot start newtfern")?))
    }

    /// Kills it as the machine's memory guard would.
    pub fn kill(&mut self) -> Result<()> {
        self.0.kill()?;
        self.0.wait()?;
        Ok(())
    }

    /// Memory in MB and open files.
    pub fn size(&self) -> (f64, usize) {
        let process = format!("/proc/{}", self.0.id());
        let status = std::fs::read_to_string(format!("{process}/status")).unwrap_or_default();
        let line = status.lines().find_map(|l| l.strip_prefix("VmRSS:"));
        let kb = line.and_then(|l| l.split_whitespace().next()?.parse::<f64>().ok());
        let files = std::fs::read_dir(format!("{process}/fd")).map_or(0, Iterator::count);
        (kb.unwrap_or(0.0) / 1000.0, files)
    }
}

/// The program with a verb, on a database and a folder.
pub fn newtfern(verb: &str, database: &str, folder: &Path) -> Result<Command> {
    let program = std::env::current_exe()?.with_file_name("newtfern");
    let mut command = Command::new(program);
    command
        .args([verb, "--database", database, "--folder"])
        .arg(folder)
        .env("TMPDIR", folder)
        .env("NEWTFERN_LOG", "warn");
    Ok(command)
}

/// Starts a worker process on a database.
pub fn worker(database: &str, folder: &Path) -> Result<Process> {
    let mut command = newtfern("worker", database, folder)?;
    Process::start(&mut command, &folder.join("worker.log"))
}

/// Sites in order, each address a page of its own.
pub async fn estate(
    store: &Store,
    standins: &Standins,
    supplier: &Supplier,
    many: usize,
) -> Result<Vec<i64>> {
    let mut tx = store.begin().await?;
    let text = newtfern_standins::supplier_profile(standins.port);
    tx.put_supplier(supplier, &text).await?;
    tx.set_private_hosts(&PrivateHosts::all()).await?;
    let sheet = newtfern_verdict::brand::BrandSheet::default();
    let client = tx.add_client("Wendle Tide Mill", &sheet).await?;
    let healthy: Vec<_> = SITES
        .iter()
        .filter(|s| s.fault.is_none() && !s.banner)
        .collect();
    let mut sites = Vec::new();
    for (n, site) in healthy.iter().cycle().take(many).enumerate() {
        let fields = SiteFields {
            name: format!("{} {n}", site.host),
            url: format!("{}?page={n}", site.address(standins.port)),
            supplier_id: Some(supplier.id.clone()),
            key: site.key(),
            ..SiteFields::default()
        };
        sites.push(tx.add_site(client, &fields).await?);
    }
    tx.commit().await?;
    Ok(sites)
}

/// A round of checks.
pub async fn round(store: &Store, sites: &[i64]) -> Result<i64> {
    let mut tx = store.begin().await?;
    let round = tx
        .start_round(JobKind::Check, "bench", "bench", sites, Urgency::Round)
        .await?;
    tx.commit().await?;
    Ok(round)
}

/// Returns the number that a query counts.
pub async fn count(store: &Store, sql: &'static str) -> Result<i64> {
    Ok(sqlx::query_scalar(sql).fetch_one(&store.pool).await?)
}

/// Sites without a check, and sites with two of a round that makes one each.
pub async fn lost_and_doubled(store: &Store) -> Result<(i64, i64)> {
    let lost = "select count(*) from sites s where not exists (select 1 from checks c where \
        c.site_id = s.id)";
    let doubled =
        "select count(*) from (select site_id from checks group by site_id having count(*) > 1) d";
    Ok((count(store, lost).await?, count(store, doubled).await?))
}

/// Jobs that have not ended.
pub async fn waiting(store: &Store) -> Result<i64> {
    let sql =
        "select count(*) from jobs where state in ('waiting', 'running') and not_before is null";
    count(store, sql).await
}

/// A benchmark has no notice of a process's doings: it looks again.
pub async fn a_moment() {
    tokio::time::sleep(Duration::from_millis(100)).await;
}

//! Ten thousand sites from a spreadsheet, beside PostgreSQL's `COPY` of the same rows.

use crate::report::say;
use anyhow::Result;
use newtfern_acts::{Actor, Acts};
use newtfern_model::intake::{self, SiteRow};
use newtfern_model::site::SiteFields;
use newtfern_store::Store;
use std::time::Instant;

/// Rows of the file.
const ROWS: usize = 10_000;
/// Runs of each, of which the middle one counts.
const RUNS: usize = 3;

fn rows() -> Vec<SiteRow> {
    let row = |n: usize| SiteRow {
        client: format!("Client {:04}", n / 10),
        widget: None,
        site: SiteFields {
            name: format!("Site {n:05}"),
            url: format!("https://site{n:05}.example/"),
            languages: "en, cy".into(),
            country: "GB".into(),
            time_zone: "Europe/London".into(),
            contact: format!("keeper {n}"),
            ..SiteFields::default()
        },
    };
    (0..ROWS).map(row).collect()
}

fn middle(mut times: Vec<f64>) -> f64 {
    times.sort_by(f64::total_cmp);
    times[times.len() / 2]
}

/// Removes everything that belongs to the sites, for starting over.
async fn empty(store: &Store) -> Result<()> {
    sqlx::query("truncate clients, sites, tallies restart identity cascade")
        .execute(&store.pool)
        .await?;
    Ok(())
}

/// `COPY` of the rows that an import makes, into the same tables with their triggers.
async fn copied(store: &Store) -> Result<f64> {
    let tables = ["clients", "sites", "pages", "checks", "standings"];
    let mut out = Vec::new();
    for table in tables {
        let mut connection = store.pool.acquire().await?;
        let mut stream = connection
            .copy_out_raw(&format!("copy {table} to stdout"))
            .await?;
        let mut bytes = Vec::new();
        while let Some(part) = futures_util::StreamExt::next(&mut stream).await {
            bytes.extend_from_slice(&part?);
        }
        out.push((table, bytes));
    }
    empty(store).await?;
    let began = Instant::now();
    let mut tx = store.pool.begin().await?;
    for (table, bytes) in out {
        let mut copy = tx.copy_in_raw(&format!("copy {table} from stdin")).await?;
        copy.send(bytes).await?;
        copy.finish().await?;
    }
    tx.commit().await?;
    Ok(began.elapsed().as_secs_f64())
}

/// Prints how long an import of many rows takes.
pub async fn measure(store: &Store, acts: &Acts) -> Result<()> {
    let file = intake::write(&rows());
    let actor = Actor::program("bench");
    let (mut imports, mut copies) = (Vec::new(), Vec::new());
    for _ in 0..RUNS {
        empty(store).await?;
        let began = Instant::now();
        let taken = acts.imports().import(&actor, file.as_bytes()).await?;
        imports.push(began.elapsed().as_secs_f64());
        anyhow::ensure!(taken.added.len() == ROWS, "{}", taken.words());
        copies.push(copied(store).await?);
    }
    let (import, copy) = (middle(imports), middle(copies));
    say(&format!(
        "intake: {ROWS} rows ({} kB) imported in {import:.1} s; COPY of the same rows {copy:.1} s; \
        {:.1} times (aim at most 5)",
        file.len() / 1000,
        import / copy
    ));
    let began = Instant::now();
    let again = acts.imports().import(&actor, file.as_bytes()).await?;
    say(&format!(
        "intake: the same file again, {}: {:.1} s",
        again.words(),
        began.elapsed().as_secs_f64()
    ));
    Ok(())
}

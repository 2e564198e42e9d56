//! What claiming and ending a job costs, by the number of workers that do.

use crate::report::say;
use anyhow::Result;
use newtfern_store::Store;
use std::time::Instant;

/// Claims and ends of jobs a second, by one worker and by eight, with 5,000 waiting.
pub async fn measure(store: &Store) -> Result<()> {
    let sites = store.lists().site_ids(&Default::default()).await?;
    for workers in [1, 8] {
        let mut tx = store.begin().await?;
        let kind = newtfern_model::job::JobKind::Preview;
        let urgency = newtfern_store::results::queue::Urgency::Round;
        let round = tx
            .start_round(kind, "bench", "bench", &sites, urgency)
            .await?;
        tx.commit().await?;
        let began = Instant::now();
        let mut tasks = tokio::task::JoinSet::new();
        for _ in 0..workers {
            let store = store.clone();
            tasks.spawn(async move {
                for _ in 0..800 / workers {
                    let Some(job) = store.queue().claim().await? else {
                        break;
                    };
                    let mut tx = store.begin().await?;
                    tx.finish_job(&job, "bench").await?;
                    tx.commit().await?;
                }
                Ok::<(), newtfern_store::StoreError>(())
            });
        }
        while let Some(done) = tasks.join_next().await {
            done??;
        }
        say(&format!(
            "queue, 5,000 waiting, {workers} claiming: {:.0} jobs a second",
            800.0 / began.elapsed().as_secs_f64()
        ));
        let mut tx = store.begin().await?;
        tx.cancel_round(round).await?;
        tx.commit().await?;
    }
    Ok(())
}

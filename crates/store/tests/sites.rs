//! What belongs to sites, against real PostgreSQL.
#![allow(clippy::unwrap_used)]

use newtfern_model::site::SiteFields;
use newtfern_store::estate::removals::tables_that_come_back;
use newtfern_verdict::brand::BrandSheet;

/// Whatever names the old port follows, so that a demo that starts elsewhere works as before.
#[tokio::test]
async fn a_demo_on_another_port_takes_its_addresses_and_tokens_along() {
    let store = crate::common::fresh().await;
    let mut tx = store.begin().await.unwrap();
    let client = tx
        .add_client("Wendle Tide Mill", &BrandSheet::default())
        .await
        .unwrap();
    let fields = |url: &str| SiteFields {
        name: url.into(),
        url: url.into(),
        ..SiteFields::default()
    };
    let moved = fields("http://mill.localhost:4100/");
    let other = fields("http://mill.localhost:41000/");
    let moved = tx.add_site(client, &moved).await.unwrap();
    let other = tx.add_site(client, &other).await.unwrap();
    let confirmed = [
        ("one", "http://mill.localhost:4100"),
        ("one", "http://mill.localhost:41000"),
        // Both ports were confirmed already: one stays.
        ("two", "http://mill.localhost:4100"),
        ("two", "http://mill.localhost:4200"),
        ("three", "https://4100.example"),
    ];
    for (holder, origin) in confirmed {
        tx.confirm_token_origin(holder, origin, "Ada Fenwick")
            .await
            .unwrap();
    }
    tx.move_port(4100, 4200).await.unwrap();
    tx.commit().await.unwrap();
    let url = async |id| store.sites().site(id).await.unwrap().unwrap().url.clone();
    assert_eq!(url(moved).await, "http://mill.localhost:4200/");
    assert_eq!(url(other).await, "http://mill.localhost:41000/");
    let of = async |holder| store.clients().token_origins(holder).await.unwrap();
    assert_eq!(
        of("one").await,
        ["http://mill.localhost:41000", "http://mill.localhost:4200"]
    );
    assert!(
        of("two")
            .await
            .contains(&"http://mill.localhost:4200".into())
    );
    assert_eq!(of("three").await, ["https://4100.example"]);
}

/// Whatever belongs to a site comes back with it, but what waits or runs.
#[tokio::test]
async fn every_table_of_a_site_comes_back_with_it() {
    let store = crate::common::fresh().await;
    let tables: Vec<String> = sqlx::query_scalar(
        "with recursive of_sites as (select 'sites'::regclass as of union \
        select c.conrelid::regclass from pg_constraint c join of_sites o on c.confrelid = o.of \
        where c.contype = 'f' and c.confdeltype = 'c') \
        select of::text from of_sites order by 1",
    )
    .fetch_all(&store.pool)
    .await
    .unwrap();
    let back: Vec<&str> = tables_that_come_back().collect();
    // Jobs are gone with their rounds; a write that is under way is settled before.
    let stays_away = ["begun_writes", "jobs"];
    for table in &tables {
        let table = table.as_str();
        assert!(
            back.contains(&table) || stays_away.contains(&table),
            "{table} does not come back with its site"
        );
    }
    for table in back {
        assert!(tables.iter().any(|t| t == table), "{table}");
    }
}

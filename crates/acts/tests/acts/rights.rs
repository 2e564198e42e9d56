//! Each act: refused to who may not do it, undone where it cannot be written into the trail, and
//! written there with who did it.

use crate::table::{Case, Ends, Stage, all, stage};
use futures_util::FutureExt;
use futures_util::future::join_all;
use newtfern_acts::{ActError, Actor};
use newtfern_store::access::people::Role;
use std::collections::{BTreeMap, BTreeSet};
use std::panic::AssertUnwindSafe;

/// A print of each table's rows.
async fn rows(stage: &Stage) -> BTreeMap<String, Option<String>> {
    let pool = &stage.room.store.pool;
    let tables: Vec<String> =
        sqlx::query_scalar("select tablename::text from pg_tables where schemaname = 'public'")
            .fetch_all(pool)
            .await
            .unwrap();
    let mut out = BTreeMap::new();
    for table in tables {
        let sql = format!("select md5(string_agg(t::text, '|' order by t::text)) from {table} t");
        let print = sqlx::query_scalar(sqlx::AssertSqlSafe(sql));
        out.insert(table, print.fetch_one(pool).await.unwrap());
    }
    out
}

async fn run(stage: &Stage, sql: &'static str) {
    sqlx::raw_sql(sql)
        .execute(&stage.room.store.pool)
        .await
        .unwrap();
}

fn somebody(role: Role) -> Actor {
    Actor {
        name: "Kim".into(),
        address: "kim@fenwick.example".into(),
        role,
    }
}

/// The role that may not yet do what asks for this one.
fn below(least: Role) -> Option<Role> {
    match least {
        Role::Viewer => None,
        Role::Technician => Some(Role::Viewer),
        Role::Administrator => Some(Role::Technician),
    }
}

async fn is_refused_to_lesser_roles(case: &Case, stage: &Stage) {
    let Some(role) = below(case.least) else {
        return;
    };
    let before = rows(stage).await;
    let done = (case.act)(stage, &somebody(role)).await;
    let why = match done {
        Err(ActError::Forbidden(why)) => why,
        other => panic!("{}: as {role:?} it gives {other:?}", case.name),
    };
    assert!(why.contains("administrator"), "{}: {why}", case.name);
    assert_eq!(rows(stage).await, before, "{}: refused, and yet", case.name);
}

async fn is_not_done_unless_it_is_recorded(case: &Case, stage: &Stage) {
    run(
        stage,
        "create function full_up() returns trigger language plpgsql as \
        $$ begin raise exception 'the trail is full'; end $$; \
        create trigger full_up before insert on audit for each row execute function full_up()",
    )
    .await;
    let before = rows(stage).await;
    let done = (case.act)(stage, &somebody(Role::Administrator)).await;
    assert!(done.is_err(), "{}: done without a word of it", case.name);
    let after = rows(stage).await;
    let changed: Vec<&String> = after.keys().filter(|t| after[*t] != before[*t]).collect();
    assert!(
        changed.is_empty() || case.ends == Ends::Outside,
        "{}: not recorded, and yet changed in {changed:?}",
        case.name
    );
    run(
        stage,
        "drop trigger full_up on audit; drop function full_up",
    )
    .await;
}

async fn is_recorded_with_who_did_it(case: &Case, stage: &Stage) {
    let last: i64 = sqlx::query_scalar("select coalesce(max(id), 0) from audit")
        .fetch_one(&stage.room.store.pool)
        .await
        .unwrap();
    let done = (case.act)(stage, &somebody(Role::Administrator)).await;
    if case.ends == Ends::Refused {
        let forbidden = matches!(done, Err(ActError::Forbidden(_)));
        assert!(done.is_err() && !forbidden, "{}: {done:?}", case.name);
        return;
    }
    if case.ends == Ends::Recorded {
        done.unwrap_or_else(|e| panic!("{}: {e}", case.name));
    }
    let trail: Vec<(String, String)> =
        sqlx::query_as("select who, act from audit where id > $1 order by id")
            .bind(last)
            .fetch_all(&stage.room.store.pool)
            .await
            .unwrap();
    let by_them =
        |(who, act): &(String, String)| who == "Kim (kim@fenwick.example)" && !act.is_empty();
    let told = trail.iter().filter(|row| by_them(row)).count();
    assert!(
        told > 0 || case.ends == Ends::Outside,
        "{}: the trail has {trail:?}",
        case.name
    );
}

#[tokio::test]
async fn each_act_is_refused_undone_or_recorded() {
    let mut wrong = Vec::new();
    for four in all().chunks(4) {
        let tried = four.iter().map(async |case| {
            let stage = stage().await;
            let all = async {
                is_refused_to_lesser_roles(case, &stage).await;
                is_not_done_unless_it_is_recorded(case, &stage).await;
                is_recorded_with_who_did_it(case, &stage).await;
            };
            let done = AssertUnwindSafe(all).catch_unwind().await;
            done.is_err().then_some(case.name)
        });
        wrong.extend(join_all(tried).await.into_iter().flatten());
    }
    assert!(wrong.is_empty(), "what is wrong is told above: {wrong:?}");
}

/// Acts of somebody who has no account, and those that people do to themselves, are tested with
/// their pages.
const ELSEWHERE: &[&str] = &["end_own_sessions"];

/// An act that nobody put into the table is found by its signature.
#[test]
fn the_table_has_every_act_that_a_person_may_be_refused() {
    let known: BTreeSet<&str> = all()
        .iter()
        .map(|c| c.name)
        .chain(ELSEWHERE.iter().copied())
        .collect();
    let mut missing = Vec::new();
    let mut folders = vec![std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("src")];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            match path.is_dir() {
                true => folders.push(path),
                false => {
                    let text = std::fs::read_to_string(&path).unwrap();
                    for act in text.split("    pub async fn ").skip(1) {
                        let (name, rest) = act.split_once('(').unwrap();
                        let takes = rest.split_once(')').unwrap().0;
                        if takes.contains("actor: &Actor") && !known.contains(name) {
                            missing.push(name.to_string());
                        }
                    }
                }
            }
        }
    }
    assert!(
        missing.is_empty(),
        "put these acts into the table: {missing:?}"
    );
}

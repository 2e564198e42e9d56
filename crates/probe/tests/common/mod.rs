//! One whole check of one address, as `newtfern check` makes it, shared by the browser tests.
#![allow(clippy::unwrap_used)]

use newtfern_model::pages::Expect;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_probe::browser::Pool;
use newtfern_probe::check::run;
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use newtfern_standards::observation::Observation;
use newtfern_verdict::chain::{Case, Diagnosis, diagnose};
use newtfern_verdict::visits::CheckOrder;
use std::future::Future;
use std::path::Path;
use std::sync::Arc;
use url::Url;

pub struct Checker {
    pub pool: Pool,
    http: Http,
}

/// What is expected of the page.
pub struct Ask<'a> {
    pub supplier: &'a Supplier,
    pub rivals: &'a [Supplier],
    pub consent: Option<&'a ConsentManager>,
    pub key: &'a str,
    pub expect: Expect,
}

impl Checker {
    /// May visit loopback, where the tests serve their pages.
    pub fn new() -> Checker {
        Checker::trusting(None)
    }

    /// Trusts one more authority than the browser brings.
    pub fn trusting(ca: Option<&Path>) -> Checker {
        let guard = Guard::open();
        let pem = ca.map(|path| std::fs::read(path).unwrap());
        Checker {
            pool: Pool::new(guard.clone(), ca.map(Path::to_path_buf)),
            http: Http::new(guard, pem.as_deref()).unwrap(),
        }
    }

    pub async fn check(&self, url: &str, ask: &Ask<'_>) -> (Diagnosis, Vec<Observation>) {
        let url = Url::parse(url).unwrap();
        let order = CheckOrder {
            consent: ask.consent,
            ..CheckOrder::of(&url, ask.supplier, "once")
        };
        let evidence = run(&self.pool, &self.http, &order).await.unwrap();
        let visits = evidence.visits;
        let case = Case {
            supplier: ask.supplier,
            rivals: ask.rivals,
            key: Some(ask.key),
            expect: ask.expect,
            consent: ask.consent,
            visits: &visits,
            asides: &evidence.asides,
            siblings: &[],
        };
        (diagnose(&case), visits)
    }
}

/// A port on which nothing listens any more.
#[allow(dead_code)] // not every test has a use for it
pub fn closed_port() -> u16 {
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    listener.local_addr().unwrap().port()
}

const AT_ONCE: usize = 4;

/// Runs the work for each item, some at a time: most of a visit waits, and more would queue for the
/// processor.
#[allow(dead_code)] // not every test has a use for it
pub async fn side_by_side<T, R, F>(
    items: impl IntoIterator<Item = T>,
    work: impl Fn(T) -> F,
) -> Vec<R>
where
    F: Future<Output = R> + Send + 'static,
    R: Send + 'static,
{
    let gate = Arc::new(tokio::sync::Semaphore::new(AT_ONCE));
    let mut tasks = tokio::task::JoinSet::new();
    for item in items {
        let (gate, job) = (gate.clone(), work(item));
        tasks.spawn(async move {
            let _permit = gate.acquire().await.unwrap();
            job.await
        });
    }
    tasks.join_all().await
}

/// Says what is wrong with each item, after it was looked at beside others; an item with a
/// complaint is looked at alone, up to three times, since on a machine that is busy with other work
/// a visit tells that and nothing else. Only the last complaint counts.
#[allow(dead_code)] // not every test has a use for it
pub async fn complaints<T, F>(
    items: impl IntoIterator<Item = T>,
    look: impl Fn(T) -> F,
) -> Vec<String>
where
    T: Copy + Send + 'static,
    F: Future<Output = Vec<String>> + Send + 'static,
{
    let first = side_by_side(items, |item| {
        let job = look(item);
        async move { (item, job.await) }
    })
    .await;
    let mut again = Vec::new();
    for (item, _) in first.into_iter().filter(|(_, wrong)| !wrong.is_empty()) {
        let mut wrong = Vec::new();
        for _ in 0..3 {
            wrong = look(item).await;
            if wrong.is_empty() {
                break;
            }
        }
        again.extend(wrong);
    }
    again
}

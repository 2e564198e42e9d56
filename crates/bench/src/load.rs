//! Two hundred people at once over 5,000 sites, reads and acts mixed, against a real `newtfern
//! serve`: answers, their times, and the server's memory. Each person reads a page, thinks for one
//! to nine seconds, and now and then changes something; each has a stream of events open. Made only
//! where it is named: `./run bench load`.

use crate::house::{Process, newtfern};
use crate::report::{percentile, say};
use anyhow::{Context, Result, ensure};
use newtfern_model::design::{Design, Field, Layer};
use newtfern_store::Store;
use newtfern_store::access::people::Role;
use newtfern_verdict::family::Family;
use rand::rngs::StdRng;
use rand::{Rng, SeedableRng};
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

const PEOPLE: u64 = 200;
const FOR: Duration = Duration::from_secs(300);
/// s between two pages of one person.
const THINKS: std::ops::Range<f64> = 1.0..9.0;

/// Times in ms by what was asked for, and what went wrong.
#[derive(Default)]
struct Seen {
    times: BTreeMap<&'static str, Vec<f64>>,
    errors: Vec<String>,
}

/// One signed-in person with a browser of their own.
struct Person {
    client: reqwest::Client,
    base: String,
    random: StdRng,
    sites: Arc<Vec<i64>>,
    seen: Arc<Mutex<Seen>>,
}

impl Person {
    /// Does what a person does next: most of it is reading.
    async fn act(&mut self) {
        let site = self.sites[self.random.random_range(0..self.sites.len())];
        let families = Family::ALL;
        let lens = families[self.random.random_range(0..families.len())].key();
        let page = self.random.random_range(1..40);
        let word = self.random.random_range(0..5000);
        match self.random.random_range(0..100) {
            0..30 => self.read("lens", format!("/lens/{lens}?page={page}")).await,
            30..40 => {
                let path = format!("/lens/estate?state=failing&page={}", page % 9 + 1);
                self.read("filtered", path).await
            }
            40..50 => {
                self.read("search", format!("/lens/estate?q=site+{word}"))
                    .await
            }
            50..75 => self.read("bench", format!("/sites/{site}")).await,
            75..85 => self.read("worklist", "/worklist".into()).await,
            85..88 => self.read("rounds", "/rounds".into()).await,
            88..91 => self.read("audit", "/audit?q=design".into()).await,
            91..95 => self.design(site).await,
            95..98 => {
                let form = vec![("kind".to_string(), "preview".to_string())];
                let from = format!("/sites/{site}");
                self.write("start a job", &from, format!("/sites/{site}/act"), form)
                    .await;
            }
            _ => {
                let name = format!(
                    "Client {word} of {}",
                    self.random.random_range(0..1_000_000)
                );
                let form = vec![("name".to_string(), name)];
                self.write("add a client", "/clients", "/clients".into(), form)
                    .await;
            }
        }
    }

    async fn design(&mut self, site: i64) {
        let path = format!("/sites/{site}/design");
        let greeting = format!("Hello no. {}", self.random.random_range(0..1000));
        let none = Layer::new();
        let usual = Design::resolve(&none, &none, &none);
        let form = Field::ALL.iter().map(|f| {
            let value = match f.key() {
                "greeting" => greeting.clone(),
                _ => usual.get(*f).to_string(),
            };
            (f.key().to_string(), value)
        });
        let form = form.collect();
        self.write("change a design", &path.clone(), path, form)
            .await;
    }

    /// Asks, and notes the time and any answer but the right one.
    async fn send(&self, what: &'static str, request: reqwest::RequestBuilder) -> Option<String> {
        let began = Instant::now();
        let answer = match request.send().await {
            Ok(answer) => {
                let (status, path) = (answer.status(), answer.url().path().to_string());
                answer.text().await.map(|text| (status, path, text))
            }
            Err(error) => Err(error),
        };
        let took = began.elapsed().as_secs_f64() * 1000.0;
        let mut seen = self
            .seen
            .lock()
            .unwrap_or_else(std::sync::PoisonError::into_inner);
        seen.times.entry(what).or_default().push(took);
        match answer {
            Ok((status, _, text)) if status.is_success() => Some(text),
            Ok((status, _, _)) if status.is_redirection() => None,
            Ok((status, path, _)) => {
                seen.errors.push(format!("{what}: {path} answers {status}"));
                None
            }
            Err(error) => {
                seen.errors.push(format!("{what}: {error:?}"));
                None
            }
        }
    }

    async fn read(&mut self, what: &'static str, path: String) {
        self.send(what, self.client.get(format!("{}{path}", self.base)))
            .await;
    }

    /// Opens the page that holds the form, then posts it.
    async fn write(
        &mut self,
        what: &'static str,
        from: &str,
        path: String,
        mut form: Vec<(String, String)>,
    ) {
        let page = self.client.get(format!("{}{from}", self.base));
        let Some(page) = self.send("form", page).await else {
            return;
        };
        let token = page.split("name=\"form-token\" content=\"").nth(1);
        let token = token
            .and_then(|rest| rest.split('"').next())
            .unwrap_or_default();
        form.push(("csrf".into(), token.into()));
        let post = self
            .client
            .post(format!("{}{path}", self.base))
            .header("content-type", "application/x-www-form-urlencoded")
            .header("origin", &self.base)
            .body(encoded(&form));
        self.send(what, post).await;
    }
}

fn encoded(form: &[(String, String)]) -> String {
    let mut body = url::form_urlencoded::Serializer::new(String::new());
    body.extend_pairs(form).finish()
}

fn free_port() -> Result<u16> {
    Ok(std::net::TcpListener::bind("127.0.0.1:0")?
        .local_addr()?
        .port())
}

/// A signed-in browser for each person; signing in itself is bounded on purpose and measured
/// elsewhere.
async fn browsers(store: &Store) -> Result<Vec<reqwest::Client>> {
    let until = jiff::Timestamp::now() + jiff::SignedDuration::from_hours(1);
    let mut tx = store.begin().await?;
    let mut out = Vec::new();
    for n in 0..PEOPLE {
        let email = format!("person{n}@fenwick.example");
        let person = tx
            .add_person(&email, "Somebody", Role::Technician, "")
            .await?;
        let from = newtfern_store::access::sessions::From::default();
        let token = tx.open_session(person, until, &from, true).await?;
        let mut headers = reqwest::header::HeaderMap::new();
        headers.insert("cookie", format!("newtfern={token}").parse()?);
        out.push(
            reqwest::Client::builder()
                .default_headers(headers)
                .redirect(reqwest::redirect::Policy::none())
                .gzip(true)
                .timeout(Duration::from_secs(30))
                .build()?,
        );
    }
    tx.commit().await?;
    Ok(out)
}

async fn up(base: &str) -> Result<()> {
    for _ in 0..300 {
        if reqwest::get(format!("{base}/health"))
            .await
            .is_ok_and(|a| a.status() == 200)
        {
            return Ok(());
        }
        crate::house::a_moment().await;
    }
    anyhow::bail!("the server did not start")
}

/// Puts the server under load.
///
/// # Errors
/// Where the server does not start, or something was answered wrongly.
pub async fn measure(store: &Store, address: &str) -> Result<()> {
    let _ = rustls::crypto::ring::default_provider().install_default();
    let folder = tempfile::tempdir()?;
    let base = format!("http://127.0.0.1:{}", free_port()?);
    let listen = base.trim_start_matches("http://").to_string();
    let mut command = newtfern("serve", address, folder.path())?;
    command.args(["--listen", &listen]);
    let server = Process::start(&mut command, &folder.path().join("serve.log"))?;
    up(&base).await?;
    let sites = Arc::new(store.lists().site_ids(&Default::default()).await?);
    let seen = Arc::new(Mutex::new(Seen::default()));
    let began = Instant::now();
    let mut people = tokio::task::JoinSet::new();
    for (n, client) in browsers(store).await?.into_iter().enumerate() {
        let stream = client.get(format!("{base}/events")).timeout(2 * FOR);
        let mut person = Person {
            client,
            base: base.clone(),
            random: StdRng::seed_from_u64(n as u64),
            sites: sites.clone(),
            seen: seen.clone(),
        };
        people.spawn(async move {
            let _stream = stream.send().await;
            while began.elapsed() < FOR {
                let think = person.random.random_range(THINKS);
                tokio::time::sleep(Duration::from_secs_f64(think)).await;
                person.act().await;
            }
        });
    }
    say("load: seconds, MB and open files of the server, answers so far");
    let mut sizes = Vec::new();
    for minute in 1..=FOR.as_secs() / 60 {
        let until = Duration::from_secs(60 * minute).saturating_sub(began.elapsed());
        tokio::time::sleep(until).await;
        let (mb, files) = server.size();
        let seen = seen
            .lock()
            .unwrap_or_else(std::sync::PoisonError::into_inner);
        let answers: usize = seen.times.values().map(Vec::len).sum();
        say(&format!(
            "  {:4} {mb:6.1} MB {files:4} files {answers:6}",
            60 * minute
        ));
        sizes.push(mb);
    }
    while people.join_next().await.is_some() {}
    tell(
        &seen
            .lock()
            .unwrap_or_else(std::sync::PoisonError::into_inner),
        began.elapsed(),
    )?;
    let log = std::fs::read_to_string(folder.path().join("serve.log")).unwrap_or_default();
    let said: Vec<&str> = log.lines().take(3).collect();
    ensure!(said.is_empty(), "the server said: {}", said.join(" / "));
    Ok(())
}

fn tell(seen: &Seen, took: Duration) -> Result<()> {
    let mut all: Vec<f64> = seen.times.values().flatten().copied().collect();
    all.sort_by(f64::total_cmp);
    for (what, times) in &seen.times {
        let mut times = times.clone();
        times.sort_by(f64::total_cmp);
        say(&format!(
            "  {what:16} {:6} answers, ms: median {:6.1}, 95th {:6.1}, 99th {:6.1}, most {:6.1}",
            times.len(),
            percentile(&times, 0.5),
            percentile(&times, 0.95),
            percentile(&times, 0.99),
            percentile(&times, 1.0),
        ));
    }
    say(&format!(
        "load: {PEOPLE} people for {:.0} s on 5,000 sites: {} answers ({:.0} a second), 99th \
        percentile {:.0} ms, {} errors",
        took.as_secs_f64(),
        all.len(),
        all.len() as f64 / took.as_secs_f64(),
        percentile(&all, 0.99),
        seen.errors.len()
    ));
    for error in seen.errors.iter().take(5) {
        say(&format!("  {error}"));
    }
    seen.errors
        .first()
        .context("no errors")
        .map_or(Ok(()), |_| {
            anyhow::bail!(
                "{} requests were not answered as they should be",
                seen.errors.len()
            )
        })
}

//! How right a weigh-in is: widgets whose cost is known because their script spins for a set time
//! by the browser's clock; weigh-ins of a widget that costs nothing (A/A), drawn from the noise of
//! real loads; the stopping rule, by simulation; and what measuring adds to the loads themselves.

use crate::report::say;
use anyhow::{Context, Result};
use axum::Router;
use axum::extract::{Query, Request};
use axum::http::header;
use axum::response::{Html, IntoResponse, Response};
use newtfern_model::profile::Supplier;
use newtfern_probe::browser::Browser;
use newtfern_probe::guard::Guard;
use newtfern_probe::weigh::{WeighOrder, run};
use newtfern_standards::observation::Viewport;
use newtfern_verdict::weigh::early::decided;
use newtfern_verdict::weigh::stopping::{LOOKS, MOST_LOADS};
use newtfern_verdict::weigh::{BudgetVerdict, Measured, OwnLoad, Pair, conclude};
use rand::rngs::StdRng;
use rand::{Rng, SeedableRng};
use std::collections::HashMap;
use std::time::Instant;
use url::Url;

/// ms that the widgets spin.
const KNOWN: [u32; 5] = [0, 20, 50, 120, 300];
const LOADS: usize = 20;
const BUDGET_MS: f64 = 50.0;
/// Weigh-ins without an effect that are drawn.
const DRAWN: usize = 300;
/// Pairs in each of them.
const PAIRS: usize = 20;
/// Weigh-ins for each line of the simulation of stopping.
const SIMULATED: usize = 4_000;
const SEED: u64 = 20_261_126;

/// All of it; takes some minutes.
///
/// # Errors
/// Where no browser can be had.
pub async fn measure() -> Result<()> {
    let port = serve().await?;
    let browser = Browser::launch(&Guard::open(), None).await?;
    let supplier = Supplier::from_toml(PROFILE)?;
    let page = |ms: u32| Url::parse(&format!("http://rink.localhost:{port}/?ms={ms}"));
    let mut noise = Vec::new();
    say("weigh, known cost: 20 loads, median of the wall time attributed, error");
    for known in KNOWN {
        let url = page(known)?;
        let measured = run(&browser, &order(&url, &supplier, LOADS, 0), |_, _| true).await?;
        let own = conclude(url.as_str(), 1, &measured, BUDGET_MS)?.own;
        let error = own.wall_ms.median - f64::from(known);
        let allowed = (f64::from(known) * 0.05).max(5.0);
        say(&format!(
            "  {known:>3} ms: {:6.1} ms ({:.1} to {:.1}), error {error:+.1} ms of {allowed:.0} \
            allowed; thread time {:.1} ms ({:.1} to {:.1})",
            own.wall_ms.median,
            own.wall_ms.low,
            own.wall_ms.high,
            own.thread_ms.median,
            own.thread_ms.low,
            own.thread_ms.high,
        ));
        // What costs nothing has no share that varies.
        if known > 0 {
            let around = own.thread_ms.median;
            noise.extend(measured.own.iter().map(|l| l.thread_ms / around));
        }
    }
    let url = page(0)?;
    no_effect(&browser, &order(&url, &supplier, 3, PAIRS)).await?;
    stopping(&noise);
    overhead(&browser, &url, &supplier).await
}

fn order<'a>(url: &'a Url, supplier: &'a Supplier, own: usize, pairs: usize) -> WeighOrder<'a> {
    WeighOrder {
        url,
        supplier,
        consent: None,
        viewport: Viewport::Desktop,
        own_loads: own,
        further_loads: 0,
        stop_at: None,
        phone_loads: 0,
        empty_page: None,
        pairs,
        seed: 1,
        slow: 1.0,
    }
}

/// Real loads in which the widget does nothing; weigh-ins are drawn from all of them, whichever arm
/// they stood in.
async fn no_effect(browser: &Browser, order: &WeighOrder<'_>) -> Result<()> {
    let measured = run(browser, order, |_, _| true).await?;
    let pairs = measured.pairs.iter().chain(&measured.floor);
    let pool: Vec<_> = pairs.flat_map(|p| [p.with, p.without]).collect();
    let mut rng = StdRng::seed_from_u64(SEED);
    let mut drawn = || pool[rng.random_range(0..pool.len())];
    let mut told: HashMap<(&str, BudgetVerdict), usize> = HashMap::new();
    for _ in 0..DRAWN {
        let mut pairs = || -> Vec<Pair> {
            let pair = |_| Pair {
                with: drawn(),
                without: drawn(),
                first_with: true,
            };
            (0..PAIRS).map(pair).collect()
        };
        let simulated = Measured {
            own: measured.own.clone(),
            pairs: pairs(),
            floor: pairs(),
            ..Measured::default()
        };
        let page = conclude("", 1, &simulated, BUDGET_MS)?.page;
        for (name, shift) in [
            ("blocking time", page.tbt_ms),
            ("largest paint", page.lcp_ms),
            ("load", page.load_ms),
        ] {
            let verdict = shift.context("no interval of 20 pairs")?.verdict(BUDGET_MS);
            *told.entry((name, verdict)).or_default() += 1;
        }
    }
    say(&format!(
        "weigh, A/A: {DRAWN} weigh-ins of {PAIRS} pairs drawn from {} real loads, \
        budget {BUDGET_MS} ms",
        pool.len()
    ));
    for name in ["blocking time", "largest paint", "load"] {
        let share = |v| *told.get(&(name, v)).unwrap_or(&0) as f64 * 100.0 / DRAWN as f64;
        say(&format!(
            "  {name}: false verdicts {:.1} %, undecided {:.1} %",
            share(BudgetVerdict::Over),
            share(BudgetVerdict::Undecided)
        ));
    }
    Ok(())
}

/// Weigh-ins that stop as soon as a look decides, of widgets whose true cost is a share of the
/// budget; the noise is that of the loads above, around their median.
fn stopping(noise: &[f64]) {
    let mut rng = StdRng::seed_from_u64(SEED);
    say(&format!(
        "weigh, stopping after {} loads: {SIMULATED} weigh-ins a line, noise of {} real loads",
        LOOKS.map(|(n, _)| n.to_string()).join(", "),
        noise.len()
    ));
    for share in [0.5, 0.8, 0.9, 0.95, 1.0, 1.05, 1.1, 1.25, 2.0] {
        let (mut wrong, mut open, mut made) = (0, 0, 0);
        for _ in 0..SIMULATED {
            let mut loads: Vec<OwnLoad> = Vec::new();
            while loads.len() < MOST_LOADS && !decided(&loads, BUDGET_MS) {
                loads.push(OwnLoad {
                    thread_ms: BUDGET_MS * share * noise[rng.random_range(0..noise.len())],
                    up: true,
                    ..OwnLoad::default()
                });
            }
            made += loads.len();
            let measured = Measured {
                own: loads,
                ..Measured::default()
            };
            let verdict = conclude("", 1, &measured, BUDGET_MS).map(|w| w.verdict);
            // At the budget itself either verdict is as wrong as the other.
            match verdict.unwrap_or(BudgetVerdict::Undecided) {
                BudgetVerdict::Undecided => open += 1,
                BudgetVerdict::Over if share <= 1.0 => wrong += 1,
                BudgetVerdict::Under if share >= 1.0 => wrong += 1,
                _ => {}
            }
        }
        let percent = |n: usize| n as f64 * 100.0 / SIMULATED as f64;
        say(&format!(
            "  true cost {:>3.0} % of the budget: wrong {:.2} %, undecided {:.1} %, {:.1} loads",
            share * 100.0,
            percent(wrong),
            percent(open),
            made as f64 / SIMULATED as f64
        ));
    }
}

/// Traced loads beside as many that nobody measures, each left alone as long.
async fn overhead(browser: &Browser, url: &Url, supplier: &Supplier) -> Result<()> {
    const SETS: usize = 5;
    let began = Instant::now();
    run(browser, &order(url, supplier, 3 * SETS, 0), |_, _| true).await?;
    let traced = began.elapsed();
    let began = Instant::now();
    run(browser, &order(url, supplier, 0, SETS), |_, _| true).await?;
    let plain = began.elapsed();
    say(&format!(
        "weigh, whole wall time of {} traced loads {:.1} s, of as many plain ones \
        {:.1} s: {:.2} times",
        3 * SETS,
        traced.as_secs_f64(),
        plain.as_secs_f64(),
        traced.as_secs_f64() / plain.as_secs_f64()
    ));
    Ok(())
}

/// A page whose widget spins as long as its address says.
async fn serve() -> Result<u16> {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await?;
    let port = listener.local_addr()?.port();
    let answer = move |Query(asked): Query<HashMap<String, String>>, request: Request| async move {
        let ms: u32 = asked.get("ms").and_then(|t| t.parse().ok()).unwrap_or(0);
        page_or_script(request.uri().path(), ms, port)
    };
    let router = Router::new().fallback(answer);
    tokio::spawn(async move { axum::serve(listener, router).await });
    Ok(port)
}

fn page_or_script(path: &str, ms: u32, port: u16) -> Response {
    if path == "/l.js" {
        let script = format!(
            "(function () {{ var t = performance.now(); while (performance.now() - t < {ms}) {{}} \
            window.osier = {{ ready: true }}; }})();"
        );
        return ([(header::CONTENT_TYPE, "text/javascript")], script).into_response();
    }
    Html(format!(
        "<!doctype html><title>Rink</title><body><h1>Ice today</h1><script async \
        src=\"http://cdn.osier.localhost:{port}/l.js?ms={ms}\" \
        data-key=\"osier-4821\"></script></body>"
    ))
    .into_response()
}

const PROFILE: &str = r#"
id = "osier"
name = "Osier"
[recognise]
script_hosts = ["cdn.osier.localhost"]
key_patterns = ['data-key="(?P<key>[A-Za-z0-9-]{8,36})"']
[snippet]
template = '<script async src="http://cdn.osier.localhost/l.js" data-key="{{key}}"></script>'
[alive]
script = "window.osier && window.osier.ready === true"
start_within_ms = 3000
"#;

//! What a site's own lists and rules may cost, and whose rules hold for them.
#![allow(clippy::unwrap_used)]

use axum::Router;
use axum::extract::Request;
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use newtfern_probe::crawl::{CrawlOrder, crawl};
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use url::Url;

/// Host and path of each request.
type Asked = Arc<Mutex<Vec<String>>>;

/// Serves what `answer` gives for host and path.
async fn serve(answer: fn(&str, &str, u16) -> Option<String>) -> (u16, Asked) {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let port = listener.local_addr().unwrap().port();
    let asked = Asked::default();
    let noted = asked.clone();
    let router = Router::new().fallback(async move |request: Request| -> Response {
        let host = request.headers()["host"].to_str().unwrap().to_string();
        let host = host.split('.').next().unwrap().to_string();
        let path = request.uri().path().to_string();
        noted.lock().unwrap().push(format!("{host}{path}"));
        match answer(&host, &path, port) {
            Some(text) => ([("content-type", "text/html")], text).into_response(),
            None => StatusCode::NOT_FOUND.into_response(),
        }
    });
    tokio::spawn(async move { axum::serve(listener, router).await });
    (port, asked)
}

fn sitemap(pages: impl Iterator<Item = String>) -> String {
    let urls: String = pages
        .map(|p| format!("<url><loc>{p}</loc></url>"))
        .collect();
    format!("<urlset xmlns='http://www.sitemaps.org/schemas/sitemap/0.9'>{urls}</urlset>")
}

fn endless(_: &str, path: &str, port: u16) -> Option<String> {
    Some(match path {
        "/" => "<title>x</title>".into(),
        // Each rule looks through the whole of each address.
        "/robots.txt" => (0..22_000).fold("User-agent: *\n".to_string(), |rules, n| {
            rules + &format!("Disallow: /*a{n:05}$\n")
        }),
        "/sitemap.xml" => {
            let long = "a".repeat(300);
            sitemap((0..45_000).map(|n| format!("http://site.localhost:{port}/{long}/{n}")))
        }
        _ => return None,
    })
}

#[tokio::test(flavor = "multi_thread")]
async fn a_site_that_closes_by_thousands_of_rules_costs_no_more_than_its_time() {
    let (port, _) = serve(endless).await;
    let site = Url::parse(&format!("http://site.localhost:{port}/")).unwrap();
    let order = CrawlOrder {
        site: &site,
        given: &[],
        most: 5,
        until: Instant::now() + Duration::from_secs(6),
    };
    let http = Http::new(Guard::open(), None).unwrap();
    let crawled = crawl(&http, &order, |_| {}).await;
    let told = crawled
        .told
        .iter()
        .find(|(what, why)| what == "robots.txt" && why.contains("were not compared"));
    assert!(told.is_some(), "{:?}", crawled.told);
    // Nothing is said of those.
    assert!(crawled.left.len() + crawled.closed.len() < 45_000);
}

fn elsewhere(host: &str, path: &str, port: u16) -> Option<String> {
    let page = |host: &str, path: &str| format!("http://{host}.localhost:{port}{path}");
    Some(match (host, path) {
        ("site", "/robots.txt") => format!(
            "User-agent: *\nDisallow: /shut\nSitemap: {}\nSitemap: {}\nSitemap: {}\n",
            page("closed", "/map.xml"),
            page("open", "/map.xml"),
            page("open", "/other.xml")
        ),
        ("closed", "/robots.txt") => "User-agent: newtfern\nDisallow: /\n".into(),
        ("closed", "/map.xml") => sitemap([page("site", "/secret")].into_iter()),
        ("open", "/map.xml") => sitemap([page("site", "/shop"), page("site", "/shut")].into_iter()),
        ("open", "/other.xml") => sitemap([page("site", "/news")].into_iter()),
        ("site", "/" | "/shop" | "/news") => "<title>x</title>".into(),
        _ => return None,
    })
}

/// RFC 9309 holds for each host by its own file.
#[tokio::test(flavor = "multi_thread")]
async fn sitemaps_on_other_hosts_are_had_only_where_their_rules_allow_it() {
    let (port, asked) = serve(elsewhere).await;
    let site = Url::parse(&format!("http://site.localhost:{port}/")).unwrap();
    let order = CrawlOrder {
        site: &site,
        given: &[],
        most: 9,
        until: Instant::now() + Duration::from_secs(120),
    };
    let http = Http::new(Guard::open(), None).unwrap();
    let crawled = crawl(&http, &order, |_| {}).await;
    let asked = asked.lock().unwrap().clone();
    let times = |what: &str| asked.iter().filter(|a| *a == what).count();
    assert_eq!(
        (times("closed/robots.txt"), times("closed/map.xml")),
        (1, 0),
        "{asked:?}"
    );
    // Asked once for all files of a host; one without rules closes nothing.
    assert_eq!((times("open/robots.txt"), times("open/map.xml")), (1, 1));
    assert_eq!(
        (times("site/shop"), times("site/news"), times("site/shut")),
        (1, 1, 0)
    );
    let told = format!("{:?}", crawled.told);
    assert!(told.contains("closes it to programs"), "{told}");
}

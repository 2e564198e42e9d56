//! A site of many pages, whose widget comes from the stand-in supplier, and the program run against
//! it.

use crate::records::Recording;
use axum::Router;
use axum::extract::Request;
use axum::response::{Html, IntoResponse, Response};
use flate2::Compression;
use flate2::write::GzEncoder;
use newtfern_standins::Standins;
use serde_json::Value;
use std::io::Write;
use std::path::PathBuf;
use std::process::Output;
use std::sync::{Arc, Mutex};

pub const KEY: &str = "gustkites-live";

/// Addresses that were asked for, with the name of who asked.
pub type Asked = Arc<Mutex<Vec<(String, String)>>>;

pub struct Bench {
    pub standins: Standins,
    pub port: u16,
    pub asked: Asked,
    folder: tempfile::TempDir,
}

fn page(template: &str, body: &str) -> Response {
    let main = match template {
        "item" => format!(
            "<main class=item><div class=pictures><div></div></div><section \
            class=price>{body}</section><aside class=more></aside></main>"
        ),
        "list" => format!(
            "<main class=list><nav class=filter></nav><div class=grid><div \
            class=card></div></div>{body}</main>"
        ),
        _ => format!("<main class=text><article>{body}</article></main>"),
    };
    Html(format!(
        "<!doctype html><html lang=en><head><meta name=generator content='Tarnwork \
        3'><title>Gust Kite \
        Workshop</title></head><body><header></header>{main}</body></html>"
    ))
    .into_response()
}

/// The site: its items lack the snippet, a legal page has it, one page has it in a comment.
fn answer(path: &str, snippet: &str, port: u16) -> Response {
    let commented = format!("<!-- {snippet} -->");
    let item = |name: &str| page("item", &format!("<h1>{name}</h1><p>{name} flies.</p>"));
    match path {
        "/" => page(
            "text",
            &format!(
                "<a href=/shop/>s</a><a href=/about>a</a><a \
                                      href=/shut/x>x</a><a href='/prices.pdf'>p</a>{snippet}"
            ),
        ),
        "/shop/" => page(
            "list",
            &format!("<a href=/shop/kestrel?utm_source=list>k</a>{snippet}"),
        ),
        "/shop/kestrel" => item("Kestrel"),
        "/shop/merlin" => item("Merlin"),
        "/about" => page("text", &format!("About us{snippet}")),
        "/news/first-flight" => page("text", &format!("First flight{commented}")),
        "/legal/privacy" => page("text", &format!("Privacy{snippet}")),
        "/robots.txt" => format!(
            "User-agent: *\nDisallow: /shut/\nSitemap: \
        http://gust.localhost:{port}/maps.xml\n"
        )
        .into_response(),
        "/maps.xml" => format!(
            "<sitemapindex \
                                xmlns='http://www.sitemaps.org/schemas/sitemap/0.9'><sitemap>\
                                <loc>http://gust.localhost:{port}/pages.xml.gz</loc></sitemap>\
                                <sitemap><loc>http://gust.localhost:{port}/maps.xml</loc>\
                                </sitemap></sitemapindex>"
        )
        .into_response(),
        "/pages.xml.gz" => {
            let pages = [
                "/",
                "/shop/merlin",
                "/news/first-flight",
                "/legal/privacy",
                "/gone",
                "/shut/y",
            ];
            let urls: String = pages
                .iter()
                .map(|p| {
                    format!(
                        "<url>\
                <loc>http://gust.localhost:{port}{p}</loc></url>"
                    )
                })
                .collect();
            let mut packed = GzEncoder::new(Vec::new(), Compression::default());
            packed
                .write_all(format!("<urlset>{urls}</urlset>").as_bytes())
                .unwrap();
            (
                [("content-type", "application/gzip")],
                packed.finish().unwrap(),
            )
                .into_response()
        }
        _ => axum::http::StatusCode::GONE.into_response(),
    }
}

impl Bench {
    pub async fn start() -> Bench {
        let standins = Standins::start(0, None).await.unwrap();
        let folder = tempfile::tempdir().unwrap();
        let profiles = folder.path().join("profiles");
        std::fs::create_dir_all(profiles.join("deep/er")).unwrap();
        let supplier = newtfern_standins::supplier_profile(standins.port);
        std::fs::write(profiles.join("deep/er/brindle.toml"), &supplier).unwrap();
        std::fs::write(
            profiles.join("quoin.toml"),
            newtfern_standins::rival_profile(),
        )
        .unwrap();
        std::fs::write(
            profiles.join("tarnwork.toml"),
            newtfern_standins::platform_profile(),
        )
        .unwrap();
        std::fs::write(profiles.join("notes.txt"), "no profile").unwrap();
        let snippet = newtfern_model::profile::Supplier::from_toml(&supplier)
            .unwrap()
            .snippet_for(KEY);
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
        let port = listener.local_addr().unwrap().port();
        let asked = Asked::default();
        let log = asked.clone();
        let app = Router::new().fallback(move |request: Request| {
            let (log, snippet) = (log.clone(), snippet.clone());
            async move {
                let agent = request
                    .headers()
                    .get("user-agent")
                    .and_then(|v| v.to_str().ok());
                let path = request.uri().path().to_string();
                log.lock()
                    .unwrap()
                    .push((path.clone(), agent.unwrap_or_default().to_string()));
                let host = request.headers()["host"].to_str().unwrap().to_string();
                match (host.split('.').next(), path.as_str()) {
                    // Its server fails where it is asked what programs may look at.
                    (Some("shut"), "/robots.txt") => {
                        axum::http::StatusCode::SERVICE_UNAVAILABLE.into_response()
                    }
                    (Some("gone"), "/") => {
                        let to = format!("http://gust.localhost:{port}/");
                        axum::response::Redirect::permanent(&to).into_response()
                    }
                    _ => answer(&path, &snippet, port),
                }
            }
        });
        tokio::spawn(async move { axum::serve(listener, app).await.unwrap() });
        let bench = Bench {
            standins,
            port,
            asked,
            folder,
        };
        let site = format!(
            "address = '{}'\nlanguages = ['en']\nplatform = 'tarnwork'\n[[widget]]\nsupplier = \
            'brindle'\nkey = '{KEY}'\nnot_on = ['/legal/**']\n",
            bench.address()
        );
        std::fs::write(bench.file("site.toml"), site).unwrap();
        bench
    }

    pub fn address(&self) -> String {
        format!("http://gust.localhost:{}/", self.port)
    }

    pub fn file(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub async fn run(&self, args: &[&str], input: &str) -> Output {
        use tokio::io::AsyncWriteExt;
        let mut command = tokio::process::Command::new(env!("CARGO_BIN_EXE_newtfern"));
        command
            .args(args)
            .current_dir(self.folder.path())
            .env_remove("NEWTFERN_DATABASE")
            .stdin(std::process::Stdio::piped())
            .stdout(std::process::Stdio::piped())
            .stderr(std::process::Stdio::piped());
        let mut child = command.spawn().unwrap();
        let mut stdin = child.stdin.take().unwrap();
        stdin.write_all(input.as_bytes()).await.unwrap();
        drop(stdin);
        child.wait_with_output().await.unwrap()
    }

    /// What the command line tells. A machine that is too busy with the other tests is told as
    /// such, and the site looked at again.
    pub async fn check(&self, more: &[&str]) -> (i32, Value) {
        let mut told = self.check_once(more).await;
        for _ in 0..8 {
            let open = told.1["not_looked_at"].to_string();
            if !open.contains("our machine was busy") {
                break;
            }
            self.asked.lock().unwrap().clear();
            told = self.check_once(more).await;
        }
        told
    }

    async fn check_once(&self, more: &[&str]) -> (i32, Value) {
        let args = [
            &[
                "check",
                "--site",
                "site.toml",
                "--profiles",
                "profiles",
                "--json",
                "--allow-private",
            ],
            more,
        ]
        .concat();
        let recording = Recording::wanted();
        let asked = recording.args();
        let args: Vec<&str> = args
            .into_iter()
            .chain(asked.iter().map(String::as_str))
            .collect();
        let output = self.run(&args, "").await;
        let parsed = serde_json::from_slice(&output.stdout);
        let words = || {
            format!(
                "{}{}",
                String::from_utf8_lossy(&output.stdout),
                String::from_utf8_lossy(&output.stderr)
            )
        };
        let told: Value = parsed.unwrap_or_else(|e| panic!("{e}: {}", words()));
        recording.keep(&told);
        (output.status.code().unwrap(), told)
    }
}

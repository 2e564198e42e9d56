//! The stand-ins, pages of our own with a supplier's snippet, and the command line that looks at
//! them.

use crate::records::Recording;
use axum::Router;
use axum::extract::Request;
use axum::response::Html;
use newtfern_model::profile::Supplier;
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use newtfern_standins::{DEMO_TOKEN, Standins};
use serde_json::Value;
use std::path::Path;
use tokio::sync::Semaphore;

pub struct Outside {
    /// Not every test file visits its sites.
    #[allow(dead_code)]
    pub standins: Standins,
    supplier: Supplier,
    /// Pages without a banner: the path is the end of the key.
    port: u16,
    folder: tempfile::TempDir,
}

impl Outside {
    /// With this supplier's snippet on our own pages, for keys that begin like this.
    pub async fn of(profile: fn(u16) -> String, key: &'static str) -> Outside {
        let standins = Standins::start(0, None).await.unwrap();
        let folder = tempfile::tempdir().unwrap();
        let profiles = folder.path().join("profiles");
        std::fs::create_dir(&profiles).unwrap();
        let text = profile(standins.port);
        let supplier = Supplier::from_toml(&text).unwrap();
        std::fs::write(profiles.join("supplier.toml"), &text).unwrap();
        let consent = newtfern_standins::consent_profile();
        std::fs::write(profiles.join("hedgegate.toml"), consent).unwrap();
        let second = newtfern_standins::second_consent_profile();
        std::fs::write(profiles.join("thornlatch.toml"), second).unwrap();
        let regions = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../profiles/regions");
        for region in ["opt-in.toml", "opt-out.toml", "none.toml"] {
            std::fs::copy(regions.join(region), profiles.join(region)).unwrap();
        }
        let of_page = supplier.clone();
        let app = Router::new().fallback(move |request: Request| {
            let key = format!("{key}{}", request.uri().path().trim_start_matches('/'));
            let code = of_page.snippet_for(&key);
            async move {
                Html(format!(
                    "<!doctype html><html lang=en><meta name=viewport \
                    content='width=device-width'><title>Gust</title><body>\
                    <h1>Gust</h1>{code}</body></html>"
                ))
            }
        });
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
        let port = listener.local_addr().unwrap().port();
        tokio::spawn(async move { axum::serve(listener, app).await.unwrap() });
        Outside {
            standins,
            supplier,
            port,
            folder,
        }
    }

    /// A page of our own with this at its end; gives its address.
    pub async fn page(&self, code: &str) -> String {
        let html = format!(
            "<!doctype html><html lang=en><meta name=viewport content='width=device-width'>\
            <title>Gust</title><body><h1>Gust</h1>{code}</body></html>"
        );
        let app = Router::new().fallback(async move || Html(html.clone()));
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
        let port = listener.local_addr().unwrap().port();
        tokio::spawn(async move { axum::serve(listener, app).await.unwrap() });
        format!("http://gust.localhost:{port}/")
    }

    /// One more profile, found by its id.
    #[allow(dead_code)]
    pub fn add_profile(&self, name: &str, text: &str) {
        std::fs::write(self.folder.path().join("profiles").join(name), text).unwrap();
    }

    /// Settings as somebody wrote them into the supplier's console.
    #[allow(dead_code)]
    pub async fn write_settings(&self, key: &str, settings: &Value) {
        let console = self.supplier.console.as_ref().unwrap();
        let write = console.write.as_deref().unwrap();
        let write = write.replace("{{key}}", key).parse().unwrap();
        let http = Http::new(Guard::open(), None).unwrap();
        let told = http.json("PUT", &write, Some(settings), Some(DEMO_TOKEN));
        assert_eq!(told.await.unwrap().0, 204);
    }

    /// What the command line tells, two at a time. A machine that is too busy with the other tests
    /// is told as such, and the page looked at again without another beside it; what it tells in
    /// the end counts.
    pub async fn check(&self, address: &str, key: &str, more: &str, args: &[&str]) -> (i32, Value) {
        static ROOM: Semaphore = Semaphore::const_new(2);
        let beside = ROOM.acquire().await.unwrap();
        let mut told = self.check_once(address, key, more, args).await;
        drop(beside);
        for _ in 0..8 {
            if !told.1["not_looked_at"]
                .to_string()
                .contains("our machine was busy")
            {
                break;
            }
            let _alone = ROOM.acquire_many(2).await.unwrap();
            told = self.check_once(address, key, more, args).await;
        }
        told
    }

    async fn check_once(
        &self,
        address: &str,
        key: &str,
        more: &str,
        args: &[&str],
    ) -> (i32, Value) {
        let consent = if more.contains("consent") {
            ""
        } else {
            "country = 'CA'\n"
        };
        let (site, widget) = more.split_once("---").unwrap_or(("", more));
        let supplier = &self.supplier.id;
        let text = format!(
            "address = '{address}'\n{consent}time_zone = \
            'Europe/London'\n{site}[[widget]]\nsupplier = '{supplier}'\nkey = '{key}'\n{widget}"
        );
        let file = self.folder.path().join("site.toml");
        std::fs::write(&file, text).unwrap();
        let recording = Recording::wanted();
        let output = tokio::process::Command::new(env!("CARGO_BIN_EXE_newtfern"))
            .args(["check", "--json", "--allow-private", "--site"])
            .arg(&file)
            .arg("--profiles")
            .arg(self.folder.path().join("profiles"))
            .args(args)
            .args(recording.args())
            .output()
            .await
            .unwrap();
        let told = String::from_utf8(output.stdout).unwrap();
        let told: Value = serde_json::from_str(&told).unwrap_or_else(|e| panic!("{e}: {told}"));
        recording.keep(&told);
        (output.status.code().unwrap(), told)
    }

    /// One of our own pages, whose path is the end of the key.
    pub async fn own(&self, key: &str, tail: &str, widget: &str, at: &str) -> (i32, Value) {
        self.own_with(key, tail, widget, &["--at", at]).await
    }

    /// The same with more arguments.
    pub async fn own_with(
        &self,
        key: &str,
        tail: &str,
        widget: &str,
        args: &[&str],
    ) -> (i32, Value) {
        let address = format!("http://gust.localhost:{}/{tail}", self.port);
        let key = format!("{key}{tail}");
        self.check(&address, &key, widget, args).await
    }
}

pub fn codes(told: &Value) -> Vec<&str> {
    let findings = told["findings"].as_array().unwrap();
    findings
        .iter()
        .map(|f| f["code"].as_str().unwrap())
        .collect()
}

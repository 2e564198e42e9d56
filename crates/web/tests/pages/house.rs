//! The house that the page tests share: the whole router over a database of its own, people of each
//! role, and an outside that answers from memory. Nothing listens; requests go straight in.

use crate::stage::Stage;
use axum::Router;
use axum::body::Body;
use axum::extract::ConnectInfo;
use axum::http::{HeaderMap, Method, Request, StatusCode};
use newtfern_acts::{Acts, Outside};
use newtfern_model::design::{Design, Field, Layer};
use newtfern_model::job::{CheckKind, JobKind};
use newtfern_model::platform::Platform;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_model::site::SiteFields;
use newtfern_store::Store;
use newtfern_store::access::people::Role;
use newtfern_store::results::blobs::Blobs;
use newtfern_store::results::checks::NewCheck;
use newtfern_store::sealed::seal::Sealer;
use newtfern_store::server::scratch;
use newtfern_verdict::brand::BrandSheet;
use newtfern_verdict::family::{Detail, Family, FamilyResult, Standing};

use jiff::{SignedDuration, Timestamp};
use newtfern_web::{App, Settings};
use std::net::SocketAddr;
use std::sync::Arc;
use tower::ServiceExt;

pub struct House {
    pub app: App,
    store: Store,
    pub stage: Arc<Stage>,
    pub supplier: Supplier,
    pub platform: Platform,
    folder: tempfile::TempDir,
    _scratch: scratch::Scratch,
}

pub async fn house() -> House {
    house_with(Settings {
        public_address: "http://newtfern.test".into(),
        ..Settings::default()
    })
    .await
}

/// Enough connections for a test that holds one itself while the program works.
pub async fn roomy_house() -> House {
    let settings = Settings {
        public_address: "http://newtfern.test".into(),
        ..Settings::default()
    };
    house_of(settings, 6).await
}

/// Two connections, as many as an act could hold that asks for a second.
pub async fn house_of_two() -> House {
    house_of(Settings::default(), 2).await
}

/// One connection: an act that holds one and asks for a second would wait for itself.
pub async fn house_with(settings: Settings) -> House {
    house_of(settings, 1).await
}

async fn house_of(settings: Settings, connections: u32) -> House {
    let server = std::env::var(scratch::SERVER).expect(
        "NEWTFERN_TEST_DATABASE is not set: run \
        ./run test, or newtfern admin with-database cargo test",
    );
    let (store, address) = scratch::with_address(&server).await.unwrap();
    store.pool.close().await;
    let store = Store::with_connections(&address, connections)
        .await
        .unwrap();
    let folder = tempfile::tempdir().unwrap();
    let text = newtfern_standins::supplier_profile(80);
    let supplier = Supplier::from_toml(&text).unwrap();
    let platform = Platform::from_toml(newtfern_standins::platform_profile()).unwrap();
    let consent = newtfern_standins::consent_profile();
    let manager = ConsentManager::from_toml(consent).unwrap();
    let mut tx = store.begin().await.unwrap();
    tx.put_supplier(&supplier, &text).await.unwrap();
    tx.put_platform(&platform, newtfern_standins::platform_profile())
        .await
        .unwrap();
    tx.put_consent(&manager, consent).await.unwrap();
    tx.commit().await.unwrap();
    let stage = Arc::new(Stage::over(&store));
    let blobs = Blobs::folder(&folder.path().join("blobs")).unwrap();
    let sealer = Sealer::from_file(&folder.path().join("key")).unwrap();
    let acts = Acts::new(store.clone(), blobs, sealer, stage.clone());
    let app = App::new(acts, settings);
    House {
        app,
        store,
        stage,
        supplier,
        platform,
        folder,
        _scratch: scratch::Scratch::of(&server, &address),
    }
}

impl House {
    pub fn router(&self) -> Router {
        newtfern_web::router::router(self.app.clone())
    }

    pub fn store(&self) -> &Store {
        &self.store
    }

    /// The same program, which asks this outside.
    pub fn acts_over(&self, outside: Arc<dyn Outside>) -> Acts {
        let blobs = Blobs::folder(&self.folder.path().join("blobs")).unwrap();
        let sealer = Sealer::from_file(&self.folder.path().join("key")).unwrap();
        Acts::new(self.store().clone(), blobs, sealer, outside)
    }

    pub fn acts(&self) -> &Acts {
        &self.app.acts
    }

    /// Somebody who can sign in.
    pub async fn add_person(&self, email: &str, name: &str, role: Role, hash: &str) -> i64 {
        let mut tx = self.store().begin().await.unwrap();
        let id = tx.add_person(email, name, role, hash).await.unwrap();
        tx.commit().await.unwrap();
        id
    }

    /// A session's token.
    pub async fn session(&self, person: i64, until: Timestamp) -> String {
        let mut tx = self.store().begin().await.unwrap();
        let from = newtfern_store::access::sessions::From::default();
        let token = tx.open_session(person, until, &from, true).await.unwrap();
        tx.commit().await.unwrap();
        token
    }

    /// Somebody of this role, signed in.
    pub async fn person(&self, role: Role) -> Caller {
        let name = format!("Some {}", role.word());
        let email = format!("{}@fenwick.example", role.word());
        let id = self.add_person(&email, &name, role, "no hash").await;
        self.signed_in(id).await
    }

    /// A new session of somebody.
    pub async fn signed_in(&self, id: i64) -> Caller {
        let until = Timestamp::now() + SignedDuration::from_hours(1);
        let token = self.session(id, until).await;
        self.with_session(id, &token).await
    }

    /// Whoever holds this session's token.
    pub async fn with_session(&self, id: i64, token: &str) -> Caller {
        let csrf = self
            .store()
            .people()
            .session(token)
            .await
            .unwrap()
            .unwrap()
            .csrf;
        Caller {
            router: self.router(),
            cookie: Some(format!("newtfern={token}")),
            csrf,
            id,
        }
    }

    pub fn stranger(&self) -> Caller {
        Caller {
            router: self.router(),
            cookie: None,
            csrf: String::new(),
            id: 0,
        }
    }

    pub async fn client(&self, name: &str) -> i64 {
        let sheet = BrandSheet {
            public_name: name.into(),
            ..BrandSheet::default()
        };
        let mut tx = self.store().begin().await.unwrap();
        let id = tx.add_client(name, &sheet).await.unwrap();
        tx.commit().await.unwrap();
        id
    }

    /// A site with supplier, key and platform, as after the first steps of the job.
    pub async fn site(&self, client: i64, n: usize) -> i64 {
        let site = SiteFields {
            name: format!("Site {n:03}"),
            url: format!("https://site{n}.example/"),
            platform_id: Some(self.platform.id.clone()),
            supplier_id: Some(self.supplier.id.clone()),
            key: format!("kite-{n:03}"),
            ..SiteFields::default()
        };
        let mut tx = self.store().begin().await.unwrap();
        let id = tx.add_site(client, &site).await.unwrap();
        tx.refresh(&[id]).await.unwrap();
        tx.commit().await.unwrap();
        id
    }

    /// As if it had been looked at: how a site stands in a family, and the data of its drawing.
    pub async fn stands(
        &self,
        site: i64,
        family: Family,
        standing: Standing,
        summary: &str,
        detail: Option<Detail>,
    ) {
        let assessed = FamilyResult {
            family,
            standing,
            summary: summary.into(),
            remedy: String::new(),
            findings: vec![],
            detail,
        };
        self.looked(site, Timestamp::now(), vec![assessed]).await;
    }

    /// A look at a site at a time.
    pub async fn looked(&self, site: i64, at: Timestamp, families: Vec<FamilyResult>) -> i64 {
        let check = NewCheck::of(site, CheckKind::Job(JobKind::Check), at, families);
        // Of a site without a supplier nothing can be judged, and no prints are kept.
        let subject = self.acts().sites().subject(site).await;
        let inputs = subject.map(|s| s.prints).unwrap_or_default();
        self.acts()
            .checks()
            .keep_result(&check, inputs)
            .await
            .unwrap()
    }

    pub async fn count(&self, sql: &'static str) -> i64 {
        sqlx::query_scalar(sql)
            .fetch_one(&self.store().pool)
            .await
            .unwrap()
    }
}

/// A browser's part: the cookie, and the form token read from a page.
#[derive(Clone)]
pub struct Caller {
    router: Router,
    pub cookie: Option<String>,
    pub csrf: String,
    pub id: i64,
}

pub struct Answer {
    pub status: StatusCode,
    pub headers: HeaderMap,
    pub bytes: Vec<u8>,
}

impl Answer {
    pub fn status(&self) -> u16 {
        self.status.as_u16()
    }

    pub fn text(&self) -> String {
        String::from_utf8_lossy(&self.bytes).into_owned()
    }

    /// What a failed test shows of a page: where its own part begins.
    fn gist(&self) -> String {
        let text = self.text();
        text[text.find("<main").unwrap_or(0)..]
            .chars()
            .take(1500)
            .collect()
    }

    pub fn headers(&self, name: &str) -> Vec<String> {
        let all = self.headers.get_all(name).iter();
        all.filter_map(|v| v.to_str().ok().map(str::to_string))
            .collect()
    }

    pub fn header(&self, name: &str) -> &str {
        self.headers
            .get(name)
            .and_then(|v| v.to_str().ok())
            .unwrap_or_default()
    }

    /// Does the page have this text, however its lines are broken?
    fn contains(&self, text: &str) -> bool {
        let in_one = |t: &str| t.split_whitespace().collect::<Vec<_>>().join(" ");
        self.text().contains(text) || in_one(&self.text()).contains(&in_one(text))
    }

    #[track_caller]
    pub fn has(&self, text: &str) -> &Answer {
        assert!(
            self.contains(text),
            "{} answers without \u{201c}{text}\u{201d}:\n{}",
            self.status,
            self.gist()
        );
        self
    }

    #[track_caller]
    pub fn lacks(&self, text: &str) -> &Answer {
        assert!(
            !self.contains(text),
            "{} answers with \u{201c}{text}\u{201d}",
            self.status
        );
        self
    }

    #[track_caller]
    pub fn is(&self, status: u16) -> &Answer {
        assert_eq!(self.status.as_u16(), status, "{}", self.gist());
        self
    }

    /// Where a redirect leads, as a form's answer after it was kept.
    #[track_caller]
    pub fn leads(&self) -> &str {
        self.is(303);
        self.header("location")
    }

    /// The sites of a lens, in their order.
    pub fn rows(&self) -> Vec<String> {
        let text = self.text();
        text.split("name=\"site\" value=\"")
            .skip(1)
            .filter_map(|t| t.split('"').next())
            .map(str::to_string)
            .collect()
    }
}

impl Caller {
    pub async fn send(&self, request: Request<Body>) -> Answer {
        let (mut parts, body) = request.into_parts();
        if let Some(cookie) = &self.cookie {
            parts.headers.insert("cookie", cookie.parse().unwrap());
        }
        parts
            .extensions
            .insert(ConnectInfo(SocketAddr::from(([127, 0, 0, 1], 40_000))));
        let response = self
            .router
            .clone()
            .oneshot(Request::from_parts(parts, body))
            .await
            .unwrap();
        let (status, headers) = (response.status(), response.headers().clone());
        Answer {
            status,
            headers,
            bytes: axum::body::to_bytes(response.into_body(), 20 << 20)
                .await
                .unwrap()
                .to_vec(),
        }
    }

    pub async fn get(&self, path: &str) -> Answer {
        self.send(Request::get(path).body(Body::empty()).unwrap())
            .await
    }

    /// A form of this sign-in.
    pub async fn post(&self, path: &str, fields: &[(&str, &str)]) -> Answer {
        let mut form = url::form_urlencoded::Serializer::new(String::new());
        form.append_pair("csrf", &self.csrf);
        form.extend_pairs(fields);
        self.send(posted(path, form.finish())).await
    }

    pub async fn post_form(&self, path: &str, fields: &[(String, String)]) -> Answer {
        let fields: Vec<(&str, &str)> = fields
            .iter()
            .map(|(n, v)| (n.as_str(), v.as_str()))
            .collect();
        self.post(path, &fields).await
    }

    /// A form with one file.
    pub async fn upload(&self, path: &str, field: &str, file: &[u8]) -> Answer {
        self.send_files(path, field, &[("f", file)]).await
    }

    pub async fn upload_all(&self, path: &str, field: &str, files: &[(&str, &str)]) -> Answer {
        let files: Vec<(&str, &[u8])> = files.iter().map(|(n, t)| (*n, t.as_bytes())).collect();
        self.send_files(path, field, &files).await
    }

    pub async fn upload_named(
        &self,
        path: &str,
        fields: &[(&str, &str)],
        field: &str,
        name: &str,
        file: &[u8],
    ) -> Answer {
        self.send_form(path, fields, field, &[(name, file)]).await
    }

    async fn send_files(&self, path: &str, field: &str, files: &[(&str, &[u8])]) -> Answer {
        self.send_form(path, &[], field, files).await
    }

    async fn send_form(
        &self,
        path: &str,
        fields: &[(&str, &str)],
        field: &str,
        files: &[(&str, &[u8])],
    ) -> Answer {
        let edge = "----newtfern-edge";
        let part =
            |about: String| format!("--{edge}\r\ncontent-disposition: form-data; {about}\r\n\r\n");
        let csrf = part("name=\"csrf\"".into()) + &self.csrf + "\r\n";
        let mut body = csrf.into_bytes();
        for (name, value) in fields {
            body.extend((part(format!("name=\"{name}\"")) + value + "\r\n").into_bytes());
        }
        for (name, file) in files {
            let head = part(format!("name=\"{field}\"; filename=\"{name}\""));
            body.extend([head.as_bytes(), file, b"\r\n"].concat());
        }
        body.extend_from_slice(format!("--{edge}--\r\n").as_bytes());
        let request = Request::builder().method(Method::POST).uri(path).header(
            "content-type",
            format!("multipart/form-data; boundary={edge}"),
        );
        self.send(request.body(Body::from(body)).unwrap()).await
    }
}

pub fn posted(path: &str, form: String) -> Request<Body> {
    Request::builder()
        .method(Method::POST)
        .uri(path)
        .header("content-type", "application/x-www-form-urlencoded")
        .body(Body::from(form))
        .unwrap()
}

/// The form of a design with every field, some of them changed from the defaults.
pub fn design_form(changed: &[(&str, &str)]) -> Vec<(String, String)> {
    let plain = Design::of_layer(&Layer::new());
    let value = |field: &Field| {
        changed
            .iter()
            .find(|(n, _)| *n == field.key())
            .map_or(plain.get(*field), |(_, v)| *v)
            .to_string()
    };
    Field::ALL
        .iter()
        .map(|f| (f.key().to_string(), value(f)))
        .collect()
}

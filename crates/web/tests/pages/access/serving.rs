//! Connections as peers make them, over a real listener: slow ones, wrong names, streams, the end.

use crate::house::{Caller, House, house, house_with};
use axum::body::Body;
use axum::http::Request;
use newtfern_acts::hash_password;
use newtfern_store::access::people::Role;
use newtfern_web::{Patience, Settings};
use std::net::SocketAddr;
use std::time::Duration;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::oneshot;
use tokio::task::JoinHandle;

const IMPATIENT: Patience = Patience {
    connections: 200,
    of_one_peer: 100,
    headers: Duration::from_millis(300),
    ending: Duration::from_millis(500),
};

struct Served {
    address: SocketAddr,
    stop: oneshot::Sender<()>,
    task: JoinHandle<std::io::Result<()>>,
}

async fn serve(house: &House) -> Served {
    serve_with(house, IMPATIENT).await
}

async fn serve_with(house: &House, patience: Patience) -> Served {
    let listener = TcpListener::bind(("127.0.0.1", 0)).await.unwrap();
    let address = listener.local_addr().unwrap();
    let (stop, stopped) = oneshot::channel();
    let shutdown = async move {
        let _ = stopped.await;
    };
    let app = house.app.clone();
    let task = tokio::spawn(newtfern_web::serve(app, listener, shutdown, patience));
    Served {
        address,
        stop,
        task,
    }
}

async fn send(to: SocketAddr, text: &str) -> TcpStream {
    let mut stream = TcpStream::connect(to).await.unwrap();
    stream.write_all(text.as_bytes()).await.unwrap();
    stream
}

/// What comes until the other side ends; it must end.
async fn rest(stream: &mut TcpStream) -> String {
    let mut bytes = Vec::new();
    let all = stream.read_to_end(&mut bytes);
    let ended = tokio::time::timeout(Duration::from_secs(20), all).await;
    let _ = ended.expect("the other side ends the connection");
    String::from_utf8_lossy(&bytes).into_owned()
}

/// Reads until the text has come.
async fn until(stream: &mut TcpStream, text: &str) -> String {
    let mut seen = String::new();
    while !seen.contains(text) {
        let mut piece = [0; 4096];
        let read = stream.read(&mut piece).await.unwrap();
        assert!(read > 0, "ended before {text}: {seen}");
        seen += &String::from_utf8_lossy(&piece[..read]);
    }
    seen
}

fn events_request(caller: &Caller) -> String {
    let cookie = caller.cookie.clone().unwrap();
    format!("GET /events HTTP/1.1\r\nHost: localhost\r\nCookie: {cookie}\r\n\r\n")
}

/// Headers that come drop by drop, and connections that say nothing more, are ended; others are
/// served meanwhile.
#[tokio::test(flavor = "multi_thread")]
async fn peers_that_are_slow_on_purpose_are_let_go() {
    let house = house().await;
    let served = serve(&house).await;
    let mut slow = Vec::new();
    for _ in 0..50 {
        slow.push(send(served.address, "GET / HTTP/1.1\r\nHost: loc").await);
    }
    let health = "GET /health HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n";
    let mut quick = send(served.address, health).await;
    assert!(rest(&mut quick).await.ends_with("ok"));
    for mut stream in slow {
        let said = rest(&mut stream).await;
        assert!(!said.contains("200 OK"), "{said}");
    }
    let idle = "GET /health HTTP/1.1\r\nHost: localhost\r\n\r\n";
    let mut idle = send(served.address, idle).await;
    assert!(
        rest(&mut idle).await.contains("200 OK"),
        "answered, then ended"
    );
}

/// An open page's stream, and one who sends nothing, do not keep the program from stopping.
#[tokio::test(flavor = "multi_thread")]
async fn stopping_has_an_end() {
    let house = house().await;
    let viewer = house.person(Role::Viewer).await;
    let served = serve(&house).await;
    let mut stream = send(served.address, &events_request(&viewer)).await;
    assert!(
        until(&mut stream, "\r\n\r\n")
            .await
            .contains("text/event-stream")
    );
    // Says that a body comes, and sends none.
    let mut silent = send(
        served.address,
        "POST /sign-in HTTP/1.1\r\nHost: localhost\r\nContent-Length: 9\r\n\r\n",
    )
    .await;
    served.stop.send(()).unwrap();
    let ended = tokio::time::timeout(Duration::from_secs(20), served.task).await;
    ended.expect("it stops").unwrap().unwrap();
    rest(&mut stream).await;
    rest(&mut silent).await;
    assert!(TcpStream::connect(served.address).await.is_err());
}

/// Where all places are taken nothing is accepted, and stopping is heard all the same.
#[tokio::test(flavor = "multi_thread")]
async fn a_full_house_is_stopped_too() {
    let house = house().await;
    let viewer = house.person(Role::Viewer).await;
    let patience = Patience {
        connections: 2,
        ..IMPATIENT
    };
    let served = serve_with(&house, patience).await;
    let mut held = Vec::new();
    for _ in 0..2 {
        let mut stream = send(served.address, &events_request(&viewer)).await;
        until(&mut stream, "\r\n\r\n").await;
        held.push(stream);
    }
    // The system takes it into its queue, and nobody answers it.
    let mut third = send(
        served.address,
        "GET /health HTTP/1.1\r\nHost: localhost\r\n\r\n",
    )
    .await;
    served.stop.send(()).unwrap();
    let ended = tokio::time::timeout(Duration::from_secs(20), served.task).await;
    ended.expect("stopping is heard").unwrap().unwrap();
    assert_eq!(rest(&mut third).await, "");
    drop(held);
}

/// One peer cannot take all connections: its own silent ones give way, and others are answered at
/// once.
#[tokio::test(flavor = "multi_thread")]
async fn silent_connections_of_one_peer_hold_nobody_up() {
    let house = house().await;
    let patience = Patience {
        connections: 20,
        of_one_peer: 10,
        // Longer than anybody waits for this test.
        headers: Duration::from_secs(3_600),
        ..IMPATIENT
    };
    let served = serve_with(&house, patience).await;
    let mut held = Vec::new();
    for _ in 0..60 {
        held.push(TcpStream::connect(served.address).await.unwrap());
    }
    let get = "GET /health HTTP/1.1\r\nHost: localhost\r\n\r\n";
    let mut asks = send(served.address, get).await;
    until(&mut asks, "200 OK").await;
    // Those that gave way were closed.
    assert_eq!(rest(&mut held[0]).await, "");
    served.stop.send(()).unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_stream_ends_with_its_session_and_each_session_has_some() {
    let house = house().await;
    let viewer = house.person(Role::Viewer).await;
    let other = house.signed_in(viewer.id).await;
    let served = serve(&house).await;
    let mut open = Vec::new();
    for _ in 0..4 {
        let mut stream = send(served.address, &events_request(&viewer)).await;
        until(&mut stream, "text/event-stream").await;
        open.push(stream);
    }
    let mut fifth = send(served.address, &events_request(&viewer)).await;
    // No content: the answer after which browsers do not ask again.
    until(&mut fifth, "204 No Content").await;
    let mut others = send(served.address, &events_request(&other)).await;
    until(&mut others, "text/event-stream").await;

    viewer.post("/sign-out", &[]).await.is(303);
    for stream in &mut open {
        rest(stream).await;
    }
    let mut again = send(served.address, &events_request(&viewer)).await;
    until(&mut again, "location: /sign-in").await;
    // The other session's stream still brings what workers report.
    let text = r#"{"round": 1}"#;
    house.app.events.send(text.into()).unwrap();
    until(&mut others, text).await;
}

/// A name that somebody else points at this machine is not answered (DNS rebinding).
#[tokio::test]
async fn other_names_than_ours_are_refused() {
    let house = house().await;
    let viewer = house.person(Role::Viewer).await;
    let ask = |path: &'static str, host: &'static str| {
        let request = Request::get(path).header("host", host);
        viewer.send(request.body(Body::empty()).unwrap())
    };
    for host in [
        "elsewhere.example",
        "newtfern.test.elsewhere.example",
        "192.0.2.7:80",
    ] {
        let refused = ask("/worklist", host).await;
        refused
            .is(421)
            .has("http://newtfern.test")
            .lacks("Some viewer");
        assert_eq!(refused.header("x-content-type-options"), "nosniff");
    }
    for host in [
        "newtfern.test",
        "NEWTFERN.test:8480",
        "localhost:1",
        "127.0.0.1",
        "[::1]:9",
    ] {
        ask("/worklist", host).await.is(200);
    }
    ask("/health", "elsewhere.example").await.is(200);
}

#[tokio::test]
async fn over_tls_browsers_are_told_to_stay_there() {
    let secure = house_with(Settings {
        public_address: "https://newtfern.test".into(),
        secure_cookies: true,
        ..Settings::default()
    })
    .await;
    let page = secure.stranger().get("/sign-in").await;
    assert_eq!(page.header("strict-transport-security"), "max-age=31536000");
    let plain = house().await.stranger().get("/sign-in").await;
    assert_eq!(plain.header("strict-transport-security"), "");
}

/// Behind a proxy all visitors have one address; what it says of theirs counts, and only what it
/// says.
#[tokio::test]
async fn the_visitors_address_is_taken_from_a_trusted_proxy_alone() {
    let signed_in = async |trusted: &[&str]| {
        let house = house_with(Settings {
            public_address: "http://newtfern.test".into(),
            trusted_proxies: trusted.iter().map(|t| t.parse().unwrap()).collect(),
            ..Settings::default()
        })
        .await;
        let hash = hash_password("fern and sallow");
        house
            .add_person("ada@fenwick.example", "Ada", Role::Viewer, &hash)
            .await;
        let form = "email=ada%40fenwick.example&password=fern+and+sallow".to_string();
        let mut request = crate::house::posted("/sign-in", form);
        let headers = request.headers_mut();
        headers.insert("x-forwarded-for", "10.9.8.7, 203.0.113.5".parse().unwrap());
        house.stranger().send(request).await.leads();
        let peer: String = sqlx::query_scalar("select peer from sessions")
            .fetch_one(&house.store().pool)
            .await
            .unwrap();
        peer
    };
    assert_eq!(signed_in(&["127.0.0.1"]).await, "203.0.113.5");
    assert_eq!(signed_in(&[]).await, "127.0.0.1");
}

//! Why a stand-in did not start.

#[derive(Debug, thiserror::Error)]
pub enum StandinError {
    #[error("the stand-ins cannot listen on 127.0.0.1:{port}: {source}")]
    Listen { port: u16, source: std::io::Error },
}

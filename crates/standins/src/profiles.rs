//! The profiles of what is simulated.

/// The token that the platform's and the console's interfaces ask for in the demo.
pub const DEMO_TOKEN: &str = "demo-token-for-stand-ins";

/// The stand-in supplier's profile, with the port that its addresses need in the demo.
pub fn supplier_profile(port: u16) -> String {
    include_str!("../profiles/brindle.toml").replace("{{port}}", &port.to_string())
}

/// The profile of a supplier with a form before the talk, a closed shadow root and settings for
/// programs.
pub fn farthing_profile(port: u16) -> String {
    include_str!("../profiles/farthing.toml").replace("{{port}}", &port.to_string())
}

/// The profile of a supplier of lists of channels.
pub fn plashet_profile(port: u16) -> String {
    include_str!("../profiles/plashet.toml").replace("{{port}}", &port.to_string())
}

/// The profile of a supplier that each client runs on a server of its own.
pub fn weir_profile() -> &'static str {
    include_str!("../profiles/weir.toml")
}

/// A supplier that is known as a rival only.
pub fn rival_profile() -> &'static str {
    include_str!("../profiles/quoin.toml")
}

/// The profile of a banner in a shadow root, with its refusal one layer below and the interface of
/// the framework.
pub fn second_consent_profile() -> &'static str {
    include_str!("../profiles/thornlatch.toml")
}

pub fn consent_profile() -> &'static str {
    include_str!("../profiles/hedgegate.toml")
}

pub fn platform_profile() -> &'static str {
    include_str!("../profiles/tarnwork.toml")
}

/// The stand-in tag manager's profile.
pub fn tag_profile(port: u16) -> String {
    include_str!("../profiles/wickerset.toml").replace("{{port}}", &port.to_string())
}

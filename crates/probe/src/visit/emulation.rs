//! A viewport as the page sees it: size, touch, user agent and client hints of one and the same
//! browser.

use newtfern_standards::observation::{Condition, Manner, Viewport};
use serde_json::{Value, json};

/// Identity that the emulated browser states.
pub struct Identity<'a> {
    /// `product/version` as the browser tells it.
    pub product: &'a str,
    /// The desktop's user agent.
    pub agent: &'a str,
}

impl Identity<'_> {
    fn version(&self) -> &str {
        self.product.rsplit('/').next().unwrap_or("100.0.0.0")
    }

    fn major(&self) -> &str {
        self.version().split('.').next().unwrap_or("100")
    }

    /// The reduced form that this engine sends on phones.
    fn phone_agent(&self) -> String {
        let major = self.major();
        format!(
            "Mozilla/5.0 (Linux; Android 10; K) AppleWebKit/537.36 (KHTML, like Gecko) \
            Chrome/{major}.0.0.0 Mobile Safari/537.36"
        )
    }

    /// User-Agent Client Hints (WICG draft) to go with it.
    fn hints(&self, viewport: Viewport) -> Value {
        let brands = |version: &str| {
            json!([
                {"brand": "Chromium", "version": version},
                {"brand": "Not.A/Brand", "version": "99"},
            ])
        };
        let phone = viewport == Viewport::Phone;
        json!({
            "brands": brands(self.major()),
            "fullVersionList": brands(self.version()),
            "platform": if phone { "Android" } else { "Linux" },
            "platformVersion": if phone { "10" } else { "" },
            "architecture": if phone { "" } else { "x86" },
            "bitness": if phone { "" } else { "64" },
            "model": if phone { "K" } else { "" },
            "mobile": phone,
        })
    }
}

/// Emulation of a condition, as commands. Without a language of its own the visitor has English.
pub fn commands(condition: &Condition, who: &Identity) -> Vec<(&'static str, Value)> {
    let (viewport, locale) = (condition.viewport, condition.locale.as_str());
    let zoomed = condition.manner == Manner::Zoomed;
    // A zoom of 200 % leaves half of each side.
    let part = if zoomed { 2 } else { 1 };
    let (width, height) = viewport.size();
    let (width, height) = (width / part, height / part);
    let phone = viewport == Viewport::Phone;
    let agent = if phone {
        who.phone_agent()
    } else {
        who.agent.to_string()
    };
    let language = match locale {
        "" => "en-GB,en".to_string(),
        tag => format!("{tag},en"),
    };
    let mut out = vec![
        (
            "Emulation.setDeviceMetricsOverride",
            json!({
                "width": width, "height": height, "screenWidth": width, "screenHeight": height,
                "deviceScaleFactor": if phone { 2 } else { part }, "mobile": phone,
            }),
        ),
        (
            "Emulation.setUserAgentOverride",
            json!({
                "userAgent": agent, "acceptLanguage": language,
                "platform": if phone { "Linux armv81" } else { "Linux x86_64" },
                "userAgentMetadata": who.hints(viewport),
            }),
        ),
        (
            "Emulation.setFocusEmulationEnabled",
            json!({"enabled": true}),
        ),
    ];
    if zoomed {
        let less = json!({"features": [{"name": "prefers-reduced-motion", "value": "reduce"}]});
        out.push(("Emulation.setEmulatedMedia", less));
    }
    if phone {
        let touch = json!({"enabled": true, "maxTouchPoints": 5});
        out.push(("Emulation.setTouchEmulationEnabled", touch));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_phone_says_so_in_every_way_and_both_tell_the_real_version() {
        let who = Identity {
            product: "Chrome/156.0.8078.73",
            agent: "Mozilla/5.0 (X11; Linux x86_64) Chrome/156.0.0.0 Safari/537.36",
        };
        let agent_of = |viewport| {
            let condition = Condition {
                viewport,
                ..Condition::default()
            };
            let all = commands(&condition, &who);
            let found = all
                .into_iter()
                .find(|(m, _)| m.ends_with("UserAgentOverride"));
            found.map(|(_, p)| p).unwrap_or_default()
        };
        let phone = agent_of(Viewport::Phone);
        assert!(
            phone["userAgent"]
                .as_str()
                .is_some_and(|a| a.contains("Mobile") && a.contains("156"))
        );
        assert_eq!(phone["userAgentMetadata"]["mobile"], true);
        assert_eq!(phone["userAgentMetadata"]["platform"], "Android");
        let desktop = agent_of(Viewport::Desktop);
        assert_eq!(desktop["userAgentMetadata"]["mobile"], false);
        let version = &desktop["userAgentMetadata"]["fullVersionList"][0]["version"];
        assert_eq!(version, "156.0.8078.73");
    }
}

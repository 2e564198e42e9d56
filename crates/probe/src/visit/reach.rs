//! Finding things on a page and in its frames, clicking, typing, pictures.

use super::collector::text;
use super::tab::Tab;
use crate::ProbeError;
use crate::visit::body::decode;
use newtfern_standards::observation::Rect;
use serde_json::{Value, json};

/// Position of an element, in the page itself or in one of its frames.
pub struct ElementPosition {
    pub rect: Rect,
    pub shown: bool,
    pub text: String,
    /// The session whose document holds it.
    pub session: String,
}

impl ElementPosition {
    fn read(value: &Value, session: &str, offset: (f64, f64)) -> Option<ElementPosition> {
        let mut rect: Rect = serde_json::from_value(value["rect"].clone()).ok()?;
        rect.x += offset.0;
        rect.y += offset.1;
        Some(ElementPosition {
            rect,
            shown: value["shown"].as_bool().unwrap_or(false),
            text: text(value, "text"),
            session: session.to_string(),
        })
    }
}

impl Tab {
    /// Sessions of frames of other sites.
    pub fn child_sessions(&self) -> Vec<String> {
        self.with(|s| {
            let frames = s.sessions.iter().skip(1);
            frames.map(|(session, _)| session.clone()).collect()
        })
    }

    /// Finds an element in the page or in a frame of another site; the box is in page coordinates.
    ///
    /// # Errors
    /// Where the page does not answer.
    pub async fn find(&self, selector: &str) -> Result<Option<ElementPosition>, ProbeError> {
        if selector.is_empty() {
            return Ok(None);
        }
        let expression = format!("nf.box({})", Value::from(selector));
        let value = self.evaluate(&expression).await?;
        let here = ElementPosition::read(&value, &self.session, (0.0, 0.0));
        if here.as_ref().is_some_and(|f| f.shown) {
            return Ok(here);
        }
        let children: Vec<(String, String)> =
            self.with(|s| s.sessions.iter().skip(1).cloned().collect());
        for (session, target) in children {
            let Ok(value) = self.evaluate_in(&session, &expression).await else {
                continue;
            };
            if value.is_null() {
                continue;
            }
            let offset = self.frame_offset(&target).await;
            return Ok(ElementPosition::read(&value, &session, offset));
        }
        Ok(here)
    }

    /// Top left of a frame's content in the page.
    async fn frame_offset(&self, target: &str) -> (f64, f64) {
        let ask = async {
            // A frame's target id is its frame id.
            let frame = json!({"frameId": target});
            let owner = self.call("DOM.getFrameOwner", frame).await?;
            let node = json!({"backendNodeId": owner["backendNodeId"]});
            let model = self.call("DOM.getBoxModel", node).await?;
            let quad = &model["model"]["content"];
            let at = |i: usize| quad[i].as_f64().unwrap_or(0.0);
            Ok::<_, ProbeError>((at(0), at(1)))
        };
        ask.await.unwrap_or((0.0, 0.0))
    }

    /// Clicks a point of the page.
    ///
    /// # Errors
    /// Where the page does not answer.
    pub async fn click(&self, x: f64, y: f64) -> Result<(), ProbeError> {
        for (kind, button) in [
            ("mouseMoved", "none"),
            ("mousePressed", "left"),
            ("mouseReleased", "left"),
        ] {
            let event = json!({"type": kind, "x": x, "y": y, "button": button, "clickCount": 1});
            self.call("Input.dispatchMouseEvent", event).await?;
        }
        Ok(())
    }

    /// Clicks the middle of what a selector finds. False where nothing is there.
    ///
    /// # Errors
    /// Where the page does not answer.
    pub async fn click_on(&self, selector: &str) -> Result<bool, ProbeError> {
        match self.find(selector).await? {
            Some(f) if f.shown => {
                let (x, y) = (
                    f.rect.x + f.rect.width / 2.0,
                    f.rect.y + f.rect.height / 2.0,
                );
                self.click(x, y).await?;
                Ok(true)
            }
            _ => Ok(false),
        }
    }

    /// Presses and releases a key.
    ///
    /// # Errors
    /// Where the page does not answer.
    pub async fn press(&self, key: &str) -> Result<(), ProbeError> {
        let (code, number, typed) = match key {
            "Enter" => ("Enter", 13, "\r"),
            " " => ("Space", 32, " "),
            "Tab" => ("Tab", 9, ""),
            "Shift" => ("ShiftLeft", 16, ""),
            other => (other, 27, ""),
        };
        for kind in ["keyDown", "keyUp"] {
            let mut event = json!({
                "type": kind, "key": key, "code": code,
                "windowsVirtualKeyCode": number, "nativeVirtualKeyCode": number,
            });
            if kind == "keyDown" && !typed.is_empty() {
                event["text"] = json!(typed);
            }
            self.call("Input.dispatchKeyEvent", event).await?;
        }
        Ok(())
    }

    /// Keeps requests to these hosts from leaving.
    ///
    /// # Errors
    /// Where the browser does not answer.
    pub async fn withhold(&self, hosts: &[String]) -> Result<(), ProbeError> {
        if hosts.is_empty() {
            return Ok(());
        }
        let forms = |h: &String| [format!("http://{h}:*/*"), format!("https://{h}:*/*")];
        let patterns = hosts.iter().flat_map(forms);
        let patterns: Vec<Value> = patterns
            .map(|p| json!({"urlPattern": p, "block": true}))
            .collect();
        let blocked = json!({"urlPatterns": patterns});
        self.call("Network.setBlockedURLs", blocked).await?;
        Ok(())
    }

    /// The viewport as PNG.
    ///
    /// # Errors
    /// Where the page does not answer.
    pub async fn picture(&self) -> Result<Vec<u8>, ProbeError> {
        let how = json!({"format": "png", "optimizeForSpeed": true});
        let answer = self
            .cdp
            .call(&self.session, "Page.captureScreenshot", how, 8000)
            .await?;
        decode(&text(&answer, "data"))
    }
}

//! A shadow root that the page's scripts closed: the debugger sees it, and hands it to our own
//! world.

use super::Tab;
use super::collector::text;
use super::scripts::WORLD;
use crate::ProbeError;
use serde_json::{Value, json};

/// Roots within one another.
const MOST_ROOTS: usize = 4;

/// Gives our tools the closed roots on the way of a selector with `>>>`.
///
/// # Errors
/// Where the page does not answer.
pub async fn adopt(tab: &Tab, selector: &str) -> Result<(), ProbeError> {
    let sealed = format!("nf.sealed({})", Value::from(selector));
    for _ in 0..MOST_ROOTS {
        let host = text(&tab.evaluate_raw(&sealed, false).await?, "objectId");
        if host.is_empty() {
            break;
        }
        let node = json!({"objectId": host, "depth": 0, "pierce": true});
        let node = tab.call("DOM.describeNode", node).await?;
        let roots = node["node"]["shadowRoots"].as_array().into_iter().flatten();
        let mut closed = roots.filter(|r| r["shadowRootType"] == "closed");
        let Some(root) = closed.next() else { break };
        let root = handle(tab, &root["backendNodeId"]).await?;
        let adopted = json!({
            "functionDeclaration": "function (root) { nf.adopt(this, root); }",
            "objectId": host,
            "arguments": [{"objectId": root}],
        });
        tab.call("Runtime.callFunctionOn", adopted).await?;
    }
    Ok(())
}

/// A node as our own world holds it.
async fn handle(tab: &Tab, node: &Value) -> Result<String, ProbeError> {
    let frame = tab.with(|s| s.root_frame(&tab.session));
    let world = json!({"frameId": frame, "worldName": WORLD});
    let world = tab.call("Page.createIsolatedWorld", world).await?;
    let asked = json!({"backendNodeId": node, "executionContextId": world["executionContextId"]});
    let answer = tab.call("DOM.resolveNode", asked).await?;
    Ok(text(&answer["object"], "objectId"))
}

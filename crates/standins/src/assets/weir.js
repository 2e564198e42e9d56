// Weir, a stand-in chat widget that each client runs on a server of its own: its code, its panel and its storage
// are all at that address.
(function () {
  var me = document.currentScript;
  var server = new URL(me.src).origin;
  localStorage.setItem("weir_visitor", String(Date.now()));
  function make() {
    var button = document.createElement("button");
    button.id = "weir-button";
    button.textContent = "Chat";
    button.style.cssText =
      "position:fixed;right:20px;bottom:20px;z-index:870;min-width:64px;height:52px;border:0;border-radius:26px;background:#2d2a32;color:#fff;font:15px system-ui,sans-serif;cursor:pointer";
    var panel = document.createElement("div");
    panel.id = "weir-panel";
    panel.hidden = true;
    panel.style.cssText =
      "position:fixed;right:20px;bottom:84px;z-index:871;width:min(320px,calc(100vw - 16px));background:#fff;color:#222;border-radius:10px;box-shadow:0 2px 20px rgba(0,0,0,.3);font:15px system-ui,sans-serif;overflow:hidden";
    var away = document.createElement("button");
    away.className = "away";
    away.textContent = "Close";
    away.style.cssText = "margin:10px;min-height:32px";
    var head = document.createElement("h2");
    head.textContent = "Write to us";
    head.style.cssText = "margin:0 14px;font-size:18px";
    var frame = document.createElement("iframe");
    frame.title = "Chat";
    frame.style.cssText = "display:block;width:100%;height:240px;border:0";
    panel.append(away, head, frame);
    button.addEventListener("click", function () {
      if (!frame.src) frame.src = server + "/talk?inbox=" + encodeURIComponent(me.dataset.inbox);
      panel.hidden = !panel.hidden;
    });
    away.addEventListener("click", function () {
      panel.hidden = true;
    });
    document.body.append(panel, button);
    window.weir = { open: true };
  }
  if (document.body) make();
  else addEventListener("DOMContentLoaded", make);
})();

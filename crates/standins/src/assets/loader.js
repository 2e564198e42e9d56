// Brindle, a stand-in chat widget. Served for one key; __NAMES__ are filled in by the server.
(function () {
  var key = "__KEY__",
    fault = "__FAULT__";
  if (fault === "silent") return;
  var me = (window.Brindle = { up: false, key: key });
  // Work of a fixed amount, as a real loader parses and builds.
  var mix = 1;
  for (var i = 0; i < __WORK__; i++) mix = Math.imul(mix ^ i, 16777619) >>> 0;
  me.mix = mix;
  if (fault === "throws") {
    me.settings.theme.colour = "x";
  }
  fetch("__API__/settings?key=" + encodeURIComponent(key) + "&page=" + encodeURIComponent(location.pathname))
    .then(function (r) {
      if (!r.ok) throw new Error("Brindle: settings answered " + r.status);
      return r.json();
    })
    .then(start)
    .catch(function (e) {
      console.warn(String(e.message || e));
    });

  function start(s) {
    var phone = matchMedia("(max-width: 500px)").matches;
    var came_before = false;
    try {
      came_before = !!localStorage.getItem("brindle_seen");
      localStorage.setItem("brindle_seen", "1");
    } catch (e) {
      /* refused */
    }
    if (!/brindle_visitor=/.test(document.cookie))
      document.cookie =
        "brindle_visitor=" + Math.random().toString(36).slice(2) + "; path=/; max-age=2592000";
    var live = new WebSocket("__LIVE__/s?key=" + encodeURIComponent(key));
    me.presence = s.presence;
    live.onopen = function () {
      me.up = true;
      if (phone && s.hide_on_phone) return;
      if (!(fault === "fleeting" && came_before)) show(s, phone);
    };
  }

  function show(s, phone) {
    var side = s.corner.indexOf("left") >= 0 ? "left" : "right",
      edge = s.corner.indexOf("top") >= 0 ? "top" : "bottom",
      x = (phone && s.phone_offset_x) || s.offset_x,
      y = (phone && s.phone_offset_y) || s.offset_y,
      size = Number((phone && s.phone_size) || 60);
    var root = document.createElement("div");
    root.id = "brindle-root";
    var css = document.createElement("style");
    css.textContent =
      "#brindle-launcher{position:fixed;" +
      side +
      ":" +
      x +
      "px;" +
      edge +
      ":" +
      y +
      "px;width:" +
      size +
      "px;height:" +
      size +
      "px;border:0;border-radius:50%;background:" +
      s.button_colour +
      ";color:" +
      s.icon_colour +
      ";cursor:pointer;z-index:900;padding:0;display:grid;place-items:center}" +
      "#brindle-panel{position:fixed;" +
      side +
      ":" +
      (phone ? 8 : x) +
      "px;" +
      edge +
      ":" +
      (Number(y) + size + 12) +
      "px;width:" +
      (phone ? "calc(100% - 16px)" : "340px") +
      ";height:440px;max-height:70vh;background:#fff;border-radius:10px;overflow:hidden;box-shadow:0 2px 18px rgba(0,0,0,.3);z-index:901;display:none;flex-direction:column;font:15px/1.4 system-ui,sans-serif}" +
      "#brindle-panel.open{display:flex}#brindle-head{display:flex;justify-content:space-between;align-items:center;padding:14px;background:" +
      s.header_colour +
      ";color:" +
      s.header_text +
      "}#brindle-close{background:none;border:0;color:inherit;font-size:20px;min-width:32px;min-height:32px;cursor:pointer}#brindle-panel iframe{border:0;flex:1;width:100%}" +
      "#brindle-prompt{position:fixed;" +
      side +
      ":" +
      (Number(x) + size + 10) +
      "px;" +
      edge +
      ":" +
      (Number(y) + 12) +
      "px;background:#fff;color:#222;border-radius:8px;padding:8px 12px;box-shadow:0 1px 8px rgba(0,0,0,.25);font:14px system-ui,sans-serif;z-index:900}";
    if (fault === "restless")
      css.textContent +=
        "@keyframes brindle-glow{50%{box-shadow:0 0 0 9px rgba(0,0,0,.18)}}#brindle-launcher{animation:brindle-glow 1.4s infinite}";
    if (fault === "cramped")
      css.textContent +=
        "@media (min-width:501px) and (max-width:760px){#brindle-launcher{display:none}}";
    root.appendChild(css);
    var button = document.createElement("button");
    button.id = "brindle-launcher";
    button.setAttribute("aria-label", "Chat: " + s.title);
    button.innerHTML =
      '<svg width="28" height="28" viewBox="0 0 28 28" aria-hidden="true"><path d="M4 6h20v13H13l-6 5v-5H4z" fill="currentColor"/></svg>';
    var panel = document.createElement("div");
    panel.id = "brindle-panel";
    panel.setAttribute("role", "dialog");
    panel.setAttribute("aria-label", s.title);
    panel.innerHTML =
      '<div id="brindle-head"><strong></strong><button id="brindle-close" aria-label="Close chat">&times;</button></div>';
    panel.querySelector("strong").textContent = s.title;
    root.appendChild(panel);
    root.appendChild(button);
    document.body.appendChild(root);
    function open() {
      if (!panel.querySelector("iframe")) {
        var frame = document.createElement("iframe");
        frame.title = "Conversation";
        frame.src =
          "__APP__/panel?key=" +
          encodeURIComponent(key) +
          "&page=" +
          encodeURIComponent(location.href);
        panel.appendChild(frame);
      }
      panel.classList.add("open");
    }
    if (fault !== "deaf")
      button.addEventListener("click", function () {
        panel.classList.contains("open") ? panel.classList.remove("open") : open();
      });
    panel.querySelector("#brindle-close").addEventListener("click", function () {
      panel.classList.remove("open");
      button.focus();
    });
    if (s.prompt)
      setTimeout(function () {
        if (panel.classList.contains("open")) return;
        var p = document.createElement("div");
        p.id = "brindle-prompt";
        p.textContent = s.prompt;
        root.appendChild(p);
        button.addEventListener(
          "click",
          function () {
            p.remove();
          },
          { once: true },
        );
      }, s.prompt_delay_s * 1000);
  }
})();

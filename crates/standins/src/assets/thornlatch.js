// Thornlatch, a stand-in consent banner of another make: in a shadow root, with its refusal on the second layer, and
// with the interface of the Transparency and Consent Framework. Its two strings were made by a reference encoder.
(function () {
  var ALL = "CQuSqEAQuSqEAAKADAENBNEsAP_gAH_gAAwIDSQAYAAgNIA0hVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVVUAAAAA.YAAAAAAAAAAA",
    NONE = "CQuSqEAQuSqEAALADAENBNEAAAAAAAAAAACYAAAAAAAA.IDSQAYAAgNIA";
  var kept = (document.cookie.match(/thorn=(\w+)/) || [])[1];
  var me = (window.Thornlatch = { choice: kept || "" }),
    status = kept ? "tcloaded" : "cmpuishown",
    host = null;
  window.__tcfapi = function (command, version, done) {
    if (command === "getTCData")
      done({ tcString: me.choice === "all" ? ALL : me.choice === "none" ? NONE : "", eventStatus: status, gdprApplies: true, cmpStatus: "loaded" }, true);
    else if (command === "ping") done({ cmpLoaded: true, cmpStatus: "loaded", apiVersion: "2.2" }, true);
    else if (command === "displayConsentUi") {
      ask();
      done(null, true);
    } else done(null, false);
  };
  // Functions pushed onto thornlatchLater run once all is agreed to.
  var later = window.thornlatchLater || [];
  window.thornlatchLater = {
    push: function (run) {
      if (me.choice === "all") run();
      else later.push(run);
    },
  };
  function release() {
    later.splice(0).forEach(function (run) {
      run();
    });
    document.querySelectorAll('script[type="text/plain"][data-thorn]').forEach(function (old) {
      var fresh = document.createElement("script");
      for (var i = 0; i < old.attributes.length; i++)
        if (old.attributes[i].name !== "type")
          fresh.setAttribute(old.attributes[i].name, old.attributes[i].value);
      fresh.text = old.text;
      old.replaceWith(fresh);
    });
  }
  function decide(choice) {
    me.choice = choice;
    status = "useractioncomplete";
    document.cookie = "thorn=" + choice + "; path=/; max-age=31536000";
    host.remove();
    host = null;
    if (choice === "all") release();
    again();
  }
  function again() {
    if (document.querySelector(".thorn-again")) return;
    var back = document.createElement("button");
    back.className = "thorn-again";
    back.textContent = "Privacy choices";
    back.style.cssText = "display:block;margin:24px 0 8px;padding:6px 12px";
    back.addEventListener("click", ask);
    document.body.appendChild(back);
  }
  function ask() {
    if (host) return;
    status = "cmpuishown";
    host = document.createElement("thorn-latch");
    var root = host.attachShadow({ mode: "open" });
    root.innerHTML =
      "<style>.bar{position:fixed;left:16px;bottom:16px;width:min(420px,calc(100% - 120px));background:#fff;color:#222;border:1px solid #777;border-radius:8px;padding:14px;font:15px/1.4 system-ui,sans-serif;z-index:60;box-sizing:border-box}button{padding:6px 12px;margin-inline-end:6px}[hidden]{display:none}</style>" +
      '<div class=bar role=dialog aria-label="Your privacy"><p>We and our partners keep things in your browser.</p><div class=first><button class=yes>Accept all</button><button class=more>Manage choices</button></div><div class=second hidden><p>Chat, counting, advertising.</p><button class=none>Reject all</button><button class=yes>Accept all</button></div></div>';
    document.body.appendChild(host);
    var q = function (s) {
      return root.querySelector(s);
    };
    q(".more").addEventListener("click", function () {
      q(".first").hidden = true;
      q(".second").hidden = false;
    });
    root.querySelectorAll(".yes").forEach(function (b) {
      b.addEventListener("click", function () {
        decide("all");
      });
    });
    q(".none").addEventListener("click", function () {
      decide("none");
    });
  }
  function begin() {
    if (kept) again();
    if (kept === "all") release();
    if (!kept) ask();
  }
  if (document.body) begin();
  else addEventListener("DOMContentLoaded", begin);
})();

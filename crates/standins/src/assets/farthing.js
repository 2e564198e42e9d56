// Farthing Desk, a stand-in chat widget of another make: a custom element with a closed shadow root, a form
// before the talk, answers fetched by polling. __NAMES__ are filled in by the server.
(function () {
  var api = "__API__";
  var desk = (window.farthingDesk = { state: "starting", begin: begin });

  // What the site's own code asks for goes before what the desk is set to.
  function begin(key, wishes) {
    fetch(api + "/start?key=" + encodeURIComponent(key))
      .then(function (r) {
        if (!r.ok) throw new Error("Farthing: " + r.status);
        return r.json();
      })
      .then(function (s) {
        desk.state = s.state;
        if (wishes && wishes.colour) s.button = wishes.colour;
        try {
          localStorage.setItem("farthing_visit", String(Date.now()));
          indexedDB.open("farthing_talks", 1);
          if (window.caches) caches.open("farthing_parts");
        } catch (e) {
          /* refused */
        }
        if (s.state !== "closed") show(key, s);
      })
      .catch(function (e) {
        console.warn(String(e.message || e));
      });
  }

  function show(key, s) {
    var host = document.createElement("farthing-desk");
    var root = host.attachShadow({ mode: "closed" });
    var left = s.place.indexOf("left") >= 0,
      top = s.place.indexOf("top") >= 0;
    var at = (left ? "left:" : "right:") + s.from_side + "px;" + (top ? "top:" : "bottom:");
    root.innerHTML =
      "<style>:host{all:initial}*{box-sizing:border-box;font:15px/1.4 system-ui,sans-serif}" +
      ".start{position:fixed;" + at + s.from_bottom +
      "px;z-index:950;width:64px;height:64px;border:0;border-radius:14px;cursor:pointer}" +
      ".sheet{position:fixed;" + at + (Number(s.from_bottom) + 76) +
      "px;z-index:951;width:min(330px,calc(100vw - 16px));max-height:70vh;overflow:auto;background:#fff;color:#222;border-radius:12px;box-shadow:0 2px 20px rgba(0,0,0,.3)}" +
      ".sheet[hidden],form [hidden],form[hidden],.left[hidden],.talking[hidden]{display:none}.band{padding:14px;display:flex;justify-content:space-between;gap:8px}" +
      ".band b,.who{display:block}.face{border-radius:50%}.face,.mark{flex:none}.band div{flex:1}.shut{border:0;background:none;color:inherit;min-width:32px;min-height:32px;font-size:20px;cursor:pointer}" +
      "form,.talking{padding:14px;display:grid;gap:8px}.left{padding:14px}input:not([type=checkbox]),textarea{width:100%;padding:8px}button.go{min-height:40px}" +
      ".notice{padding:0 14px;font-size:13px}.talk p{margin:4px 0}</style>" +
      "<button class=start aria-label='Talk to us' aria-haspopup=dialog><svg width=30 height=30 viewBox='0 0 30 30' aria-hidden=true><rect x=4 y=6 width=22 height=14 rx=3 fill=currentColor /><path d='M10 20v6l7-6z' fill=currentColor /></svg></button>" +
      "<div class=sheet role=dialog aria-label='Talk to us' hidden><div class=band><img class=mark width=40 height=40 alt=''><img class=face width=40 height=40 alt=''><div><b class=title></b><span class=promise></span><small class=who></small></div><button class=shut aria-label='Close'>&times;</button></div>" +
      "<p class=notice><span></span> <a target=_blank rel=noopener>Privacy</a></p>" +
      "<form><p class=away></p><label>Name<input class=name required></label><label>Mail<input class=mail type=email required></label>" +
      "<label><input class=agree type=checkbox required> I agree that you answer me</label><textarea class=leave rows=3 aria-label='Your message' hidden></textarea><button class='begin go'>Begin</button><button class='put go' hidden>Leave it</button></form><p class=left role=status hidden></p>" +
      "<div class=talking hidden><p class=greet></p><div class=talk aria-live=polite></div><textarea class=words rows=2 aria-label='Message'></textarea><input class=file type=file aria-label='File'><button class='send go' type=button>Send</button></div></div>";
    var q = function (sel) {
      return root.querySelector(sel);
    };
    q(".start").style.cssText = "background:" + s.button + ";color:" + s.button_text;
    q(".band").style.cssText = "background:" + s.band + ";color:" + s.band_text;
    q(".title").textContent = s.heading;
    q(".face").src = s.photo;
    if (s.logo) q(".mark").src = s.logo;
    else q(".mark").remove();
    q(".promise").textContent = s.promise;
    q(".who").textContent = s.who;
    q(".greet").textContent = s.first_words;
    q(".notice span").textContent = s.privacy_words;
    q(".notice a").href = s.privacy_address;
    q(".away").textContent = s.state === "away" ? s.away_words : "";
    document.body.appendChild(host);
    var sheet = q(".sheet");
    q(".start").addEventListener("click", function () {
      sheet.hidden = !sheet.hidden;
    });
    q(".shut").addEventListener("click", function () {
      sheet.hidden = true;
      q(".start").focus();
    });
    var talk = null;
    var away = s.state === "away";
    q(".leave").hidden = q(".put").hidden = !away;
    q(".leave").required = away;
    q(".begin").hidden = away;
    q("form").addEventListener("submit", function (e) {
      e.preventDefault();
      if (away) {
        post("/leave", { key: key, name: q(".name").value, mail: q(".mail").value, text: q(".leave").value, page: location.href, language: navigator.language }).then(function () {
          q("form").hidden = true;
          q(".left").hidden = false;
          q(".left").textContent = "Thank you, we have your message.";
        });
        return;
      }
      post("/talks", { key: key, name: q(".name").value, mail: q(".mail").value, page: location.href, language: navigator.language }).then(function (t) {
        talk = t.talk;
        q("form").hidden = true;
        q(".talking").hidden = false;
        setInterval(poll, 400);
      });
    });
    q(".send").addEventListener("click", function () {
      var text = q(".words").value;
      if (!text || !talk) return;
      line(text);
      q(".words").value = "";
      var file = q(".file").files[0];
      post("/say", { key: key, talk: talk, text: text, page: location.href, file: file ? file.name : null });
    });
    function line(text) {
      var p = document.createElement("p");
      p.textContent = text;
      q(".talk").appendChild(p);
    }
    var had = 0;
    function poll() {
      fetch(api + "/since?talk=" + talk + "&from=" + had)
        .then(function (r) {
          return r.json();
        })
        .then(function (a) {
          a.answers.forEach(line);
          had += a.answers.length;
        })
        .catch(function () {});
    }
    function post(path, body) {
      return fetch(api + path, { method: "POST", body: JSON.stringify(body) }).then(function (r) {
        return r.json();
      });
    }
  }
})();

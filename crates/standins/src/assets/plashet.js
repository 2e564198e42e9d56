// Plashet, a stand-in list of channels: no frame, no connection, links alone. Filled in by the server.
(function () {
  var s = __SETTINGS__;
  function make() {
    var root = document.createElement("div");
    root.id = "plashet";
    var css = document.createElement("style");
    var place = {
      corner: "position:fixed;right:20px;bottom:20px;",
      tab: "position:fixed;right:0;top:40%;",
      inline: "position:static;margin:1rem;",
    }[s.form];
    css.textContent =
      "#plashet{" + place + "z-index:800;font:15px system-ui,sans-serif}" +
      "#plashet button.call{border:0;border-radius:" + (s.form === "tab" ? "6px 0 0 6px" : "28px") +
      ";min-width:56px;min-height:56px;padding:0 18px;background:" + s.colour +
      ";color:#fff;cursor:pointer;font:inherit}" +
      "#plashet ul{list-style:none;margin:0 0 10px;padding:10px;background:#fff;color:#222;border-radius:8px;box-shadow:0 2px 12px rgba(0,0,0,.3);min-width:190px}" +
      "#plashet ul[hidden]{display:none}#plashet li{padding:8px}#plashet a{color:#154a7a;display:block;min-height:28px}";
    var list = document.createElement("ul");
    list.hidden = !s.open;
    var head = document.createElement("li");
    head.className = "head";
    head.textContent = s.title;
    list.appendChild(head);
    s.links.forEach(function (l) {
      var item = document.createElement("li"),
        a = document.createElement("a");
      a.href = l.href;
      a.textContent = l.words;
      item.appendChild(a);
      list.appendChild(item);
    });
    var button = document.createElement("button");
    button.className = "call";
    button.setAttribute("aria-expanded", String(!list.hidden));
    button.textContent = s.words;
    button.addEventListener("click", function () {
      list.hidden = !list.hidden;
      button.setAttribute("aria-expanded", String(!list.hidden));
    });
    root.appendChild(css);
    root.appendChild(list);
    root.appendChild(button);
    document.body.appendChild(root);
    document.documentElement.dataset.plashet = "ready";
  }
  if (document.body) make();
  else addEventListener("DOMContentLoaded", make);
})();

(function () {
  var app = document.getElementById("app");
  function show(path) {
    fetch("/_desk/route?path=" + encodeURIComponent(path))
      .then(function (r) { return r.json(); })
      .then(function (page) {
        if (page.clears) {
          // A component goes with its route, and takes what it made along.
          Array.from(document.body.children).forEach(function (e) {
            if (e.id && e.id !== "app") e.remove();
          });
        }
        document.title = page.title;
        app.innerHTML = page.content;
        if (page.component) app.appendChild(document.createRange().createContextualFragment(page.component));
      });
  }
  document.addEventListener("click", function (e) {
    var a = e.target.closest && e.target.closest("a[href^='/']");
    if (!a) return;
    e.preventDefault();
    history.pushState({}, "", a.getAttribute("href"));
    show(location.pathname);
  });
  addEventListener("popstate", function () { show(location.pathname); });
  show(location.pathname);
  var settle = document.currentScript && document.currentScript.dataset.settle;
  if (settle)
    setTimeout(function () {
      // The catalogue opens by itself, as on many such sites.
      history.replaceState({}, "", "/shop/");
      show("/shop/");
    }, 2000);
})();

// Hedgegate, a stand-in consent banner: holds back scripts of type text/plain with data-hedge, and what was pushed
// onto hedgegateWaiting as [category, function].
(function () {
  var kept = (document.cookie.match(/hedge=(\w+)/) || [])[1];
  var me = (window.Hedgegate = { state: kept || "untouched" });
  var waiting = window.hedgegateWaiting || [];
  function run(entry) {
    if (entry[0] !== "never") entry[1]();
  }
  window.hedgegateWaiting = {
    push: function (entry) {
      if (me.state === "granted") run(entry);
      else waiting.push(entry);
    },
  };
  function release() {
    waiting.splice(0).forEach(run);
    document.querySelectorAll('script[type="text/plain"][data-hedge]').forEach(function (old) {
      if (old.dataset.hedge === "never") return;
      var fresh = document.createElement("script");
      for (var i = 0; i < old.attributes.length; i++)
        if (old.attributes[i].name !== "type")
          fresh.setAttribute(old.attributes[i].name, old.attributes[i].value);
      fresh.text = old.text;
      old.replaceWith(fresh);
    });
  }
  function decide(state) {
    me.state = state;
    document.cookie = "hedge=" + state + "; path=/; max-age=31536000";
    var bar = document.getElementById("hedgegate");
    if (bar) bar.remove();
    if (state === "granted") release();
    again();
  }
  // A decision can be taken back at any time: in the page's own flow, so that it covers nothing.
  function again() {
    if (document.querySelector(".hg-again")) return;
    var back = document.createElement("button");
    back.className = "hg-again";
    back.textContent = "Your choice about extras";
    back.style.cssText = "display:block;margin:24px 0 8px;padding:6px 12px";
    back.addEventListener("click", ask);
    document.body.appendChild(back);
  }
  if (me.state !== "untouched") again();
  if (me.state === "granted") return release();
  if (me.state === "refused") return;
  ask();
  function ask() {
  if (document.getElementById("hedgegate")) return;
  var bar = document.createElement("div");
  bar.id = "hedgegate";
  bar.setAttribute("role", "region");
  bar.setAttribute("aria-label", "Your choice");
  bar.style.cssText =
    "position:fixed;left:16px;bottom:16px;width:min(380px,calc(100% - 120px));background:#fffdf7;border:1px solid #8a8474;border-radius:6px;padding:14px;font:15px/1.4 system-ui,sans-serif;color:#222;z-index:50;box-sizing:border-box";
  bar.innerHTML =
    '<p style="margin:0 0 10px">May we use extras such as live chat? They keep a number in your browser.</p><button class="hg-yes" style="padding:6px 12px">Accept all</button> <button class="hg-no" style="padding:6px 12px">Only what is needed</button>';
  document.body.appendChild(bar);
  bar.querySelector(".hg-yes").addEventListener("click", function () {
    decide("granted");
  });
  bar.querySelector(".hg-no").addEventListener("click", function () {
    decide("refused");
  });
  }
})();

(function () {
  var tags = __TAGS__;
  function takes(pattern, path) {
    var made = pattern
      .replace(/[.+?^${}()|[\]\\]/g, "\\$&")
      .replace(/\/\*\*$/, "(/.*)?")
      .replace(/\*\*/g, ".*")
      .replace(/([^.])\*/g, "$1[^/]*");
    return new RegExp("^" + made + "/?$").test(path);
  }
  function fires(tag) {
    if (tag.paused || tag.event) return false;
    var path = location.pathname,
      some = function (list) {
        return (list || []).some(function (p) { return takes(p, path); });
      };
    if (some(tag.not_on)) return false;
    return !(tag.on && tag.on.length) || some(tag.on);
  }
  function place() {
    tags.filter(fires).forEach(function (tag) {
      document.body.appendChild(document.createRange().createContextualFragment(tag.html));
    });
  }
  if (document.body && document.readyState !== "loading") place();
  else document.addEventListener("DOMContentLoaded", place);
})();

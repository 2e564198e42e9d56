// Runs before any script of the page, in every document. Keeps what only events tell.
(() => {
  if (window.__nfSeen) return;
  const seen = { violations: [], lcp: null, cls: 0, fcp: null, long: [] };
  Object.defineProperty(window, "__nfSeen", { value: seen, enumerable: false });
  document.addEventListener("securitypolicyviolation", (e) => {
    if (seen.violations.length < 200) {
      seen.violations.push({
        directive: e.effectiveDirective || e.violatedDirective, blocked: e.blockedURI, document: e.documentURI,
        source: e.sourceFile || "", line: e.lineNumber || null, sample: e.sample || "", enforced: e.disposition === "enforce",
      });
    }
  }, true);
  const observe = (type, each) => {
    try { new PerformanceObserver((list) => list.getEntries().forEach(each)).observe({ type, buffered: true }); } catch { /* not offered */ }
  };
  observe("largest-contentful-paint", (e) => { seen.lcp = e.startTime; });
  observe("paint", (e) => { if (e.name === "first-contentful-paint") seen.fcp = e.startTime; });
  observe("longtask", (e) => { if (seen.long.length < 2000) seen.long.push([e.startTime, e.duration]); });
  // Layout shift as session windows: gaps under 1 s, at most 5 s long, the largest counts.
  let first = 0, last = 0, sum = 0;
  observe("layout-shift", (e) => {
    if (e.hadRecentInput) return;
    if (sum && e.startTime - last < 1000 && e.startTime - first < 5000) { sum += e.value; } else { first = e.startTime; sum = e.value; }
    last = e.startTime;
    seen.cls = Math.max(seen.cls, sum);
  });
})();

// Runs before any script of the page, in a world of our own that the page's scripts cannot reach, in
// every document. Keeps what only events tell, and says when something happened by the page's clock.
(() => {
  if (globalThis.nfSeen) return;
  const seen = (globalThis.nfSeen = { violations: [], lcp: null, cls: 0, fcp: null, long: [] });
  const tell = (what) => {
    what.at = what.at ?? performance.now();
    what.origin = performance.timeOrigin;
    if (globalThis.nfTell) globalThis.nfTell(JSON.stringify(what));
  };
  document.addEventListener(
    "securitypolicyviolation",
    (e) => {
      if (seen.violations.length < 200) {
        const cut = (text) => String(text || "").slice(0, 2000);
        seen.violations.push({
          directive: cut(e.effectiveDirective || e.violatedDirective),
          blocked: cut(e.blockedURI),
          document: cut(e.documentURI),
          source: cut(e.sourceFile),
          line: e.lineNumber || null,
          sample: cut(e.sample),
          enforced: e.disposition === "enforce",
        });
      }
    },
    true,
  );
  const observe = (type, each) => {
    try {
      new PerformanceObserver((list) => list.getEntries().forEach(each)).observe({
        type,
        buffered: true,
      });
    } catch {
      /* not offered */
    }
  };
  observe("largest-contentful-paint", (e) => {
    seen.lcp = e.startTime;
  });
  observe("paint", (e) => {
    if (e.name === "first-contentful-paint") seen.fcp = e.startTime;
  });
  observe("longtask", (e) => {
    if (seen.long.length < 2000) seen.long.push([e.startTime, e.duration]);
  });
  // Layout shift as session windows: gaps under 1 s, at most 5 s long, the largest counts.
  let first = 0,
    last = 0,
    sum = 0;
  observe("layout-shift", (e) => {
    if (e.hadRecentInput) return;
    if (sum && e.startTime - last < 1000 && e.startTime - first < 5000) {
      sum += e.value;
    } else {
      first = e.startTime;
      sum = e.value;
    }
    last = e.startTime;
    seen.cls = Math.max(seen.cls, sum);
  });

  const wanted = __WATCH__;
  if (!wanted) return;
  // Names of cookies that scripts set, with the time of each; the browser's own list has no times.
  let names = new Set(),
    raw = "";
  const cookies = () => {
    let text;
    try {
      text = document.cookie;
    } catch {
      return;
    }
    if (text === raw) return;
    raw = text;
    const fresh = text
      .split(";")
      .map((c) => c.split("=")[0].trim())
      .filter((n) => n && !names.has(n))
      .slice(0, 100);
    if (!fresh.length) return;
    fresh.forEach((n) => names.add(n));
    tell({ t: "cookies", host: location.hostname, names: fresh.map((n) => n.slice(0, 200)) });
  };
  // The supplier's own sign is the only thing asked of the page's world; it calls this event there.
  if (window === top) {
    document.addEventListener(wanted.event, (e) => {
      const [what, text] = String(e.detail).split("|");
      if (what === "alive") tell({ t: "alive", at: Number(text) });
      if (what === "error") tell({ t: "error", text: String(e.detail).slice(6, 500) });
    });
  }
  let shown = false,
    sealed = false;
  const launcher = () => {
    if (window !== top || !wanted.launcher || !document.documentElement) return;
    if (!sealed && nf.sealed(wanted.launcher)) {
      sealed = true;
      tell({ t: "sealed" });
    }
    const el = nf.pick(wanted.launcher),
      now = !!el && nf.visible(el);
    if (now !== shown) {
      shown = now;
      tell({ t: "launcher", shown });
    }
  };
  let due = false;
  const look = () => {
    due = false;
    launcher();
    cookies();
  };
  const soon = () => {
    if (!due) {
      due = true;
      setTimeout(look, 15);
    }
  };
  new MutationObserver(soon).observe(document, {
    childList: true,
    subtree: true,
    attributes: true,
  });
  // Styles and geometry change without a mutation. The same beat tells when the page's thread could
  // not run, whoever kept it from that.
  const EVERY = 60;
  let beat = performance.now();
  setInterval(() => {
    const now = performance.now(),
      late = now - beat - EVERY;
    if (window === top && late > 100) tell({ t: "late", at: now, ms: late });
    beat = now;
    look();
  }, EVERY);
})();

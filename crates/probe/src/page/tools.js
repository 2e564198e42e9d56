// Helpers for our evaluations, in the world of our own.
globalThis.nf =
  globalThis.nf ||
  (() => {
    const roots = (doc) => {
      const out = [doc];
      for (const frame of doc.querySelectorAll("iframe")) {
        try {
          if (frame.contentDocument) out.push(...roots(frame.contentDocument));
        } catch {
          /* another origin */
        }
      }
      return out;
    };
    // Closed shadow roots that the debugger handed us, by their hosts.
    const closed = new WeakMap();
    const shadow = (el) => el.shadowRoot || closed.get(el) || null;
    const adopt = (host, root) => closed.set(host, root);
    // A selector in which `>>>` steps into a shadow root.
    const all = (selector, start) => {
      let found = [start];
      const steps = selector
        .split(">>>")
        .map((s) => s.trim())
        .filter(Boolean);
      steps.forEach((step, i) => {
        const next = [];
        for (const from of found) {
          const root = i === 0 ? from : shadow(from);
          if (root) {
            try {
              next.push(...root.querySelectorAll(step));
            } catch {
              /* not a selector */
            }
          }
        }
        found = next;
      });
      return found;
    };
    // The first element of a selector with `>>>` is there and shows no root: it may be a closed one.
    const sealed = (selector) => {
      const [first, ...rest] = selector.split(">>>");
      const hosts = rest.length > 0 && first.trim() ? all(first, document) : [];
      return hosts.find((el) => !shadow(el)) || null;
    };
    const up = (el) =>
      el.parentElement || (el.getRootNode() instanceof ShadowRoot ? el.getRootNode().host : null);
    const describe = (el) => {
      if (!el) return "nothing";
      let text = el.tagName.toLowerCase();
      if (el.id) text += "#" + el.id;
      else if (typeof el.className === "string" && el.className.trim())
        text += "." + el.className.trim().split(/\s+/).slice(0, 2).join(".");
      return text.slice(0, 80);
    };
    const offset = (el) => {
      let x = 0,
        y = 0,
        win = el.ownerDocument.defaultView;
      while (win && win !== window && win.frameElement) {
        const r = win.frameElement.getBoundingClientRect();
        x += r.x + win.frameElement.clientLeft;
        y += r.y + win.frameElement.clientTop;
        win = win.parent;
      }
      return [x, y];
    };
    const rect = (el) => {
      const r = el.getBoundingClientRect(),
        o = offset(el);
      return { x: r.x + o[0], y: r.y + o[1], width: r.width, height: r.height };
    };
    // The element whose style hides this one, and by which property.
    const hider = (el) => {
      let opacity = 1;
      const own = getComputedStyle(el);
      if (own.visibility !== "visible") return [el, "visibility", own.visibility];
      for (let at = el; at; at = up(at)) {
        const style = getComputedStyle(at);
        if (style.display === "none") return [at, "display", "none"];
        if (at !== el && style.contentVisibility === "hidden")
          return [at, "content-visibility", "hidden"];
        opacity *= parseFloat(style.opacity);
        if (opacity < 0.1) return [at, "opacity", style.opacity];
        if (
          /^inset\((5\d|[6-9]\d|100)%/.test(style.clipPath) ||
          style.clipPath === "circle(0px)" ||
          style.clipPath === "circle(0%)"
        )
          return [at, "clip-path", ""];
      }
      return null;
    };
    const hiddenBy = (el) => {
      const [by, property, value] = hider(el) || [];
      return by ? property + (value ? ": " + value : "") + " on " + describe(by) : null;
    };
    const visible = (el) => {
      const r = el.getBoundingClientRect();
      return r.width > 0 && r.height > 0 && !hiddenBy(el);
    };
    const pick = (selector) => {
      if (!selector) return null;
      const found = roots(document).flatMap((doc) => all(selector, doc));
      return found.find(visible) || found[0] || null;
    };
    const inView = (r) =>
      r.width > 0 &&
      r.height > 0 &&
      r.x < innerWidth &&
      r.y < innerHeight &&
      r.x + r.width > 0 &&
      r.y + r.height > 0;
    const deepPoint = (x, y) => {
      let el = document.elementFromPoint(x, y);
      while (el && shadow(el)) {
        const inner = shadow(el).elementFromPoint(x, y);
        if (!inner || inner === el) break;
        el = inner;
      }
      return el;
    };
    const within = (el, outer) => {
      for (let at = el; at; at = up(at)) if (at === outer) return true;
      return false;
    };
    const rootOf = (el) => {
      let at = el;
      while (up(at) && up(at) !== document.body && up(at) !== document.documentElement) at = up(at);
      return at;
    };
    const focusTarget = (el) => {
      const can = (e) =>
        e.tagName === "IFRAME"
          ? e.tabIndex >= 0
          : e.tabIndex >= 0 && !e.disabled && !e.closest("[inert]");
      if (can(el)) return el;
      const inside = [
        ...(shadow(el) || el).querySelectorAll(
          "button,a[href],input,select,textarea,iframe,[tabindex]",
        ),
      ];
      return inside.find((e) => can(e) && visible(e)) || null;
    };
    // Solid background behind an element, through transparent ancestors.
    const background = (el) => {
      for (let at = el; at; at = up(at)) {
        const c = getComputedStyle(at).backgroundColor;
        if (c && !/, 0\)$/.test(c) && c !== "transparent") return c;
      }
      return "rgb(255, 255, 255)";
    };
    // Does it stay when the page scrolls? Asked of it and of all that it stands in, frames too.
    const stays = (el) => {
      for (let at = el; at; at = up(at) || at.ownerDocument.defaultView?.frameElement) {
        const position = getComputedStyle(at).position;
        if (position === "fixed" || position === "sticky") return true;
      }
      return false;
    };
    // What a selector finds that is visible and leads somewhere, in the order of the page.
    const links = (selector) =>
      roots(document)
        .flatMap((doc) => all(selector, doc))
        .map((el) => [el, el.closest("a[href]") || el.querySelector("a[href]")])
        .filter(([el, a]) => a && visible(el))
        .slice(0, 40)
        .map(([el, a]) => ({
          text: (el.innerText || el.getAttribute("aria-label") || el.title || "").trim().slice(0, 200),
          href: a.href.slice(0, 2000),
        }));
    const launcher = (selector) => {
      const el = pick(selector);
      if (!el) return { present: false };
      const r = rect(el),
        style = getComputedStyle(el),
        covers = {};
      let points = 0,
        hits = 0;
      if (inView(r)) {
        for (let i = 0; i < 6; i++)
          for (let j = 0; j < 6; j++) {
            const x = r.x + (r.width * (i + 0.5)) / 6,
              y = r.y + (r.height * (j + 0.5)) / 6;
            if (x < 0 || y < 0 || x >= innerWidth || y >= innerHeight) continue;
            points++;
            const top = deepPoint(x, y);
            // Corners of a round button belong to whatever is behind it; only an element in front covers.
            if (
              !top ||
              within(top, el) ||
              within(el, top) ||
              (within(el, rootOf(top)) && rootOf(top) === rootOf(el))
            ) {
              hits++;
              continue;
            }
            const key = describe(top);
            covers[key] = (covers[key] || 0) + 1;
          }
      }
      const target = focusTarget(el);
      const inner = el.querySelector && (el.querySelector("svg,path,span,i,b") || el);
      return {
        present: true,
        rect: r,
        tag: el.tagName.toLowerCase(),
        html: el.outerHTML.slice(0, 300),
        hidden_by: hiddenBy(el),
        background: background(el),
        colour: getComputedStyle(inner || el).color || style.color,
        reachable: points ? hits / points : 0,
        covered_by: Object.entries(covers)
          .map(([element, n]) => ({ element, share: n / points }))
          .sort((a, b) => b.share - a.share)
          .slice(0, 4),
        focusable: !!target,
        fixed: stays(el),
      };
    };
    const fixed = (selector) => {
      const own = pick(selector),
        out = [],
        ownRoot = own ? rootOf(own) : null;
      for (const el of document.querySelectorAll("body *")) {
        if (out.length >= 30) break;
        const position = getComputedStyle(el).position;
        if (position !== "fixed" && position !== "sticky") continue;
        if (
          own &&
          (within(own, el) ||
            within(el, own) ||
            (within(el, ownRoot) &&
              ownRoot !== el &&
              ownRoot !== document.body &&
              within(own, ownRoot) &&
              getComputedStyle(ownRoot).position !== "static"))
        )
          continue;
        const r = rect(el);
        if (!visible(el) || !inView(r)) continue;
        if (
          getComputedStyle(el).pointerEvents === "none" ||
          (r.width >= innerWidth && r.height >= innerHeight)
        )
          continue;
        const label = el.getAttribute("aria-label") || el.title || el.textContent || "";
        out.push({
          element: describe(el),
          rect: r,
          role: el.getAttribute("role") || "",
          label: label.trim().replace(/\s+/g, " ").slice(0, 60),
          z: parseInt(getComputedStyle(el).zIndex, 10) || 0,
        });
      }
      return out;
    };
    const box = (selector) => {
      const el = pick(selector);
      if (!el) return null;
      const r = rect(el);
      return {
        rect: r,
        shown: visible(el) && inView(r),
        text: (el.innerText || "").slice(0, 4000),
      };
    };
    // A control far down the page is brought into view before it can be pressed.
    const bring = (selectors, texts) => {
      const named = selectors.map((s) => pick(s)).find((el) => el && visible(el));
      const el = named || withText(texts);
      if (el && !inView(rect(el)))
        el.scrollIntoView({ block: "center", inline: "center", behavior: "instant" });
    };
    const withText = (texts) => {
      const wanted = texts.map((t) => t.trim().toLowerCase());
      for (const el of document.querySelectorAll(
        "button,a,[role=button],input[type=button],input[type=submit]",
      )) {
        const text = (el.innerText || el.value || "").trim().toLowerCase();
        if (wanted.includes(text) && visible(el)) return el;
      }
      return null;
    };
    const byText = (texts) => {
      const el = withText(texts);
      return el && { rect: rect(el), shown: true, text: (el.innerText || el.value || "").trim() };
    };
    // A control inside one of these elements whose name is one of the words, or begins with one; shadow roots are
    // looked into. The longest word that fits counts: "accept all" before "accept".
    const byWords = (words, inside) => {
      const name = (el) =>
        (el.innerText || el.value || el.getAttribute("aria-label") || el.title || "")
          .trim()
          .toLowerCase()
          .replace(/\s+/g, " ");
      let best = null,
        length = 0;
      for (const selector of inside)
        for (const doc of roots(document))
          for (const top of all(selector, doc)) {
            const deep = [top, ...top.querySelectorAll("*")].map(shadow).filter(Boolean);
            for (const from of [top, ...deep])
              for (const el of from.querySelectorAll("button,a,[role=button],input[type=button],input[type=submit]")) {
                if (!visible(el)) continue;
                const own = name(el);
                for (const word of words)
                  if ((own === word || own.startsWith(word + " ")) && own.length < 60 && word.length > length) {
                    best = el;
                    length = word.length;
                  }
              }
          }
      return best && { rect: rect(best), shown: true, text: name(best) };
    };
    // The first control of a frame that is a launcher, by its name.
    const controlName = () => {
      const el = document.querySelector("button,[role=button],a[href],[tabindex]");
      return el
        ? (el.getAttribute("aria-label") || el.title || el.innerText || "").trim().slice(0, 300)
        : "";
    };
    // The typeface of a panel and the fields that a visitor fills in; in a frame of the panel, of all of it.
    const details = (panel, messages) => {
      const root = pick(panel) || (window.parent !== window ? document.body : null);
      if (!root) return {};
      const inner = root.contentDocument ? root.contentDocument.body : root;
      const talks = messages.filter((m) => m).map(pick);
      const asks = [...inner.querySelectorAll("input,select,textarea")].filter(
        (el) =>
          visible(el) &&
          !talks.includes(el) &&
          !["hidden", "submit", "button", "file", "image", "reset", "checkbox", "radio"].includes(el.type),
      );
      const label = (el) => {
        const own = el.labels && el.labels[0] ? el.labels[0].innerText : "";
        return (own || el.getAttribute("aria-label") || el.placeholder || el.name || "").trim();
      };
      return {
        typeface: getComputedStyle(inner).fontFamily.slice(0, 300),
        right_to_left: getComputedStyle(inner).direction === "rtl",
        fields: asks.slice(0, 20).map((el) => ({
          label: label(el).slice(0, 120),
          kind: String(el.type || el.localName).slice(0, 20),
          required: el.required || el.getAttribute("aria-required") === "true",
        })),
      };
    };
    // The address of a picture that shows: of an image, of what holds one, or of a background.
    const pictureAt = (selector) => {
      const el = pick(selector);
      if (!el || !visible(el)) return null;
      const img = el.localName === "img" ? el : el.querySelector("img");
      if (img) return img.complete && img.naturalWidth > 0 ? img.currentSrc.slice(0, 200000) : null;
      const back = /url\(["']?(.*?)["']?\)/.exec(getComputedStyle(el).backgroundImage);
      return back ? new URL(back[1], document.baseURI).href.slice(0, 200000) : null;
    };
    // The look of the first bubble that stands there.
    const bubble = (selector) => {
      const el = pick(selector);
      if (!el || !visible(el)) return null;
      const style = getComputedStyle(el);
      return { ground: style.backgroundColor, words: style.color };
    };
    // What a document shows: characters of text, controls and pictures. What stands in a shadow root counts
    // as one.
    const content = (doc) => {
      if (!doc.body) return 0;
      const things = "input,textarea,select,button,img,svg,canvas,video,iframe,[contenteditable]";
      const hosts = [...doc.body.querySelectorAll("*")].filter(shadow);
      const shown = [...doc.body.querySelectorAll(things), ...hosts].filter(visible).length;
      return Math.min((doc.body.innerText || "").trim().length + shown, 100000);
    };
    const panelFrames = (selector) => {
      const panel = pick(selector);
      if (!panel) return [];
      const area = (el) => {
        const r = el.getBoundingClientRect();
        return r.width * r.height;
      };
      const inside = (root) => [
        ...root.querySelectorAll("iframe"),
        ...[...root.querySelectorAll("*")].map(shadow).filter(Boolean).flatMap(inside),
      ];
      const own = shadow(panel) ? inside(shadow(panel)) : [];
      const frames = panel.localName === "iframe" ? [panel] : [...inside(panel), ...own];
      const told = (frame) => {
        let doc = null;
        try {
          doc = frame.contentDocument;
        } catch {
          /* another origin */
        }
        return {
          url: frame.src.slice(0, 2000),
          share: Math.min(1, area(frame) / Math.max(1, area(panel))),
          content: doc ? content(doc) : null,
        };
      };
      return frames.filter(visible).slice(0, 5).map(told);
    };
    // The words of an element that are in no link.
    const besidesLinks = (selector) => {
      const el = pick(selector);
      if (!el) return null;
      const walk = document.createTreeWalker(el, NodeFilter.SHOW_TEXT);
      let words = "";
      while (walk.nextNode())
        if (!walk.currentNode.parentElement.closest("a")) words += walk.currentNode.data;
      return words.slice(0, 4000);
    };
    const shows = (selector) => {
      const el = pick(selector);
      return !!el && visible(el);
    };
    return {
      adopt,
      details,
      bubble,
      shows,
      besidesLinks,
      content,
      panelFrames,
      pictureAt,
      links,
      pick,
      sealed,
      shadow,
      launcher,
      controlName,
      fixed,
      box,
      byText,
      byWords,
      bring,
      visible,
      focusTarget,
      rect,
      hider,
      describe,
    };
  })();

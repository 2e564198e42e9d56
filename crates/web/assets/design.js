// The design's form and its live preview: the widget laid over a picture of the site's own page, in each of its
// states and languages. Numbers and palettes are computed by the server.
document.addEventListener("alpine:init", () => {
  const el = (name, kind, text) => {
    const made = document.createElement(name);
    if (kind) made.className = kind;
    if (text !== undefined) made.textContent = text;
    return made;
  };
  const ICONS = {
    speech: "M4 6h20v13H13l-6 5v-5H4z",
    telephone: "M8 4l4 6-3 3c1 3 3 5 6 6l3-3 6 4c-1 4-4 6-8 5C9 23 4 17 4 9c0-3 2-5 4-5z",
    letter: "M3 7h22v14H3zM3 7l11 8 11-8",
    question: "M14 4a10 10 0 1 0 .1 0M10 11c0-5 8-5 8 0 0 3-4 3-4 6M14 20v1",
  };
  const icon = (name, drawn, colour, size) => {
    const ns = "http://www.w3.org/2000/svg",
      svg = document.createElementNS(ns, "svg"),
      path = document.createElementNS(ns, "path");
    svg.setAttribute("viewBox", "0 0 28 28");
    svg.setAttribute("width", size);
    svg.setAttribute("height", size);
    path.setAttribute("d", ICONS[name] || ICONS.speech);
    const line = drawn === "outlined" || name === "question";
    path.setAttribute("fill", line ? "none" : colour);
    path.setAttribute("stroke", name === "letter" && !line ? "rgba(0,0,0,.35)" : colour);
    path.setAttribute("stroke-width", line ? 2 : 1);
    svg.appendChild(path);
    return svg;
  };
  // Examples in place of variables, so that a text is seen as long as it will be.
  const EXAMPLES = { name: "Robin", first_name: "Robin", page: "this page", minutes: "5", company: "" };
  const filled = (text) =>
    text.replace(/\{\{\s*([\w.]+)\s*\}\}|\$\{([\w.]+)\}|%([A-Z_]+)%|\[\[([\w.]+)\]\]|\{([\w.]+)\}/g, (all, ...g) => {
      const name = (g.slice(0, 5).find(Boolean) || "").toLowerCase();
      return EXAMPLES[name] ?? name.replace(/[_.]/g, " ");
    });
  const RTL = /^(ar|fa|he|ur|ps|dv|yi)\b/;

  Alpine.data("design", () => ({
    timer: 0,
    dirty: false,
    last: "button_colour",
    pictures: {},
    asking: {},
    init() {
      this.leaving = (e) => {
        if (this.dirty) e.preventDefault();
      };
      addEventListener("beforeunload", this.leaving);
      this.$refs.form.addEventListener("focusin", (e) => {
        const line = e.target.closest(".colour");
        if (!line) return;
        this.last = line.querySelector("input[name]").name;
        const label = this.$refs.form.querySelector('label[for="f-' + this.last + '"]');
        this.$refs.target.textContent = "A click on a colour fills: " + label.textContent + ".";
      });
      for (const stage of this.stages()) {
        const frame = el("div", "stageframe");
        if (stage.dataset.src) {
          const img = el("img", "shot");
          img.alt = "";
          img.src = stage.dataset.src;
          img.onload = () => this.colours("Page", img);
          frame.appendChild(img);
        }
        frame.appendChild(el("div", "over"));
        stage.appendChild(frame);
      }
      const logo = this.$refs.stages.dataset.logo;
      if (logo) {
        const img = new Image();
        img.onload = () => this.colours("Logo", img);
        img.src = logo;
      }
      this.fit = () => this.scale();
      addEventListener("resize", this.fit);
      this.paint();
      this.ask();
    },
    destroy() {
      removeEventListener("beforeunload", this.leaving);
      removeEventListener("resize", this.fit);
    },
    stages() {
      return [...this.$refs.stages.querySelectorAll(".stage")];
    },
    changed(event) {
      this.dirty = true;
      if (this.$refs.dirty) this.$refs.dirty.hidden = false;
      const of = event && event.target.closest(".colour");
      if (of && /^#[0-9a-f]{6}$/i.test(event.target.value))
        of.querySelector("[type=color]").value = event.target.value;
      this.paint();
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.ask(), 200);
    },
    kept() {
      this.dirty = false;
    },
    put(name, value) {
      const field = this.$refs.form.elements[name];
      field.value = value;
      const of = field.closest(".colour");
      if (of && value.startsWith("#")) of.querySelector("[type=color]").value = value;
      this.changed();
    },
    reset(event) {
      this.put(event.target.dataset.field, event.target.dataset.above);
    },
    picked(event) {
      this.put(event.target.dataset.of, event.target.value);
    },
    value(name) {
      const field = this.$refs.form.elements[name];
      return field ? field.value : "";
    },
    async ask() {
      const body = new URLSearchParams(new FormData(this.$refs.form));
      const answer = await fetch(this.$root.dataset.numbers, { method: "POST", body });
      if (!answer.ok) return;
      const n = await answer.json(),
        problem = this.$refs.problem;
      problem.hidden = !n.problem;
      problem.textContent = n.problem || "";
      if (n.problem) return;
      const rows = n.rows.map((m) => {
        const row = el("tr"),
          cell = el("td", m.weak ? "weak" : "", m.words);
        row.dataset.key = m.key;
        row.append(el("th", "", m.what), cell);
        if (m.take) {
          const take = el("button", "plainbutton take", "use " + m.take.colour);
          take.type = "button";
          take.title = m.take.label;
          const dot = el("span", "dot");
          dot.style.background = m.take.colour;
          take.prepend(dot);
          take.onclick = () => this.put(m.take.field, m.take.colour);
          cell.append(" ", take);
        }
        return row;
      });
      this.$refs.rows.replaceChildren(...rows);
    },
    // The colours of a picture by area; a click puts one into the field that was used last.
    async colours(what, img) {
      if (this.$refs.palettes.querySelector('[data-what="' + what + '"]')) return;
      const box = el("div", "palette");
      box.dataset.what = what;
      this.$refs.palettes.appendChild(box);
      const canvas = el("canvas"),
        most = 80,
        k = Math.min(1, most / Math.max(img.naturalWidth || 80, img.naturalHeight || 80));
      canvas.width = Math.max(1, Math.round((img.naturalWidth || 80) * k));
      canvas.height = Math.max(1, Math.round((img.naturalHeight || 80) * k));
      const g = canvas.getContext("2d");
      g.imageSmoothingEnabled = false;
      g.drawImage(img, 0, 0, canvas.width, canvas.height);
      const bytes = g.getImageData(0, 0, canvas.width, canvas.height).data;
      let text = "";
      for (const byte of bytes) text += byte.toString(16).padStart(2, "0");
      const body = new URLSearchParams({ csrf: this.value("csrf"), pixels: text });
      const answer = await fetch("/palette", { method: "POST", body });
      if (!answer.ok) return;
      const told = await answer.json();
      box.append(el("span", "small", what));
      for (const s of (told.shades || []).slice(0, 7)) {
        const swatch = el("button", "shade");
        swatch.type = "button";
        swatch.style.background = s.colour;
        swatch.title = s.colour + ", " + s.share + " % of the area";
        swatch.setAttribute("aria-label", "Use " + swatch.title);
        swatch.onclick = () => this.put(this.last, s.colour);
        box.append(swatch);
      }
    },
    language() {
      return this.$refs.language ? this.$refs.language.value : "";
    },
    // A text in the language of the preview; the first language's are the design's own.
    text(field, name) {
      const l = this.$refs.language;
      if (!l || l.selectedIndex === 0) return filled(this.value(field));
      const further = JSON.parse(this.$refs.stages.dataset.texts)[l.value] || {};
      return filled(further[name] || "");
    },
    paint() {
      const rtl = this.$refs.rtl.checked || RTL.test(this.language()),
        eyes = this.$refs.eyes.value;
      for (const stage of this.stages()) {
        stage.style.background = this.value("page_colour") || "#ffffff";
        stage.style.filter = eyes ? "url(#see-" + eyes + ")" : "";
        stage.classList.toggle("dark", this.$refs.dark.checked);
        const over = stage.querySelector(".over");
        over.dir = rtl ? "rtl" : "ltr";
        over.replaceChildren(...this.widget(stage));
      }
      this.scale();
      this.told();
    },
    scale() {
      for (const stage of this.stages()) {
        const w = Number(stage.dataset.w),
          h = Number(stage.dataset.h),
          whole = stage.clientWidth / w,
          near = this.$refs.near.checked && stage.dataset.screen === "desktop",
          k = near ? 0.85 : whole,
          tall = near ? Math.min(h * k, 480) : h * k,
          corner = this.value("corner"),
          frame = stage.firstElementChild;
        frame.style.width = w + "px";
        frame.style.height = h + "px";
        // Close up, the corner that the widget is in stays in sight.
        const x = near && corner.endsWith("right") ? stage.clientWidth - w * k : 0,
          y = near && corner.startsWith("bottom") ? tall - h * k : 0;
        frame.style.transform = "translate(" + x + "px," + y + "px) scale(" + k + ")";
        stage.style.height = tall + "px";
      }
    },
    // What does not fit where it stands.
    told() {
      const out = [];
      for (const stage of this.stages())
        for (const part of stage.querySelectorAll("[data-fits]"))
          if (part.scrollWidth > part.clientWidth + 1 || part.scrollHeight > part.clientHeight + 1)
            out.push(part.dataset.fits + " does not fit on a " + stage.dataset.screen);
      const box = this.$refs.overflow;
      box.hidden = out.length === 0;
      box.textContent = out.length ? out.join("; ") + "." : "";
    },
    widget(stage) {
      const phone = stage.dataset.screen === "phone",
        state = this.$refs.state.value,
        on = this.value("on_phones"),
        form = this.value("form");
      if (phone && on === "hidden") return [el("p", "absent", "Hidden on phones")];
      let side = this.value("corner").endsWith("right") ? "right" : "left";
      if (phone && on === "other side") side = side === "right" ? "left" : "right";
      const edge = this.value("corner").startsWith("bottom") ? "bottom" : "top",
        // What is designed for phones alone goes first there.
        px = (name) => Number((phone && this.value("phone_" + name)) || this.value(name)),
        x = px("offset_x") || 0,
        y = px("offset_y") || 0,
        size = px("size") || 60,
        out = [];
      const button = el("div", "wbutton " + form);
      button.style.background = this.value("button_colour");
      button.style.color = this.value("icon_colour");
      button.style.width = (form === "launcher" ? size : size * 0.7) + "px";
      button.style.height = (form === "tab" ? size * 2 : size) + "px";
      button.style[side] = (form === "tab" ? 0 : x) + "px";
      if (form === "tab") button.style.top = "40%";
      else button.style[edge] = y + "px";
      const picture = this.value("picture");
      if (this.value("icon") === "own picture" && picture) {
        const img = this.drawn(picture, "wown");
        button.append(img || el("span", "small", "own picture"));
        if (img) button.append(el("span", "safe"));
      } else button.append(icon(this.value("icon"), this.value("icon_drawn"), this.value("icon_colour"), size * 0.5));
      const badge = this.value("badge");
      if (badge !== "none" && state === "shut") button.append(el("span", "wbadge", badge === "count" ? "1" : ""));
      out.push(button);
      if (state === "prompt") out.push(this.prompt(side, edge, x, y, size));
      if (state !== "shut" && state !== "prompt") out.push(this.panel(phone, state, side, edge, x, y, size));
      return out;
    },
    // The picture that the design names; without one, the client's own.
    logo() {
      const named = this.value("logo_picture"),
        own = this.$refs.stages.dataset.logo;
      if (named || !own) return named && this.drawn(named, "wlogo");
      const img = el("img", "wlogo");
      img.src = own;
      img.alt = "";
      return img;
    },
    // A picture at an address: fetched once by the application, then drawn wherever the design has it.
    drawn(address, kind) {
      const known = this.pictures[address];
      if (known && known.src) {
        const img = el("img", kind);
        img.src = known.src;
        img.alt = "";
        return img;
      }
      if (!known) {
        // While an address is typed, only what stands at last is asked for; each kind of picture for itself.
        const before = this.asking[kind];
        if (before) {
          clearTimeout(before.timer);
          delete this.pictures[before.address];
        }
        this.pictures[address] = {};
        const timer = setTimeout(() => {
          delete this.asking[kind];
          this.fetchPicture(address);
        }, 400);
        this.asking[kind] = { address, timer };
      } else if (known.problem) {
        this.$refs.problem.textContent = known.problem;
        this.$refs.problem.hidden = false;
      }
      return null;
    },
    async fetchPicture(address) {
      const body = new URLSearchParams({ csrf: this.value("csrf"), base: this.$root.dataset.base || "", address });
      try {
        const answer = await fetch("/picture", { method: "POST", body });
        this.pictures[address] = await answer.json();
      } catch {
        this.pictures[address] = { problem: "The picture cannot be shown: the application did not answer." };
      }
      this.paint();
    },
    prompt(side, edge, x, y, size) {
      const words = this.text("prompt", "prompt"),
        box = el("div", "wprompt", words || "No prompt is designed");
      box.dataset.fits = "The prompt";
      box.classList.toggle("none", !words);
      box.style[side] = x + size + 10 + "px";
      box.style[edge] = y + 8 + "px";
      return box;
    },
    panel(phone, state, side, edge, x, y, size) {
      const panel = el("div", "wpanel");
      panel.style[side] = (phone ? 8 : x) + "px";
      panel.style[edge] = y + size + 12 + "px";
      panel.style.width = phone ? "374px" : "340px";
      panel.style.background = this.value("ground");
      panel.style.color = this.value("ground_words");
      if (this.value("typeface")) panel.style.fontFamily = this.value("typeface") + ", sans-serif";
      const head = el("div", "whead");
      head.style.background = this.value("header_colour");
      head.style.color = this.value("header_text");
      const logo = this.value("logo") === "shown" && this.logo();
      if (logo) head.append(logo);
      const names = el("div", "wnames"),
        title = el("b", "wtitle", this.text("title", "title"));
      title.dataset.fits = "The title";
      names.append(title);
      const below = this.text("subtitle", "subtitle"),
        minutes = Number(this.value("promise_min"));
      if (below) {
        const line = el("span", "wline", below);
        line.dataset.fits = "The line below the title";
        names.append(line);
      }
      if (minutes > 0) names.append(el("span", "wline", "Usually answers within " + minutes + " min"));
      head.append(names, el("span", "wclose", "\u00d7"));
      const body = el("div", "wbody");
      body.dataset.fits = "The panel content";
      const note = this.text("notice_text", "notice");
      if (note) {
        const p = el("p", "wnotice", note + " ");
        if (this.value("notice_link")) p.append(el("u", "", "Privacy"));
        body.append(p);
      }
      const words = (text, kind) => {
        const b = el("p", "wbubble " + kind, text);
        const own = kind === "own";
        b.style.background = this.value(own ? "own_bubble" : "answer_bubble");
        b.style.color = this.value(own ? "own_words" : "answer_words");
        body.append(b);
      };
      const agent = this.value("agent_name");
      if (state === "before" || state === "away" || state === "closed") {
        const said = { before: ["before_text", "before_text"], away: ["away", "away"], closed: ["closed", "closed"] }[state],
          text = this.text(said[0], said[1]);
        if (text) body.append(el("p", "wsaid", text));
        else if (state !== "before") body.append(el("p", "wsaid none", "No text is designed for this state"));
        const asked = this.value("asked").split(",").map((a) => a.trim()).filter(Boolean);
        for (const name of asked.length ? asked : state === "before" ? [] : ["Message*"]) body.append(el("span", "wfield", name));
        const go = el("span", "wgo", state === "before" ? "Start" : "Send");
        go.style.background = this.value("button_colour");
        go.style.color = this.value("icon_colour");
        body.append(go);
      } else {
        const face = this.value("agent_photo") && this.drawn(this.value("agent_photo"), "wface");
        if (face) body.append(face);
        if (agent) body.append(el("span", "small", agent));
        words(this.text("greeting", "greeting"), "agent");
        words("Do you have it in blue?", "own");
        if (state === "sent") {
          const sent = this.text("sent", "sent");
          body.append(el("p", "wsaid" + (sent ? "" : " none"), sent || "No text is designed for this state"));
          if (this.value("rating") === "yes") body.append(el("p", "wstars", "\u2606 \u2606 \u2606 \u2606 \u2606"));
          if (this.value("transcript") === "yes") body.append(el("p", "small", "Send me this chat by e-mail"));
        } else body.append(el("span", "wfield talk", this.value("files") === "yes" ? "Write, or add a file" : "Write"));
      }
      panel.append(head, body);
      if (this.value("supplier_mark") === "shown") panel.append(el("div", "wmark", "by the supplier"));
      return panel;
    },
  }));

  // A value sheet: values are copied, and ticks stay in this browser.
  Alpine.data("ticks", () => ({
    key: "",
    init() {
      this.key = this.$root.dataset.of;
      const done = this.read();
      for (const box of this.$root.querySelectorAll("[data-tick]")) box.checked = done.includes(box.dataset.tick);
    },
    read() {
      try {
        return JSON.parse(localStorage.getItem(this.key) || "[]");
      } catch {
        return [];
      }
    },
    tick() {
      const done = [...this.$root.querySelectorAll("[data-tick]:checked")].map((b) => b.dataset.tick);
      localStorage.setItem(this.key, JSON.stringify(done));
    },
    async copy(event) {
      const button = event.target;
      try {
        await navigator.clipboard.writeText(button.dataset.copy);
        button.textContent = "Copied";
      } catch {
        button.textContent = "Select it and press Ctrl+C";
      }
    },
  }));
});

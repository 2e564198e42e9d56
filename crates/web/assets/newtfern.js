// Small behaviour of the pages. Everything works without it except live progress and the preview.

// The page as the server has it now, put in place of the old one. No reload: the window keeps its scroll
// position and its keyboard focus, and a page being read by something else is not taken away under it.
async function renew() {
  const answer = await fetch(location.href);
  if (!answer.ok || answer.redirected) {
    location.reload();
    return;
  }
  const fresh = new DOMParser().parseFromString(await answer.text(), "text/html");
  const at = document.activeElement,
    id = at && at.id,
    href = at && at.getAttribute("href");
  for (const part of [".trail", ".roundbar", "main"]) {
    const old = document.querySelector(part),
      now = fresh.querySelector(part);
    if (old && now) old.replaceWith(document.adoptNode(now));
    else if (old) old.remove();
  }
  if (at && !at.isConnected) {
    const again = id
      ? document.getElementById(id)
      : href &&
        [...document.querySelectorAll("main a")].find((a) => a.getAttribute("href") === href);
    if (again) again.focus({ preventScroll: true });
  }
}

// What workers report, to `told`; gives the way to stop listening. The pages of a browser that are seen at
// the same time share one stream: the one that holds the lock passes on what it hears. Without locks (plain
// http on another machine) each has its own. `look` is called whenever listening begins, here or again after a
// break: what was told in between, while the page was loading too, was heard by nobody.
function hear(told, look) {
  const stop = new AbortController(),
    channel = new BroadcastChannel("newtfern-progress");
  let source = null,
    release = null;
  channel.onmessage = (e) => (e.data ? told(e.data) : look());
  const open = () =>
    new Promise((done) => {
      release = done;
      source = new EventSource("/events");
      source.addEventListener("open", () => {
        channel.postMessage("");
        look();
      });
      source.addEventListener("progress", (e) => {
        channel.postMessage(e.data);
        told(e.data);
      });
    });
  if (navigator.locks)
    navigator.locks.request("newtfern-progress", { signal: stop.signal }, open).catch(() => {});
  else open();
  look();
  return () => {
    stop.abort();
    if (source) source.close();
    if (release) release();
    channel.close();
  };
}

document.addEventListener("alpine:init", () => {
  // Ticked rows of a lens; what is ticked stays ticked on other pages and in other lenses, until it was
  // acted on. Kept in this tab alone.
  Alpine.data("selection", () => ({
    words: "0 selected",
    kept: new Set(),
    init() {
      if (this.$refs.density) this.show(localStorage.getItem("full") === "yes");
      // After Back a page may be shown as it was left. Its form asks for no ticks to be restored beside that
      // (autocomplete="off"): they would come after the count.
      this.shown = () => this.sync();
      addEventListener("pageshow", this.shown);
      this.sync();
    },
    destroy() {
      removeEventListener("pageshow", this.shown);
    },
    sync() {
      if (this.$refs.elsewhere) {
        try {
          this.kept = new Set(JSON.parse(sessionStorage.getItem("ticked") || "[]"));
        } catch {
          this.kept = new Set();
        }
        this.boxes().forEach((b) => {
          b.checked = this.kept.has(b.value);
        });
      }
      this.count();
    },
    // One line a site, or all that is known of it: remembered in this browser.
    density() {
      const full = this.$refs.density.getAttribute("aria-pressed") !== "true";
      localStorage.setItem("full", full ? "yes" : "no");
      this.show(full);
    },
    show(full) {
      const table = this.$root.querySelector("table.rows");
      if (table) table.classList.toggle("dense", !full);
      this.$refs.density.setAttribute("aria-pressed", String(full));
    },
    boxes() {
      return [...this.$root.querySelectorAll('td input[type="checkbox"]')];
    },
    toggle() {
      this.boxes().forEach((b) => {
        b.checked = this.$refs.every.checked;
      });
      this.count();
    },
    clear() {
      this.kept.clear();
      this.boxes().forEach((b) => {
        b.checked = false;
      });
      this.$refs.every.checked = false;
      this.count();
    },
    count() {
      const boxes = this.boxes(),
        here = boxes.filter((b) => b.checked).length;
      let n = here;
      if (this.$refs.elsewhere) {
        boxes.forEach((b) => {
          if (b.checked) this.kept.add(b.value);
          else this.kept.delete(b.value);
        });
        const ids = [...this.kept];
        this.$refs.elsewhere.value = ids.join(",");
        sessionStorage.setItem("ticked", JSON.stringify(ids));
        n = ids.length;
        this.$refs.none.hidden = n === 0;
      }
      this.words = n
        ? n + " selected" + (n > here ? ", " + (n - here) + " on other pages" : "")
        : "0 selected";
    },
  }));

  // Rows of a form that can grow: one more like the last, with the next number in its names and labels.
  Alpine.data("growing", () => ({
    add() {
      const last = [...this.$root.querySelectorAll("[data-row]")].pop(),
        row = last.cloneNode(true),
        next = (text) => text.replace(/\d+$/, (n) => Number(n) + 1);
      for (const part of [row, ...row.querySelectorAll("[name], [aria-label]")]) {
        for (const name of ["name", "aria-label"])
          if (part.hasAttribute(name)) part.setAttribute(name, next(part.getAttribute(name)));
        if (part.type === "checkbox") part.checked = false;
        else if (part.tagName === "INPUT") part.value = "";
      }
      last.after(row);
      row.querySelector("input, select").focus();
    },
  }));

  // A round under way: the bar follows the workers' notices.
  Alpine.data("progress", () => ({
    hears: null,
    init() {
      // A page in the background listens to nothing: browsers hold few connections to one host.
      this.listen = () => {
        if (document.hidden || this.hears) return;
        this.hears = hear(
          (text) => this.told(JSON.parse(text)),
          () => this.look(),
        );
      };
      this.leave = () => {
        if (this.hears) this.hears();
        this.hears = null;
      };
      this.turn = () => (document.hidden ? this.leave() : this.listen());
      document.addEventListener("visibilitychange", this.turn);
      addEventListener("pagehide", this.leave);
      addEventListener("pageshow", this.listen);
      this.listen();
    },
    // How far the round is now. Where that cannot be had, the next notice tells it.
    async look() {
      const answer = await fetch("/rounds/" + this.$root.dataset.round + "/progress").catch(() => null);
      if (answer && answer.ok && !answer.redirected) this.told(await answer.json());
    },
    told(p) {
      const { round, over } = this.$root.dataset,
        reload = this.$root.dataset.reload === "yes";
      if (p.round !== Number(round)) return;
      this.$refs.bar.value = p.percent;
      this.$refs.words.textContent =
        p.over + " of " + p.total + " sites" + (p.finished ? ", done" : "");
      const news = p.over !== Number(over);
      this.$refs.fresh.hidden = !news;
      this.$refs.fresh.href = location.pathname + location.search;
      // A page that was made when all was over shows it.
      if (news && p.finished && (reload || !document.querySelector(":focus-within input, input:checked")))
        renew();
    },
    destroy() {
      this.leave();
      document.removeEventListener("visibilitychange", this.turn);
      removeEventListener("pagehide", this.leave);
      removeEventListener("pageshow", this.listen);
    },
  }));

  Alpine.data("copy", () => ({
    words: "Copy",
    async copy() {
      const text = this.$refs.code.textContent;
      try {
        await navigator.clipboard.writeText(text);
        this.words = "Copied";
      } catch {
        const r = document.createRange();
        r.selectNodeContents(this.$refs.code);
        getSelection().removeAllRanges();
        getSelection().addRange(r);
        this.words = "Selected: press Ctrl+C";
      }
    },
  }));

  // A profile: a changed field goes into the text and the text into the fields, and what is wrong is told. Changed
  // fields go in one after the other, each into the text that the one before it gave; a save waits for them.
  Alpine.data("profile", () => ({
    timer: 0,
    turn: 0,
    waiting: new Map(),
    working: false,
    saving: null,
    body(more) {
      const token = this.$root.querySelector('[name="csrf"]').value;
      return new URLSearchParams({
        csrf: token,
        kind: this.$root.dataset.kind,
        text: this.$refs.text.value,
        ...more,
      });
    },
    async look(more) {
      const answer = await fetch("/profiles/look", { method: "POST", body: this.body(more) });
      if (!answer.ok) throw new Error(answer.statusText);
      return answer.json();
    },
    typed() {
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.ask(), 300);
    },
    field(event) {
      this.waiting.set(event.target.dataset.field, event.target.value);
      this.work();
    },
    async work() {
      if (this.working) return;
      this.working = true;
      let refused = false,
        lost = false;
      while (!lost && this.waiting.size) {
        const became = await this.take(...this.waiting.entries().next().value);
        refused ||= became === "refused";
        lost = became === "lost";
      }
      this.working = false;
      const saving = this.saving;
      this.saving = null;
      if (saving && !refused && !lost) this.$root.requestSubmit(saving);
    },
    // Takes one field into the text. Where no answer came it is lost for now, and waits on.
    async take(field, value) {
      const before = this.$refs.text.value;
      let told;
      try {
        told = await this.look({ field, value });
      } catch {
        const why = "The text could not be updated from a field. Save again in a moment.";
        this.tell(this.$refs.looked, [["bad", why]]);
        return "lost";
      }
      // The text was typed on meanwhile: into that one, then.
      if (this.$refs.text.value !== before) return "again";
      if (this.waiting.get(field) === value) this.waiting.delete(field);
      this.turn++;
      this.$refs.text.value = told.text;
      this.show(told);
      return told.refused ? "refused" : "taken";
    },
    save(event) {
      if (!this.working && !this.waiting.size) return;
      event.preventDefault();
      this.saving = event.submitter;
      this.work();
    },
    async ask() {
      const turn = ++this.turn,
        before = this.$refs.text.value;
      let told;
      try {
        told = await this.look({});
      } catch {
        return this.tell(this.$refs.looked, [["bad", "The text could not be checked. Try again in a moment."]]);
      }
      // A later question is under way, or the text was typed on.
      if (turn === this.turn && this.$refs.text.value === before) this.show(told);
    },
    show(told) {
      const fields = [...this.$root.querySelectorAll("[data-field]")];
      fields.forEach((f, i) => {
        if (f !== document.activeElement && !this.waiting.has(f.dataset.field))
          f.value = told.values[i];
      });
      const lines = told.problems.length
        ? told.problems.map((p) => ["bad", p])
        : [["good", "Valid."]];
      this.tell(this.$refs.looked, [...lines, ...told.remarks.map((r) => ["", r])]);
    },
    async tryOn() {
      const place = this.$refs.tried;
      this.tell(place, [["", "Checking\u2026"]]);
      try {
        const body = this.body({ address: this.$refs.address.value });
        const answer = await fetch("/profiles/try", { method: "POST", body });
        const told = await answer.json();
        const lines = told.problem ? [["bad", told.problem]] : told.lines.map((l) => ["good", l]);
        this.tell(place, lines);
      } catch {
        this.tell(place, [["bad", "The address could not be checked. Try again in a moment."]]);
      }
    },
    async propose() {
      const place = this.$refs.tried,
        before = this.$refs.text.value;
      this.tell(place, [["", "A browser is visiting the page\u2026"]]);
      try {
        const body = this.body({ address: this.$refs.address.value });
        const told = await (await fetch("/profiles/propose", { method: "POST", body })).json();
        if (told.problem) return this.tell(place, [["bad", told.problem]]);
        const none = [["", "The visit found no widget. Check that this page has it."]];
        const missing = told.missing.map((m) => ["", m]);
        this.tell(place, [...(told.lines.length ? told.lines.map((l) => ["good", l]) : none), ...missing]);
        if (told.candidates.length) place.append(this.pointing(told));
        if (this.$refs.text.value !== before) return;
        this.$refs.text.value = told.text;
        this.ask();
      } catch {
        this.tell(place, [["bad", "The visit failed. Try again in a moment."]]);
      }
    },
    // The page with each element that may be the launcher: one is chosen by pressing it.
    pointing(told) {
      const [wide, high] = told.page;
      const picture = document.createElementNS("http://www.w3.org/2000/svg", "svg");
      picture.setAttribute("viewBox", `0 0 ${wide} ${high}`);
      picture.setAttribute("class", "pointing");
      picture.setAttribute("role", "group");
      picture.setAttribute("aria-label", "Elements that may be the launcher");
      if (told.picture) {
        const shot = document.createElementNS("http://www.w3.org/2000/svg", "image");
        shot.setAttribute("href", "data:image/png;base64," + told.picture);
        shot.setAttribute("width", wide);
        shot.setAttribute("height", high);
        picture.append(shot);
      }
      told.candidates.forEach(({ selector, rect, label }) => {
        const box = document.createElementNS("http://www.w3.org/2000/svg", "rect");
        for (const side of ["x", "y", "width", "height"]) box.setAttribute(side, rect[side]);
        const name = label ? `${selector}: ${label}` : selector;
        box.setAttribute("tabindex", "0");
        box.setAttribute("role", "button");
        box.setAttribute("aria-label", `Use ${name} as launcher`);
        const title = document.createElementNS("http://www.w3.org/2000/svg", "title");
        title.textContent = name;
        box.append(title);
        const use = () => this.use(selector);
        box.addEventListener("click", use);
        box.addEventListener("keydown", (e) => (e.key === "Enter" || e.key === " ") && (e.preventDefault(), use()));
        picture.append(box);
      });
      const how = document.createElement("p");
      how.className = "small";
      how.textContent = "The page, with each element that may be the launcher. Press the right one.";
      const both = document.createElement("div");
      both.append(how, picture);
      return both;
    },
    use(selector) {
      for (const name of ["alive.launcher", "open.click"]) {
        const field = this.$root.querySelector(`[data-field="${name}"]`);
        if (!field) continue;
        field.value = selector;
        field.dispatchEvent(new Event("change", { bubbles: true }));
      }
    },
    tell(place, lines) {
      place.replaceChildren(
        ...lines.map(([state, text]) => {
          const line = document.createElement("p");
          line.className = "hint " + state;
          line.textContent = text;
          return line;
        }),
      );
    },
  }));

  // A page that shows how far something is looks again until it is over.
  Alpine.data("again", () => ({
    init() {
      setTimeout(() => location.reload(), 1500);
    },
  }));

  // Page rules are shown against the pages that are known, while they are typed.
  Alpine.data("rules", () => ({
    timer: 0,
    turn: 0,
    init() {
      if (this.$root.dataset.site !== "0") this.ask();
    },
    changed() {
      clearTimeout(this.timer);
      if (this.$root.dataset.site !== "0") this.timer = setTimeout(() => this.ask(), 250);
    },
    async ask() {
      const turn = ++this.turn,
        form = this.$root.closest("form");
      const body = new URLSearchParams();
      for (const name of ["csrf", "on", "not_on"]) body.set(name, form.elements[name].value);
      const at = "/sites/" + this.$root.dataset.site + "/pages/rules";
      let shown = "";
      try {
        const answer = await fetch(at, { method: "POST", body });
        if (answer.ok) shown = await answer.text();
      } catch {
        // Without an answer nothing is shown; the rules are looked at again when they are kept.
      }
      if (turn === this.turn) this.$refs.shown.innerHTML = shown;
    },
  }));

  // The address of a new site is looked at as soon as it is typed.
  Alpine.data("look", () => ({
    async ask(event) {
      const hint = this.$refs.hint,
        form = this.$root;
      hint.textContent = "Checking…";
      hint.className = "hint";
      const body = new URLSearchParams({
        csrf: form.querySelector('[name="csrf"]').value,
        url: event.target.value,
      });
      try {
        const r = await (await fetch("/sites/look", { method: "POST", body })).json();
        hint.textContent =
          r.problem ||
          ["The site answers" + (r.title ? ": " + r.title : "") + ".", ...r.remarks].join(" ");
        hint.className = r.problem ? "hint bad" : "hint good";
        if (r.platform && this.$refs.platform && !this.$refs.platform.value)
          this.$refs.platform.value = r.platform;
      } catch {
        hint.textContent = "The address could not be checked now. It is checked again when you add the site.";
      }
    },
  }));
});

// A form kept over a sign-in in another tab is sent with that sign-in's token.
document.addEventListener("submit", async (e) => {
  const form = e.target,
    field = form.matches("[data-fresh-token]") && form.elements.csrf;
  if (!field || field.value) return;
  e.preventDefault();
  const page = new DOMParser().parseFromString(await (await fetch("/rounds")).text(), "text/html");
  const token = page.querySelector('meta[name="form-token"]');
  if (token) {
    field.value = token.content;
    form.submit();
  } else {
    location.assign("/sign-in");
  }
});

// Search, client and state stay when the lens changes.
document.addEventListener("click", (e) => {
  const link = e.target.closest("a[data-keep-query]");
  if (link && location.pathname.startsWith("/lens/")) {
    const now = new URLSearchParams(location.search);
    now.delete("page");
    link.search = now.toString();
  }
});
// After an action the focus stands on what became of it, so that a screen reader says it and Tab goes on from there.
addEventListener("DOMContentLoaded", () => {
  const told = document.querySelector("main .problem[role=alert]:not([hidden]), main .good[role=status]");
  if (!told || (document.activeElement && document.activeElement !== document.body)) return;
  told.tabIndex = -1;
  told.focus({ preventScroll: true });
});
// What was acted on, or is gone, is not selected any more. Whoever edits values comes back to the list, with the
// same rows selected.
document.addEventListener("submit", (e) => {
  const keeps = e.submitter && e.submitter.matches("[data-keeps]");
  if (e.target.matches("[data-clears]") && !keeps) sessionStorage.removeItem("ticked");
});
function showKeys() {
  const keys = document.getElementById("keys");
  if (keys && !keys.open) keys.showModal();
}
document.addEventListener("click", (e) => {
  if (e.target.closest("[data-keys]")) showKeys();
});
// The keys that templates/base/keys.html lists.
document.addEventListener("keydown", (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey || /^(input|textarea|select)$/i.test(e.target.tagName))
    return;
  if (e.key === "/") {
    const s = document.querySelector('[data-key="/"]');
    if (s) {
      e.preventDefault();
      s.focus();
    }
  }
  if (e.key === "?") showKeys();
  if (e.key === "n" || e.key === "p") {
    const links = [...document.querySelectorAll(".sitecell a")],
      at = links.indexOf(document.activeElement);
    const next = links[Math.max(0, e.key === "n" ? at + 1 : at - 1)];
    if (next) {
      e.preventDefault();
      next.focus();
    }
  }
});

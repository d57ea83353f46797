import htmx from "htmx.org";
import { bandAt, endOf, nextOf } from "./bands.js";
import { say } from "./say.js";
import { send } from "./arrive.js";

// named is a selector by which what has the focus is found again in a margin that was sent
// anew: by its id, or as the mark that it offers.
function named(e) {
  if (!e) return "";
  if (e.id) return `#${CSS.escape(e.id)}`;
  if (!e.closest("[data-mark]")) return "";
  const { filament } = e.dataset;
  if (filament) return `[data-mark] [data-filament="${CSS.escape(filament)}"]`;
  const kind = ["plain", "nozzle", "own"].find((k) => k in e.dataset);
  return kind ? `[data-mark] [data-${kind}]` : "";
}

// Margin is the list of what is marked, beside the pages. The server sends it anew with
// each change; what was open in it stays open.
export class Margin {
  constructor(bench) {
    this.bench = bench;
    this.opened = [];
    this.focus = "";
    this.moving = ""; // the ear that is changed: the fold goes along with it
    this.seen = ""; // what was brought into sight last
    this.aside = bench.q("[data-aside]");
    const { root, q, id } = bench;
    document.addEventListener(
      "htmx:beforeSwap",
      () => {
        this.opened = [...root.querySelectorAll("#margin details[open]")].map((d) => d.id);
        this.focus = named(document.activeElement?.closest("#margin") && document.activeElement);
      },
      { signal: bench.gone },
    );
    document.addEventListener(
      "htmx:afterSettle",
      () => {
        if (root.querySelector("#margin")) this.settled();
      },
      { signal: bench.gone },
    );
    // The server learns which version of an ear is changed, and which card is open.
    document.addEventListener(
      "htmx:configRequest",
      (e) => {
        const card = e.detail.elt.closest?.("[data-ear]");
        if (card && e.detail.verb === "post") e.detail.headers["X-Ear"] ??= card.dataset.sign;
        this.moving = /\/ears\/[^/]+$/.test(e.detail.path) ? (card?.dataset.ear ?? "") : "";
        const open = root.querySelector('[data-ear][data-open="true"]');
        if (open) e.detail.headers["X-Open"] = open.dataset.ear;
      },
      { signal: bench.gone },
    );
    root.addEventListener("input", (e) => {
      if (e.target.id === "ch-from") q("#ch-line").value = "";
    });
    root.addEventListener("change", (e) => {
      const file = e.target.files?.[0];
      if (!file) return;
      if (e.target.dataset.newer !== undefined) newer(id, root, file);
      else if (e.target.dataset.plan) plan(e.target.dataset.plan, q("#margin"), file);
      else return;
      e.target.value = "";
    });
  }

  // take takes over what the margin says is marked.
  take() {
    const { state, q } = this.bench;
    const m = q("#margin");
    const { ears, bands, mutes, changes, overs, sits, found } = JSON.parse(m.dataset.marks);
    const had = state.ears.map((e) => e.id);
    Object.assign(state, { ears, bands, mutes, changes, overs, sits, found });
    const fresh = ears.filter((e) => !had.includes(e.id));
    if (had.length && fresh.length === 1) {
      state.chosen = fresh[0].id;
      state.adding = false;
    }
    if (m.dataset.said) {
      say(m.dataset.said);
      delete m.dataset.said;
    }
  }

  async settled() {
    const { root } = this.bench;
    for (const i of this.opened) document.getElementById(i)?.setAttribute("open", "");
    this.opened = [];
    this.take();
    const moved = this.bench.state.ears.find((e) => e.id === this.moving);
    this.moving = "";
    if (moved) await this.bench.goEar(moved);
    await this.bench.show();
    if (this.focus && document.activeElement === document.body)
      root.querySelector(this.focus)?.focus();
    this.focus = "";
  }

  // show opens the card of the ear at the fold, and offers what can be marked there.
  show() {
    const { root, state, q, put, id, N } = this.bench;
    const n = state.fold,
      inside = state.path > 0,
      line = this.bench.lineNow(),
      ear = this.bench.earHere();
    for (const li of root.querySelectorAll("[data-ear]")) {
      const open = li.dataset.ear === ear?.id;
      li.dataset.open = open;
      const more = li.querySelector("[data-more]");
      more.hidden = !open;
      if (open && more.dataset.lean !== undefined) {
        // of many ears, the inside comes when it is opened
        delete more.dataset.lean;
        const where = { source: more, target: more, swap: "innerHTML" };
        htmx.ajax("GET", `/prints/${id}/ears/${ear.id}`, where);
      }
      li.querySelector("[data-jump]").setAttribute("aria-expanded", open);
    }
    q("#before").value = inside ? "" : n;
    q("#line").value = line || "";
    q("#ch-from").value = Math.min(n, N);
    q("#ch-line").value = inside ? line || "" : "";
    q("[data-mark]").hidden = (ear && !state.adding) || n > N || (inside && !line);
    const before = n <= N ? `${ear ? "Also" : "Mark"} before layer ${n}` : "";
    put("mark-title", inside ? `${ear ? "Also" : "Mark"} inside layer ${n}` : before);
    const here = n > 1 || inside ? this.filamentBefore() : "";
    for (const b of root.querySelectorAll("[data-mark] [data-filament]"))
      b.disabled = b.dataset.filament === here || this.has("colour");
    q("[data-mark] [data-nozzle]").disabled = this.has("nozzle");
    this.bar(ear, before || "The print is done");
    this.bringIntoSight(ear);
  }

  // has reports whether something of a kind is marked at the fold; a fold takes one colour
  // and one nozzle.
  has(kind) {
    return this.bench.earsHere().some((e) => e.kind === kind);
  }

  // bar offers the same at the lower edge where the margin lies beneath the pages.
  bar(ear, title) {
    const { root, q, put, state } = this.bench;
    const marks = q("[data-bar-marks]");
    const inside = `Inside ${state.fold}`;
    put(
      "bar-title",
      ear && !state.adding ? ear.name : state.path > 0 ? inside : title.replace(/^Mark b/, "B"),
    );
    const copy = (from, text) => {
      const b = document.createElement("button");
      b.type = "button";
      b.className = "bar-mark";
      b.disabled = from.disabled;
      const swatch = from.matches("button") && from.querySelector("svg");
      b.append(...[swatch && swatch.cloneNode(true), text].filter(Boolean));
      b.addEventListener("click", () => from.click());
      return b;
    };
    if (ear && !state.adding) {
      const card = root.querySelector(`[data-ear="${ear.id}"]`);
      const b = copy(card, "Open its card");
      b.addEventListener("click", () => card.scrollIntoView({ block: "start" }));
      const also = copy(card, "Add another thing");
      also.addEventListener("click", () => this.bench.acts.add());
      const remove = card.querySelector("[data-remove]"); // not before its inside has come
      marks.replaceChildren(...[b, also, remove && copy(remove, "Remove")].filter(Boolean));
    } else {
      const all = q("[data-mark]").hidden ? [] : root.querySelectorAll("[data-mark] button");
      marks.replaceChildren(...[...all].map((b) => copy(b, b.textContent.trim())));
    }
  }

  // bringIntoSight scrolls the margin, where it scrolls by itself, to the card of the ear at
  // the fold when that opens.
  bringIntoSight(ear) {
    const id = ear?.id ?? "";
    if (id === this.seen) return;
    this.seen = id;
    const { aside } = this;
    const card = id && this.bench.root.querySelector(`[data-ear="${id}"]`);
    if (!card || getComputedStyle(aside).overflowY !== "auto") return;
    const [a, c] = [aside.getBoundingClientRect(), card.getBoundingClientRect()];
    const above = c.top - a.top - 8,
      below = c.bottom - a.bottom + 8;
    if (below > 0) aside.scrollTop += Math.min(below, above);
    else if (above < 0) aside.scrollTop += above;
  }

  filamentBefore() {
    const { state } = this.bench;
    const band =
      state.path > 0
        ? bandAt(state.bands, state.fold, this.bench.lineNow() - 1)
        : endOf(state.bands, Math.max(state.fold - 1, 1));
    return band?.filament;
  }

  // nextFilament is the one that a mark would put here.
  nextFilament() {
    const { root, state, book } = this.bench;
    const offered = [...root.querySelectorAll("[data-mark] [data-filament]")];
    const slug = nextOf(
      state.bands,
      state.fold,
      state.path > 0 ? this.bench.lineNow() : 0,
      offered.map((b) => b.dataset.filament),
    );
    return slug ? { slug, ...book.filaments[slug] } : null;
  }
}

// newer brings another slicing of the same model.
function newer(id, root, file) {
  send(file, {
    url: `/prints/${id}/version`,
    list: root.querySelector("[data-newer-arrives]"),
    done: (v) => {
      location.href = `/prints/${v}`;
    },
  });
}

// mostPlan is how large a plan may be, bytes.
const mostPlan = 900000;

async function plan(url, source, file) {
  if (file.size > mostPlan) return say("This is too large to be a plan.");
  htmx.ajax("POST", url, { source, values: { plan: await file.text() } });
}

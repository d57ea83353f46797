import htmx from "htmx.org";
import { Spine } from "./spine.js";
import { Cover } from "./cover.js";
import { Thread, pathOf } from "./thread.js";
import { Book } from "./book.js";
import { View } from "./view.js";
import { Pages } from "./pages.js";
import { Player } from "./player.js";
import { Margin } from "./margin.js";
import { First } from "./first.js";
import { Mend } from "./mend.js";
import { acts, listen } from "./acts.js";
import { headline } from "./headline.js";
import { hands } from "./hands.js";
import { others } from "./others.js";
import { count, hours } from "./words.js";
import { say } from "./say.js";

// bench opens a print.
export async function bench(root, signal) {
  const book = await Book.open(root.dataset.bench, false); // the margin keeps its colours
  if (!book) return say("This print could not be opened. Load the page again.");
  await new Bench(root, book, signal).start();
  root.dataset.ready = "true";
}

// Bench is the open book: it holds the fold and keeps pages, spine, thread, margin and
// address bar at it.
//
// The fold lies before layer state.fold, or, when state.path is above 0, inside that layer,
// before its path number state.path.
class Bench {
  constructor(root, book, gone) {
    this.root = root;
    this.gone = gone; // aborted when the page is left
    this.id = root.dataset.bench;
    this.book = book;
    this.N = book.N;
    this.state = { fold: 0, path: 0, time: -1, travel: false, rest: false };
    Object.assign(this.state, { chosen: "", adding: false });
    const none = { ears: [], bands: [], mutes: [], changes: [], overs: [], sits: [], found: [] };
    Object.assign(this.state, none);
    this.outs = {};
    this.q = this.q.bind(this);
    this.put = this.put.bind(this);
    this.view = new View(book.frame());
    this.svg = this.q("[data-spine]");
    this.ribbon = this.q("[data-thread]");
    this.spine = new Spine(this.svg, book, { lens: true });
    this.thread = new Thread(this.ribbon);
    this.canvas = { left: this.q('[data-page="left"]'), right: this.q('[data-page="right"]') };
    this.cover = new Cover(this.q("[data-cover]"), `/prints/${this.id}/cover`);
    this.pages = new Pages(this);
    this.player = new Player(this);
    this.margin = new Margin(this);
    this.first = new First(this);
    this.threadNow = null; // of the layer above the fold, when the fold lies inside it
    this.mend = new Mend(root, {
      id: this.id,
      view: this.view,
      canvas: this.canvas,
      shown: this.pages.shown,
      order: (n) => this.book.order(n),
      redraw: () => this.pages.draw(),
      mutes: () => this.state.mutes,
      fold: () => this.state.fold,
      path: () => this.state.path,
      step: () => this.along(1),
    });
    this.acts = acts(this);
  }

  q(selector) {
    return this.root.querySelector(selector);
  }

  // put writes into the places named so; those outside the margin never change.
  put(name, text) {
    if (/^(mark|bar)-title$/.test(name) || !this.outs[name]?.length)
      this.outs[name] = [...this.root.querySelectorAll(`[data-out="${name}"]`)];
    for (const e of this.outs[name]) if (e.textContent !== text) e.textContent = text;
  }

  press(act, on) {
    this.q(`button[data-act="${act}"]`).setAttribute("aria-pressed", on);
  }

  // start listens, and opens the book at the fold that the address names, at the first ear,
  // or at the fold that stands out most.
  async start() {
    listen(this);
    hands(this);
    others(this.root, { id: this.id, gone: this.gone, found: () => this.found() });
    new ResizeObserver(() => this.show()).observe(this.canvas.left);
    window.addEventListener("dogear:theme", () => this.show(), { signal: this.gone });
    matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => this.show(), {
      signal: this.gone,
    });
    this.margin.take();
    const asked = new URL(location.href).searchParams;
    const first = this.state.ears[0];
    const named = { before: Number(asked.get("before")), line: Number(asked.get("line")) };
    const middle = { before: Math.ceil((this.N + 1) / 2) };
    const best = first || this.first.begins() || this.surest() || middle;
    await this.goEar(named.before ? named : best);
  }

  // surest is the landmark that stands out most, if there is one.
  surest() {
    const all = this.book.landmarks.filter((m) => !m.skirt);
    return all.reduce((a, b) => (a && a.certainty >= b.certainty ? a : b), null);
  }

  // ---- the fold

  async go(n, path = 0) {
    const { state } = this;
    n = Math.max(1, Math.min(this.N + 1, n));
    if (n === state.fold && path === state.path && state.time < 0) return;
    this.player.stop();
    state.adding &&= n === state.fold;
    state.fold = n;
    state.path = n > this.N ? 0 : path;
    await this.show();
    this.remember();
  }

  // goLine folds inside the layer a line belongs to, in front of the path that the line
  // opens or lies in.
  async goLine(n, line) {
    const t = await this.book.order(n);
    return this.go(n, t ? pathOf(t, line) : 0);
  }

  // pick goes to an ear and opens its card.
  async pick(id) {
    const ear = this.state.ears.find((e) => e.id === id);
    if (!ear) return;
    this.state.chosen = id;
    this.state.adding = false;
    await this.goEar(ear);
    return this.show();
  }

  goEar({ before, line }) {
    return line ? this.goLine(before, line) : this.go(before);
  }

  // along moves the fold by paths, over the ends of a layer too.
  async along(by) {
    const { fold, path } = this.state;
    const t = await this.book.order(fold);
    if (!t) return;
    const k = path + by;
    if (k < 0) {
      const below = await this.book.order(fold - 1);
      return below ? this.go(fold - 1, below.paths.length - 1) : undefined;
    }
    return k >= t.paths.length ? this.go(fold + 1) : this.go(fold, k);
  }

  // lineNow is the line in front of which the fold lies inside a layer; else 0.
  lineNow() {
    const { path } = this.state;
    return path > 0 && this.threadNow ? (this.threadNow.paths[path]?.line ?? 0) : 0;
  }

  // earHere is the ear at the fold; of several the one that was chosen, or else the first.
  earHere() {
    const here = this.earsHere();
    return here.find((e) => e.id === this.state.chosen) || here[0];
  }

  earsHere() {
    const { ears, fold, path } = this.state;
    const t = this.threadNow;
    const here = (e) => (path > 0 ? e.line && t && pathOf(t, e.line) === path : !e.line);
    return ears.filter((e) => e.before === fold && here(e));
  }

  nextFilament() {
    return this.margin.nextFilament();
  }

  // remember keeps the fold in the address bar and in the link to the lines.
  remember() {
    const { fold, path } = this.state;
    const u = new URL(location.href);
    const line = this.lineNow();
    u.searchParams.set("before", fold);
    if (path > 0 && line) u.searchParams.set("line", line);
    else u.searchParams.delete("line");
    history.replaceState(null, "", u);
    const nav = document.querySelector('nav a[href*="/lines"]');
    const first = this.book.fold[Math.min(fold, this.N) - 1];
    if (nav) nav.href = `/prints/${this.id}/lines?line=${line || first}`;
  }

  // ---- showing it

  async show() {
    const { state, spine } = this;
    const n = state.fold;
    if (n < 1) return; // not opened yet
    const t = state.path > 0 ? await this.book.order(n) : null;
    if (n !== state.fold) return;
    this.threadNow = t;
    headline(this);
    const rest = state.rest && n <= this.N ? this.nextFilament()?.colour : "";
    const { ears, bands, mutes, sits, changes, found } = state;
    const { landmarks } = this.book;
    const inside = state.path > 0;
    const marked = { ears, landmarks, found, mutes, sits, changes };
    spine.draw({ fold: n, inside, bands, rest, tone: "ink", ...marked });
    this.put("scale", spine.scale());
    this.margin.show();
    this.first.look();
    this.loadCover();
    this.pages.draw();
  }

  // loadCover shows the cover, with what is left from the fold on in the next colour when
  // that is asked for.
  loadCover() {
    const { fold, ears, bands, rest } = this.state;
    const colour = rest && fold <= this.N ? this.nextFilament()?.colour : "";
    const left = colour ? { from: fold, line: this.lineNow(), colour } : null;
    this.cover.load(fold, ears, bands, left);
  }

  // ribbonNow draws the thread of the layer above the fold.
  ribbonNow(t) {
    const { state, ribbon, thread, put, N } = this;
    const { fold: n, path } = state;
    if (!t || !t.paths.length) {
      ribbon.replaceChildren();
      put("thread-title", "Thread");
      put("thread-note", n > N ? "the print is done" : "");
      return;
    }
    const begin = path ? t.paths[path]?.begin : 0;
    const time = state.time >= 0 ? state.time : (begin ?? t.seconds);
    const ears = state.ears.filter((e) => e.before === n && e.line);
    const overs = state.overs.filter((o) => o.layer === n);
    thread.draw(t, path, time, ears, overs);
    put("thread-title", `Thread of layer ${n}`);
    const all = count(t.paths.length),
      p = t.paths[path];
    let note = `the whole layer, ${hours(t.seconds)}`;
    if (path === 0)
      note = `${hours(t.seconds)} · ${all} paths · drag the marker to fold inside the layer`;
    else if (p)
      note =
        `after ${path} of ${all} paths, ${hours(time)} in · ` +
        `next: ${p.name}, line ${count(p.line)}`;
    put("thread-note", note);
  }

  // found takes in what was found by looking at the layers, once it is.
  async found() {
    if (this.finding) return;
    this.finding = true;
    const r = await fetch(`/prints/${this.id}/book`).catch(() => null);
    if (r?.ok) {
      const { landmarks, hollows, front, side } = await r.json();
      Object.assign(this.book, { landmarks, hollows, front, side });
      const where = { source: this.q("#finds"), target: "#finds", swap: "outerHTML" };
      await htmx.ajax("GET", `/prints/${this.id}/finds`, where);
    }
    this.finding = false;
  }
}

import htmx from "htmx.org";
import { nearest } from "./geometry.js";
import { count } from "./words.js";
import { say } from "./say.js";

// Mend chooses paths on the pages, to leave them out: by a click, by drawing
// round them, by their kind, or those that lie over nothing.
//
//   root   the bench
//   book   what the bench shows: id, view, canvas, shown (what each page shows),
//          order(n), mutes(), redraw(), fold() and path()
export class Mend {
  constructor(root, book) {
    this.book = book;
    this.box = root.querySelector("[data-mend]");
    this.on = false;
    this.chosen = new Map(); // layer → paths of its thread
    this.lasso = null;
    this.box.addEventListener("click", (e) => {
      const b = e.target.closest("button");
      if (!b) return;
      if (b.dataset.kind) this.kind(b.dataset.kind);
      else
        ({
          air: () => this.air(),
          next: () => this.next(),
          none: () => this.none(),
          mute: () => this.mute(),
        })[b.dataset.mendDo]?.();
    });
  }

  toggle() {
    this.on = !this.on;
    this.box.hidden = !this.on;
    if (!this.on) this.chosen.clear();
    for (const c of Object.values(this.book.canvas)) c.style.cursor = this.on ? "crosshair" : "";
    this.tell();
    this.book.redraw();
    if (this.on) say("Click paths on a page, or draw round them.");
  }

  // drawn keeps the buttons for the kinds of path at the layer that comes next.
  async drawn() {
    if (!this.on) return;
    const t = await this.book.order(this.layer());
    const kinds = [...new Set((t?.paths || []).map((p) => p.name))];
    const list = this.box.querySelector("[data-kinds]");
    if (list.dataset.of === kinds.join()) return;
    list.dataset.of = kinds.join();
    list.replaceChildren(
      ...kinds.map((k) => {
        const b = document.createElement("button");
        b.type = "button";
        b.dataset.kind = k;
        b.textContent = k;
        b.className =
          "border-b border-transparent text-sea underline underline-offset-2 hover:border-ink";
        return b;
      }),
    );
  }

  layer() {
    return this.book.shown.right?.n || this.book.shown.left?.n || 1;
  }

  // parts are the pieces of a layer that are chosen, for drawing.
  parts(n, geo, order) {
    const set = this.chosen.get(n);
    return set && order
      ? [...set]
          .map((k) => order.paths[k])
          .filter(Boolean)
          .map((p) => ({ geo, from: p.from, to: p.to }))
      : [];
  }

  put(n, k, on) {
    const set = this.chosen.get(n) || new Set();
    if (on ?? !set.has(k)) set.add(k);
    else set.delete(k);
    if (set.size) this.chosen.set(n, set);
    else this.chosen.delete(n);
  }

  async changed() {
    await this.tell();
    this.book.redraw();
  }

  async tell() {
    let paths = 0,
      length = 0;
    for (const [n, set] of this.chosen) {
      const t = await this.book.order(n);
      for (const k of set) {
        paths++;
        length += t?.paths[k]?.length || 0;
      }
    }
    this.box.querySelector("[data-chosen]").textContent = paths
      ? `${count(paths)} ${paths === 1 ? "path" : "paths"} chosen, ${length.toFixed(1)} mm`
      : "nothing chosen yet";
    this.box.querySelector('[data-mend-do="mute"]').disabled = !paths;
    this.box.querySelector('[data-mend-do="none"]').disabled = !paths;
  }

  none() {
    this.chosen.clear();
    this.changed();
  }

  async kind(name) {
    const n = this.layer(),
      t = await this.book.order(n);
    const all = t.paths.map((p, k) => (p.name === name ? k : -1)).filter((k) => k >= 0);
    const on = !all.every((k) => this.chosen.get(n)?.has(k));
    for (const k of all) this.put(n, k, on);
    this.changed();
  }

  async air() {
    const n = this.layer();
    const r = await fetch(`/prints/${this.book.id}/layers/${n}/air`);
    const all = r.ok ? await r.json() : [];
    if (!all.length) return say(`Nothing of layer ${n} lies over nothing.`);
    for (const k of all) this.put(n, k, true);
    this.changed();
  }

  // next adds the path that comes next on the thread, and steps behind it.
  async next() {
    const n = this.book.fold(),
      t = await this.book.order(n),
      k = this.book.path();
    if (!t?.paths[k]) return say("There is no path above this fold.");
    this.put(n, k, true);
    this.book.step();
    this.changed();
  }

  // ---- the pointer; each returns whether it took the event
  down(side, c, e) {
    if (!this.on) return false;
    this.lasso = { side, pts: [this.at(c, e)] };
    return true;
  }

  move(c, e) {
    if (!this.lasso) return false;
    this.lasso.pts.push(this.at(c, e));
    this.trace(c);
    return true;
  }

  async up(c) {
    const l = this.lasso;
    this.lasso = null;
    if (!l) return;
    const s = this.book.shown[l.side],
      t = s && (await this.book.order(s.n));
    if (!t) return;
    const view = this.book.view,
      scale = view.scale(c.clientWidth, c.clientHeight);
    const wide = Math.max(...l.pts.map((p) => Math.hypot(p[0] - l.pts[0][0], p[1] - l.pts[0][1])));
    if (wide * scale < 6) {
      const i = nearest(s.geo, s.from, s.to, l.pts[0][0], l.pts[0][1], 8 / scale, false);
      const k = t.paths.findIndex((p) => i >= p.from && i < p.to);
      if (i < 0 || k < 0) say("There is no path here.");
      else this.put(s.n, k);
    } else {
      t.paths.forEach((p, k) => {
        if (p.from < s.to && p.to > s.from && within(s.geo, p, l.pts) > 0.5) this.put(s.n, k, true);
      });
    }
    this.changed();
  }

  at(c, e) {
    const r = c.getBoundingClientRect();
    return this.book.view.place(r.width, r.height, e.clientX - r.left, e.clientY - r.top);
  }

  trace(c) {
    const p = this.lasso.pts,
      g = c.getContext("2d"),
      m = this.book.view.matrix(c.clientWidth, c.clientHeight);
    const [a, b] = [p[p.length - 2], p[p.length - 1]];
    const dpr = window.devicePixelRatio || 1;
    g.save();
    g.setTransform(dpr, 0, 0, dpr, 0, 0);
    g.strokeStyle = getComputedStyle(c).color;
    g.lineWidth = 1.2;
    g.setLineDash([4, 3]);
    g.beginPath();
    g.moveTo(m[0] * a[0] + m[4], m[3] * a[1] + m[5]);
    g.lineTo(m[0] * b[0] + m[4], m[3] * b[1] + m[5]);
    g.stroke();
    g.restore();
  }

  // mute leaves out what is chosen. Paths that follow one another go together,
  // with the way between them.
  async mute() {
    const runs = [];
    for (const [n, set] of this.chosen) {
      const t = await this.book.order(n);
      let open = null;
      for (const k of [...set].sort((a, b) => a - b)) {
        const p = t.paths[k];
        const out = this.book.mutes().some((m) => m.from <= p.last && p.first <= m.to);
        if (out) continue; // it is left out already
        if (open && open.k === k - 1) {
          open.to = p.last;
          open.k = k;
          continue;
        }
        open = { from: p.first, to: p.last, k };
        runs.push(open);
      }
    }
    if (!runs.length) return say("What is chosen is muted already.");
    this.chosen.clear();
    await this.tell();
    htmx.ajax("POST", `/prints/${this.book.id}/mutes`, {
      source: document.querySelector("#margin"),
      values: { runs: runs.map((r) => `${r.from}-${r.to}`).join() },
    });
  }
}

// within is the share of a path that lies inside a drawn line.
function within(geo, p, pts) {
  let all = 0,
    inside = 0;
  for (let i = p.from; i < p.to; i++) {
    const x0 = geo.xy[4 * i],
      y0 = geo.xy[4 * i + 1],
      x1 = geo.xy[4 * i + 2],
      y1 = geo.xy[4 * i + 3];
    const d = Math.hypot(x1 - x0, y1 - y0),
      n = Math.max(1, Math.min(20, Math.round(d)));
    for (let k = 0; k < n; k++) {
      const f = (k + 0.5) / n,
        x = x0 + f * (x1 - x0),
        y = y0 + f * (y1 - y0);
      let odd = false;
      for (let a = 0, b = pts.length - 1; a < pts.length; b = a++)
        if (
          pts[a][1] > y !== pts[b][1] > y &&
          x < ((pts[b][0] - pts[a][0]) * (y - pts[a][1])) / (pts[b][1] - pts[a][1]) + pts[a][0]
        )
          odd = !odd;
      all += d / n;
      if (odd) inside += d / n;
    }
  }
  return all ? inside / all : 0;
}

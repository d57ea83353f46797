import { el } from "./svg.js";
import { mm } from "./words.js";
import { Lens } from "./lens.js";
import { dot, flag, hollows, inserts, shape, spans, stops, striped, strips } from "./profile.js";

// How wide the lens is with its numbers, and the least that is left for the spine, px.
const LENS = 120;
const WIDEST = 240; // where there is room
const LEAST = 130;

// Lower than this a print is flat, px.
const FLAT = 40;

// Spine draws the print from the side, true to scale, and turns places on it into folds.
// With a lens the layers round the fold stand beside it.
export class Spine {
  constructor(svg, book, { lens = false } = {}) {
    this.svg = svg;
    this.book = book;
    this.side = false;
    this.lens = lens ? new Lens(book) : null;
  }

  // layout works out where heights and widths fall.
  layout(fold) {
    const w = this.svg.clientWidth,
      h = this.svg.clientHeight;
    const b = this.book,
      box = b.box;
    const lo = this.side ? box[1] : box[0],
      hi = this.side ? box[3] : box[2];
    const wide = Math.max(hi - lo, 1),
      high = Math.max(b.height, 0.1);
    const top = 24,
      foot = 20,
      left = 32,
      right = 48;
    this.near = this.lens && fold && w >= LENS + LEAST ? this.lens : null;
    this.w = w;
    this.h = h;
    this.end = this.near ? w - Math.max(LENS, Math.min(w / 3, WIDEST)) : w;
    const room = this.end - left - right;
    const sx = Math.min(room / wide, (h - top - foot) / high);
    // A flat print is drawn taller than it is, and says so: of one that is lower than this on
    // the screen nobody could tell the layers, nor point at them.
    let sz = sx;
    const tall = h - top - foot;
    if (high * sz < (this.lens ? FLAT : tall * 0.3))
      sz = Math.min((tall * (this.lens ? 0.3 : 0.55)) / high, sx * 16);
    this.taller = sz / sx;
    this.base = h - foot;
    this.sz = sz;
    this.x = (v) => left + room / 2 + (v - (lo + hi) / 2) * sx;
    this.y = (z) => this.base - z * sz;
    this.left = this.x(lo) - 5;
    this.right = this.x(hi) + 5;
    if (this.near)
      this.near.layout(fold, { left: this.end + 28, right: w - 16, top, foot: this.base }, [
        lo,
        hi,
      ]);
  }

  under(n) {
    return this.book.under(n);
  }

  // at turns a place in pixels into the fold nearest to it; x only says whether it lies in
  // the lens.
  at(y, x = 0) {
    if (this.near?.holds(x)) return this.near.fold(y);
    const b = this.book;
    let best = 1,
      d = Infinity;
    for (let n = 1; n <= b.z.length + 1; n++) {
      const e = Math.abs(this.y(this.under(n)) - y);
      if (e < d) {
        d = e;
        best = n;
      }
    }
    return best;
  }

  // scale says how the heights are drawn, where that is not true to scale.
  scale() {
    const t = this.taller;
    return t > 1.05 ? `heights drawn ${t.toFixed(t < 10 ? 1 : 0)}× taller` : "";
  }

  // draw paints the spine as a model says:
  //
  //   fold       before this layer; 0 for none
  //   inside     the fold lies inside that layer
  //   bands      which colour begins at which layer
  //   rest       a colour for what is left up to the next ear; what is done fades
  //   tone       of the fold: "ink", "brick", "line" for a line alone
  //   label      of the fold, instead of the two layers it lies between
  //   unprinted  the first layer that is not there yet: from it on only the outline
  //   ears, landmarks, mutes, sits, changes: what is marked or seen there
  //   found      the stops that the file came with
  draw(model) {
    const { fold = 0, bands, unprinted = 0, sits = [] } = model;
    this.layout(fold);
    const { svg, book: b, end } = this;
    svg.setAttribute("viewBox", `0 0 ${this.w} ${this.h}`);
    const out = [];
    const runs = this.side ? b.side : b.front;
    const N = b.z.length;
    for (const [a, e, colour, faded] of spans({ ...model, bands, fold }, 1, N + 1, N)) {
      const d = this.shape(runs, a, e);
      if (d) out.push(el("path", { d, fill: colour, "fill-opacity": faded ? 0.3 : 1 }));
    }
    out.push(...hollows(this, b, this.side, 1, N + 1), ...inserts(this, sits, this.side));
    const lines = strips(this, b, runs);
    if (lines) out.push(el("path", { d: lines, class: "spine-strip" }));
    out.push(el("path", { d: this.shape(runs, 1, N + 1), class: "spine-edge" }));
    out.push(el("path", { d: `M26 ${this.y(0)}H${end - 16}`, class: "spine-bed" }));
    this.ruler(out);
    for (const m of model.landmarks || []) out.push(dot(m, 32, this.y(this.under(m.before))));
    if (unprinted) this.rest(out, runs, unprinted);
    this.brackets(out, runs, model.changes || []);
    for (const s of model.found || [])
      out.push(striped(s, this.beside(runs, s.before), this.y(this.under(s.before))));
    this.flags(out, runs, model.ears || [], fold);
    if (this.near)
      this.near.draw(out, { ...model, fold, bands }, { runs, side: this.side, far: this });
    if (fold && model.tone) this.tag(out, model);
    svg.replaceChildren(...out);
  }

  // tag marks the fold.
  tag(out, { fold, inside, tone, label }) {
    const N = this.book.z.length;
    const y = Math.round(this.y(this.under(fold))) + 0.5;
    const cut = tone === "brick" ? "spine-cut" : "spine-line";
    out.push(el("path", { d: `M2 ${y}H${this.near ? this.end - 8 : this.end - 4}`, class: cut }));
    if (tone === "line") return;
    if (this.near) {
      // the lens numbers the layers
      out.push(el("path", { d: `M2 ${y - 7}l11 7l-11 7z`, class: "spine-tag" }));
      return;
    }
    label ||= inside
      ? `in ${fold}`
      : fold > N
        ? `${N} | end`
        : fold === 1
          ? "bed | 1"
          : `${fold - 1} | ${fold}`;
    const tw = 14 + label.length * 6.6;
    const name = tone === "brick" ? "spine-cut-tag" : "spine-tag";
    out.push(el("path", { d: `M2 ${y - 12}h${tw}l9 12l-9 12h${-tw}z`, class: name }));
    out.push(el("text", { x: 9, y: y + 4, class: "spine-tag-text" }, label));
  }

  // rest hatches what is not printed.
  rest(out, runs, from) {
    const id = `hatch-${this.svg.dataset.spine || "spine"}`;
    const pattern = el("pattern", {
      id,
      width: 6,
      height: 6,
      patternUnits: "userSpaceOnUse",
      patternTransform: "rotate(45)",
    });
    pattern.append(el("path", { d: "M0 0v6", class: "hatch-line" }));
    const defs = el("defs");
    defs.append(pattern);
    const d = this.shape(runs, from, this.book.z.length + 1);
    out.push(
      defs,
      el("path", { d, class: "spine-left" }),
      el("path", { d, class: "spine-hatch", fill: `url(#${id})` }),
    );
  }

  // brackets stand beside the ruler for settings of some layers.
  brackets(out, runs, changes) {
    const N = this.book.z.length;
    changes.forEach((c, i) => {
      let left = this.end;
      for (let n = c.from; n < c.until && n <= N; n++)
        if (runs[n - 1]?.length) left = Math.min(left, this.x(runs[n - 1][0]));
      const x = Math.max(left - 9 - (i % 3) * 5, 34),
        y0 = this.y(this.under(c.from)),
        y1 = Math.min(this.y(this.under(Math.min(c.until, N + 1))), y0 - 3);
      const p = el("path", {
        d: `M${x + 4} ${y0}h-4V${y1}h4`,
        class: "spine-change",
        fill: "none",
        "data-change": i,
      });
      p.append(el("title", {}, `${c.words}: layers ${c.from} to ${c.until - 1}`));
      out.push(p);
    });
  }

  shape(runs, from, to) {
    return shape(this, this.book, runs, from, to);
  }

  ruler(out) {
    const step = [0.2, 0.5, 1, 2, 5, 10, 20, 50, 100].find((v) => v * this.sz >= 34) || 200;
    for (let z = 0; z <= this.book.height + 1e-6; z += step) {
      const y = Math.round(this.y(z)) + 0.5;
      out.push(el("path", { d: `M26 ${y}h6`, class: "spine-tick" }));
      const text = step < 1 ? z.toFixed(1) : String(Math.round(z));
      out.push(el("text", { x: 22, y: y + 4, "text-anchor": "end", class: "spine-text" }, text));
    }
  }

  // beside is where a flag stands at a layer's outline.
  beside(runs, before) {
    const r = runs[before - 1];
    const side = r && r.length ? this.x(r[r.length - 1]) : this.end / 2;
    return Math.min(side + 5, this.end - 58);
  }

  // flags sets the ears beside the outline; their numbers spread out so that
  // none covers another, each with a thin leader.
  flags(out, runs, ears, fold) {
    const list = stops(ears)
      .map((e) => ({ e, y: this.y(this.under(e.before)) }))
      .sort((a, b) => b.y - a.y);
    let limit = this.base + 8;
    for (const f of list) {
      f.ty = Math.min(f.y, limit);
      limit = f.ty - 15;
    }
    let over = 10 - (list.length ? list[list.length - 1].ty : 10);
    if (over > 0)
      for (let i = list.length - 1; i >= 0 && over > 0; i--) {
        list[i].ty += over;
        over = i > 0 ? list[i].ty + 15 - list[i - 1].ty : 0;
      }
    for (const f of list) {
      const x = this.beside(runs, f.e.before);
      const led = Math.abs(f.ty - f.y) > 2;
      if (led)
        out.push(el("path", { d: `M${x} ${f.y}L${this.end - 52} ${f.ty}`, class: "spine-leader" }));
      const at = led ? [this.end - 52, f.ty] : [x, f.y];
      out.push(flag(f.e, at[0], at[1], { fold, z: mm(this.under(f.e.before)) }));
      const text = f.e.count > 1 ? `${f.e.before} ×${f.e.count}` : f.e.before;
      out.push(el("text", { x: at[0] + 26, y: at[1] - 1, class: "spine-ear-text" }, text));
    }
  }
}

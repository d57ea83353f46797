import { el } from "./svg.js";
import { mm } from "./words.js";
import { dot, flag, hollows, inserts, spans, stops, striped } from "./profile.js";

// How many layers the lens shows below and above the fold.
const EACH = 8;

// The most that a layer is drawn high, px: a print of few layers does not fill the lens.
const MOST = 40;

// Lens shows the layers round the fold one by one, as beads seen from their end, so that
// neighbours can be told apart where the spine has more layers than pixels. Heights are to
// scale among the layers shown, widths among all layers of the print.
export class Lens {
  constructor(book) {
    this.book = book;
    this.held = false; // while it is dragged its window stays
    this.first = 0; // layers first … last are shown
    this.last = 0;
  }

  // layout chooses the layers round a fold and places them in a box, px.
  layout(fold, { left, right, top, foot }, widths) {
    const { z, h } = this.book,
      N = z.length;
    if (!this.held || !this.first) {
      this.first = Math.max(1, Math.min(fold - EACH, N - 2 * EACH + 1));
      this.last = Math.min(N, this.first + 2 * EACH - 1);
    } else if (fold < this.first || fold > this.last + 1) {
      const by = fold < this.first ? fold - this.first : fold - this.last - 1;
      this.first += by;
      this.last += by;
    }
    // Of objects printed one after another each layer has its own height below it.
    this.at = [0];
    for (let n = this.first; n <= this.last; n++)
      this.at.push(this.at[this.at.length - 1] + h[n - 1]);
    const high = this.at[this.at.length - 1];
    const k = Math.min((foot - top) / high, (MOST * (this.last - this.first + 1)) / high);
    this.box = { left, right, top: foot - high * k, foot };
    const [lo, hi] = widths;
    const room = right - left - 12;
    const sx = room / Math.max(hi - lo, 1);
    this.x = (v) => (left + right) / 2 + (v - (lo + hi) / 2) * sx;
    this.edge = (n) => foot - this.at[n - this.first] * k; // the fold before layer n
    // y turns a height inside the window into px; folds and heights agree where layers
    // stand on one another.
    this.y = (v) => {
      let n = this.first;
      while (n < this.last && v > z[n - 1]) n++;
      const d = (v - (z[n - 1] - h[n - 1])) * k;
      return Math.max(Math.min(this.edge(n) - d, foot + 40), this.box.top - 40);
    };
  }

  // holds reports whether a place on the drawing lies in the lens.
  holds(x) {
    return x >= this.box.left - 26;
  }

  // fold is the one nearest to a y, px; beyond the ends of the lens it is the next one.
  fold(y) {
    if (y < this.box.top - 12) return this.last + 2;
    if (y > this.box.foot + 12) return this.first - 1;
    let best = this.first;
    for (let n = this.first; n <= this.last + 1; n++)
      if (Math.abs(this.edge(n) - y) < Math.abs(this.edge(best) - y)) best = n;
    return best;
  }

  draw(out, model, { runs, side, far }) {
    const { box, first, last, book } = this;
    const g = el("g", { class: "lens" });
    const [y0, y1] = [far.y(book.z[last - 1]), far.y(far.under(first))];
    const band = {
      x: far.left,
      y: Math.min(y0, y1) - 1,
      width: far.right - far.left,
      height: Math.abs(y1 - y0) + 2,
    };
    out.push(
      el("rect", { ...band, class: "lens-frame" }),
      el("path", {
        d:
          `M${far.right} ${band.y}L${box.left} ${box.top}` +
          `M${far.right} ${band.y + band.height}L${box.left} ${box.foot}`,
        class: "lens-ray",
      }),
    );
    const wide = box.right - box.left,
      high = box.foot - box.top;
    g.append(
      el("rect", { x: box.left, y: box.top, width: wide, height: high, class: "lens-pane" }),
    );
    for (const [a, e, colour, faded] of spans(model, first, last + 1, book.z.length))
      for (let n = a; n < e; n++) this.bead(g, n, runs[n - 1] || [], colour, faded);
    const clip = el("clipPath", { id: "lens-clip" });
    clip.append(el("rect", { x: box.left, y: box.top, width: wide, height: high }));
    const inner = el("g", { "clip-path": "url(#lens-clip)" });
    inner.append(...hollows(this, book, side, first, last + 1));
    inner.append(...inserts(this, (model.sits || []).filter(this.shows, this), side));
    g.append(clip, inner);
    g.append(
      el("rect", { x: box.left, y: box.top, width: wide, height: high, class: "lens-edge" }),
    );
    const caption = first === last ? `layer ${first}` : `layers ${first} to ${last}`;
    const mid = { x: (box.left + box.right) / 2 - 8, y: box.top - 9, "text-anchor": "middle" };
    g.append(el("text", { ...mid, class: "spine-text" }, caption));
    this.numbers(g);
    const inside = (m) => m.before >= first && m.before <= last + 1;
    for (const m of (model.landmarks || []).filter(inside))
      g.append(dot(m, box.left, this.edge(m.before)));
    const y = Math.round(this.edge(Math.min(Math.max(model.fold, first), last + 1))) + 0.5;
    g.append(
      el("path", { d: `M${box.left - 4} ${y}H${box.right + 8}`, class: "lens-fold" }),
      el("path", { d: `M${box.left - 22} ${y - 6}h9l9 6l-9 6h-9z`, class: "spine-tag" }),
    );
    const stands = (n, within) => (within ? (this.edge(n) + this.edge(n + 1)) / 2 : this.edge(n));
    for (const s of (model.found || []).filter(inside))
      g.append(striped(s, box.right - 14, stands(s.before, s.inside)));
    for (const e of stops((model.ears || []).filter(inside))) {
      const at = stands(e.before, e.line);
      g.append(flag(e, box.right - 14, at, { fold: model.fold, z: mm(far.under(e.before)) }));
    }
    out.push(g);
  }

  shows(s) {
    const { z, h } = this.book;
    return s.top > z[this.first - 1] - h[this.first - 1] && s.rest < z[this.last - 1];
  }

  bead(g, n, runs, colour, faded) {
    const y = this.edge(n + 1),
      high = this.edge(n) - y;
    for (let k = 0; k + 1 < runs.length; k += 2) {
      const x = this.x(runs[k]),
        wide = Math.max(this.x(runs[k + 1]) - x, 2);
      g.append(
        el("rect", {
          x,
          y: y + 0.5,
          width: wide,
          height: Math.max(high - 1, 1),
          rx: Math.min(high / 2.4, wide / 2, 9),
          fill: colour,
          "fill-opacity": faded ? 0.3 : 1,
          class: "lens-bead",
        }),
      );
    }
  }

  numbers(g) {
    let next = Infinity;
    for (let n = this.first; n <= this.last; n++) {
      const y = (this.edge(n) + this.edge(n + 1)) / 2;
      if (next - y < 13) continue;
      next = y;
      const x = this.box.left - 6;
      g.append(el("text", { x, y: y + 4, "text-anchor": "end", class: "spine-text" }, n));
    }
  }
}

import { el } from "./svg.js";
import { mm } from "./words.js";

// Spine draws the print from the side and turns places on it into folds.
export class Spine {
  constructor(svg, book) {
    this.svg = svg;
    this.book = book;
    this.side = false;
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
      right = 50;
    const sx = Math.min((w - left - right) / wide, (h - top - foot) / high);
    // A flat print is drawn taller than it is, and says so.
    let sz = sx;
    if (high * sz < (h - top - foot) * 0.3)
      sz = Math.min(((h - top - foot) * 0.55) / high, sx * 16);
    this.taller = sz / sx;
    this.base = h - foot;
    this.sx = sx;
    this.sz = sz;
    this.x = (v) => left + (w - left - right) / 2 + (v - (lo + hi) / 2) * sx;
    const line = (z) => this.base - z * sz;
    this.y = line;
    this.lens = 1;
    // More layers than pixels: round the fold they are drawn wider, the more
    // the nearer, so that neighbours can be told apart.
    const each = (high / b.z.length) * sz;
    if (fold && each < 2.5) {
      const reach = Math.min(90, (h - top - foot) / 3),
        k = Math.min(12, 5 / each) - 1;
      const at = line(fold > b.z.length ? high : b.z[fold - 1] - b.h[fold - 1]);
      this.lens = k + 1;
      this.y = (z) => {
        const d = line(z) - at,
          t = Math.abs(d) / reach;
        return t >= 1 ? at + d : at + Math.sign(d) * reach * (((k + 1) * t) / (k * t + 1));
      };
    }
    this.w = w;
    this.h = h;
  }

  // under returns the height of the fold before layer n.
  under(n) {
    const b = this.book;
    return n > b.z.length ? b.z[b.z.length - 1] : b.z[n - 1] - b.h[n - 1];
  }

  // at turns a y in pixels into the fold nearest to it.
  at(y) {
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

  // draw paints the spine at a fold. With a rest, everything from the fold up to
  // the next ear takes its colour and what is done fades.
  draw(fold, ears, bands, rest, inside, mutes, sits = [], changes = []) {
    this.layout(fold);
    const { svg, book: b, w } = this;
    svg.setAttribute("viewBox", `0 0 ${w} ${this.h}`);
    const out = [];
    const runs = this.side ? b.side : b.front;
    // One path a band; its strips are the outline of each layer.
    const N = b.z.length;
    for (let k = 0; k < bands.length; k++) {
      const from = bands[k].from,
        to = k + 1 < bands.length ? bands[k + 1].from : N + 1;
      const cut =
        rest && fold > from && fold < to
          ? [
              [from, fold, bands[k].colour],
              [fold, to, rest],
            ]
          : [[from, to, rest && fold === from ? rest : bands[k].colour]];
      for (const [a, e, colour] of cut) {
        const d = this.shape(runs, a, e);
        if (d)
          out.push(el("path", { d, fill: colour, "fill-opacity": rest && a < fold ? 0.3 : 1 }));
      }
    }
    this.hollows(out, sits);
    const strips = this.strips(runs, N);
    if (strips) out.push(el("path", { d: strips, class: "spine-strip" }));
    out.push(el("path", { d: this.shape(runs, 1, N + 1), class: "spine-edge" }));
    out.push(el("path", { d: `M26 ${this.y(0)}H${w - 16}`, class: "spine-bed" }));
    this.ruler(out);
    for (const s of b.stops || [])
      if (s.Before > 0 && !mutes.some((m) => m.from <= s.Line && s.Line <= m.to)) {
        const y = this.y(this.under(s.Before));
        out.push(
          el("circle", { cx: this.w - 52, cy: y, r: 3.5, fill: "none", class: "spine-ear" }),
        );
      }
    for (const m of b.landmarks || []) {
      const c = el("circle", {
        cx: 32,
        cy: this.y(this.under(m.before)),
        r: 4,
        class: "mark-dot",
        "data-before": m.before,
        "data-line": m.line,
      });
      c.append(el("title", {}, `${m.line ? "Inside" : "Before"} layer ${m.before}: ${m.reason}`));
      out.push(c);
    }
    // What is laid otherwise has a bracket beside the ruler.
    changes.forEach((c, i) => {
      let left = this.w;
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
    this.flags(out, runs, ears, fold);
    if (!fold) return svg.replaceChildren(...out);
    const y = Math.round(this.y(this.under(fold))) + 0.5;
    out.push(el("path", { d: `M2 ${y}H${w - 4}`, class: "spine-line" }));
    const label = inside
      ? `in ${fold}`
      : fold > N
        ? `${N} | end`
        : fold === 1
          ? "bed | 1"
          : `${fold - 1} | ${fold}`;
    const tw = 14 + label.length * 6.6;
    out.push(el("path", { d: `M2 ${y - 12}h${tw}l9 12l-9 12h${-tw}z`, class: "spine-tag" }));
    out.push(el("text", { x: 9, y: y + 4, class: "spine-tag-text" }, label));
    svg.replaceChildren(...out);
  }

  // hollows cuts the pockets out, and sets in them what is put there.
  hollows(out, sits) {
    const b = this.book;
    const f = (v) => v.toFixed(1);
    for (const h of b.hollows || []) {
      const turn = (h.turn * Math.PI) / 180,
        c = Math.abs(Math.cos(turn)),
        s = Math.abs(Math.sin(turn));
      const mid = this.side ? h.y : h.x;
      const left = [],
        right = [];
      for (let n = h.first, k = 0; n <= h.last; n++) {
        while (k + 1 < h.rows.length && h.rows[k + 1][0] <= n) k++;
        const [, w, d] = h.rows[k];
        const half =
          h.shape === "hex"
            ? (w / Math.sqrt(3)) *
              Math.max(
                ...[0, 1, 2].map((i) =>
                  Math.abs((this.side ? Math.sin : Math.cos)(turn + (i * Math.PI) / 3)),
                ),
              )
            : (this.side ? w * s + d * c : w * c + d * s) / 2;
        const y0 = f(this.y(b.z[n - 1] - b.h[n - 1])),
          y1 = f(this.y(b.z[n - 1]));
        left.push(`${f(this.x(mid - half))} ${y0}`, `${f(this.x(mid - half))} ${y1}`);
        right.push(`${f(this.x(mid + half))} ${y0}`, `${f(this.x(mid + half))} ${y1}`);
      }
      const p = el("path", {
        d: `M${left.join("L")}L${right.reverse().join("L")}Z`,
        class: "spine-hollow",
      });
      p.append(el("title", {}, `A pocket, ${h.words}, open from layer ${h.first} to ${h.last}`));
      out.push(p);
    }
    for (const s of sits) {
      const w = this.side ? s.y : s.x,
        half = Math.min(s.across, s.long) / 2;
      const x = this.x(w - half),
        wide = this.x(w + half) - x,
        y = this.y(s.top),
        high = this.y(s.rest) - y;
      out.push(
        s.shape === "ball"
          ? el("ellipse", {
              cx: this.x(w),
              cy: y + high / 2,
              rx: wide / 2,
              ry: high / 2,
              class: "spine-sits",
            })
          : el("rect", { x, y, width: wide, height: Math.max(high, 1), class: "spine-sits" }),
      );
    }
  }

  // shape returns the outline of layers from … to-1. Pieces that stand above
  // one another from layer to layer make one polygon.
  shape(runs, from, to) {
    const b = this.book;
    const f = (v) => v.toFixed(1);
    let d = "",
      open = [],
      top = NaN;
    const flush = () => {
      for (const p of open) d += `M${p.left.join("L")}L${p.right.reverse().join("L")}Z`;
      open = [];
    };
    for (let n = from; n < to; n++) {
      const r = runs[n - 1] || [];
      const ya = f(this.y(b.z[n - 1] - b.h[n - 1])),
        yb = f(this.y(b.z[n - 1]));
      if (2 * open.length !== r.length || ya !== top) flush();
      if (open.length === 0)
        for (let k = 0; k + 1 < r.length; k += 2)
          open.push({ left: [], right: [], l: NaN, r: NaN });
      open.forEach((p, k) => {
        const x0 = this.x(r[2 * k]),
          x1 = this.x(r[2 * k + 1]);
        if (Math.abs(x0 - p.l) < 0.3 && Math.abs(x1 - p.r) < 0.3) {
          p.left[p.left.length - 1] = `${f(p.l)} ${yb}`;
          p.right[p.right.length - 1] = `${f(p.r)} ${yb}`;
          return;
        }
        p.left.push(`${f(x0)} ${ya}`, `${f(x0)} ${yb}`);
        p.right.push(`${f(x1)} ${ya}`, `${f(x1)} ${yb}`);
        p.l = x0;
        p.r = x1;
      });
      top = yb;
    }
    flush();
    return d;
  }

  strips(runs, N) {
    const b = this.book;
    let d = "",
      last = Infinity;
    for (let n = 1; n < N; n++) {
      const r = runs[n - 1],
        y = this.y(b.z[n - 1]);
      if (last - y < 4) continue;
      last = y;
      const x = (v) => this.x(v).toFixed(1);
      if (r && r.length >= 2)
        d += `M${x(r[0])} ${this.y(b.z[n - 1]).toFixed(1)}H${x(r[r.length - 1])}`;
    }
    return d;
  }

  ruler(out) {
    const step = [0.2, 0.5, 1, 2, 5, 10, 20, 50, 100].find((v) => v * this.sz >= 34) || 200;
    for (let z = 0; z <= this.book.height + 1e-6; z += step) {
      const y = Math.round(this.y(z)) + 0.5;
      out.push(el("path", { d: `M26 ${y}h6`, class: "spine-tick" }));
      out.push(
        el(
          "text",
          { x: 22, y: y + 4, "text-anchor": "end", class: "spine-text" },
          step < 1 ? z.toFixed(1) : String(Math.round(z)),
        ),
      );
    }
  }

  // flags sets the ears beside the outline; their numbers spread out so that
  // none covers another, each with a thin leader.
  flags(out, runs, ears, fold) {
    const list = ears
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
      const r = runs[f.e.before - 1];
      const x = Math.min((r && r.length ? this.x(r[r.length - 1]) : this.w / 2) + 5, this.w - 58);
      if (Math.abs(f.ty - f.y) > 2)
        out.push(el("path", { d: `M${x} ${f.y}L${this.w - 52} ${f.ty}`, class: "spine-leader" }));
      const at = Math.abs(f.ty - f.y) > 2 ? [this.w - 52, f.ty] : [x, f.y];
      const flag = el("path", {
        d: `M${at[0]} ${at[1]}h22v-12z`,
        class: "spine-ear" + (f.e.before === fold ? " now" : ""),
        "stroke-linejoin": "round",
        "data-ear-id": f.e.id,
      });
      if (f.e.colour) flag.setAttribute("fill", f.e.colour);
      if (!f.e.colour) flag.classList.add("fill-page");
      flag.append(
        el(
          "title",
          {},
          `${f.e.name}: stops ${f.e.line ? "inside" : "before"} layer ${f.e.before}, ` +
            `${mm(this.under(f.e.before))} mm; drag it to another layer`,
        ),
      );
      out.push(flag);
      out.push(el("text", { x: at[0] + 26, y: at[1] - 1, class: "spine-ear-text" }, f.e.before));
    }
  }
}

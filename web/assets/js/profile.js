import { el } from "./svg.js";

// What the spine and its lens draw of a print seen from the side. A frame says where a
// width, mm, and a height, mm, fall: { x(mm), y(mm) }.

const f = (v) => v.toFixed(1);

// shape is the outline of layers from … to-1 as a path. runs has for each layer where its
// pieces begin and end. Pieces that stand above one another from layer to layer make one
// polygon.
export function shape(frame, book, runs, from, to) {
  let d = "",
    open = [],
    top = NaN;
  const flush = () => {
    for (const p of open) d += `M${p.left.join("L")}L${p.right.reverse().join("L")}Z`;
    open = [];
  };
  for (let n = from; n < to; n++) {
    const r = runs[n - 1] || [];
    const ya = f(frame.y(book.z[n - 1] - book.h[n - 1])),
      yb = f(frame.y(book.z[n - 1]));
    if (2 * open.length !== r.length || ya !== top) flush();
    if (open.length === 0)
      for (let k = 0; k + 1 < r.length; k += 2) open.push({ left: [], right: [], l: NaN, r: NaN });
    open.forEach((p, k) => {
      const x0 = frame.x(r[2 * k]),
        x1 = frame.x(r[2 * k + 1]);
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

// strips are the lines between layers, as far apart as can be told from each other.
export function strips(frame, book, runs) {
  let d = "",
    last = Infinity;
  for (let n = 1; n < book.z.length; n++) {
    const r = runs[n - 1],
      y = frame.y(book.z[n - 1]);
    if (last - y < 4) continue;
    last = y;
    if (r && r.length >= 2) d += `M${f(frame.x(r[0]))} ${f(y)}H${f(frame.x(r[r.length - 1]))}`;
  }
  return d;
}

// spans cuts layers from … to-1 where a band begins, and at the fold when the rest is
// previewed in another colour: [from, to, colour, faded].
export function spans({ bands, rest, fold }, from, to, N) {
  const out = [];
  bands.forEach((b, k) => {
    const end = k + 1 < bands.length ? bands[k + 1].from : N + 1;
    const parts =
      rest && fold > b.from && fold < end
        ? [
            [b.from, fold, b.colour, true],
            [fold, end, rest, false],
          ]
        : [[b.from, end, rest && fold === b.from ? rest : b.colour, rest && b.from < fold]];
    for (const [a, e, colour, faded] of parts)
      if (Math.max(a, from) < Math.min(e, to))
        out.push([Math.max(a, from), Math.min(e, to), colour, !!faded]);
  });
  return out;
}

// hollows cuts the pockets out that lie in layers from … to-1.
export function hollows(frame, book, side, from, to) {
  const out = [];
  for (const h of book.hollows || []) {
    const turn = (h.turn * Math.PI) / 180,
      c = Math.abs(Math.cos(turn)),
      s = Math.abs(Math.sin(turn));
    const mid = side ? h.y : h.x;
    const left = [],
      right = [];
    for (let n = Math.max(h.first, from), k = 0; n <= Math.min(h.last, to - 1); n++) {
      while (k + 1 < h.rows.length && h.rows[k + 1][0] <= n) k++;
      const [, w, d] = h.rows[k];
      const half =
        h.shape === "hex"
          ? (w / Math.sqrt(3)) *
            Math.max(
              ...[0, 1, 2].map((i) =>
                Math.abs((side ? Math.sin : Math.cos)(turn + (i * Math.PI) / 3)),
              ),
            )
          : (side ? w * s + d * c : w * c + d * s) / 2;
      const y0 = f(frame.y(book.z[n - 1] - book.h[n - 1])),
        y1 = f(frame.y(book.z[n - 1]));
      left.push(`${f(frame.x(mid - half))} ${y0}`, `${f(frame.x(mid - half))} ${y1}`);
      right.push(`${f(frame.x(mid + half))} ${y0}`, `${f(frame.x(mid + half))} ${y1}`);
    }
    if (!left.length) continue;
    const p = el("path", {
      d: `M${left.join("L")}L${right.reverse().join("L")}Z`,
      class: "spine-hollow",
    });
    p.append(el("title", {}, `A pocket, ${h.words}, open from layer ${h.first} to ${h.last}`));
    out.push(p);
  }
  return out;
}

// inserts sets into the pockets what is put there.
export function inserts(frame, sits, side) {
  return sits.map((s) => {
    const w = side ? s.y : s.x,
      half = Math.min(s.across, s.long) / 2;
    const x = frame.x(w - half),
      wide = frame.x(w + half) - x,
      y = frame.y(s.top),
      high = frame.y(s.rest) - y;
    return s.shape === "ball"
      ? el("ellipse", {
          cx: frame.x(w),
          cy: y + high / 2,
          rx: wide / 2,
          ry: high / 2,
          class: "spine-sits",
        })
      : el("rect", { x, y, width: wide, height: Math.max(high, 1), class: "spine-sits" });
  });
}

// stops are the ears, those at one fold as one: named by all, in the colour that goes on.
export function stops(ears) {
  const out = new Map();
  for (const e of ears) {
    const key = `${e.before}/${e.line}`;
    const s = out.get(key);
    if (!s) out.set(key, { ...e, count: 1 });
    else {
      s.name += `; ${e.name}`;
      s.count++;
      if (e.colour) s.colour = e.colour;
    }
  }
  return [...out.values()];
}

// flag is an ear: a folded corner whose tip points at its fold.
export function flag(e, x, y, { fold, z }) {
  const p = el("path", {
    d: `M${x} ${y}h22v-12z`,
    class: "spine-ear" + (e.before === fold ? " now" : ""),
    "stroke-linejoin": "round",
    "data-ear-id": e.id,
  });
  if (e.colour) p.setAttribute("fill", e.colour);
  else p.classList.add("fill-page");
  const where = e.line ? "inside" : "before";
  p.append(
    el(
      "title",
      {},
      `${e.name}: stops ${where} layer ${e.before}, ${z} mm; drag it to another layer`,
    ),
  );
  return p;
}

// striped is the flag of a stop that the file came with: an ear that is not ours.
export function striped(s, x, y) {
  const p = el("path", {
    d: `M${x} ${y}h22v-12zm6 0v-3.3m5 3.3v-6m5 6v-8.7`,
    class: "spine-found mark-dot",
    "stroke-linejoin": "round",
    "data-before": s.before,
    "data-line": s.inside,
  });
  const where = s.inside ? "inside" : "before";
  p.append(el("title", {}, `In the file already, ${where} layer ${s.before}: ${s.title}`));
  return p;
}

// dot is a landmark.
export function dot(m, x, y) {
  const c = el("circle", {
    cx: x,
    cy: y,
    r: 4,
    class: "mark-dot",
    "data-before": m.before,
    "data-line": m.line,
  });
  c.append(el("title", {}, `${m.line ? "Inside" : "Before"} layer ${m.before}: ${m.reason}`));
  return c;
}

import { firstLaid, lastLaid } from "./geometry.js";
import { ahead } from "./strokes.js";
import { draw } from "./page.js";
import { parts } from "./bands.js";
import { say } from "./say.js";

// Pages are the two pages of the bench: the last layer that is laid and the next one, or,
// at a fold inside a layer, the parts of it before and behind the fold.
export class Pages {
  constructor(bench) {
    this.bench = bench;
    this.shown = { left: null, right: null }; // what hovering asks
    this.turn = 0;
    this.idle = 0;
  }

  // What layer n shows of pockets: those that are open on it, what lies in them once it is
  // laid, and the ways that are lifted over that.
  holes(n) {
    return this.bench.book.hollows
      .filter((h) => n >= h.first && n <= h.last)
      .map((h) => {
        const r = h.rows.findLast((x) => x[0] <= n) || h.rows[0];
        return { ...h, w: r[1], d: r[2] };
      });
  }
  lying(n) {
    return this.bench.state.sits.filter((s) => n >= s.from && n < s.until);
  }
  leaps(n, from = 0, to = Infinity) {
    return this.bench.state.overs
      .filter((o) => o.layer === n && o.line >= from && o.line < to)
      .map((o) => o.way);
  }
  chosen(n, geo) {
    const { mend, book } = this.bench;
    return mend.on && geo ? mend.parts(n, geo, book.ready.get(`t${n}`)) : [];
  }

  // what is all that a page draws of pieces from … to-1 of layer n; begins says whether
  // their beginning is pointed at or their end.
  what(n, geo, from, to, begins, more) {
    const piece = geo ? (begins ? firstLaid : lastLaid)(geo, from, to) : -1;
    return {
      parts: geo ? parts(this.bench.state, n, geo, from, to, more.rest) : [],
      chosen: this.chosen(n, geo),
      sits: this.lying(n),
      travel: this.bench.state.travel,
      at: geo && { geo, piece, end: !begins, text: begins ? "begins here" : "ends here" },
      ...more,
    };
  }

  async draw() {
    const { bench, shown } = this;
    const { state, book, mend, N, root } = bench;
    const mine = ++this.turn;
    const n = state.fold;
    const [l, r, t] = await Promise.all([book.layer(n - 1), book.layer(n), book.order(n)]);
    if (mine !== this.turn) return;
    if ((!l && n > 1) || (!r && n <= N))
      say("A layer could not be loaded. Is Dogear still running?");
    const rest = state.rest ? bench.nextFilament()?.colour : "";
    if (state.path > 0 && r && t) {
      const cut = this.cutAt(t, r);
      shown.left = { n, geo: r, from: 0, to: cut };
      shown.right = { n, geo: r, from: cut, to: r.n };
      this.inside(n, r, cut, l, rest);
    } else {
      shown.left = l && { n: n - 1, geo: l, from: 0, to: l.n };
      shown.right = r && { n, geo: r, from: 0, to: r.n };
      this.between(n, l, r, rest, mine);
    }
    bench.ribbonNow(t);
    mend.drawn();
    root.dispatchEvent(new Event("dogear:drawn"));
    this.lookAhead(n, mine);
  }

  inside(n, r, cut, below, rest) {
    const { canvas, view } = this.bench;
    const line = r.line[cut];
    const before = { below, overs: this.leaps(n, 0, line ?? Infinity) };
    draw(canvas.left, view, this.what(n, r, 0, cut, false, before));
    const behind = { below, rest, overs: this.leaps(n, line ?? 0) };
    draw(canvas.right, view, this.what(n, r, cut, r.n, true, behind));
  }

  between(n, l, r, rest, mine) {
    const { canvas, view, book, N } = this.bench;
    const free = this.holes(n - 1).filter(
      (h) => !this.lying(n - 1).some((s) => s.x === h.x && s.y === h.y),
    );
    const under = { holes: free, overs: this.leaps(n - 1) };
    draw(
      canvas.left,
      view,
      n === 1 ? { nothing: "the bare bed" } : this.what(n - 1, l, 0, l?.n, false, under),
    );
    const page =
      n > N
        ? { nothing: "nothing more: the print is done" }
        : this.what(n, r, 0, r?.n, true, { below: l, rest, overs: this.leaps(n) });
    const over = (o) => {
      if (!o) return;
      draw(canvas.right, view, { ...page, overlay: o });
      this.notes(o);
    };
    const o = n > 1 ? book.ready.get(`o${n}`) : null;
    if (o) return over(o);
    draw(canvas.right, view, page);
    if (n > 1)
      book.overlay(n).then((v) => {
        if (mine === this.turn) over(v);
      });
  }

  // lookAhead loads what the next step up or down will show, and draws some of it.
  lookAhead(n, mine) {
    const { book, state, canvas, view } = this.bench;
    for (const k of [n + 1, n - 2, n + 2]) book.layer(k);
    for (const k of [n + 1, n - 1]) {
      book.order(k);
      book.overlay(k);
    }
    clearTimeout(this.idle);
    this.idle = setTimeout(async () => {
      for (const k of [n + 1, n - 2]) {
        const g = await book.layer(k);
        if (mine !== this.turn || !g) continue;
        const p = parts(state, k, g, 0, g.n);
        if (p.length === 1) ahead(canvas.right, view, p[0], state.travel);
      }
    }, 30);
  }

  // cutAt is the piece in front of which the fold lies inside a layer.
  cutAt(t, geo) {
    const { state } = this.bench;
    if (state.time >= 0) {
      // playing: inside a path too
      const p = t.paths.findLast((x) => x.begin <= state.time);
      if (!p) return 0;
      const f = Math.min(1, (state.time - p.begin) / Math.max(p.end - p.begin, 1e-6));
      return Math.round(p.from + f * (p.to - p.from));
    }
    return state.path < t.paths.length ? t.paths[state.path].from : geo.n;
  }

  notes(o) {
    const a = o.area.fresh,
      b = o.area.covered;
    const words = [];
    if (a > 0.5) words.push(`new here: ${a.toFixed(0)} mm² over nothing`);
    if (b > 0.5) words.push(`covered here: ${b.toFixed(0)} mm²`);
    if (words.length) this.bench.put("right-hover", words.join(" · "));
  }
}

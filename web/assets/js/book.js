import { bandAt } from "./bands.js";
import { parse, parseOverlay } from "./geometry.js";

// How many layers, orders and overlays are kept.
const MOST = 120;

// Book is a print that is open: what the server says of it, and its layers, fetched once and
// kept: what each lays, the order in which it does, and what lies over nothing.
export class Book {
  // facts are what /prints/:id/book says; bands are the filaments it is laid in.
  constructor(facts, bands = []) {
    Object.assign(this, facts);
    this.bands = bands;
    this.N = this.z.length;
    this.kept = new Map();
    this.ready = new Map(); // those that are here
  }

  // open fetches a print, with the filaments it is laid in unless somebody else keeps them;
  // null when it cannot be opened.
  static async open(id, coloured = true) {
    const [facts, bands] = await Promise.all([
      fetch(`/prints/${id}/book`),
      coloured ? fetch(`/prints/${id}/bands`) : null,
    ]);
    if (!facts.ok || (bands && !bands.ok)) return null;
    return new Book(await facts.json(), bands ? await bands.json() : []);
  }

  // joined is what runs of layers of several books look like as one print; from says where
  // each run begins. Its layers are theirs.
  static joined(runs) {
    const one = { z: [], h: [], front: [], side: [], from: [], landmarks: [], hollows: [] };
    one.box = [Infinity, Infinity, -Infinity, -Infinity];
    for (const { book, from, to } of runs) {
      one.from.push(one.z.length + 1);
      for (const part of ["z", "h", "front", "side"])
        one[part].push(...book[part].slice(from - 1, to));
      one.box = one.box.map((v, k) =>
        k < 2 ? Math.min(v, book.box[k]) : Math.max(v, book.box[k]),
      );
    }
    one.height = one.z.at(-1);
    one.object = one.z.map(() => 1);
    return new Book(one);
  }

  // frame is the part of the bed that it lies on, with a little round it, mm.
  frame() {
    const [x0, y0, x1, y1] = this.box;
    return [x0 - 1, y0 - 1, x1 + 1, y1 + 1];
  }

  // under is the height of the fold before layer n.
  under(n) {
    return n > this.N ? this.z[this.N - 1] : this.z[n - 1] - this.h[n - 1];
  }

  // colour is that of a line of layer n; without a line, of its end.
  colour(n, line = Infinity) {
    return bandAt(this.bands, n, line).colour;
  }

  // layerOf is the layer that a line of the file belongs to; 0 before the first.
  layerOf(line) {
    let low = 0,
      high = this.N;
    while (low < high) {
      const m = (low + high) >> 1;
      if (this.fold[m] <= line) low = m + 1;
      else high = m;
    }
    return low;
  }

  get(key, url, read) {
    const { kept, ready } = this;
    if (!kept.has(key)) {
      kept.set(
        key,
        fetch(url)
          .then((r) => {
            if (!r.ok) throw new Error();
            return read(r);
          })
          .then((v) => {
            ready.set(key, v);
            return v;
          })
          .catch(() => {
            kept.delete(key);
            return null;
          }),
      );
      if (kept.size > MOST) {
        const old = kept.keys().next().value;
        kept.delete(old);
        ready.delete(old);
      }
    }
    return kept.get(key);
  }

  at(n, what = "") {
    return `/prints/${this.id}/layers/${n}${what}?v=${this.version}`;
  }
  in(n) {
    return n >= 1 && n <= this.N;
  }
  layer(n) {
    return this.in(n)
      ? this.get(`g${n}`, this.at(n), async (r) => parse(await r.arrayBuffer()))
      : Promise.resolve(null);
  }
  order(n) {
    return this.in(n)
      ? this.get(`t${n}`, this.at(n, "/thread"), (r) => r.json())
      : Promise.resolve(null);
  }
  overlay(n) {
    return this.in(n)
      ? this.get(`o${n}`, this.at(n, "/overlay"), async (r) => parseOverlay(await r.arrayBuffer()))
      : Promise.resolve(null);
  }

  // over is what layer m lays over nothing of layer n of another print.
  over(other, n, m) {
    return this.get(
      `v${other.id}:${n}/${m}`,
      `/bind/over?below=${other.id}:${n}&above=${this.id}:${m}`,
      async (r) => parseOverlay(await r.arrayBuffer()),
    );
  }
}

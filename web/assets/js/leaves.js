import { parse, parseOverlay } from "./geometry.js";

// Leaves are the layers of a print, fetched once and kept: what each lays, the
// order in which it does, and what lies over nothing.
export class Leaves {
  // book has the print's id, the version of its bytes and its heights.
  constructor(book, most = 120) {
    this.book = book;
    this.most = most;
    this.kept = new Map();
    this.ready = new Map(); // those that are here
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
      if (kept.size > this.most) {
        const old = kept.keys().next().value;
        kept.delete(old);
        ready.delete(old);
      }
    }
    return kept.get(key);
  }

  at(n, what = "") {
    return `/prints/${this.book.id}/layers/${n}${what}?v=${this.book.version}`;
  }
  in(n) {
    return n >= 1 && n <= this.book.z.length;
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
      `/bind/over?below=${other.id}:${n}&above=${this.book.id}:${m}`,
      async (r) => parseOverlay(await r.arrayBuffer()),
    );
  }
}

// openBook fetches a print with the filaments it is laid in; null when it cannot
// be opened.
export async function openBook(id) {
  const [b, bands] = await Promise.all([fetch(`/prints/${id}/book`), fetch(`/prints/${id}/bands`)]);
  return b.ok && bands.ok ? { ...(await b.json()), bands: await bands.json() } : null;
}

// colourOf is the colour in which a layer of a book ends.
export const colourOf = (book, n) =>
  book.bands.findLast((b) => b.from <= n)?.colour || book.bands[0].colour;

import { mix, rgb, token } from "./colour.js";

// Cover shows the print as it will look. What the server sends are parts and
// shades; colours are put on here, so that they change at once.
export class Cover {
  constructor(root, url) {
    this.root = root;
    this.url = url;
    this.canvas = root.querySelector("canvas");
    this.view = "slant";
    this.cut = false;
    this.key = "";
    this.data = null;
    this.rest = null;
    this.asked = "";
    this.asking = null; // what ends the newest request
  }

  get open() {
    return this.root.open;
  }

  // show chooses a view.
  show(view) {
    this.view = view;
    for (const x of this.root.querySelectorAll("[data-view]"))
      x.setAttribute("aria-pressed", x.dataset.view === view);
  }

  // ask turns to a view while the question is what is left to be laid: from above, or from
  // below for what lies in the first layer. At the end it turns back, unless somebody has
  // chosen another view meanwhile.
  ask(view) {
    if (view) {
      if (!this.asked) this.before = this.view;
      this.asked = view;
      this.show(view);
    } else if (this.asked) {
      if (this.view === this.asked) this.show(this.before);
      this.asked = "";
    }
  }

  // load fetches a view when something else is asked for than is shown. rest is what is
  // left to be laid, { from, line, colour }, when it is to stand out from what is done.
  async load(fold, ears, bands, rest = null) {
    if (!this.open) return;
    const same =
      bands === this.bands &&
      rest?.from === this.rest?.from &&
      rest?.line === this.rest?.line &&
      rest?.colour === this.rest?.colour;
    this.bands = bands;
    this.rest = rest;
    const inside = ears
      .filter((e) => e.line)
      .map((e) => e.line)
      .join();
    const line = rest?.line && !this.cut ? rest.line : 0;
    const key = `${this.view}/${this.cut ? fold : ""}/${inside}/${line}`;
    if (key === this.key) return same ? undefined : this.paint();
    this.key = key;
    if (line) {
      // the fold may still be moving from path to path
      await new Promise((done) => {
        setTimeout(done, 250);
      });
      if (key !== this.key) return;
    }
    this.asking?.abort(); // nobody looks at that one any more
    this.asking = new AbortController();
    const part = this.cut ? `?cut=${fold}` : line ? `?line=${line}` : "";
    const { signal } = this.asking;
    const r = await fetch(`${this.url}/${this.view}${part}`, { signal }).catch(() => null);
    if (key !== this.key) return;
    if (!r?.ok) {
      this.key = ""; // it is asked for again when something moves
      return;
    }
    const buf = await r.arrayBuffer();
    const v = new DataView(buf);
    const w = v.getUint32(0, true),
      h = v.getUint32(4, true),
      k = v.getUint32(8, true);
    this.data = {
      w,
      h,
      parts: new Uint32Array(buf, 12, 2 * k),
      part: new Uint32Array(buf, 12 + 8 * k, w * h),
      shade: new Uint8Array(buf, 12 + 8 * k + 4 * w * h, w * h),
    };
    this.paint();
    this.root.dataset.shown = key;
  }

  paint() {
    const d = this.data;
    if (!d) return;
    const { w, h } = d;
    const c = this.canvas;
    if (w === 0 || h === 0) {
      c.width = 1;
      c.height = 1;
      return;
    }
    c.width = w;
    c.height = h;
    // The colour of each part: the last band that has begun by then.
    const colours = [];
    for (let i = 0; i < d.parts.length; i += 2) {
      let b = this.bands[0];
      const begun = (x) =>
        x.from < d.parts[i] || (x.from === d.parts[i] && x.line <= d.parts[i + 1]);
      for (const x of this.bands) if (begun(x)) b = x;
      const r = this.rest;
      colours.push(rgb(!r ? b.colour : begun(r) ? r.colour : mix(b.colour, token("page"), 0.72)));
    }
    const ctx = c.getContext("2d");
    const img = ctx.createImageData(w, h);
    for (let i = 0; i < w * h; i++) {
      const p = d.part[i];
      if (!p) continue;
      const [r, g, b] = colours[p - 1] || [0, 0, 0];
      const s = d.shade[i] / 128;
      const f = (v) => (s <= 1 ? v * (0.35 + 0.65 * s) : v + (255 - v) * (s - 1) * 0.5);
      img.data[4 * i] = f(r);
      img.data[4 * i + 1] = f(g);
      img.data[4 * i + 2] = f(b);
      img.data[4 * i + 3] = 255;
    }
    ctx.putImageData(img, 0, 0);
  }
}
